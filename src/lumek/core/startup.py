"""The start-up sequence, which works from any state the controller may be in.

Source: HD44780U data sheet, "Initializing by instruction", 8-bit and 4-bit interface.
"""

from lumek.core.geometry import Geometry
from lumek.core.instructions import Step, Timing, clear_display, display_control, entry_mode_set, function_set

POWER_UP_US = 40_000
"""More than 40 ms after the supply reaches 2.7 V; a 5 V panel would do with 15 ms."""

WAKE_US = 4_100, 100, 37
"""More than 4.1 ms after the first function set, more than 100 us after the second, then the usual time."""


def startup(geometry: Geometry, width: int, timing: Timing) -> list[Step]:
    """The steps that bring a controller in any state to a blank panel: display off, cells blank, address 0.

    width: data lines of the interface, 4 or 8. With 4 the first transfers are single pulses, so that a controller left
        between two nibbles falls into step.
    """
    steps = wake(geometry, width, timing, POWER_UP_US)
    for code in (display_control(on=False), clear_display(), entry_mode_set()):
        steps.append(timing.instruction(code))
    return steps


def wake(geometry: Geometry, width: int, timing: Timing, pause_us: int) -> list[Step]:
    """The steps of the data sheet after which a controller in any state takes whole bytes.

    One that takes bytes of four lines has one line for a millisecond; its memory stays.
    width: data lines of the interface, 4 or 8.
    pause_us: microseconds before they begin.
    """
    steps = [timing.pause(pause_us)]
    steps += [timing.single(function_set(True, False), us) for us in WAKE_US]
    if width == 4:
        steps.append(timing.single(function_set(False, False), WAKE_US[-1]))
    steps.append(timing.instruction(function_set(width == 8, geometry.lines == 2, geometry.tall)))
    return steps
