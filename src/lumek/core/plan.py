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

from lumek.core.costs import Costs
from lumek.core.geometry import MEMORY, Geometry
from lumek.core.instructions import SET_DDRAM_ADDRESS, Step, Timing, clear_display, return_home
from lumek.core.pen import Pen
from lumek.core.picture import BLANKS, Picture
from lumek.core.slots import BLANK

LITTLE = 2
"""Where the caller allows it, clearing may blank cells that stay: at most one in two of those that show something."""


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
    pen.draw(shown, wanted)
    clears = wanted.codes == BLANKS
    if may_clear and not clears:
        clears = _little_stays(shown, wanted)
    clears = clears and pen.written * costs.cell > costs.slow
    if pen.free or pen.near_home or clears:
        pen = _cheapest(pen, geometry, timing, costs, shown, wanted, clears)
    rs = pen.steps[-1].rs if pen.steps else shown.rs
    after = (after or Picture()).become(wanted)
    after.glyphs = [now or before for now, before in zip(wanted.glyphs, shown.glyphs)]  # noqa: B905  MicroPython
    after.counter, after.rs = pen.counter, rs
    return pen.steps, after


def neighbours(shown: Picture, wanted: Picture, geometry: Geometry, timing: Timing, costs: Costs) -> list[Step] | None:
    """The same steps as those of `plan`, sooner, where just neighbouring cells differ: the usual case.

    `shown` becomes the picture after them. None, and no change, where that is not so, or where it cannot be told from
    tags and ranges; see `Picture`.
    """
    if shown.tag is None or shown.tag != wanted.tag:
        return None
    if wanted.glyphs != shown.glyphs:
        for slot, rows in enumerate(wanted.glyphs):
            if rows is not None and rows != shown.glyphs[slot]:
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


def _cheapest(
    pen: Pen, geometry: Geometry, timing: Timing, costs: Costs, shown: Picture, wanted: Picture, clears: bool
) -> Pen:
    """Of a pen and those that go other ways, the one whose steps take the least. clears: whether clearing is one."""
    ways = []
    if pen.free:
        ways.append((0, True))
    if pen.near_home:
        ways.append((return_home(), False))
    if clears:
        ways.append((clear_display(), False))
    best = pen
    for code, eager in ways:
        other = Pen(geometry, timing, costs, shown)
        other.draw(shown, wanted, code, eager)
        if costs.of(other.steps, shown.rs) < costs.of(best.steps, shown.rs):
            best = other
    return best


def _little_stays(shown: Picture, wanted: Picture) -> bool:
    """Whether few of the cells that are to show something show it already."""
    seen = [index for index in range(MEMORY) if wanted.codes[index] != BLANK]
    return LITTLE * len([index for index in seen if shown.codes[index] == wanted.codes[index]]) <= len(seen)
