"""Decoding a capture: from a file to what panels were sent, what broke the data sheet, and what they then show.

It reads the file twice: the head, to find out which wire is what, and then all of it, sample by sample, so that its
size does not matter. Nothing here is shared with the links and the driver; the controllers are those of the simulation.
"""

from collections import deque
from collections.abc import Iterable, Iterator
from heapq import merge
from itertools import takewhile
from os import PathLike
from typing import Any, TypeVar

from lumek.captures.bus_log import BusLog
from lumek.captures.chips import register_states
from lumek.captures.follower import STATUS, Event
from lumek.captures.i2c import ADDRESS, BROKEN, BYTE, START
from lumek.captures.meanings import time_words
from lumek.captures.panel_finder import PanelFinder
from lumek.captures.pulses import BIT, UNDRIVEN
from lumek.captures.seen_panel import SeenPanel
from lumek.captures.traffic import Settings, Traffic
from lumek.captures.wires import BUS, REGISTER, WORDS, Group, groups
from lumek.errors import CaptureError

Timed = TypeVar("Timed", bound=tuple[Any, ...])

WAITING = 1000
"""Events that wait for their next before they are given out."""

COARSE_NS = 500
"""Samples that are farther apart may miss pulses of E."""


class Decoder:
    """Reads a capture.

    traffic: its wires. panels: those that are in it. aliens: address of another device on its bus -> its transfers,
    complete after the last event. broken_bytes: those on the bus that a start or stop cut off. begins_ns: when the
    first event began.
    Raises CaptureError.
    """

    def __init__(self, path: str | PathLike[str], settings: Settings) -> None:
        self.traffic = Traffic(path, settings)
        self.aliens: dict[int, int] = {}
        self.begins_ns = -1
        self.broken_bytes = 0
        self._until_ns = settings.until_ns
        self._parts: list[tuple[Group, list[SeenPanel]]] = []
        source, finder = self.traffic.source, PanelFinder(self.traffic)
        self.panels = finder.panels
        for group in [Group(BUS, {})] if isinstance(source, BusLog) else groups(source, settings.lines):
            resolved, found = finder.find(group)
            if found or not group.found:
                self._parts.append((resolved, found))
            if group.found and found:
                break
        if not self.panels:
            raise CaptureError(self._nothing_found(finder.seen))

    def watch(self, begins_ns: int, ends_ns: int) -> None:
        """Keep the samples of a span: of the panels' pins, and of the wires that lead to an expander or a register."""
        for panel in self.panels:
            panel.watched = begins_ns, ends_ns
        self.traffic.watch(self._parts[0][0], begins_ns, ends_ns)

    @property
    def ends_ns(self) -> int:
        """The last time of the capture, once all of it was read."""
        return self.traffic.source.ends_ns

    def events(self) -> Iterator[Event]:
        """What happened, in its order. May be asked for once."""
        waiting: deque[Event] = deque()
        last: dict[tuple[int, int], Event] = {}
        parts = [self._events_of(*part) for part in self._parts]
        for event in parts[0] if len(parts) == 1 else merge(*parts, key=lambda one: one.time_ns):
            self.panels[event.panel].count(event)
            self.begins_ns = event.began_ns if self.begins_ns < 0 else self.begins_ns
            of = event.panel, event.controller
            if event.kind != STATUS:  # polls of the busy flag may come at any time
                if of in last:
                    last[of].wait_ns = event.time_ns - last[of].time_ns
                last[of] = event
            waiting.append(event)
            while waiting and (waiting[0].wait_ns is not None or waiting[0].kind == STATUS or len(waiting) > WAITING):
                yield waiting.popleft()
        yield from waiting

    def _in_time(self, items: Iterable[Timed]) -> Iterable[Timed]:
        """What happens up to the time at which the panel is looked at; each begins with its time."""
        until = self._until_ns
        return items if until is None else takewhile(lambda one: one[0] <= until, items)

    def _nothing_found(self, seen: set[int]) -> str:
        name = self.traffic.source.name
        if isinstance(self.traffic.source, BusLog) or any(group.kind == BUS for group, _ in self._parts):
            there = ", ".join(f"{address:#04x}" for address in sorted(seen)) or "none"
            return f"{name}: no panel is on this bus; devices: {there}. For a panel that is, give --hookup FILE"
        far = ""
        if self.traffic.resolution_ns > COARSE_NS:
            far = f" (samples are {time_words(self.traffic.resolution_ns)} apart: take at least 4 million a second)"
        return (
            f"{name}: no wire pulses as E does, and no bus is found{far}: say which wires are the panel's, as --lines "
            "rs=D0,e=D1,d4=D2,d5=D3,d6=D4,d7=D5 or --lines scl=D0,sda=D1"
        )

    def _events_of(self, group: Group, panels: list[SeenPanel]) -> Iterator[Event]:
        if group.kind == BUS:
            yield from self._events_on_bus(group, panels)
        elif group.kind == REGISTER:
            for at, state in register_states(self._in_time(self.traffic.samples(group, WORDS[REGISTER], 0))):
                for panel in panels:
                    yield from panel.state(at, state)
        elif panels:
            panel = panels[0]
            for at, word in self._in_time(self.traffic.samples(group, BIT, UNDRIVEN)):
                events = panel.take(at, word)
                if events:
                    yield from events
        for panel in panels:
            yield from panel.rest()

    def _events_on_bus(self, group: Group, panels: list[SeenPanel]) -> Iterator[Event]:
        by_address = {panel.wiring.address: panel for panel in panels}
        panel: SeenPanel | None = None
        reads = False
        for one in self._in_time(self.traffic.bus_events(group)):
            if one.kind == BYTE:
                if panel is not None and (one.acknowledged or reads):
                    state = panel.port.gives(one.value) if reads else panel.port.takes(one.value)
                    if panel.port.guessed:
                        panel.miss_something()
                    if state is not None:
                        yield from panel.state(one.time_ns, state)
            elif one.kind == ADDRESS:
                address = one.value >> 1
                panel, reads = by_address.get(address), bool(one.value & 1)
                if panel is None and one.acknowledged:
                    self.aliens[address] = self.aliens.get(address, 0) + 1
                if panel is not None and one.acknowledged:
                    panel.port.begins()
                else:
                    panel = None
            elif one.kind == START:
                panel = None
            elif one.kind == BROKEN:
                self.broken_bytes += 1
                if panel is not None and not reads:
                    panel.miss_something()
