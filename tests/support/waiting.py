"""Waiting for what is to be seen."""

import time
from collections.abc import Callable

HANGS_S = 180.0
"""What has not come about by then never will, however slow and busy the machine is."""


def until(seen: Callable[[], object], what: str = "it is seen") -> float:
    """Wait until something is seen; how many seconds that took. It is an error when it never comes."""
    begun = time.monotonic()
    while not seen():
        assert time.monotonic() - begun < HANGS_S, f"{what}: not within {HANGS_S:.0f} s"
        time.sleep(0.01)
    return time.monotonic() - begun
