"""The simulated panel: its controllers behind their pins, glass in front of them, a backlight behind it."""

from array import array
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, overload

from lumek._harmless import quoted
from lumek.errors import SizeError
from lumek.roms.rom import Rom
from lumek.twin.controller import Controller
from lumek.twin.dots import FULL_ROW, Drawing, as_dots, drawings
from lumek.twin.faults import Faults
from lumek.twin.pins import BITS, E2, OWN, PINS, WIRES, E, Violation, Violations, words_of
from lumek.twin.time_base import TwinClock

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

# How the glass of each size is connected: for each row its parts as (logical line, first place in it, columns).
# Lines 2 and 3 are those of a second controller.
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
    "40x4": [[(0, 0, 40)], [(1, 0, 40)], [(2, 0, 40)], [(3, 0, 40)]],
}

ENABLES = ("e", "e2")
"""The pin that is E of each controller."""

TOO_LITTLE, TOO_MUCH = 0.15, 0.85
"""Outside of these no contrast is left to read by."""

EDGES_KEPT = 20_000

UNKNOWN = "\N{REPLACEMENT CHARACTER}"
"""Stands for a code that draws no known character."""


ALL = (1 << len(WIRES)) - 1
BACKLIGHT = BITS["backlight"]


def _levels(mask: int, undriven: int, high: int) -> dict[str, int | None]:
    """Words as levels; see `lumek.twin.pins.words_of`."""
    return {pin: None if undriven & bit else int(high & bit > 0) for pin, bit in BITS.items() if mask & bit}


def _second(word: int) -> int:
    """A word as the second controller sees it, whose E is E2."""
    return word & OWN & ~E | (E if word & E2 else 0)


@dataclass(frozen=True)
class Edge:
    """The pins that changed at one moment, and to which level."""

    time_ns: int
    levels: dict[str, int | None]


class Edges(Sequence[Edge]):
    """The last EDGES_KEPT edges, in little memory: 16 bytes each."""

    def __init__(self) -> None:
        self._times, self._words = array("q"), array("Q")
        self._first = 0

    def append_words(self, now_ns: int, changed: int, undriven: int, high: int) -> None:
        """Keep an edge, given as words; the oldest goes when there are too many."""
        word = changed | undriven << 16 | high << 32
        if len(self._times) < EDGES_KEPT:
            self._times.append(now_ns)
            self._words.append(word)
            return
        first = self._first
        self._times[first], self._words[first] = now_ns, word
        self._first = (first + 1) % EDGES_KEPT

    def clear(self) -> None:
        """Forget all of them."""
        del self._times[:], self._words[:]
        self._first = 0

    def __len__(self) -> int:
        return len(self._times)

    @overload
    def __getitem__(self, at: int) -> Edge: ...

    @overload
    def __getitem__(self, at: slice) -> "list[Edge]": ...

    def __getitem__(self, at: "int | slice") -> "Edge | list[Edge]":
        if isinstance(at, slice):
            return [self[one] for one in range(*at.indices(len(self)))]
        if not -len(self) <= at < len(self):
            raise IndexError(f"edge {at} does not exist: there are {len(self)}")
        place = (at % len(self) + self._first) % len(self)
        word = self._words[place]
        return Edge(self._times[place], _levels(word & 0xFFFF, word >> 16 & 0xFFFF, word >> 32))


class Twin:
    """A simulated panel.

    size: "columns x rows".
    rom: its character ROM.
    clock: the simulated time.
    backlight_on: the level that lights the backlight.
    controllers: each a `Controller`; new ones where not given.
    """

    def __init__(
        self, size: str, rom: Rom, clock: TwinClock, backlight_on: int = 1, controllers: Sequence[Controller] = ()
    ) -> None:
        if size not in GLASS:
            raise SizeError(f"there is no simulated {quoted(size)} panel: sizes are {', '.join(GLASS)}")
        self.size = size
        self.rom = rom
        self.clock = clock
        count = 1 + max(line for parts in GLASS[size] for line, _, _ in parts) // 2
        self.controllers = [*controllers, *(Controller() for _ in range(count))][:count]
        self.violations = Violations()
        """What was done that the data sheets forbid, in the order in which it was done: the first 10,000."""
        for chip in self.controllers:
            chip.violations = self.violations
        self.backlight_on = backlight_on
        self.font = "5x8"
        """The dots of the glass: "5x8", or "5x10", whose cells have a line for the cursor below."""
        self.port: Any = None
        """The simulated port through which the panel is reached, once it is wired to one."""
        self.address: int | None = None
        """Where it is on that port, when that is a bus."""
        self.device: Any = None
        """What is between: an expander or a register, which loses its supply with the panel."""
        self.edges = Edges()
        """What happened on the pins, the last EDGES_KEPT changes of it."""
        self.lamps: dict[str, float] = {}
        """The light of lamps that have lines of their own: "white", "red", "green", "blue" -> 0 to 1."""
        self.supplied = True
        """Whether it has its supply."""
        self.contrast = 0.5
        """How far the supply of the glass is turned up: from 0 over 0.5, as it should be, to 1."""
        self._undriven, self._high = ALL, 0
        self.faults = Faults(self)
        """What goes wrong with the panel and its wires: nothing, until you ask for it."""

    def __repr__(self) -> str:
        return f"<Twin {self.size}, ROM {self.rom.name}, {len(self.violations)} violations>"

    def at_rest(self, pin: str) -> int:
        """The level on the wire of a pin that is not driven: the controller pulls all up but E (table 13, "-I_p")."""
        level = int(pin in PINS and pin != "e" and self.supplied)
        return self.faults.resting(pin, level) if self.faults.on else level

    def held_low(self, pin: str) -> bool:
        """Whether the wire of a pin is held at 0, as by a short circuit."""
        return self.faults.on and self.faults.resting(pin, 1) == 0 and not self.faults.is_open(pin)

    @property
    def levels(self) -> Mapping[str, int | None]:
        """The levels at the pins; None where a pin is not driven."""
        return _levels(ALL, self._undriven, self._high)

    @property
    def controller(self) -> Controller:
        """The controller, or the first of two."""
        return self.controllers[0]

    def set_pins(self, levels: Mapping[str, int | None], now_ns: int) -> None:
        """These pins (pin names, or "backlight") take these levels at the same moment; None is not driven."""
        if self.faults.on:
            self.faults.drive(levels, now_ns)
        else:
            self.take_words(*words_of(levels), now_ns)

    def set_words(self, mask: int, undriven: int, high: int, now_ns: int) -> None:
        """The same, with levels as words; see `lumek.twin.pins.words_of`."""
        if self.faults.on:
            self.faults.drive(_levels(mask, undriven, high), now_ns)
        else:
            self.take_words(mask, undriven, high, now_ns)

    def take(self, levels: Mapping[str, int | None], now_ns: int) -> None:
        """What arrives of that at the panel, when its wires are as they should be: all of it."""
        self.take_words(*words_of(levels), now_ns)

    def take_words(self, mask: int, undriven: int, high: int, now_ns: int) -> None:
        """The same, with levels as words."""
        changed = ((undriven ^ self._undriven) | (high ^ self._high)) & mask
        if changed:
            self.edges.append_words(now_ns, changed, undriven, high)
            self._undriven = self._undriven & ~mask | undriven
            self._high = self._high & ~mask | high
            if self.supplied:
                self._reach(changed, undriven & changed, high & changed, now_ns)

    def supply(self, on: bool, now_ns: int) -> None:
        """Take its supply away, or give it back; its controllers then start as after power-on."""
        self.supplied = on
        if on:
            self._reach(ALL, self._undriven, self._high, now_ns)
            for chip in self.controllers:
                chip.lose_supply(now_ns)

    def _reach(self, mask: int, undriven: int, high: int, now_ns: int) -> None:
        """Levels reach the controllers."""
        self.controllers[0].take_words(mask & OWN, undriven & OWN, high & OWN, now_ns)
        if len(self.controllers) > 1:
            self.controllers[1].take_words(_second(mask), _second(undriven), _second(high), now_ns)

    def output(self, now_ns: int) -> dict[str, int] | None:
        """The levels that the panel drives onto its data pins, or None while it does not."""
        if self.faults.on:
            return self.faults.read(self.drives(now_ns))
        return self.drives(now_ns)

    def drives(self, now_ns: int) -> dict[str, int] | None:
        """The same at the panel itself, whatever its wires are like."""
        if len(self.controllers) == 1:
            return self.controllers[0].output(now_ns)
        outputs = [driven for chip in self.controllers if (driven := chip.output(now_ns))]
        if len(outputs) == 2 and outputs[0] != outputs[1]:
            self.violations.append(Violation(now_ns, "contention", "both controllers drive the data pins"))
        return outputs[0] if outputs else None

    @property
    def addresses(self) -> list[list[tuple[int, int] | None]]:
        """The controller (0 or 1) and the DDRAM address behind each cell; None where it drives none."""
        rows: list[list[tuple[int, int] | None]] = []
        for parts in GLASS[self.size]:
            row: list[tuple[int, int] | None] = []
            for line, first, columns in parts:
                number, line = divmod(line, 2)
                chip = self.controllers[number]
                for place in range(first, first + columns):
                    if chip.two_lines:
                        row.append((number, 0x40 * line + (place - chip.shift) % 40))
                    else:
                        row.append(None if line else (number, (place - chip.shift) % 80))
            rows.append(row)
        return rows

    @property
    def cells(self) -> list[list[int]]:
        """The character codes behind the glass, row by row; blank where the controller does not drive it."""
        memory = [chip.ddram for chip in self.controllers]
        return [[memory[place[0]][place[1]] if place else 0x20 for place in row] for row in self.addresses]

    @property
    def rows(self) -> list[str]:
        """The text on the glass, row by row: blank when the display is off, U+FFFD where no character is known."""
        character = self.rom.character
        return [
            "".join([character(code) or UNKNOWN for code in row]) if chip.on and self.supplied else " " * len(row)
            for chip, row in zip(self._chips, self.cells, strict=True)
        ]

    @property
    def cursor(self) -> tuple[int, int] | None:
        """Row and column of the address counter on the glass, or None when it is elsewhere.

        Right after data was written it is where the counter is about to move. With two controllers it is that of the
        one whose cursor shows, or of the first.
        """
        shown = [number for number, chip in enumerate(self.controllers) if chip.underline or chip.blink]
        number = shown[0] if shown else 0
        chip = self.controllers[number]
        if not chip.in_cgram:
            here = number, chip.resting_address
            for place, row in enumerate(self.addresses):
                if here in row:
                    return place, row.index(here)
        return None

    @property
    def glow(self) -> tuple[float, float, float]:
        """The backlight, as fractions of red, green and blue."""
        if self.lamps:
            white = self.lamps.get("white", 0.0)
            red, green, blue = (max(white, self.lamps.get(colour, 0.0)) for colour in ("red", "green", "blue"))
            return red, green, blue
        lit = bool(self._high & BACKLIGHT) == bool(self.backlight_on) and not self._undriven & BACKLIGHT
        level = float(lit and self.supplied)
        return level, level, level

    @property
    def backlight(self) -> bool:
        """Whether the backlight is lit."""
        return any(self.glow)

    @property
    def dot_rows(self) -> int:
        """Rows of dots in a cell of the glass."""
        return 8 if self.font == "5x8" else 11

    def dots(self) -> "NDArray[np.bool_]":
        """Which dots are dark: booleans of shape (rows, columns, 8 or 11, 5), as they are at the clock's time.

        With too little contrast none is, with too much all are. A glass of two lines whose controller was never
        started, and so drives one line only, shows that as a row of blocks.
        """
        return as_dots(self.drawn)

    @property
    def drawn(self) -> list[list[Drawing]]:
        """The same as numbers: for each cell its rows, in which the leftmost dot counts 16."""
        high = self.dot_rows
        nothing, everything = (0,) * high, (FULL_ROW,) * high
        found: list[list[Drawing]] = []
        for chip, parts, codes in zip(self._chips, GLASS[self.size], self.cells, strict=True):
            row = [nothing] * len(codes)
            if chip.on and self.supplied:
                shown = drawings(self.rom, bytes(chip.cgram), chip.tall)
                row = [(shown[code] + nothing)[:high] for code in codes]
            at = 0
            for line, _, columns in parts:
                driven = chip.two_lines or line % 2 == 0
                overdriven = self._has_two_lines and not chip.two_lines and not chip.on
                if driven and self.supplied and (overdriven or self.contrast > TOO_MUCH):
                    row[at : at + columns] = [everything] * columns
                at += columns
            found.append(row)
        place = self.cursor
        if place and self.supplied and self._chips[place[0]].on:
            chip, row, column = self._chips[place[0]], found[place[0]], place[1]
            if chip.underline and (line := 10 if chip.tall else 7) < high:
                row[column] = (*row[column][:line], FULL_ROW, *row[column][line + 1 :])
            if chip.blink and chip.blink_phase(self.clock.now_ns):
                row[column] = everything
        return [[nothing] * len(row) for row in found] if self.contrast < TOO_LITTLE else found

    @property
    def _chips(self) -> list[Controller]:
        """The controller of each row."""
        return [self.controllers[parts[0][0] // 2] for parts in GLASS[self.size]]

    @property
    def _has_two_lines(self) -> bool:
        return any(line % 2 for parts in GLASS[self.size] for line, _, _ in parts)
