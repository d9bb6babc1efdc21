"""The simulated PCF8574: eight quasi-bidirectional lines behind an I2C address.

Source: PCF8574/PCF8574A data sheet, "Quasi-bidirectional I/Os" and "Writing to the port".
"""

from collections.abc import Mapping
from typing import Protocol

from lumek.twin.controller import Violation


class Wired(Protocol):
    """What stands at the end of the expander's lines."""

    def set_pins(self, levels: Mapping[str, int], now_ns: int) -> None:
        """These pins take these levels at the same moment."""

    def output(self, now_ns: int) -> dict[str, int] | None:
        """The levels that it drives onto its data pins, or None while it does not."""


class Pcf8574:
    """The expander, wired to a panel.

    panel: what the lines lead to.
    lines: role -> bit of the expander; a role may be any pin of the panel, or "backlight".
    violations: the list in which contention is recorded.
    """

    def __init__(self, panel: Wired, lines: Mapping[str, int], violations: list[Violation]) -> None:
        self.latch = 0xFF
        self._panel = panel
        self._lines = dict(lines)
        self._violations = violations
        self.write(0xFF, 0)

    def write(self, byte: int, now_ns: int) -> None:
        """Set all lines at once, as at the acknowledge of a byte. A 1 is only a weak pull-up."""
        self.latch = byte
        self._panel.set_pins({role: byte >> bit & 1 for role, bit in self._lines.items()}, now_ns)

    def read(self, now_ns: int) -> int:
        """The levels of the lines: a line reads 0 when either end pulls it down."""
        byte = self.latch
        driven = self._panel.output(now_ns) or {}
        for role, level in driven.items():
            if role not in self._lines:
                continue
            bit = 1 << self._lines[role]
            if not level:
                byte &= ~bit
            elif not self.latch & bit:
                self._violations.append(
                    Violation(now_ns, "contention", f"{role.upper()} is held low while the panel drives it high")
                )
        return byte
