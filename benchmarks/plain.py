"""A plain driver of a 20x4 panel, to compare with: what a program without a plan does.

Every state of the wires is a call or transfer of its own, everything is written again, and after each byte it waits
for the slowest controller.
"""

from collections.abc import Callable
from typing import Any

ROWS = (0x00, 0x40, 0x14, 0x54)
WAIT_US = 59
"""Longer than any instruction used here takes at 190 kHz."""

E, RS, LIGHT = 0x04, 0x01, 0x08


class Plain:
    """The driver.

    set_wires(rs, value, e) sets RS, the data lines and E at once; wait_us waits. width: data lines.
    """

    def __init__(self, set_wires: Callable[[int, int, int], Any], wait_us: Callable[[int], Any], width: int) -> None:
        self.set_wires, self.wait_us, self.width = set_wires, wait_us, width

    def byte(self, rs: int, byte: int) -> None:
        """Send one byte."""
        for value in (byte,) if self.width == 8 else (byte >> 4, byte & 15):
            for e in (0, 1, 0):
                self.set_wires(rs, value, e)
        self.wait_us(WAIT_US)

    def rewrite(self, rows: list[str]) -> None:
        """Write every row."""
        for address, row in zip(ROWS, rows, strict=True):
            self.byte(0, 0x80 | address)
            for character in row:
                self.byte(1, ord(character))


def over_bus(bus: Any, address: int, prefix: bytes = b"") -> Plain:
    """Through an expander whose bits are 0 for RS, 2 for E, 3 for the backlight and 4 to 7 for D4 to D7."""
    return Plain(
        lambda rs, value, e: bus.write(address, prefix + bytes((value << 4 | LIGHT | rs * RS | e * E,))), bus.wait_us, 4
    )


def over_register(serial: Any) -> Plain:
    """Through a shift register with the same bits."""
    return Plain(lambda rs, value, e: serial.send(bytes((value << 4 | LIGHT | rs * RS | e * E,))), serial.wait_us, 4)


def over_lines(lines: Any, rs: int, e: int, data: tuple[int, ...]) -> Plain:
    """Over GPIO lines."""
    return Plain(
        lambda rs_level, value, e_level: lines.drive(
            {rs: rs_level, e: e_level, **{line: value >> place & 1 for place, line in enumerate(data)}}
        ),
        lines.wait_us,
        len(data),
    )
