"""What a controller should show already, sent to it once more: in one go, or in parts, one after the other.

A repaint trusts nothing: it finds the nibble phase again, and says each address, whatever the counter is thought to be.
It changes no picture that is right: what is written is what is there. Only these may be seen for a moment: the cursor,
which goes along with the writing, and a slide, which "return home" undoes and the shifts after it restore.

*Synchronising* leaves memory and picture as they are, and brings the controller to take whole bytes with the wanted
lines and font. With four data lines it sends six nibbles: F, L, F, F, L, 2, where F = 3 is the upper half of "function
set, 8 bits", L its lower half (lines and font), and 2 that of "4 bits". The controller is in one of three states:

- it takes bytes of four lines, in step: F L is a function set for 8 bits; then F, F and L come as bytes of their own
  (function set, function set, set address), and 2 leads back to 4 bits;
- it has half a byte, X: X F is executed, whatever that is; L F sets an address; F L and 2 then do as above;
- it takes bytes of eight lines: F, L, F, F and L are bytes of their own, and 2 leads to 4 bits.

No nibble but X writes memory or shows anything: L is 8 (two lines) or 4 (one line, the tall font), with which every
byte that it begins sets an address. X F may be "return home", whose time is waited for. In the first state, which is
the usual one, two lines stay two lines throughout, as long as D0 to D3 are open: the controller pulls them up. A panel
of one line has two for less than a millisecond, which shows the same.
With eight data lines four times the function set do the same.

*Parts.* Each holds the bus for a few milliseconds. A round has a part for each `CELLS` cells and each `SLOTS` slots,
and before every third of them one that synchronises; the first of these also restores the shift.

*How soon a fault is over.* A part that comes before the next synchronisation may be lost, or make things worse; every
part after that is right. With a round in `ROUND` of the period, and three synchronisations in it, the time from the end
of a fault to a right picture is at most 1/3 and a whole round: 4/3 of `ROUND`, less than two periods.
Source: HD44780U data sheet, table 6; "Function set"; "Initializing by instruction".
"""

from lumek.core.costs import Costs
from lumek.core.geometry import MEMORY, Geometry
from lumek.core.instructions import INSTRUCTION_US, SLOW_US, Step, Timing, entry_mode_set, function_set, return_home
from lumek.core.pen import Pen
from lumek.core.picture import Picture
from lumek.core.route import marked
from lumek.core.slots import COUNT
from lumek.core.startup import wake

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Sequence

CELLS, SLOTS = 16, 2
"""Cells, and slots for drawings, of a part: 5.8 ms on a bus of 100 kHz."""

ROUND = 1.4
"""Periods that a round of all parts takes."""

SYNCHRONISE, SHIFT = -1, -2
"""Parts without cells: what they do."""


def round_parts(controllers: int) -> "list[tuple[int, int]]":
    """The parts of a round: (controller, place). A place below 0 is SYNCHRONISE or SHIFT, which concern all."""
    found = []
    for number in range(controllers):
        found += [(number, place) for place in range(MEMORY // CELLS + COUNT // SLOTS)]
    third = -(-len(found) // 3)
    for place in (2 * third, third):
        found.insert(place, (0, SYNCHRONISE))
    found.insert(0, (0, SHIFT))
    return found


def members(place: int, shown: Picture) -> "tuple[range, list[int]]":
    """The cells and the slots of a part; of slots those that hold what is known."""
    cells, slots = range(place * CELLS, min(MEMORY, (place + 1) * CELLS)), range(0)
    if place * CELLS >= MEMORY:
        first = (place - MEMORY // CELLS) * SLOTS
        cells, slots = range(0), range(first, first + SLOTS)
    return cells, [slot for slot in slots if shown.glyphs[slot] is not None]


def known_slots(shown: Picture) -> list[int]:
    """The slots whose drawings are known."""
    return [slot for slot in range(COUNT) if shown.glyphs[slot] is not None]


def synchronised(
    shown: "Sequence[Picture]", geometry: Geometry, width: int, timings: "Sequence[Timing]", both: Timing,
    costs: Costs, shift: bool, control: bool = True, wake_after_us: int | None = None,
) -> list[Step]:  # fmt: skip
    """The steps that find the phase again, and restore everything but memory: entry mode, cursor, control bits.

    shown: what the controllers show; the counter of each is where these steps bring it.
    width: data lines. timings: of each controller; both: of all together. costs: on this link.
    shift: whether the shift is restored, too.
    control: whether a display that is to be on is switched on.
    wake_after_us: for a panel that may have lost its supply, microseconds to give it before.
    """
    steps = synchronise(geometry, width, both) if wake_after_us is None else wake(geometry, width, both, wake_after_us)
    for number, picture in enumerate(shown):
        steps.append(timings[number].instruction(entry_mode_set(increment=not picture.leftward)))
        picture.scrolls = False
        pen = Pen(geometry, timings[number], costs, picture)
        pen.counter = None
        if shift:
            pen.begin(return_home())
            pen.slide(picture.shift)
        _settle(pen, picture)
        steps += pen.steps
        if control or not picture.on:
            steps.append(timings[number].instruction(picture.control()))
    return steps


def written_again(
    shown: Picture, geometry: Geometry, timing: Timing, costs: Costs, cells: "Sequence[int]", slots: "Sequence[int]"
) -> list[Step]:
    """The steps that write cells (by index, ascending) and slots again. The counter of `shown` is where they end."""
    pen = Pen(geometry, timing, costs, shown)
    pen.counter = None
    if shown.scrolls:
        pen.turn(shown.leftward)
    shown.scrolls = False
    pen.write_cells(marked(cells, len(shown.codes)), shown.codes)
    pen.write_glyphs(list(slots), [None] * COUNT, shown.glyphs)
    _settle(pen, shown)
    return pen.steps


def _settle(pen: Pen, shown: Picture) -> None:
    """Bring a cursor that shows back to its cell, and say where the counter is."""
    if (shown.underline or shown.blink) and shown.counter is not None and shown.counter >= 0:
        pen.move(shown.counter)
    shown.counter, shown.rs = pen.counter, 0


def synchronise(geometry: Geometry, width: int, timing: Timing) -> list[Step]:
    """The steps after which a controller in any state takes whole bytes, without a trace on a panel that is right.

    It must have its supply. What they leave unknown are the address counter and, when half a byte was there before,
    the shift.
    """
    two_lines = geometry.lines == 2
    wanted = function_set(width == 8, two_lines, geometry.tall)
    waits = [SLOW_US] + [INSTRUCTION_US] * 5  # the first may complete a "return home"
    if width == 8:
        singles = [wanted] * 4
    else:
        first, lower = function_set(True, False), function_set(True, two_lines, not two_lines) << 4 & 0xF0
        singles = [first, lower, first, first, lower, function_set(False, False)]
    steps = [timing.pause(SLOW_US)]  # what the controller may be at
    steps += [timing.single(code, us) for code, us in zip(singles, waits)]  # noqa: B905  MicroPython
    steps.append(timing.instruction(wanted))
    return steps
