"""The clocks by which readings are taken: the host's, or one that a program moves by hand."""

from time import monotonic
from time import time as unix_time
from typing import Protocol

from lumek._harmless import quoted
from lumek.errors import SettingError


class TimeSource(Protocol):
    """What is asked of a clock. `time` may jump when the host's clock is set; `elapsed` never does."""

    def time(self) -> float:
        """Seconds since 1970 UTC."""
        ...

    def elapsed(self) -> float:
        """Seconds since some moment; only differences mean something."""
        ...


class HostClock:
    """The host's own clock."""

    time = staticmethod(unix_time)
    elapsed = staticmethod(monotonic)


class HandClock:
    """A clock that only `advance` moves: for tests, and to run an hour in a second.

    start: the first `time`, in seconds since 1970 UTC.
    """

    def __init__(self, start: float = 0.0) -> None:
        self._start = start
        self._elapsed = 0.0

    def time(self) -> float:
        """Seconds since 1970 UTC."""
        return self._start + self._elapsed

    def elapsed(self) -> float:
        """Seconds since it was made."""
        return self._elapsed

    def advance(self, seconds: float) -> None:
        """Let time pass. Raises SettingError for a time that is negative."""
        if not seconds >= 0:
            raise SettingError(f"time passes by 0 s or more, not by {quoted(seconds)}")
        self._elapsed += seconds


HOST_CLOCK = HostClock()
