"""The host of the picture: its header, or just the ends that are wired; and where its wires leave it."""

from collections.abc import Iterator
from dataclasses import dataclass

from lumek.hookup.colours import TINTS
from lumek.hookup.drawing.canvas import FAINT, INK, WHITE, Point, clipped
from lumek.hookup.drawing.placing import (
    BOTTOM,
    HEADER_PITCH,
    HOST_OUT,
    HOST_X,
    PLENTY,
    TERMINAL_PITCH,
    TOP,
    DrawnNet,
    Layout,
    columns,
    positions_of,
)

HOST_WIDTH, HOST_GAP = 118.0, 12.0


def draw_host(layout: Layout) -> None:
    """The host's header, or just the ends that are wired; from each a lead to the channel."""
    shifts = sorted(range(-16, 17), key=abs)
    terminals = max((list(_terminals(layout, shift)) for shift in shifts), key=lambda some: _clearance(some))
    header = layout.hookup.host.header if layout.hookup.host else None
    heading = layout.hookup.board_words.removeprefix("the ") or "host"
    if header:
        heading += f", {header} header: position and line"
    layout.canvas.words(HOST_X, terminals[0].y - 24, heading, 9, bold=True)
    for one in terminals:
        edge = FAINT if one.net is None else TINTS[one.net.colour.partition("-")[0]]
        layout.canvas.box(
            one.x, one.y - 9, one.width, 18, one.words, edge=FAINT if edge == WHITE else edge, bold=one.net is not None,
            size=8.5 if len(one.words) < 15 or one.width > HOST_WIDTH else 7.5, ink=FAINT if one.net is None else INK,
            line=0.7 if one.net is None else 2.2, dashed=one.net is not None and "-" in one.net.colour,
        )  # fmt: skip
        if one.net is not None:
            one.net.lead = one.lead
    leads = {one.position: one.lead for one in terminals}
    for end, net in layout.nets.items():  # a second role on a line, which the checks report
        net.lead = net.lead or leads[end.position]


@dataclass
class Terminal:
    """An end at the host, where it is drawn, and the lead from it to the channel."""

    x: float
    y: float
    width: float
    words: str
    net: DrawnNet | None
    lead: list[Point]
    position: int | None = None


def _terminals(layout: Layout, shift: float) -> Iterator[Terminal]:
    """All ends at the host, `shift` lower than usual."""
    rows = positions_of(layout.hookup)
    count = (max(rows) + 1) // 2 if rows else 0
    placed = {end.position: (end, net) for end, net in layout.nets.items() if end.position}
    others = [(end, net) for end, net in layout.nets.items() if not end.position]
    others.sort(key=lambda item: item[1].height or 0.0)
    height = count * HEADER_PITCH + TERMINAL_PITCH * len(others)
    y = shift + TOP + 30 + max(0.0, layout.canvas.height - TOP - BOTTOM - 30 - height) / 2
    for position, what in rows.items():
        even, row = 1 - position % 2, (position - 1) // 2
        x, at = HOST_X + even * (HOST_WIDTH + HOST_GAP), y + row * HEADER_PITCH
        edge, jog, between = x + HOST_WIDTH, x + HOST_WIDTH + HOST_GAP / 2, at + HEADER_PITCH / 2
        lead = [(edge, at), (HOST_OUT, at)]
        if not even:
            lead = [(edge, at), (jog, at), (jog, between), (HOST_OUT, between)]
        end, net = placed.get(position, (None, None))
        name = end.name if end else f"line {what}" if isinstance(what, int) else what
        words = f"{position}   {name}"
        if layout.hookup.known_board is not None:
            words = f"{what} ({name})" if end and end.kind == "supply" else name.removeprefix("pin ")
        yield Terminal(x, at, HOST_WIDTH, words, net, lead, position)
    y += count * HEADER_PITCH
    for place, (end, net) in enumerate(others):
        at = y + place * TERMINAL_PITCH
        yield Terminal(HOST_X, at, HOST_OUT - HOST_X, clipped(end.name, 32), net, [(HOST_OUT, at)])


def _clearance(terminals: list[Terminal]) -> float:
    """How far at least one wire's way into the channel is from another's way out of it, where they are side by side."""
    leads = [(one.lead[-1][1], one.net.height) for one in terminals if one.net]
    runs = columns([(start, height, None) for start, height in leads if height is not None])
    gaps = [abs(start - stop) for place, (start, _, _) in enumerate(runs) for _, stop, _ in runs[:place]]
    return min([PLENTY, *gaps])
