"""When the controllers are ready for their next byte, by the clock of a port that has one.

A wait is given before the byte that needs it, not after the one that caused it, so the time that anything else takes
counts. Without a clock only what the link itself does counts, and it waits before it returns.

A link knows what it owes itself: another process that drives the same wires at the same time does not.
"""

TYPE_CHECKING = False
if TYPE_CHECKING:
    from typing import Any

ROUNDING_US = 1
"""A clock of whole microseconds may show one too many."""

LONGEST_US = 10_000
"""Longer than any wait. When more seems to be left, a clock of the port has started again from 0, as after minutes."""


class Dues:
    """What a link owes the controllers behind E and E2.

    port: its `now_us()`, if it has one, gives microseconds by any clock.
    has_clock: whether it has one.
    owed: whether a controller may not be ready yet.
    """

    def __init__(self, port: "Any") -> None:
        self._clock: Any = getattr(port, "now_us", None)
        self.has_clock = self._clock is not None
        self.owed = False
        self._passed_us = 0.0
        self._ready = [0.0, 0.0]

    def owe(self, enables: int, us: float) -> None:
        """Note that these controllers (1, 2, or 3 for both) are ready in `us` microseconds."""
        ready = 0.0
        if us > 0:
            now = self._now_us()
            ready = now + us + (ROUNDING_US if self.has_clock and isinstance(now, int) else 0)
            self.owed = True
        if enables & 1:
            self._ready[0] = ready
        if enables & 2:
            self._ready[1] = ready

    def remaining(self, enables: int) -> float:
        """How many microseconds these controllers still need; 0 or less when they are ready."""
        first, second = self._ready
        until = first if enables == 1 else second if enables == 2 else max(first, second)
        return min(until - self._now_us(), LONGEST_US) if until else 0

    def passed(self, us: float) -> None:
        """Count time that the link has spent; for a port without a clock."""
        self._passed_us += us

    def forget(self) -> None:
        """All are ready. Without a clock, time begins again: a board's numbers have six digits."""
        self.owed = False
        self._passed_us = 0.0
        self._ready = [0.0, 0.0]

    def _now_us(self) -> float:
        now: float = self._clock() if self.has_clock else self._passed_us
        return now
