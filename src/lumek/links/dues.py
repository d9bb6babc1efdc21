"""How long each controller is still busy, by the clock of a port that has one.

A wait is given before the next byte that needs it, not after the one that caused it, so the time that anything else
takes counts. A port without a clock cannot know that time: its links wait before they return.
"""

TYPE_CHECKING = False
if TYPE_CHECKING:
    from typing import Any

ROUNDING_US = 1
"""A clock of whole microseconds may say one too many has passed."""


class Dues:
    """What a link owes the controllers behind E and E2.

    port: its `now_us()`, if it has one, gives microseconds by any clock; one that starts anew after minutes will do.
    """

    def __init__(self, port: "Any") -> None:
        self.now_us = getattr(port, "now_us", None)
        self.owed: list[float] = [0, 0]
        """Microseconds from `since` on; 0 for a controller that is ready."""
        self.since: float = 0

    def owe(self, first_us: float, second_us: float) -> None:
        """Note for each controller how many microseconds it needs from now on."""
        self.owed = [first_us, second_us]
        if self.now_us is not None and (first_us > 0 or second_us > 0):
            self.since = self.now_us()
            if isinstance(self.since, int):
                self.owed = [us + ROUNDING_US if us > 0 else 0 for us in self.owed]

    def left(self) -> list[float]:
        """How many microseconds each controller still needs."""
        if not (self.owed[0] or self.owed[1]):
            return self.owed
        passed = self.now_us() - self.since if self.now_us is not None else 0
        if passed < 0:  # the clock has started anew
            passed = 0
        return [max(0, us - passed) for us in self.owed]
