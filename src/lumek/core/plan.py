"""From what a controller shows to what is wanted: which steps lead there.

The rules that decide what is sent, and in which order, are all in this file.

*Two pictures.* `Picture` holds all that decides what a controller shows: DDRAM, the drawings in CGRAM, the display
shift, the control bits and the entry mode; and the address counter, which decides where the next byte goes. A plan is
a list of steps from one picture to another. It depends on nothing else: no clock, no history.

*Phases.* A plan has these phases, each of which may be empty:

1. Off: switch the display off, if it is to be off.
2. Clear: one instruction, where it takes less time than writing the cells that differ.
3. Entry mode: let the address counter count in the wanted direction.
4. Leave: write the cells that show a slot which is about to be redrawn, and are to show something else.
5. Redraw: write the rows of drawings that differ.
6. Cells: write all other cells that differ.
7. Slide: shift the display, the shorter way around.
8. Cursor: bring the address counter to the cursor's cell.
9. On: set the control bits, if the display is to be on.

*Invariant.* After each byte, a cell that changes shows what it showed before, what it is to show, or a blank; never a
third thing. `tests/core/test_plan.py` proves it for any two pictures, byte by byte. The order follows from it:

- A panel that was dark comes back complete, because switching on is last (9), and goes dark at once (1).
- A slot gets another drawing (5) only after the cells that leave it have left (4), and before the cells that come to it
  arrive (6). A cell that goes from one redrawn slot to another can show neither drawing meanwhile, so it is blank.
- Writing moves the address counter, so the cursor is placed when nothing more is written (8).

*Cost.* Only cells and rows that differ are sent; 4 and 5 may send a cell twice. An address is sent only where the
counter is not there already: neighbours in DDRAM are one run, and after the last cell the counter is at the first.
In CGRAM two rows with one unchanged row between them are one run, because a byte costs no more than an address.
"""

from lumek.core.geometry import CGRAM, MEMORY, Geometry
from lumek.core.glyph import ROWS
from lumek.core.instructions import (
    SET_CGRAM_ADDRESS,
    SET_DDRAM_ADDRESS,
    Step,
    Timing,
    clear_display,
    display_control,
    entry_mode_set,
    return_home,
    shift_display,
)
from lumek.core.slots import BLANK
from lumek.core.slots import COUNT as SLOTS

BLANKS = bytes((BLANK,)) * MEMORY


class Picture:
    """All that decides what a controller shows, and where its address counter is.

    codes: the 80 bytes of DDRAM by index (see `geometry`).
    shift: columns by which the display is shifted to the right, 0 up to the ring of the geometry.
    on, underline, blink: the display control bits.
    counter: index at the address counter; of an address of CGRAM its complement, `~address`. None: unknown, or any
        will do.
    glyphs: the eight rows that each of the eight slots holds. None: unknown, or any will do.
    leftward: whether the address counter counts down.
    scrolls: whether writing shifts the display, which no plan wants, and a program may have sent.
    tag: two pictures with the same one differ in codes and drawings at most, besides a counter that may be any; the
        address counter counts up. None: that is not known.
    first, past: where the codes may differ from those of the last picture with the same tag that a plan led to: from
        the index `first` to before `past`.
    """

    __slots__ = (
        "blink", "codes", "counter", "first", "glyphs", "leftward", "on", "past", "scrolls", "shift", "tag",
        "underline",
    )  # fmt: skip

    def __init__(self) -> None:
        self.codes = bytearray(BLANKS)
        self.shift = 0
        self.on = False
        self.underline = False
        self.blink = False
        self.counter: int | None = 0
        self.glyphs: list[bytes | None] = [None] * SLOTS
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


def plan(
    shown: Picture,
    wanted: Picture,
    geometry: Geometry,
    timing: Timing,
    byte_us: int = 0,
    after: "Picture | None" = None,
) -> tuple[list[Step], Picture]:
    """The steps from one picture to another, and the picture after them.

    shown: what the controller shows now.
    wanted: what it is to show. A slot or counter that is None may be anything.
    geometry, timing: of the panel and its controller.
    byte_us: microseconds that the link needs for a byte, if it is slower than the controller.
    after: a picture that may be changed, `shown` among them; default: a new one.
    Returns the steps, and a picture: `wanted`, completed with what it left open.
    """
    pen = Pen(geometry, timing, shown)
    if not wanted.on:
        pen.control(shown, wanted)
    changed = [] if shown.codes == wanted.codes else _differing(shown.codes, wanted.codes)
    if changed and wanted.shift == 0 and wanted.codes == BLANKS and pen.clear(len(changed), byte_us):
        changed = []
    if wanted.leftward != pen.leftward or pen.scrolls:
        pen.turn(wanted.leftward)
    glyphs = wanted.glyphs
    if glyphs != shown.glyphs:
        glyphs = [now or before for now, before in zip(glyphs, shown.glyphs)]  # noqa: B905  MicroPython
        changed = _redraw(pen, changed, shown, wanted, glyphs)
    pen.write_cells(changed, wanted.codes)
    if wanted.shift != pen.shift:
        pen.slide(wanted.shift)
    if wanted.counter is not None:
        pen.move(wanted.counter)
    if wanted.on:
        pen.control(shown, wanted)
    after = (after or Picture()).become(wanted)
    after.glyphs, after.counter = glyphs[:], pen.counter
    return pen.steps, after


def neighbours(shown: Picture, wanted: Picture, geometry: Geometry, timing: Timing) -> list[Step] | None:
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
    if end - first > 1 and codes == BLANKS:
        return None
    run = bytes(codes[first:end])
    write = Step(1, run, timing.data_us, timing.settle_us, timing.enables, False)
    move = SET_DDRAM_ADDRESS | geometry.address_of(first)
    steps = [write] if shown.counter == first else [timing.instruction(move), write]
    before[first:end] = run
    shown.counter = end % MEMORY
    return steps


def _differing(before: bytearray, now: bytearray) -> list[int]:
    """The indexes at which two memories differ; found as one large number, since a board takes long for each byte."""
    bits = int.from_bytes(before, "little") ^ int.from_bytes(now, "little")
    data = bits.to_bytes(MEMORY, "little")
    first, end = MEMORY - len(data.lstrip(b"\0")), len(data.rstrip(b"\0"))
    return [index for index in range(first, end) if data[index]]


def _redraw(pen: "Pen", changed: list[int], shown: Picture, wanted: Picture, glyphs: "list[bytes | None]") -> list[int]:
    """The phases "leave" and "redraw". Returns the cells that are still to be written."""
    redrawn = [slot for slot in range(SLOTS) if wanted.glyphs[slot] not in (None, shown.glyphs[slot])]
    leaving = [index for index in changed if shown.codes[index] in redrawn]
    interim = bytes([BLANK if code in redrawn else code for code in wanted.codes])
    pen.write_cells(leaving, interim)
    pen.write_glyphs(redrawn, shown.glyphs, glyphs)
    return [index for index in changed if index not in leaving or wanted.codes[index] in redrawn]


class Pen:
    """The steps of a plan, with the controller's state as they move it along.

    counter: as that of a `Picture`.
    leftward: whether it counts down. scrolls: whether writing shifts the display.
    shift: columns by which the display is shifted to the right.
    """

    def __init__(self, geometry: Geometry, timing: Timing, shown: Picture) -> None:
        self.steps: list[Step] = []
        self.counter = shown.counter
        self.leftward, self.scrolls = shown.leftward, shown.scrolls
        self.shift = shown.shift
        self._geometry = geometry
        self._timing = timing

    def control(self, shown: Picture, wanted: Picture) -> None:
        """Set the control bits, if they differ."""
        if (shown.on, shown.underline, shown.blink) != (wanted.on, wanted.underline, wanted.blink):
            self.steps.append(self._timing.instruction(wanted.control()))

    def clear(self, cells: int, byte_us: int) -> bool:
        """Clear the display, if that takes less time than writing that many cells. Returns whether it did."""
        step = self._timing.instruction(clear_display())
        if step.us + byte_us >= cells * max(byte_us, self._timing.data_us):
            return False
        self.steps.append(step)
        self.counter, self.leftward, self.shift = 0, False, 0
        return True

    def home(self) -> None:
        """Undo the shift."""
        self.steps.append(self._timing.instruction(return_home()))
        self.counter, self.shift = 0, 0

    def turn(self, leftward: bool) -> None:
        """Let the address counter count down, or up, and writing shift nothing."""
        self.steps.append(self._timing.instruction(entry_mode_set(increment=not leftward)))
        self.leftward, self.scrolls = leftward, False

    def slide(self, shift: int) -> None:
        """Shift the display, the shorter way around."""
        turn = (shift - self.shift) % self._geometry.ring
        right = turn <= self._geometry.ring // 2
        for _ in range(turn if right else self._geometry.ring - turn):
            self.steps.append(self._timing.instruction(shift_display(right)))

    def move(self, index: int) -> None:
        """Bring the address counter to an index."""
        if self.counter != index:
            address = self._geometry.address_of(index)
            self.steps.append(self._timing.instruction(SET_DDRAM_ADDRESS | address))
            self.counter = index

    def write_cells(self, places: list[int], codes: "bytes | bytearray") -> None:
        """Write the codes of these indexes, which ascend."""
        for first, end in _runs(places, 1):
            self.move(end - 1 if self.leftward else first)
            self._write(bytes(codes[first:end]))
            self.counter = (first - 1 if self.leftward else end) % MEMORY

    def write_glyphs(self, slots: list[int], before: "list[bytes | None]", now: "list[bytes | None]") -> None:
        """Write the rows of these slots that are not what they were."""
        wanted: dict[int, int] = {}
        rows = []
        for slot in slots:
            held = before[slot]
            for row, value in enumerate(now[slot] or b""):
                wanted[slot * ROWS + row] = value
                if held is None or held[row] != value:
                    rows.append(slot * ROWS + row)
        # Between two rows, one that stays is quicker written again than passed over.
        for first, end in _runs(rows, 2):
            at = end - 1 if self.leftward else first
            self.steps.append(self._timing.instruction(SET_CGRAM_ADDRESS | at))
            self._write(bytes([wanted.get(place, 0) for place in range(first, end)]))
            self.counter = ~((first - 1 if self.leftward else end) % CGRAM)

    def _write(self, data: bytes) -> None:
        self.steps.append(self._timing.write(bytes(reversed(data)) if self.leftward else data))


def _runs(places: list[int], stride: int) -> list[tuple[int, int]]:
    """The ascending places as (first, end) of runs, in which neighbours are at most `stride` apart."""
    runs: list[tuple[int, int]] = []
    first = end = -stride
    for place in places:
        if place - end < stride:
            end = place + 1
        else:
            if end > 0:
                runs.append((first, end))
            first, end = place, place + 1
    if end > 0:
        runs.append((first, end))
    return runs
