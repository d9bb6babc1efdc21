"""What goes over the wires of a capture: the samples of some of its wires, and what happens on a bus."""

from collections.abc import Iterable, Iterator, Mapping
from os import PathLike
from typing import NamedTuple

from lumek.captures.bus_log import BusLog
from lumek.captures.capture_file import open_capture
from lumek.captures.capture_source import CaptureSource
from lumek.captures.i2c import OnBus, on_bus
from lumek.captures.seen_panel import MOST_TRACED
from lumek.captures.steady import without_glitches
from lumek.captures.wires import BUS, WORDS, Group
from lumek.hookup.file import Hookup

SPIKE_NS = 50
"""Inputs of I2C devices do not see spikes below it (UM10204, table 10, t_SP)."""


class Settings(NamedTuple):
    """How a capture is to be read; see `lumek.captures.decode`."""

    hookup: Hookup | None = None
    panel: str | None = None
    lines: Mapping[str, str] = {}
    size: str | None = None
    rom: str | PathLike[str] | None = None
    until_ns: int | None = None
    glitch_ns: int = 0
    oscillator_hz: int | None = None
    volts: float | None = None
    bus_hz: int = 100_000


class Traffic:
    """The wires of a capture.

    source: its file. resolution_ns: by how much a time may be wrong.
    raw, raw_names, raw_before: samples of the wires of `watched`, their bits by name, and the last levels before them,
    once a span is watched.
    Raises CaptureError.
    """

    def __init__(self, path: str | PathLike[str], settings: Settings) -> None:
        self.settings = settings
        self.source = open_capture(path, settings.bus_hz)
        self.resolution_ns = self.source.resolution_ns() if isinstance(self.source, CaptureSource) else 0
        self.raw: list[tuple[int, int]] = []
        self.raw_names: dict[str, int] = {}
        self.raw_before: int | None = None
        self._watched: tuple[int, int] | None = None
        self._watched_group: Group | None = None

    def watch(self, group: Group, begins_ns: int, ends_ns: int) -> None:
        """Keep the samples of a span of the wires that lead to an expander or a register."""
        if group.kind in WORDS and group.wires:
            self.raw_names = dict(WORDS[group.kind])
            self._watched, self._watched_group = (begins_ns, ends_ns), group

    def bus_events(self, group: Group) -> Iterable[OnBus]:
        """What happens on the bus of a group."""
        if isinstance(self.source, BusLog):
            return self.source.events()
        return on_bus(self.samples(group, WORDS[BUS], 3, SPIKE_NS))

    def samples(
        self, group: Group, bits: Mapping[str, int], undriven: int, at_least_ns: int = 0
    ) -> Iterable[tuple[int, int]]:
        """The samples of the wires of a group; see `CaptureSource.samples`.

        bits: role -> bit. at_least_ns: pulses that are shorter are left out in any case.
        """
        assert isinstance(self.source, CaptureSource)
        wires = {name: bits[role] for role, name in group.wires.items() if role in bits}
        samples = self.source.samples(wires, undriven)
        shorter = self.settings.glitch_ns
        if 0 < self.resolution_ns < at_least_ns:
            shorter = max(shorter, at_least_ns)
        samples = without_glitches(samples, shorter) if shorter else samples
        return self._watching(samples) if self._watched and group is self._watched_group else samples

    def _watching(self, samples: Iterable[tuple[int, int]]) -> Iterator[tuple[int, int]]:
        """The same samples; those of the span are kept."""
        begins, ends = self._watched or (0, 0)
        for at, word in samples:
            if at < begins:
                self.raw_before = word
            elif at <= ends and len(self.raw) < MOST_TRACED:
                self.raw.append((at, word))
            yield at, word
