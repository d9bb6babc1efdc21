"""The phases of a plan, carried out: what each adds to its steps, and where the controller then is.

The theory is in `lumek.core.plan`.
"""

from lumek.core.costs import Costs
from lumek.core.geometry import CGRAM, MEMORY, Geometry
from lumek.core.glyph import ROWS
from lumek.core.instructions import (
    SET_CGRAM_ADDRESS,
    SET_DDRAM_ADDRESS,
    Step,
    Timing,
    clear_display,
    entry_mode_set,
    return_home,
    shift_display,
)
from lumek.core.picture import BLANKS, Picture
from lumek.core.route import UNMARKED, marked, route
from lumek.core.slots import BLANK
from lumek.core.slots import COUNT as SLOTS

UNKNOWN_ROW = b"\xff"
"""Differs from any row."""


class Pen:
    """The steps of a plan, with the controller's state as they move it along.

    counter: as that of a `Picture`.
    leftward: whether it counts down. scrolls: whether writing shifts the display.
    shift: columns by which the display is shifted to the right.
    written: cells that were written. free: whether some may be written before drawings or after them.
    near_home: whether "return home" is a way to undo a shift.
    """

    def __init__(self, geometry: Geometry, timing: Timing, costs: Costs, shown: Picture) -> None:
        self.steps: list[Step] = []
        self.counter = shown.counter
        self.leftward, self.scrolls = shown.leftward, shown.scrolls
        self.shift = shown.shift
        self._rs = shown.rs
        self.written = 0
        self.free = self.near_home = False
        self._geometry = geometry
        self._timing = timing
        self._costs = costs

    def draw(self, shown: Picture, wanted: Picture, first: int = 0, eager: bool = False) -> None:
        """Go through all phases.

        first: a slow instruction to begin with; default: none.
        eager: whether all cells that do not need a new drawing are written in the phase "leave", if there is one.
        """
        codes: bytes | bytearray = shown.codes
        if not wanted.on:
            self.control(shown, wanted)
        if first:
            self.begin(first)
            if first == clear_display():
                codes = BLANKS
        if wanted.leftward != self.leftward or self.scrolls:
            self.turn(wanted.leftward)
        changed = b"" if codes == wanted.codes else _differing(codes, wanted.codes)
        if wanted.glyphs != shown.glyphs:
            redrawn = [slot for slot in range(SLOTS) if wanted.glyphs[slot] not in (None, shown.glyphs[slot])]
            if redrawn:
                changed = self._leave(changed, codes, wanted.codes, redrawn, eager)
                self.write_glyphs(redrawn, shown.glyphs, wanted.glyphs)
        self.write_cells(changed, wanted.codes, wanted.counter)
        if wanted.shift != self.shift:
            self.slide(wanted.shift, wanted.counter)
        if wanted.counter is not None:
            self._place_cursor(wanted.counter, wanted.codes)
        if wanted.on:
            self.control(shown, wanted)

    def _leave(
        self, changed: bytes, shown: "bytes | bytearray", wanted: bytearray, redrawn: list[int], eager: bool
    ) -> bytes:
        """The phase "leave". Returns marks of the cells that are still to be written."""
        places = [index for index, differs in enumerate(changed) if differs]
        early = [index for index in places if shown[index] in redrawn]
        free = [index for index in places if wanted[index] not in redrawn]
        self.free = len(free) > 0
        if eager:
            early += free
        if not early:
            return changed
        codes = bytearray(shown)
        for index in early:
            codes[index] = BLANK if wanted[index] in redrawn else wanted[index]
        self.write_cells(_differing(shown, codes), codes)
        return _differing(codes, wanted)

    def control(self, shown: Picture, wanted: Picture) -> None:
        """Set the control bits, if they differ."""
        if (shown.on, shown.underline, shown.blink) != (wanted.on, wanted.underline, wanted.blink):
            self.steps.append(self._timing.instruction(wanted.control()))

    def begin(self, code: int) -> None:
        """Undo the shift, by "return home" or by "clear display"."""
        self.steps.append(self._timing.instruction(code))
        self.counter, self.shift = 0, 0
        if code == clear_display():
            self.leftward = False

    def turn(self, leftward: bool) -> None:
        """Let the address counter count down, or up, and writing shift nothing."""
        self.steps.append(self._timing.instruction(entry_mode_set(increment=not leftward)))
        self.leftward, self.scrolls = leftward, False

    def slide(self, shift: int, target: "int | None" = None) -> None:
        """Shift the display: the shorter way around, or from where "return home" leaves it.

        target: where the counter is to be afterwards.
        """
        ring, costs = self._geometry.ring, self._costs
        turns = [(shift - start) % ring for start in (self.shift, 0)]
        way, anew = [min(turn, ring - turn) * costs.usual for turn in turns]
        anew += costs.slow
        self.near_home = anew < way + 2 * costs.hop
        if anew < way + (costs.usual if target == 0 != self.counter else 0):
            self.begin(return_home())
        turn = (shift - self.shift) % ring
        right = turn <= ring // 2
        for _ in range(turn if right else ring - turn):
            self.steps.append(self._timing.instruction(shift_display(right)))
        self.shift = shift

    def move(self, index: int) -> None:
        """Bring the address counter to an index."""
        if self.counter != index:
            address = self._geometry.address_of(index)
            self.steps.append(self._timing.instruction(SET_DDRAM_ADDRESS | address))
            self.counter = index

    def _place_cursor(self, index: int, codes: "bytes | bytearray") -> None:
        """Bring the address counter to the cursor's cell; after data, over a cell or two that are written once more."""
        costs = self._costs
        if self._after_data() and self.counter is not None and self.counter >= 0:
            ahead = (self.counter - index if self.leftward else index - self.counter) % MEMORY
            if ahead * costs.cell < (costs.hop + costs.usual) // 2:
                way = -1 if self.leftward else 1
                passed = [(self.counter + way * step) % MEMORY for step in range(ahead)]
                self.write_cells(marked(passed, MEMORY), codes, index)
        self.move(index)

    def write_cells(self, marks: bytes, codes: "bytes | bytearray", target: "int | None" = None) -> None:
        """Write the codes of all marked indexes. target: where the counter is best afterwards."""
        for first, data in self._runs(marks, codes, self.counter, target):
            self.move(first)
            self._write(data)
            self.written += len(data)
            self.counter = (first - len(data) if self.leftward else first + len(data)) % MEMORY

    def write_glyphs(self, slots: list[int], before: "list[bytes | None]", now: "list[bytes | None]") -> None:
        """Write the rows of these slots that are not what they were."""
        memory = bytearray(CGRAM)
        for slot in range(SLOTS):
            rows = before[slot] or b""
            memory[slot * ROWS : slot * ROWS + len(rows)] = rows
        shown = memory[:]
        for slot in slots:
            first, rows = slot * ROWS, now[slot] or b""
            memory[first : first + len(rows)] = rows
            if before[slot] is None:
                shown[first : first + len(rows)] = UNKNOWN_ROW * len(rows)
        counter = None if self.counter is None else ~self.counter
        for first, data in self._runs(_differing(shown, memory), memory, counter, None):
            if counter != first:
                self.steps.append(self._timing.instruction(SET_CGRAM_ADDRESS | first))
            self._write(data)
            counter = (first - len(data) if self.leftward else first + len(data)) % CGRAM
            self.counter = ~counter

    def _runs(
        self, marks: bytes, memory: "bytes | bytearray", counter: "int | None", target: "int | None",
        mirrored: bool = False,
    ) -> list[tuple[int, bytes]]:  # fmt: skip
        """Where the runs of a route begin, and their data."""
        if not marks.lstrip(UNMARKED):
            return []
        if counter is not None and counter < 0:
            counter = None
        if self.leftward and not mirrored:
            return self._mirrored(marks, memory, counter, target)
        found = []
        turn = 0 if self._after_data() else (self._costs.hop - self._costs.usual) // 2
        for first, length in route(marks, self._costs, counter, target, turn):
            data = bytes(memory[first : first + length])
            data += bytes(memory[: length - len(data)])
            found.append((first, data))
        return found

    def _mirrored(
        self, marks: bytes, memory: "bytes | bytearray", counter: "int | None", target: "int | None"
    ) -> list[tuple[int, bytes]]:
        """The same for a counter that counts down: in a mirror."""
        last = len(memory) - 1
        runs = self._runs(
            bytes(reversed(marks)), bytes(reversed(memory)),
            None if counter is None else last - counter, None if target is None else last - target, True,
        )  # fmt: skip
        return [(last - first, data) for first, data in runs]

    def _after_data(self) -> bool:
        rs: int = self.steps[-1].rs if self.steps else self._rs
        return rs == 1

    def _write(self, data: bytes) -> None:
        self.steps.append(self._timing.write(data))


def _differing(before: "bytes | bytearray", now: "bytes | bytearray") -> bytes:
    """Marks of where two memories differ; found as one large number, since a board takes long for each byte."""
    bits = int.from_bytes(before, "little") ^ int.from_bytes(now, "little")
    return bits.to_bytes(len(now), "little")
