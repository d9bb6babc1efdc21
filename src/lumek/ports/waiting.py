"""Waiting on a host whose sleep is late."""

import time

SPIN_US = 200
"""Up to here a wait is spent turning: `sleep` would come back some 60 us late."""


def now_us() -> float:
    """The time by a clock that does not go back, in microseconds."""
    return time.perf_counter_ns() / 1000


def wait_us(us: float) -> None:
    """Wait for at least this many microseconds."""
    if us > SPIN_US:
        time.sleep(us / 1e6)
        return
    end = time.perf_counter_ns() + us * 1000
    while time.perf_counter_ns() < end:
        pass
