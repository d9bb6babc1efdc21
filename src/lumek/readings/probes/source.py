"""What several probes take from, and how it is opened and closed."""

from collections.abc import Callable, Mapping
from typing import Generic, Self, TypeVar, Unpack

from lumek.readings.probe import Probe, SourceSettings
from lumek.readings.time_source import TimeSource

S = TypeVar("S", bound="Source")


class Source:
    """Something from which several probes take. It is closed with the last of them, or by itself.

    kind: what it is, in a face file.
    extra, modules: the extra of Lumek that it needs, and the modules that this brings.
    probe: each kind has one, which makes a probe of one of its values.
    """

    kind = ""
    extra = ""
    modules: tuple[str, ...] = ()
    probe: Callable[..., Probe]

    def __init__(self, clock: TimeSource) -> None:
        self.clock = clock
        self._probes: set[Probe] = set()

    @staticmethod
    def place_of(settings: Mapping[str, object]) -> str:
        """Where a source with these settings leads to, for people; without secrets."""
        return str(settings.get("file", ""))

    def enter(self, probe: Probe) -> None:
        """A probe takes from it."""
        self._probes.add(probe)

    def leave(self, probe: Probe) -> None:
        """A probe is closed."""
        if probe in self._probes:
            self._probes.remove(probe)
            if not self._probes:
                self.close()

    def close(self) -> None:
        """End it. A second time does nothing."""

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *exc: object) -> None:
        self.close()


class SourceProbe(Probe, Generic[S]):
    """A probe that takes from a source."""

    def __init__(self, source: S, name: str, unit: str, **settings: Unpack[SourceSettings]) -> None:
        super().__init__(name, unit, clock=source.clock, **settings)
        self.source = source
        source.enter(self)

    def close(self) -> None:
        """Close it, and the source if it is the last of its probes."""
        self.source.leave(self)
