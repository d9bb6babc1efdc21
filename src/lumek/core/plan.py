"""From what a controller shows to what is wanted: which steps lead there, in the least time.

The rules that decide what is sent, and in which order, are all in this file.

*Two pictures.* `Picture` holds all that decides what a controller shows: DDRAM, the drawings in CGRAM, the display
shift, the control bits and the entry mode; and the address counter, which decides where the next byte goes. A plan is
a list of steps from one picture to another. It depends on nothing else: no clock, no history.

*Phases.* A plan has these phases, each of which may be empty:

1. Off: switch the display off, if it is to be off.
2. Clear: one instruction, where it takes less time than writing what it blanks.
3. Entry mode: let the address counter count in the wanted direction.
4. Leave: write the cells that show a slot which is about to be redrawn, and are to show something else.
5. Redraw: write the rows of drawings that differ.
6. Cells: write all other cells that differ.
7. Slide: shift the display, the shorter way around, or by "return home" and from there. Where "return home" leaves the
   address counter better placed, this comes before 4.
8. Cursor: bring the address counter to the cursor's cell.
9. On: set the control bits, if the display is to be on.

*Invariant.* After each byte, a cell that changes shows what it showed before, what it is to show, or a blank; never a
third thing. A cell whose slot is redrawn shows rows of the old drawing and of the new. One that stays shows the same
throughout, unless the caller lets it be blank for a moment (`may_clear`). `tests/core/test_plan.py` proves it for any
two pictures, byte by byte. The order follows from it:

- A panel that was dark comes back complete, because switching on is last (9), and goes dark at once (1).
- A slot gets another drawing (5) only after the cells that leave it have left (4), and before the cells that come to it
  arrive (6). A cell that goes from one redrawn slot to another can show neither drawing meanwhile, so it is blank.
- Writing moves the address counter, so the cursor is placed when nothing more is written (8).

*Cost.* `Costs` says what a byte, an address and a slow instruction take on a link, and `lumek.core.route` in which
order runs are written: no order is quicker. A gap of one byte is written through behind an expander, where an address
takes six port states and a byte four. Other ways of moving do not pay: "cursor shift" takes as long as an address and
goes one cell, "return home" forty times as long; counting down finds the same gaps.
What is left to choose is tried, and the cheapest plan is taken: whether cells that neither leave nor arrive are
written in phase 4 or 6, and whether the plan begins with "clear display" or "return home".
`tests/core/test_optimum.py` compares plans with a search of all ways: without a phase 4 and a cursor there is none that
takes less. With them a plan may have an address more than needed in each of the phases 4 and 6, and a blank more for a
cell between redrawn slots.
"""

from lumek.core.geometry import CGRAM, MEMORY, Geometry
from lumek.core.glyph import ROWS
from lumek.core.instructions import (
    SET_CGRAM_ADDRESS,
    SET_DDRAM_ADDRESS,
    SLOW_BELOW,
    Step,
    Timing,
    clear_display,
    display_control,
    entry_mode_set,
    return_home,
    shift_display,
)
from lumek.core.route import route
from lumek.core.slots import BLANK
from lumek.core.slots import COUNT as SLOTS

BLANKS = bytes((BLANK,)) * MEMORY

LITTLE = 2
"""Clearing may blank cells that stay, where the caller allows it and at most one in so many of those written stays."""


class Picture:
    """All that decides what a controller shows, and where its address counter is.

    codes: the 80 bytes of DDRAM by index (see `geometry`).
    shift: columns by which the display is shifted to the right, 0 up to the ring of the geometry.
    on, underline, blink: the display control bits.
    counter: index at the address counter; of an address of CGRAM its complement, `~address`. None: unknown, or any
        will do.
    glyphs: the eight rows that each of the eight slots holds. None: unknown, or any will do.
    rs: 1 when RS was last as for data, 0 for an instruction; what it costs to be wrong is one change of it.
    leftward: whether the address counter counts down.
    scrolls: whether writing shifts the display, which no plan wants, and a program may have sent.
    tag: two pictures with the same one differ in codes and drawings at most, besides a counter that may be any; the
        address counter counts up. None: that is not known.
    first, past: where the codes may differ from those of the last picture with the same tag that a plan led to: from
        the index `first` to before `past`.
    """

    __slots__ = (
        "blink", "codes", "counter", "first", "glyphs", "leftward", "on", "past", "rs", "scrolls", "shift",
        "tag", "underline",
    )  # fmt: skip

    def __init__(self) -> None:
        self.codes = bytearray(BLANKS)
        self.shift = 0
        self.on = False
        self.underline = False
        self.blink = False
        self.counter: int | None = 0
        self.glyphs: list[bytes | None] = [None] * SLOTS
        self.rs = 0
        self.leftward = self.scrolls = False
        self.tag: int | None = None
        self.first, self.past = 0, MEMORY

    def may_differ(self) -> None:
        """Say that any code may be about to change."""
        self.first, self.past = 0, MEMORY

    def copy(self) -> "Picture":
        """Another picture, equal to this one."""
        other = Picture().become(self)
        other.glyphs, other.counter = self.glyphs[:], self.counter
        return other

    def become(self, other: "Picture") -> "Picture":
        """Take all from another picture but its drawings and its counter. Returns itself."""
        self.codes[:] = other.codes
        self.shift, self.leftward, self.scrolls = other.shift, other.leftward, other.scrolls
        self.on, self.underline, self.blink, self.tag = other.on, other.underline, other.blink, other.tag
        return self

    def control(self) -> int:
        """The instruction that sets the display control bits."""
        return display_control(self.on, self.underline, self.blink)


class Costs:
    """What a plan reckons with: microseconds on a link, for a controller with this timing.

    byte_us: that the wires need for a byte. turn_us: for a change of RS.
    cell: for a byte of data after another. hop: for an address between two of them, beyond these.
    usual, slow: for an instruction, and for "clear display" and "return home".
    reach: the longest gap, in bytes, that is quicker written than passed over.
    """

    def __init__(self, timing: Timing, byte_us: int = 0, turn_us: int = 0) -> None:
        # What changes RS, and the wait that a controller needs, are at the same time.
        turned = byte_us + turn_us
        self.cell = max(byte_us, timing.data_us)
        self.hop = max(turned, timing.data_us) + max(turned, timing.usual_us) - self.cell
        self.usual, self.slow = max(byte_us, timing.usual_us), max(byte_us, timing.slow_us)
        self.reach = (self.hop - 1) // self.cell

    def of(self, steps: "list[Step]", rs: int) -> int:
        """What these steps take. rs: as RS was before."""
        us = 0
        for step in steps:
            if step.rs:
                us += len(step.data) * self.cell
            else:
                us += self.slow if step.data[0] < SLOW_BELOW else self.usual
            if step.rs != rs:
                us += (self.hop - self.usual) // 2
                rs = step.rs
        return us


def plan(
    shown: Picture,
    wanted: Picture,
    geometry: Geometry,
    timing: Timing,
    costs: Costs,
    after: "Picture | None" = None,
    may_clear: bool = False,
) -> tuple[list[Step], Picture]:
    """The steps from one picture to another, and the picture after them.

    shown: what the controller shows now.
    wanted: what it is to show. A slot or counter that is None may be anything.
    geometry, timing, costs: of the panel, its controller and its link.
    after: a picture that may be changed, `shown` among them; default: a new one.
    may_clear: whether cells that stay may be blank for a moment, where little stays.
    Returns the steps, and a picture: `wanted`, completed with what it left open.
    """
    pen = Pen(geometry, timing, costs, shown)
    best = pen.drawn(shown, wanted)
    ways = []
    if pen.free:
        ways.append((0, True))
    if pen.near_home:
        ways.append((return_home(), False))
    clears = wanted.codes == BLANKS
    if may_clear and not clears:
        clears = _little_stays(shown, wanted)
    if clears and pen.written * costs.cell > costs.slow:
        ways.append((clear_display(), False))
    for code, eager in ways:
        other = Pen(geometry, timing, costs, shown)
        steps = other.drawn(shown, wanted, code, eager)
        if costs.of(steps, shown.rs) < costs.of(best, shown.rs):
            pen, best = other, steps
    rs = best[-1].rs if best else shown.rs
    after = (after or Picture()).become(wanted)
    after.glyphs = [now or before for now, before in zip(wanted.glyphs, shown.glyphs)]  # noqa: B905  MicroPython
    after.counter, after.rs = pen.counter, rs
    return best, after


def neighbours(shown: Picture, wanted: Picture, geometry: Geometry, timing: Timing, costs: Costs) -> list[Step] | None:
    """The same steps as those of `plan`, sooner, where just neighbouring cells differ: the usual case.

    `shown` becomes the picture after them. None, and no change, where that is not so, or where it cannot be told from
    tags and ranges; see `Picture`.
    """
    if shown.tag is None or shown.tag != wanted.tag or wanted.glyphs != shown.glyphs:
        return None
    first, end, codes, before = wanted.first, wanted.past, wanted.codes, shown.codes
    if first >= end:
        return []
    for index in range(first, end):
        if before[index] == codes[index]:
            return None
    counter = shown.counter
    if end - first > 1 and (end - first == MEMORY or codes == BLANKS):
        return None
    run = bytes(codes[first:end])
    write = Step(1, run, timing.data_us, timing.settle_us, timing.enables, False)
    if counter == first:
        steps = [write]
    elif counter is not None and 0 < (first - counter) % MEMORY <= costs.reach and counter >= 0:
        return None
    else:
        move = bytes((SET_DDRAM_ADDRESS | geometry.address_of(first),))
        steps = [Step(0, move, timing.usual_us, 0, timing.enables, False), write]
    before[first:end] = run
    shown.counter, shown.rs = end % MEMORY, 1
    return steps


def _differing(before: "bytes | bytearray", now: "bytes | bytearray") -> list[int]:
    """The indexes at which two memories differ; found as one large number, since a board takes long for each byte."""
    size = len(now)
    bits = int.from_bytes(before, "little") ^ int.from_bytes(now, "little")
    data = bits.to_bytes(size, "little")
    first, end = size - len(data.lstrip(b"\0")), len(data.rstrip(b"\0"))
    return [index for index in range(first, end) if data[index]]


def _little_stays(shown: Picture, wanted: Picture) -> bool:
    """Whether few of the cells that are to show something show it already."""
    seen = [index for index in range(MEMORY) if wanted.codes[index] != BLANK]
    return LITTLE * len([index for index in seen if shown.codes[index] == wanted.codes[index]]) <= len(seen)


class Pen:
    """The steps of a plan, with the controller's state as they move it along.

    counter: as that of a `Picture`.
    leftward: whether it counts down. scrolls: whether writing shifts the display.
    shift: columns by which the display is shifted to the right.
    written: cells that `drawn` wrote. free: whether some may be written before drawings or after them.
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

    def drawn(self, shown: Picture, wanted: Picture, first: int = 0, eager: bool = False) -> list[Step]:
        """All phases; the steps.

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
        changed = [] if codes == wanted.codes else _differing(codes, wanted.codes)
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
        return self.steps

    def _leave(
        self, changed: list[int], shown: "bytes | bytearray", wanted: bytearray, redrawn: list[int], eager: bool
    ) -> list[int]:
        """The phase "leave". Returns the cells that are still to be written."""
        early = [index for index in changed if shown[index] in redrawn]
        free = [index for index in changed if wanted[index] not in redrawn]
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
                self.write_cells(sorted([(self.counter + way * step) % MEMORY for step in range(ahead)]), codes, index)
        self.move(index)

    def write_cells(self, places: list[int], codes: "bytes | bytearray", target: "int | None" = None) -> None:
        """Write the codes of these indexes, which ascend. target: where the counter is best afterwards."""
        self.written += len(places)
        for first, data in self._runs(places, codes, self.counter, target):
            self.move(first)
            self._write(data)
            self.counter = (first - len(data) if self.leftward else first + len(data)) % MEMORY

    def write_glyphs(self, slots: list[int], before: "list[bytes | None]", now: "list[bytes | None]") -> None:
        """Write the rows of these slots that are not what they were."""
        memory = bytearray(CGRAM)
        rows: list[int] = []
        for slot in range(SLOTS):
            first, held, wanted = slot * ROWS, before[slot], now[slot] if slot in slots else before[slot]
            if wanted is not None:
                memory[first : first + len(wanted)] = wanted
                if held is None:
                    rows += range(first, first + len(wanted))
                elif held != wanted:
                    rows += [first + row for row in range(len(wanted)) if held[row] != wanted[row]]
        counter = None if self.counter is None else ~self.counter
        for first, data in self._runs(rows, memory, counter, None):
            if counter != first:
                self.steps.append(self._timing.instruction(SET_CGRAM_ADDRESS | first))
            self._write(data)
            counter = (first - len(data) if self.leftward else first + len(data)) % CGRAM
            self.counter = ~counter

    def _runs(
        self, places: list[int], memory: "bytes | bytearray", counter: "int | None", target: "int | None"
    ) -> list[tuple[int, bytes]]:
        """Where the runs of a route begin, and their data."""
        if not places:
            return []
        size = len(memory)
        if counter is not None and counter < 0:
            counter = None
        if self.leftward:  # the same in a mirror
            places = [size - 1 - place for place in reversed(places)]
            memory = bytes([memory[size - 1 - place] for place in range(size)])
            counter = None if counter is None else size - 1 - counter
            target = None if target is None else size - 1 - target
        found = []
        turn = 0 if self._after_data() else (self._costs.hop - self._costs.usual) // 2
        for first, length in route(places, size, self._costs, counter, target, turn):
            data = bytes(memory[first : first + length])
            data += bytes(memory[: length - len(data)])
            found.append((size - 1 - first if self.leftward else first, data))
        return found

    def _after_data(self) -> bool:
        rs: int = self.steps[-1].rs if self.steps else self._rs
        return rs == 1

    def _write(self, data: bytes) -> None:
        self.steps.append(self._timing.write(data))
