"""From what a controller shows to what is wanted: which steps lead there."""

from lumek.core.geometry import MEMORY, Geometry
from lumek.core.instructions import (
    DATA_US,
    Step,
    Timing,
    clear_display,
    display_control,
    set_ddram_address,
    shift_display,
)
from lumek.core.rom import BLANK

BLANKS = bytes((BLANK,)) * MEMORY


class Picture:
    """All that decides what a controller shows, and where its address counter stands.

    codes: the 80 bytes of DDRAM by index (see `geometry`).
    shift: columns by which the picture stands to the right, 0 up to the ring of the geometry.
    on, underline, blink: the display control bits.
    counter: index at which the address counter stands; None when that does not matter.
    """

    __slots__ = ("blink", "codes", "counter", "on", "shift", "underline")

    def __init__(self) -> None:
        self.codes = bytearray(BLANKS)
        self.shift = 0
        self.on = False
        self.underline = False
        self.blink = False
        self.counter: int | None = 0

    def copy(self) -> "Picture":
        """Another picture, equal to this one."""
        other = Picture()
        other.codes[:] = self.codes
        other.shift, other.counter = self.shift, self.counter
        other.on, other.underline, other.blink = self.on, self.underline, self.blink
        return other

    def control(self) -> int:
        """The instruction that sets the display control bits."""
        return display_control(self.on, self.underline, self.blink)


def plan(
    shown: Picture, wanted: Picture, geometry: Geometry, timing: Timing, byte_us: int = 0
) -> tuple[list[Step], Picture]:
    """The steps that turn the picture `shown` into `wanted`, and the picture as it is after them.

    Only cells that differ are sent. The display is switched off before anything else changes and on after
    everything has, so a panel that was blanked comes back complete.
    byte_us: microseconds that the link needs for a byte, where that is longer than what the controller needs.
    """
    after = wanted.copy()
    steps = []
    counter, shift = shown.counter, shown.shift
    controlled = shown.control() == wanted.control()
    if not controlled and not wanted.on:
        steps.append(timing.instruction(wanted.control()))
        controlled = True

    codes = shown.codes
    changed = [] if codes == wanted.codes else [i for i in range(MEMORY) if codes[i] != wanted.codes[i]]
    if changed and wanted.shift == 0 and wanted.codes == BLANKS:
        clear = timing.instruction(clear_display())
        if clear.us + byte_us < len(changed) * max(byte_us, timing.scaled(DATA_US)):
            steps.append(clear)
            changed, counter, shift = [], 0, 0

    while changed:
        first = changed[0]
        length = 1
        while length < len(changed) and changed[length] == first + length:
            length += 1
        if counter != first:
            steps.append(timing.instruction(set_ddram_address(geometry.address_of(first))))
        steps.append(timing.write(bytes(wanted.codes[first : first + length])))
        counter = (first + length) % MEMORY
        changed = changed[length:]

    turn = (wanted.shift - shift) % geometry.ring
    right = turn <= geometry.ring // 2
    for _ in range(turn if right else geometry.ring - turn):
        steps.append(timing.instruction(shift_display(right)))

    if wanted.counter not in (None, counter):
        steps.append(timing.instruction(set_ddram_address(geometry.address_of(wanted.counter))))
        counter = wanted.counter
    if not controlled:
        steps.append(timing.instruction(wanted.control()))
    after.counter = counter
    return steps, after
