"""What a simulated port asks before it carries something: whether, and how, that is to go wrong."""

from collections.abc import Iterator, Sequence
from typing import Protocol


class Harm(Protocol):
    """Something that goes wrong on a port; `lumek.twin.faults.Faults` is what does it."""

    def sending(self, data: bytes, address: int | None = None) -> Iterator[bytes]:
        """What arrives of bytes, in pieces. Raises what the port then raises."""

    def reading(self, address: int) -> None:
        """A transfer that reads, or calls, begins. Raises what the port then raises."""

    def calling(self) -> None:
        """A call of lines begins. Raises what the port then raises."""

    def stretch_ns(self) -> int:
        """How long the clock is held low after a byte."""


def arriving(harms: Sequence[Harm], data: bytes, address: int | None = None) -> Iterator[bytes]:
    """The pieces in which data arrive, when one after the other harms them."""
    if not harms:
        yield data
        return
    for piece in harms[0].sending(data, address):
        yield from arriving(harms[1:], piece, address)
