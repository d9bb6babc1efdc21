"""Every instruction code of the HD44780U and every execution time is in this file.

What a step is, and how its time follows from the controller's oscillator, is here too.
Source: HD44780U data sheet (ADE-207-272), table 6, "Instructions".
"""

from collections import namedtuple

from lumek._harmless import quoted
from lumek.errors import SettingError

INSTRUCTION_US = 37
"""Execution time of every instruction but clear display and return home, at 270 kHz."""

SLOW_US, SLOW_BELOW = 1520, 0x04
"""Execution time of clear display and return home at 270 kHz, and the code below which all instructions are these."""

DATA_US = 37
"""Writing or reading a byte takes so long, and then the address counter has yet to move."""

SETTLE_CLOCKS = 1.5
"""Clocks of the oscillator after which it has moved (note to figure 10, t_ADD).

That is 5.6 us at 270 kHz; table 6 has 4 us, and the longer of the two is safe.
"""

READ_STATUS_US = 0
"""The busy flag and the address counter can be read at any time."""

NOMINAL_HZ = 270_000
"""The oscillator at which the data sheet states its times."""

SLOWEST_HZ = 190_000
"""The slowest oscillator of a genuine part (data sheet, "Internal clock operation", R_f at 5 V)."""


SET_CGRAM_ADDRESS = 0x40
SET_DDRAM_ADDRESS = 0x80
"""The instructions that move the address counter into glyph and display memory, to which the address is added."""


def clear_display() -> int:
    """Blank all of DDRAM, undo the shift, set increment and move to address 0."""
    return 0x01


def return_home() -> int:
    """Undo the shift and move to address 0."""
    return 0x02


def entry_mode_set(increment: bool = True, shift: bool = False) -> int:
    """Choose whether the address counter counts up, and whether writing shifts the display."""
    return 0x04 | increment << 1 | shift


def display_control(on: bool, underline: bool = False, blink: bool = False) -> int:
    """Switch the display, the underline cursor and the blinking block on or off."""
    return 0x08 | on << 2 | underline << 1 | blink


def shift_display(right: bool) -> int:
    """Move the whole picture by one column; the address counter stays."""
    return 0x18 | right << 2


def shift_cursor(right: bool) -> int:
    """Move the address counter by one; the picture stays."""
    return 0x10 | right << 2


def function_set(eight_bit: bool, two_lines: bool, tall: bool = False) -> int:
    """Choose data length, number of logical lines and font (5x10 when tall, on one line only)."""
    return 0x20 | eight_bit << 4 | two_lines << 3 | tall << 2


def set_cgram_address(address: int) -> int:
    """Move the address counter into glyph memory: 0x00 to 0x3f. Raises ValueError outside."""
    if not 0 <= address < 0x40:
        raise ValueError(f"CGRAM address must be 0x00 to 0x3f, not {address:#04x}")
    return SET_CGRAM_ADDRESS | address


def set_ddram_address(address: int) -> int:
    """Move the address counter into display memory: 0x00 to 0x7f. Raises ValueError outside.

    Which of these exist depends on the number of lines; `geometry` knows.
    """
    if not 0 <= address < 0x80:
        raise ValueError(f"DDRAM address must be 0x00 to 0x7f, not {address:#04x}")
    return SET_DDRAM_ADDRESS | address


def busy_flag(status: int) -> bool:
    """Whether a byte read with RS = 0 says that the controller is busy."""
    return status & 0x80 != 0


def address_counter(status: int) -> int:
    """The address in a byte read with RS = 0: 7 bits in display memory, 6 in glyph memory."""
    return status & 0x7F


Step = namedtuple("Step", ("rs", "data", "us", "settle_us", "enables", "single"))
"""One thing for a link to send; `lumek.core.words.step_words` says it in words.

rs: 0 for an instruction, 1 for a run of data.
data: the bytes; none at all makes the step the pause with which a start-up begins.
us: microseconds the controller needs for each byte before it takes the next.
settle_us: those of them that it still needs after the busy flag has cleared.
enables: the controllers it is for, a sum of 1 (behind E) and 2 (behind E2).
single: send one pulse of E only, with the upper data lines, as the start-up sequence asks.
"""


class Timing:
    """Steps with the times of a controller whose oscillator runs at `oscillator_hz`.

    Execution times scale with 270 kHz / oscillator. The default, 190 kHz, is the slowest genuine part, so it is safe
    for all of them. State 270_000 for a part known to be typical (it saves 30 % of the waits), or less than 190_000 for
    a copy that loses characters. Possible are 50_000 to 1_000_000; SettingError else.
    enables: the controllers that the steps are for; see `Step`.
    """

    def __init__(self, oscillator_hz: int = SLOWEST_HZ, enables: int = 1) -> None:
        if not isinstance(oscillator_hz, (int, float)) or not 50_000 <= oscillator_hz <= 1_000_000:
            raise SettingError(
                f"oscillator_hz must be 50000 to 1000000 (hertz), not {quoted(oscillator_hz)}; "
                "genuine controllers run at 190000 to 350000"
            )
        self.oscillator_hz = oscillator_hz
        self.enables = enables
        self.settle_us = int(-(-SETTLE_CLOCKS * 1_000_000 // oscillator_hz))
        self.data_us = self.scaled(DATA_US) + self.settle_us
        """From one byte of data to the next."""
        self.usual_us, self.slow_us = self.scaled(INSTRUCTION_US), self.scaled(SLOW_US)

    def scaled(self, us: int) -> int:
        """The time in whole microseconds, rounded up, of what takes `us` at 270 kHz."""
        return int(-(-us * NOMINAL_HZ // self.oscillator_hz))

    def instruction(self, code: int) -> Step:
        """The step that sends one instruction."""
        us = self.slow_us if code < SLOW_BELOW else self.usual_us
        return Step(0, bytes((code,)), us, 0, self.enables, False)

    def write(self, data: bytes) -> Step:
        """The step that writes a run of data."""
        return Step(1, data, self.data_us, self.settle_us, self.enables, False)

    def single(self, code: int, us: int) -> Step:
        """The step that pulses E once with the upper half of `code`, then needs `us`, and longer below 270 kHz."""
        return Step(0, bytes((code,)), max(us, self.scaled(us)), 0, self.enables, True)

    def pause(self, us: int) -> Step:
        """The step with which a start-up begins: it sends nothing for `us` microseconds, and longer below 270 kHz."""
        return Step(0, b"", max(us, self.scaled(us)), 0, self.enables, False)
