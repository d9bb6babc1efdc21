"""What a capture file gives: samples of its wires, or transfers on a bus."""

from abc import ABC, abstractmethod
from collections.abc import Iterator, Mapping
from itertools import islice, pairwise
from math import gcd
from pathlib import Path

from lumek._harmless import harmless, quoted
from lumek.captures.recorder import HOST, SIMULATED, TICK_NS

LOOKED_AT = 20_000
"""Moments by whose times the distance of samples is found out."""


UNSEEN = 16
"""So much higher than the bit of a wire is the one that says that its level was not seen: that nothing drives it."""


LONGEST_NAME = 64


def wire_name(text: str) -> str:
    """The name of a wire in a file, harmless and of bounded length."""
    return harmless(text.strip(), LONGEST_NAME)


class CaptureSource(ABC):
    """A capture that can be read again and again.

    names: of its wires. kind: SIMULATED or HOST for a file of Lumek's, "" for others. ends_ns: its last time, once it
    was read.
    """

    names: list[str]

    def __init__(self, path: Path) -> None:
        self.path = path
        self.name = quoted(path.name).strip("'\"")
        self.kind = ""
        self.ends_ns = 0

    @abstractmethod
    def samples(self, wires: Mapping[str, int], undriven: int) -> Iterator[tuple[int, int]]:
        """The samples at which some of its wires change: (nanoseconds, word).

        wires: name -> its bit in the word. undriven: the bits that are 1 while nothing drives them.
        Raises CaptureError for what cannot be read.
        """

    def resolution_ns(self) -> int:
        """How far samples are apart, as far as the times say; by so much each of them may be wrong.

        Times of Lumek's simulation are exact; but those of the file are rounded to its time scale.
        """
        if self.kind == SIMULATED:
            return 0
        if self.kind == HOST:
            return TICK_NS
        every = {name: 1 << place for place, name in enumerate(self.names)}
        times = [at for at, _ in islice(self.samples(every, 0), LOOKED_AT)]
        step = 0
        for before, after in pairwise(times):
            step = gcd(step, after - before)
        return step
