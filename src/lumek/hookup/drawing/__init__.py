"""The picture of a hookup: the host on the left, the panels on the right, and all wires of the table between them.

| module | is |
|---|---|
| `canvas` | wires, boxes and words on a figure |
| `placing` | where the parts are, and the connections to be drawn |
| `blocks` | panels, backpacks, registers, the level shifter |
| `host` | the host |
| here | the wires between them, and the words around |
"""

import warnings
from pathlib import Path

from matplotlib import rc_context
from matplotlib.figure import Figure

from lumek.hookup.checks.findings import Finding, tally
from lumek.hookup.drawing.blocks import draw_panel, draw_register, draw_shifter
from lumek.hookup.drawing.canvas import FAINT, INK, Point, clipped
from lumek.hookup.drawing.host import draw_host
from lumek.hookup.drawing.placing import BOTTOM, CHANNEL_X, HOST_OUT, HOST_X, SHIFTER_WIDTH, Layout, columns
from lumek.hookup.file import Hookup
from lumek.hookup.formulas import ohms_text
from lumek.hookup.nets import on_bus
from lumek.hookup.sheet import colour_at, title

SIGNS = {"error": "#c81e1e", "warning": "#a86400", "note": "#2b6fd0", "ok": "#2f8a47"}


def draw_hookup(hookup: Hookup, findings: list[Finding]) -> Figure:
    """The picture of a hookup, 1280 dots wide and at least 800 high; what the checks found is written below it."""
    layout = Layout(hookup)
    y, tops = layout.top, {}
    for name in hookup.panels:
        draw_panel(layout, name, y)
        tops[name] = y
        y += layout.rows(name) * layout.pitch
    for name, top in tops.items():
        draw_register(layout, name, top)
    for end, net in layout.nets.items():
        if end.kind == "ground":
            net.stops = [(layout.ground_x, layout.top)]
        elif end == layout.rail:
            net.stops = [(layout.supply_x, layout.top + 0.45 * layout.pitch)]
    draw_shifter(layout)
    draw_host(layout)
    _draw_nets(layout)
    for x, top, ys, colour in (
        (layout.ground_x, layout.top, layout.ground_ys, "black"),
        (layout.supply_x, layout.top + 0.45 * layout.pitch, layout.supply_ys, colour_at(layout.rail)),
    ):
        layout.canvas.wire([(x, top), (x, max([top, *ys]))], colour)
        for at in ys:
            layout.canvas.joint(x, at)
    _draw_words(layout, findings)
    return layout.canvas.figure


def save(figure: Figure, path: Path) -> None:
    """Write a picture in the format of the file's ending; that of the same hookup is the same file."""
    dates = {".svg": {"Date": None}, ".pdf": {"CreationDate": None}}
    with rc_context({"svg.hashsalt": "lumek"}), warnings.catch_warnings():
        warnings.filterwarnings("ignore", "Glyph .* missing")  # a name may be in letters that the font lacks
        figure.savefig(path, metadata=dates.get(path.suffix.lower()))


def _draw_nets(layout: Layout) -> None:
    """The wires of the host, each in a column of the channel; further ends branch off there or before the rails."""
    runs = [(net.lead[-1][1], net.height, net) for net in layout.nets.values() if net.height is not None]
    branch_x = layout.branch_x
    for column, (start, height, net) in enumerate(columns(runs)):
        x = CHANNEL_X + column * layout.column
        end, *others = net.behind or net.stops
        path: list[Point] = [*net.lead, (x, start), (x, height)]
        near = net.stops if net.behind else [one for one in others if one[0] < layout.shifter_x + SHIFTER_WIDTH]
        _draw_branches(layout, x, height, near, net.colour)
        if net.behind:
            layout.canvas.wire([*path, (layout.shifter_x, height)], net.colour)
            path = [(layout.shifter_x + SHIFTER_WIDTH, height)]
        passes = not net.behind and layout.shifter_ys[0] < height < layout.shifter_ys[1]
        layout.canvas.wire([*path, end], net.colour, over=passes and end[0] > layout.shifter_x + SHIFTER_WIDTH)
        _draw_branches(layout, branch_x, height, [one for one in others if one not in near], net.colour)
        branch_x += 10 if others else 0
        layout.canvas.words(HOST_OUT + 10, net.lead[-1][1] - 7.5, net.label, 7.5)


def _draw_branches(layout: Layout, x: float, height: float, ends: list[Point], colour: str) -> None:
    """From a joint up or down to further ends of a wire."""
    for end in ends:
        layout.canvas.wire([(x, height), (x, end[1]), end], colour)
        layout.canvas.joint(x, height)
        height = end[1]


def _draw_words(layout: Layout, findings: list[Finding]) -> None:
    """Title, file, pull-ups of the host, and what the checks say."""
    canvas, hookup = layout.canvas, layout.hookup
    titles = [clipped(title(hookup, name), 100) for name in hookup.panels]
    canvas.words(HOST_X, 26, titles[0] if len(titles) == 1 else f"{len(titles)} panels", 13, bold=True)
    below = "   |   ".join(titles) if len(titles) == 2 else hookup.source
    canvas.words(HOST_X, 48, clipped(below, 180), 9, ink=FAINT)
    pulled = [f"bus {bus}: {ohms_text(ohms)} from SDA and SCL to {hookup.host.logic_volts:g} V, on the host"
              for bus in on_bus(hookup) if hookup.host and (ohms := hookup.host.pullup_of(bus))]  # fmt: skip
    if pulled:
        canvas.words(HOST_X, 67, "; ".join(pulled), 8.5, ink=INK)
    worst = [finding for sign in ("error", "warning") for finding in findings if finding.severity == sign]
    y = canvas.height - BOTTOM + 24
    canvas.words(
        HOST_X, y, f"checks: {tally(findings)}", 9.5, bold=True, ink=SIGNS[worst[0].severity] if worst else SIGNS["ok"]
    )
    for finding in worst[:1]:
        canvas.words(HOST_X, y + 18, clipped(finding.says, 180), 8.5, ink=SIGNS[finding.severity])
