"""The simulated panel: a controller behind its pins, glass in front of it, a backlight behind it."""

from collections import deque
from collections.abc import Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING

from lumek.core.rom import Rom
from lumek.errors import SizeError
from lumek.twin.bus import Clock, TwinBus
from lumek.twin.controller import PINS, Controller, Violation

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

# How the glass of each size is connected: for each row its parts as (logical line, first place in it, columns).
GLASS = {
    "8x1": [[(0, 0, 8)]],
    "16x1": [[(0, 0, 16)]],
    "8+8x1": [[(0, 0, 8), (1, 0, 8)]],
    "20x1": [[(0, 0, 20)]],
    "8x2": [[(0, 0, 8)], [(1, 0, 8)]],
    "16x2": [[(0, 0, 16)], [(1, 0, 16)]],
    "20x2": [[(0, 0, 20)], [(1, 0, 20)]],
    "24x2": [[(0, 0, 24)], [(1, 0, 24)]],
    "40x2": [[(0, 0, 40)], [(1, 0, 40)]],
    "16x4": [[(0, 0, 16)], [(1, 0, 16)], [(0, 16, 16)], [(1, 16, 16)]],
    "20x4": [[(0, 0, 20)], [(1, 0, 20)], [(0, 20, 20)], [(1, 20, 20)]],
}

EDGES_KEPT = 20_000


@dataclass(frozen=True)
class Edge:
    """The pins that changed at one moment, and to which level."""

    time_ns: int
    levels: dict[str, int]


class Twin:
    """A simulated panel.

    size: "columns x rows". rom: its character ROM. clock: the simulated time.
    backlight_on: the level that lights the backlight. controller: a `Controller`, a new one when not given.
    """

    def __init__(
        self, size: str, rom: Rom, clock: Clock, backlight_on: int = 1, controller: Controller | None = None
    ) -> None:
        if size not in GLASS:
            raise SizeError(f"there is no simulated {size!r} panel: sizes are {', '.join(GLASS)}")
        self.size = size
        self.rom = rom
        self.clock = clock
        self.controller = controller or Controller()
        self.backlight_on = backlight_on
        self.port: TwinBus | None = None
        """The simulated port through which the panel is reached, once it is wired to one."""
        self.edges: deque[Edge] = deque(maxlen=EDGES_KEPT)
        """What happened on the pins, the last EDGES_KEPT changes of it."""
        # An unconnected RS, RW or data pin is pulled up inside the controller; E and the backlight are not.
        self._levels = {**dict.fromkeys(PINS, 1), "e": 0, "backlight": 0}
        self.controller.set_pins({pin: self._levels[pin] for pin in PINS}, -1_000_000)

    def __repr__(self) -> str:
        return f"<Twin {self.size}, ROM {self.rom.name}, {len(self.violations)} violations>"

    @property
    def violations(self) -> list[Violation]:
        """What was done that the data sheets forbid, in the order in which it was done."""
        return self.controller.violations

    @property
    def backlight(self) -> bool:
        """Whether the backlight is lit."""
        return self._levels["backlight"] == self.backlight_on

    def set_pins(self, levels: Mapping[str, int], now_ns: int) -> None:
        """These pins (pin names, or "backlight") take these levels at the same moment."""
        changed = {pin: level for pin, level in levels.items() if level != self._levels[pin]}
        if changed:
            self.edges.append(Edge(now_ns, changed))
            self._levels.update(changed)
            self.controller.set_pins({pin: level for pin, level in changed.items() if pin != "backlight"}, now_ns)

    def output(self, now_ns: int) -> dict[str, int] | None:
        """The levels that the panel drives onto its data pins, or None while it does not."""
        return self.controller.output(now_ns)

    @property
    def addresses(self) -> list[list[int | None]]:
        """The DDRAM address behind each cell; None for a cell that the controller does not drive."""
        chip = self.controller
        rows: list[list[int | None]] = []
        for parts in GLASS[self.size]:
            row: list[int | None] = []
            for line, first, columns in parts:
                for place in range(first, first + columns):
                    if chip.two_lines:
                        row.append(0x40 * line + (place - chip.shift) % 40)
                    else:
                        row.append(None if line else (place - chip.shift) % 80)
            rows.append(row)
        return rows

    @property
    def cells(self) -> list[list[int]]:
        """The character codes behind the glass, row by row; blank where the controller does not drive it."""
        ddram = self.controller.ddram
        return [[0x20 if place is None else ddram[place] for place in row] for row in self.addresses]

    @property
    def rows(self) -> list[str]:
        """The text on the glass, row by row: blank when the display is off, U+FFFD where no character is known."""
        if not self.controller.on:
            return [" " * len(row) for row in self.cells]
        character = self.rom.character
        return ["".join([character(code) or "\N{REPLACEMENT CHARACTER}" for code in row]) for row in self.cells]

    @property
    def cursor(self) -> tuple[int, int] | None:
        """Row and column of the address counter on the glass, or None when it is elsewhere."""
        chip = self.controller
        chip.settle(self.clock.now_ns)
        if not chip.in_cgram:
            for number, row in enumerate(self.addresses):
                if chip.address in row:
                    return number, row.index(chip.address)
        return None

    def dots(self) -> "NDArray[np.bool_]":
        """Which dots are dark: booleans of shape (rows, columns, 8, 5), as they are at the clock's time."""
        import numpy as np

        from lumek.twin.dots import patterns

        chip = self.controller
        cells = np.array(self.cells)
        if not chip.on:
            return np.zeros((*cells.shape, 8, 5), dtype=bool)
        dots: NDArray[np.bool_] = patterns(self.rom, bytes(chip.cgram))[cells]
        if self.cursor:
            if chip.underline:
                dots[self.cursor][7] = True
            if chip.blink and chip.blink_phase(self.clock.now_ns):
                dots[self.cursor] = True
        return dots
