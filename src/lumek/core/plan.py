"""From what a controller shows to what is wanted: which steps lead there."""

from lumek.core.codes import BLANK
from lumek.core.geometry import MEMORY, Geometry
from lumek.core.glyph import ROWS
from lumek.core.instructions import (
    Step,
    Timing,
    clear_display,
    display_control,
    entry_mode_set,
    set_cgram_address,
    set_ddram_address,
    shift_display,
)
from lumek.core.slots import COUNT as SLOTS

BLANKS = bytes((BLANK,)) * MEMORY

NOWHERE = -1
"""Stands for the address counter while it is in CGRAM."""


class Picture:
    """All that decides what a controller shows, and where its address counter stands.

    codes: the 80 bytes of DDRAM by index (see `geometry`).
    shift: columns by which the picture stands to the right, 0 up to the ring of the geometry.
    on, underline, blink: the display control bits.
    counter: index at which the address counter stands; None when that does not matter.
    glyphs: the eight rows that each of the eight slots holds; None when that is not known, or does not matter.
    leftward: whether the address counter counts down.
    """

    __slots__ = ("blink", "codes", "counter", "glyphs", "leftward", "on", "shift", "underline")

    def __init__(self) -> None:
        self.codes = bytearray(BLANKS)
        self.shift = 0
        self.on = False
        self.underline = False
        self.blink = False
        self.counter: int | None = 0
        self.glyphs: list[bytes | None] = [None] * SLOTS
        self.leftward = False

    def copy(self) -> "Picture":
        """Another picture, equal to this one."""
        other = Picture()
        other.codes[:] = self.codes
        other.shift, other.counter = self.shift, self.counter
        other.on, other.underline, other.blink = self.on, self.underline, self.blink
        other.glyphs, other.leftward = self.glyphs[:], self.leftward
        return other

    def control(self) -> int:
        """The instruction that sets the display control bits."""
        return display_control(self.on, self.underline, self.blink)


def plan(
    shown: Picture, wanted: Picture, geometry: Geometry, timing: Timing, byte_us: int = 0
) -> tuple[list[Step], Picture]:
    """The steps that turn the picture `shown` into `wanted`, and the picture as it is after them.

    Only cells and rows of glyphs that differ are sent. The display is switched off before anything else changes and on
    after everything has, so a panel that was blanked comes back complete. Before a slot takes another drawing, the
    cells that leave it are written: none ever shows what it is not to show.
    byte_us: microseconds that the link needs for a byte, where that is longer than what the controller needs.
    """
    after = wanted.copy()
    pen = _Pen(geometry, timing, shown.counter, shown.leftward)
    steps, shift = pen.steps, shown.shift
    controlled = shown.control() == wanted.control()
    if not controlled and not wanted.on:
        steps.append(timing.instruction(wanted.control()))
        controlled = True

    codes = shown.codes
    changed = [] if codes == wanted.codes else [i for i in range(MEMORY) if codes[i] != wanted.codes[i]]
    if changed and wanted.shift == 0 and wanted.codes == BLANKS:
        clear = timing.instruction(clear_display())
        if clear.us + byte_us < len(changed) * max(byte_us, timing.data_us):
            steps.append(clear)
            changed, pen.counter, pen.leftward, shift = [], 0, False, 0
    pen.turn(wanted.leftward)

    redrawn: list[int] = []
    if wanted.glyphs != shown.glyphs:
        redrawn = [slot for slot in range(SLOTS) if wanted.glyphs[slot] not in (None, shown.glyphs[slot])]
        after.glyphs = [now or before for now, before in zip(wanted.glyphs, shown.glyphs)]  # noqa: B905  MicroPython
    if redrawn:
        leaving = [i for i in changed if codes[i] in redrawn]
        # A cell that goes from one such slot to another is blank while both change.
        interim = bytes([BLANK if code in redrawn else code for code in wanted.codes])
        pen.write_cells(leaving, interim)
        pen.write_glyphs(redrawn, shown.glyphs, after.glyphs)
        changed = [i for i in changed if i not in leaving or wanted.codes[i] in redrawn]
    pen.write_cells(changed, wanted.codes)

    turn = (wanted.shift - shift) % geometry.ring
    right = turn <= geometry.ring // 2
    for _ in range(turn if right else geometry.ring - turn):
        steps.append(timing.instruction(shift_display(right)))

    if wanted.counter is not None:
        pen.move(wanted.counter)
    if not controlled:
        steps.append(timing.instruction(wanted.control()))
    after.counter = pen.counter
    return steps, after


class _Pen:
    """Steps that write memory, with the address counter as it moves along.

    counter: its index, NOWHERE in CGRAM, None when it is not known. leftward: whether it counts down.
    """

    def __init__(self, geometry: Geometry, timing: Timing, counter: int | None, leftward: bool) -> None:
        self.steps: list[Step] = []
        self.counter = counter
        self.leftward = leftward
        self._geometry = geometry
        self._timing = timing

    def turn(self, leftward: bool) -> None:
        """Let the address counter count down, or up."""
        if leftward != self.leftward:
            self.steps.append(self._timing.instruction(entry_mode_set(increment=not leftward)))
            self.leftward = leftward

    def move(self, index: int) -> None:
        """Bring the address counter to an index."""
        if self.counter != index:
            self.steps.append(self._timing.instruction(set_ddram_address(self._geometry.address_of(index))))
            self.counter = index

    def write_cells(self, places: list[int], codes: "bytes | bytearray") -> None:
        """Write the codes of these indexes, which ascend."""
        for first, end in _runs(places, 1):
            self.move(end - 1 if self.leftward else first)
            self._write(bytes(codes[first:end]))
            self.counter = (first - 1 if self.leftward else end) % MEMORY

    def write_glyphs(self, slots: list[int], before: "list[bytes | None]", now: "list[bytes | None]") -> None:
        """Write the rows of these slots that are not what they were."""
        rows = [
            slot * ROWS + row
            for slot in slots
            for row in range(ROWS)
            if _row(before[slot], row) != _row(now[slot], row)
        ]
        # Between two rows, one that stays is quicker written again than passed over.
        for first, end in _runs(rows, 2):
            at = end - 1 if self.leftward else first
            self.steps.append(self._timing.instruction(set_cgram_address(at)))
            self._write(bytes([_row(now[place // ROWS], place % ROWS) for place in range(first, end)]))
            self.counter = NOWHERE

    def _write(self, data: bytes) -> None:
        self.steps.append(self._timing.write(bytes(reversed(data)) if self.leftward else data))


def _row(rows: bytes | None, number: int) -> int:
    """A row of a drawing, or -1 when that is not known."""
    return -1 if rows is None else rows[number]


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
