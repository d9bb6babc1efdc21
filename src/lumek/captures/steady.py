"""Leaving out glitches: pulses on a wire that are shorter than some time.

A sample is held back for that time; a wire that comes back to its level meanwhile has not moved at all.
"""

from collections import deque
from collections.abc import Iterable, Iterator


def without_glitches(samples: Iterable[tuple[int, int]], shorter_ns: int) -> Iterator[tuple[int, int]]:
    """The samples without pulses, up or down, shorter than a time."""
    held: deque[tuple[int, int]] = deque()
    passed: int | None = None
    for at, word in samples:
        while held and at - held[0][0] >= shorter_ns:
            time, old = held.popleft()
            if old != passed:
                passed = old
                yield time, old
        before = held[-1][1] if held else passed
        if before is not None and held:
            changed = word ^ before
            # Of a wire that changed within what is held, neither change happened.
            level = passed if passed is not None else held[0][1]
            for place, (_, old) in enumerate(held):
                back = (old ^ level) & changed
                if back:
                    for later in range(place, len(held)):
                        held[later] = held[later][0], held[later][1] ^ back
                    changed &= ~back
                level = held[place][1] if not back else old & ~back | level & back
        held.append((at, word))
    for time, old in held:
        if old != passed:
            passed = old
            yield time, old
