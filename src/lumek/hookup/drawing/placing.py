"""Where things are placed on the picture, and the connections that have yet to be drawn."""

from collections import Counter
from dataclasses import dataclass, field
from typing import TypeVar

from lumek.hookup.drawing.canvas import WIDTH, Canvas, Point
from lumek.hookup.file import Hookup
from lumek.hookup.maps import HEADER
from lumek.hookup.sheet import End, Wire, colour_at, wires
from lumek.hookup.wiring import BackpackTable

HEIGHT, TOP, BOTTOM = 800.0, 84.0, 60.0
"""The least height of the picture, and what its words take."""

LEAST_PITCH, MOST_PITCH = 26.0, 46.0
"""From one pin of a panel to the next."""

HEADER_PITCH, TERMINAL_PITCH = 31.0, 28.0
"""From one row of the header to the next, and from one end of the host to the next where there is no header."""

LEAST_ROWS, ROWS_ABOVE, ROWS_BELOW = 6, 2.6, 0.9
"""Pins for which a panel has room at least, and rows above them (for the potentiometer) and below."""

ABOVE_BACKPACK, ABOVE_SHIFTED = 1.2, 3.2
"""Rows above the pins of a backpack, which has its potentiometer on the board; and where a level shifter reaches up."""

HOST_X, HOST_OUT = 26.0, 274.0
CHANNEL_X, MOST_COLUMN = 346.0, 26.0
SHIFTER_WIDTH, REGISTER_WIDTH = 76.0, 132.0
PANEL_X, PANEL_END = 984.0, WIDTH - 22.0
POTENTIOMETER_WIDTH, PART_STEP = 150.0, 66.0
"""What is wired before the pins takes the one, or so much of the other for each part in a row."""

PLENTY = 7.0
"""Of distance between two wires."""

OUTPUT_COLUMN = 11.0
"""From one wire of a register's outputs to the next."""

PANEL_PINS = ("VSS", "VDD", "VO", "RS", "RW", "E", "E2", "D0", "D1", "D2", "D3", "D4", "D5", "D6", "D7", "A", "K")
BACKPACK_PINS = ("GND", "VCC", "SDA", "SCL")

Any_ = TypeVar("Any_")


@dataclass
class DrawnNet:
    """What is connected to one end at the host.

    lead: from there to the channel.
    stops: its other ends; behind: those of them that are behind the level shifter.
    """

    colour: str
    label: str
    lead: list[Point] = field(default_factory=list)
    stops: list[Point] = field(default_factory=list)
    behind: list[Point] = field(default_factory=list)

    def end(self, wire: Wire, x: float, y: float) -> None:
        """Let a wire end there."""
        (self.behind if "level shifter" in wire.through else self.stops).append((x, y))

    @property
    def height(self) -> float | None:
        """At which it leaves the channel."""
        return next((y for _, y in (*self.behind, *self.stops)), None)


class Layout:
    """Where the parts of a hookup are drawn, from left to right: host, channel, level shifter, register, rails, panels.

    pins: those of each panel, in their order.
    nets: by the end at the host.
    ground_ys, supply_ys: heights at which something is joined to the rails.
    """

    def __init__(self, hookup: Hookup) -> None:
        self.hookup = hookup
        self.wires = {name: wires(hookup, name) for name in hookup.panels}
        self.pins = {name: _in_order(rows) for name, rows in self.wires.items()}
        every = [wire for rows in self.wires.values() for wire in rows]
        shifter = next((wire.to for wire in every if wire.name == "HV"), None)
        self.rail = shifter or self.supply_of(next(iter(hookup.panels)))
        """The supply that has a rail: behind the level shifter, or of the first panel. Others lead to each pin."""
        self.nets: dict[End, DrawnNet] = {}
        for wire in every:
            if wire.emitter and wire.emitter.kind == "supply":
                self.nets.setdefault(wire.emitter, DrawnNet(colour_at(wire.emitter), ""))
            if wire.to.kind in ("host", "ground", "supply"):
                colour = wire.colour if wire.to.kind == "host" else colour_at(wire.to)
                label = wire.name if wire.to.kind == "host" else ""
                if {"NPN", "PNP"} & set(wire.through):
                    label = f"backlight{wire.name[1:].lower()}"
                self.nets.setdefault(wire.to, DrawnNet(colour, label))
        self.outputs: dict[tuple[str, int | str | None], list[tuple[Point, str]]] = {}
        """(What leads to a register, its output) -> where the wires from there end, and their colours."""
        self.shifter_ys = 0.0, 0.0
        """From where to where the level shifter reaches."""
        self.ground_ys: list[float] = []
        self.supply_ys: list[float] = []

        rows = sum(self.rows(name) for name in hookup.panels)
        host = (max(positions_of(hookup), default=0) + 1) // 2 * HEADER_PITCH
        host += TERMINAL_PITCH * sum(1 for end in self.nets if not end.position)
        height = max(HEIGHT, TOP + BOTTOM + rows * LEAST_PITCH, TOP + BOTTOM + 30 + host)
        self.pitch = min(MOST_PITCH, (height - TOP - BOTTOM) / rows)
        self.canvas = Canvas(height)
        self.top = (height - BOTTOM + TOP - rows * self.pitch) / 2

        between = 14 + SHIFTER_WIDTH if shifter else 0.0
        outputs = {wire.to for wire in every if wire.to.kind == "register"}
        register = 60 + REGISTER_WIDTH + OUTPUT_COLUMN * len(outputs) if outputs else 0.0
        ends = Counter(wire.to for wire in every if wire.to.kind == "host")
        ends.update(wire.to for wire in every if wire.to.kind == "supply" and wire.to != self.rail)
        ends.update(self.supply_of(name) for name in hookup.panels if self.supply_of(name) != self.rail)  # at VO
        ends.update(wire.emitter for wire in every if wire.emitter and wire.emitter in self.nets)
        branches = 10.0 * sum(count > 1 for count in ends.values())
        parts = max(len(wire.through) + bool({"NPN", "PNP", "RC"} & set(wire.through)) for wire in every)
        before = max(POTENTIOMETER_WIDTH, 30 + PART_STEP * parts)
        room = PANEL_X - before - CHANNEL_X - between - register - branches
        self.column = min(MOST_COLUMN, room / len(self.nets))
        self.shifter_x = CHANNEL_X + len(self.nets) * self.column + 4
        self.register_x = self.shifter_x + between + 32
        self.branch_x = self.shifter_x + between + register + 4
        self.ground_x = self.branch_x + branches
        self.supply_x = self.ground_x + 18

    def supply_of(self, name: str) -> End:
        """What feeds a panel."""
        return next(wire.to for wire in self.wires[name] if wire.name in ("VDD", "VCC") and wire.part != "register")

    def rows(self, name: str) -> float:
        """Rows that a panel takes."""
        return max(len(self.pins[name]), LEAST_ROWS) + self.above(name) + ROWS_BELOW

    def above(self, name: str) -> float:
        """Rows above the pins of a panel."""
        wiring = self.hookup.panels[name].hookup
        if not isinstance(wiring, BackpackTable):
            return ROWS_ABOVE
        return ABOVE_SHIFTED if wiring.level_shifter and name == next(iter(self.hookup.panels)) else ABOVE_BACKPACK


def columns(runs: list[tuple[float, float, Any_]]) -> list[tuple[float, float, Any_]]:
    """Runs (from height, to height, what) in the order of their columns, left first, with few crossings.

    Of runs that go down the lowest turns first, of runs that go up the highest.
    """
    up = sorted((run for run in runs if run[1] <= run[0]), key=lambda run: run[0])
    down = sorted((run for run in runs if run[1] > run[0]), key=lambda run: -run[0])
    return [*up, *down]


def _in_order(rows: list[Wire]) -> list[Wire]:
    """The pins of a panel or backpack from top to bottom: by their numbers, as far as these are known."""
    pins = [wire for wire in rows if wire.part in ("panel", "backpack") and wire.to.kind != "pads"]
    names = BACKPACK_PINS if pins[0].part == "backpack" else PANEL_PINS
    place = {name: number for number, name in enumerate(names)}
    numbered = all(wire.pin for wire in pins)
    return sorted(pins, key=lambda wire: (wire.pin or 0) if numbered else place.get(wire.name, 99))


def positions_of(hookup: Hookup) -> dict[int, int | str]:
    """Position -> what is there, of the host's header or of a board; nothing where neither is known."""
    if hookup.known_board is not None:
        return dict(hookup.known_board.positions)
    return HEADER if hookup.host and hookup.host.header else {}
