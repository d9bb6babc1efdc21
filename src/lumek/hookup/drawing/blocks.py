"""The parts of the picture: panels and backpacks with what is before their pins, registers, level shifter, host."""

from lumek.hookup.colours import TINTS
from lumek.hookup.drawing.canvas import BOARD, CAPACITOR, FAINT, INK, RESISTOR, TRANSISTOR, WHITE, Point, clipped
from lumek.hookup.drawing.placing import (
    LEAST_ROWS,
    OUTPUT_COLUMN,
    PANEL_END,
    PANEL_X,
    PART_STEP,
    PLENTY,
    REGISTER_WIDTH,
    SHIFTER_WIDTH,
    Layout,
    columns,
)
from lumek.hookup.formulas import ohms_text
from lumek.hookup.maps import OUTPUTS
from lumek.hookup.sheet import End, Wire, colour_at, ground
from lumek.hookup.wiring import BackpackTable, RegisterTable

PIN_WIDTH, PIN_HEIGHT = 82.0, 19.0
PART_HEIGHT, PART_GAP = 20.0, 12.0
PART_WIDTH = PART_STEP - PART_GAP
SHIFTER_HEAD = 104.0
"""From the top of the level shifter to the first line that goes through it."""

SHIFTER_LV_HV, SHIFTER_GND = 30.0, 50.0
"""From there to the heights of its supplies and of its ground."""

ACTIVE_LOW = ("OE", "SRCLR")


def draw_panel(layout: Layout, name: str, top: float) -> None:
    """A panel or backpack with its pins, and the parts before them."""
    canvas, pitch, module, pins = layout.canvas, layout.pitch, layout.hookup.panels[name], layout.pins[name]
    first = top + layout.above(name) * pitch
    ys = {wire.name: first + place * pitch for place, wire in enumerate(pins)}
    last = first + (max(len(pins), LEAST_ROWS) - 1) * pitch
    canvas.box(PANEL_X - 6, first - 0.7 * pitch, PANEL_END - PANEL_X + 6, last - first + 1.4 * pitch, fill=BOARD)
    for wire in pins:
        is_open, y = wire.to.kind == "open", ys[wire.name]
        ink = FAINT if is_open else INK
        words = f"{wire.pin}   {wire.name}" if wire.pin else wire.name
        canvas.box(
            PANEL_X, y - PIN_HEIGHT / 2, PIN_WIDTH, PIN_HEIGHT, words, ink=ink, edge=ink, bold=not is_open, size=9
        )
        if wire.to.kind == "potentiometer":
            _potentiometer(layout, wire, y, top + 1.25 * pitch)
        elif not is_open:
            _before(layout, wire, y)
    middle = PANEL_END - 84
    under = _front(layout, module.size, pins, middle, first - 0.25 * pitch)
    about = [clipped(f"panel {name!r}", 20)] if len(layout.hookup.panels) > 1 else []
    about.append(f"ROM {module.rom}, {module.volts:g} V")
    if isinstance(module.hookup, BackpackTable):
        about.append(f"{module.hookup.part.upper()}, {module.hookup.at:#04x}")
        _backpack(layout, module.hookup, ys, middle, last)
    else:
        about.append(f"{module.width}-bit mode")
    for place, words in enumerate(about):
        canvas.words(middle, under + 14 + place * 15, words, 8, "center")


def _before(layout: Layout, wire: Wire, y: float) -> None:
    """From a pin to the left, through the parts before it, to where its wire goes."""
    canvas = layout.canvas
    x = PANEL_X

    def part(words: str, fill: str) -> None:
        nonlocal x
        canvas.wire([(x - PART_GAP, y), (x, y)], wire.colour)
        x -= PART_GAP + PART_WIDTH
        canvas.box(x, y - PART_HEIGHT / 2, PART_WIDTH, PART_HEIGHT, words, fill, size=7)

    for one in wire.through:
        if one == "RC":
            _capacitor(layout, x - PART_GAP / 2, y)
            part("1 kohm", RESISTOR)
        elif one in ("NPN", "PNP"):
            part(one, TRANSISTOR)
            _legs(layout, x, y, one)
            _emitter(layout, wire, x + PART_WIDTH - 10, y)
            part("1 kohm", RESISTOR)
        elif one != "level shifter":
            part(one, RESISTOR)
    if wire.to.kind == "register":
        layout.outputs.setdefault((_leads(layout, wire.panel), wire.to.line), []).append(((x, y), wire.colour))
    elif "level shifter" in wire.through:
        layout.nets[wire.to].end(wire, x, y)
    else:
        _feed(layout, wire.to, [(x, y)], wire.colour)


def _feed(layout: Layout, end: End, path: list[Point], colour: str) -> None:
    """Lead a path, whose first point is its left end, from a rail or, where there is none, from the host."""
    x, y = path[0]
    if end.kind == "ground":
        layout.canvas.wire([(layout.ground_x, y), *path], colour)
        layout.ground_ys.append(y)
    elif end == layout.rail:
        layout.canvas.wire([(layout.supply_x, y), *path], colour)
        layout.supply_ys.append(y)
    else:
        if len(path) > 1:
            layout.canvas.wire(path, colour)
        layout.nets[end].stops.append((x, y))


def _front(layout: Layout, size: str, pins: list[Wire], x: float, top: float) -> float:
    """The module as it is seen from the front, its middle at x: the row of pins at its upper edge, 1 on the left.

    Returns the height of its lower edge.
    """
    canvas, known = layout.canvas, {wire.pin: wire for wire in pins if wire.pin is not None}
    row = 16 if known else 0
    board = 64 + (22 if known else 0)
    canvas.box(x - 74, top, 148, board, fill="#4f7f63")
    for pin in range(1, row + 1):
        at = x - 66 + (pin - 1) * 132 / 15
        wire = known.get(pin)
        wired = wire is not None and wire.to.kind != "open"
        canvas.disc(at, top + 9, 3.4, TINTS[wire.colour.partition("-")[0]] if wire and wired else "#e6e6e0")
        if pin in (1, row):
            canvas.words(at, top + 18, str(pin), 6, "center", ink=WHITE)
    canvas.box(x - 58, top + board - 56, 116, 48, size, "#b9cf6a", size=16, bold=True)
    if known:
        canvas.words(x, top + board + 8, "seen from the front", 6.5, "center", ink=FAINT)
    return top + board + (8 if known else 0)


def _capacitor(layout: Layout, x: float, y: float) -> None:
    """From a joint on a wire through a capacitor to ground, which is reached below the wire."""
    canvas, away = layout.canvas, y + 0.47 * layout.pitch
    left = x - 2 * PART_WIDTH - PART_GAP
    canvas.wire([(x, y), (x, away), (left + PART_WIDTH, away)], "black")
    canvas.joint(x, y)
    canvas.box(left, away - 7, PART_WIDTH, 14, "10 uF", CAPACITOR, size=6.5)
    _feed(layout, ground(layout.hookup), [(left, away)], "black")


def _legs(layout: Layout, x: float, y: float, kind: str) -> None:
    """The names of the legs of a transistor whose box begins at x: base, collector, emitter."""
    right, emitter = x + PART_WIDTH, PART_HEIGHT / 2 + 5
    below = y + (emitter if kind == "NPN" else -emitter)
    legs = {"B": (x + 6, y), "C": (right - 6, y), "E": (right - 3, below)}
    for name, (at, height) in legs.items():
        layout.canvas.words(at, height, name, 6, "center", True)


def _emitter(layout: Layout, wire: Wire, x: float, y: float) -> None:
    """From the emitter of a transistor, above a PNP and below an NPN, to what feeds it."""
    if wire.emitter:
        down = 1 if wire.emitter.kind == "ground" else -1
        away = y + down * 0.47 * layout.pitch
        path = [(x, away), (x, y + down * PART_HEIGHT / 2)]
        _feed(layout, wire.emitter, path, colour_at(wire.emitter))


def _potentiometer(layout: Layout, wire: Wire, y: float, at: float) -> None:
    """Between the rails, its wiper at a pin."""
    canvas, ohms = layout.canvas, layout.hookup.panels[wire.panel].contrast.potentiometer_ohms
    left, right, around = PANEL_X - 116, PANEL_X - 44, at - 0.55 * layout.pitch
    supply = layout.supply_of(wire.panel)
    _feed(layout, supply, [(left, at)], colour_at(supply))
    _feed(layout, ground(layout.hookup), [(right + 12, around), (right + 12, at), (right, at)], "black")
    canvas.wire([(PANEL_X, y), ((left + right) / 2, y), ((left + right) / 2, at + 9)], wire.colour)
    canvas.box(left, at - 9, right - left, 18, ohms_text(ohms), RESISTOR, size=7)


def _backpack(layout: Layout, wiring: BackpackTable, ys: dict[str, float], x: float, last: float) -> None:
    """What is on a backpack: its pads, and its pull-ups."""
    canvas = layout.canvas
    for place, pad in enumerate((2, 1, 0)):
        bridged = not wiring.at >> pad & 1
        canvas.box(x - 54 + place * 38, last - 2, 32, 18, f"A{pad}", INK if bridged else WHITE, size=7,
                   ink=WHITE if bridged else INK)  # fmt: skip
    canvas.words(x, last - 12, "pads: dark is bridged", 7, "center", ink=FAINT)
    for signal, away in (("SDA", 10), ("SCL", 26)) if wiring.pullup_ohms else ():
        at, edge = PANEL_X + PIN_WIDTH + away, PANEL_X + PIN_WIDTH
        canvas.inside([(edge, ys[signal]), (at, ys[signal]), (at, ys["VCC"]), (edge, ys["VCC"])])
        canvas.box(at - 6, (ys["VCC"] + ys["SDA"]) / 2 - 13, 12, 26, "", RESISTOR)
    if wiring.pullup_ohms:
        canvas.words(PANEL_X + PIN_WIDTH + 4, ys["SCL"] + 16, ohms_text(wiring.pullup_ohms), 7)


def _leads(layout: Layout, name: str) -> str:
    """What leads to the register of a panel."""
    wiring = layout.hookup.panels[name].hookup
    return wiring.leads if isinstance(wiring, RegisterTable) else ""


def draw_register(layout: Layout, name: str, top: float) -> None:
    """The shift register described with a panel, if any, and the wires from its outputs to all panels on it."""
    own = [wire for wire in layout.wires[name] if wire.part == "register"]
    wiring = layout.hookup.panels[name].hookup
    if not own or not isinstance(wiring, RegisterTable):
        return
    canvas, pitch, x, vo = layout.canvas, min(layout.pitch, 30.0), layout.register_x, top + 4.6 * layout.pitch
    first = vo + max(2.4 * layout.pitch, SHIFTER_HEAD + 12 if wiring.level_shifter else 0)
    own.sort(key=lambda wire: wire.to.kind != "host")
    canvas.box(x, first - 40, REGISTER_WIDTH, 8 * pitch + 40, fill=BOARD)
    canvas.words(x + REGISTER_WIDTH / 2, first - 26, wiring.part.upper(), 8.5, "center", True)
    for place, wire in enumerate(own):
        y = first + place * pitch
        canvas.box(x + 4, y - 9, 68, 18, f"{wire.pin}  {wire.name}", size=7.5, bold=True)
        if wire.name in ACTIVE_LOW:
            canvas.bar(x + 38, y, f"{wire.pin}  {wire.name}", wire.name, 7.5)
        if wire.to.kind == "host":
            layout.nets[wire.to].end(wire, x + 4, y)
        else:
            tint = TINTS[wire.colour.partition("-")[0]]
            canvas.wire([(x - 8, y), (x + 4, y)], wire.colour)
            canvas.box(x - 38, y - 8, 30, 16, wire.to.name, tint, tint, 6, bold=True, ink=WHITE)
    runs = []
    for output, (label, pin) in OUTPUTS.items():
        y, ends = first + output * pitch, layout.outputs.get((wiring.leads, output))
        ink = INK if ends else FAINT
        canvas.box(
            x + REGISTER_WIDTH - 56, y - 9, 52, 18, f"{label}  {pin}", size=7.5, bold=bool(ends), ink=ink, edge=ink
        )
        if ends:
            runs.append((y, ends[0][0][1], ends))
    edge = x + REGISTER_WIDTH - 4
    for column, (y, height, ends) in enumerate(columns(runs)):
        at = edge + 18 + column * OUTPUT_COLUMN
        for (stop, colour), start in zip(ends, [y, *(end[0][1] for end in ends)], strict=False):
            canvas.wire([*([(edge, y)] if start == y else []), (at, start), (at, stop[1]), stop], colour)
            if start != y:
                canvas.joint(at, height)


def draw_shifter(layout: Layout) -> None:
    """The level shifter, between the channel and what is at the panels' level."""
    canvas, x = layout.canvas, layout.shifter_x
    rows = {wire.name: wire for wires in layout.wires.values() for wire in wires if wire.part == "level shifter"}
    if not rows:
        return
    shifted = [net.behind[0][1] for net in layout.nets.values() if net.behind]
    top = min(shifted) - SHIFTER_HEAD
    ends = [y for net in layout.nets.values() for _, y in (*net.stops, *net.behind)]
    taken = [*layout.ground_ys, *layout.supply_ys, *ends]
    while any(abs(top + own - y) < PLENTY for own in (SHIFTER_LV_HV, SHIFTER_GND) for y in taken):
        top -= 1  # else two wires would lie on each other
    layout.shifter_ys = top, max(shifted) + 14
    canvas.box(x, top, SHIFTER_WIDTH, layout.shifter_ys[1] - top, fill="#dfe7f5")
    canvas.words(x + SHIFTER_WIDTH / 2, top + 11, "level shifter", 7, "center", True)
    canvas.box(x + 3, top + SHIFTER_LV_HV - 8, 30, 16, "LV", size=7, bold=True)
    layout.nets[rows["LV"].to].stops.append((x + 3, top + SHIFTER_LV_HV))
    for name, y in (("HV", top + SHIFTER_LV_HV), ("GND", top + SHIFTER_GND)):
        edge = x + SHIFTER_WIDTH - 3
        canvas.box(edge - 32, y - 8, 32, 16, name, size=7, bold=True)
        _feed(layout, rows[name].to, [(edge, y)], rows[name].colour)
