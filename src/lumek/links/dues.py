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
        self.now_us: Any = getattr(port, "now_us", None)
        self.owed: list[float] | None = None
        """Microseconds from `since` on; 0 for a controller that is ready, None when both are."""
        self.since: float = 0

    def owe(self, first_us: float, second_us: float) -> None:
        """Note for each controller how many microseconds it needs from now on. For a port with a clock."""
        self.since = self.now_us()
        more = ROUNDING_US if isinstance(self.since, int) else 0
        self.owed = [us + more if us > 0 else 0 for us in (first_us, second_us)]

    def left(self) -> list[float]:
        """How many microseconds each controller still needs."""
        passed = max(0, self.now_us() - self.since)  # below 0, the clock has started anew
        return [max(0, us - passed) for us in self.owed or (0, 0)]
