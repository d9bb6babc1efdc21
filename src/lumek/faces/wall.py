"""A wall around parts of a show: an error in one of them costs that part, and nothing else."""

from collections.abc import Iterator
from contextlib import contextmanager
from typing import Generic, TypeVar

from lumek._notice import notice
from lumek.errors import ClosedError, PortError
from lumek.readings.reading import one_line

Part = TypeVar("Part")

MOST_TOLD = 100
"""Cache limit for errors that were reported."""


class Wall(Generic[Part]):
    """Parts that may fail by an error in their own code. Each different error of a part is reported once.

    before: how the report begins.
    """

    def __init__(self, before: str = "") -> None:
        self._before = before
        self._fallen: dict[int, Part] = {}
        self._told: set[tuple[int, str]] = set()

    @contextmanager
    def around(self, part: Part) -> Iterator[None]:
        """A block of a part. An error of a port is not its own, and goes on."""
        try:
            yield
        except (PortError, ClosedError):
            raise
        except Exception as problem:
            self._fallen[id(part)] = part
            why = one_line(problem)
            if (id(part), why) not in self._told:
                if len(self._told) >= MOST_TOLD:
                    self._told.clear()
                self._told.add((id(part), why))
                notice(f"{self._before}{part} fails: {type(problem).__name__}: {why}")

    def fallen(self) -> list[Part]:
        """The parts that have failed since this was asked last."""
        parts = list(self._fallen.values())
        self._fallen.clear()
        return parts
