"""Waiting for what is to be seen."""

import time
from collections.abc import Callable


def until(seen: Callable[[], object], seconds: float, what: str = "it is seen") -> float:
    """Wait until something is seen; how long it took. It is an error when it takes longer than that."""
    begun = time.monotonic()
    while not seen():
        assert time.monotonic() - begun < seconds, f"{what}: not within {seconds} s"
        time.sleep(0.01)
    return time.monotonic() - begun
