"""Decoding a capture: from a file to what panels were told, what broke the data sheet, and what they then show.

It reads the file twice: the head, to find out which wire is what, and then all of it, sample by sample, so that its
size does not matter. Nothing here is shared with the links and the driver; the controllers are those of the simulation.
"""

from collections import deque
from collections.abc import Iterable, Iterator, Mapping, Sequence
from heapq import merge
from itertools import islice
from os import PathLike
from typing import NamedTuple

from lumek.captures.bus_log import BusLog
from lumek.captures.capture_file import open_capture
from lumek.captures.capture_source import CaptureSource
from lumek.captures.chips import REGISTERS, PlainPort, RegisterPort, register_states
from lumek.captures.follower import STATUS, Event
from lumek.captures.i2c import ADDRESS, BYTE, START, OnBus, on_bus
from lumek.captures.meanings import time_words
from lumek.captures.pulses import BIT, UNDRIVEN, Pulse
from lumek.captures.seen_panel import MOST_TRACED, SeenPanel, Wiring, word_of
from lumek.captures.steady import without_glitches
from lumek.captures.wire_finder import Found, find, makes_more_sense
from lumek.captures.wires import BUS, PINS, REGISTER, WORDS, Group, groups
from lumek.errors import CaptureError
from lumek.hookup.file import Hookup
from lumek.hookup.maps import MAPS
from lumek.hookup.model import ModuleTable
from lumek.hookup.wiring import BackpackTable, DirectTable, RegisterTable
from lumek.roms import rom_named

HEAD = 3000
"""States of a panel's lines by which its map is found out."""

HEAD_SAMPLES = 20_000
"""The same where a busy flag may be polled again and again."""

HEAD_EVENTS = 20_000
"""What happens on a bus until all of its panels should have been seen."""

WAITING = 1000
"""Events that wait for their next before they are given out."""

KNOWN_MAPS = {name: (one.lines, one.backlight_on) for name, one in MAPS.items()}

SPIKE_NS = 50
"""Inputs of I2C devices do not see spikes below it (UM10204, table 10, t_SP)."""

COARSE_NS = 500
"""Samples that are farther apart may miss pulses of E."""

LEAST_SHARE = 0.3
"""Of the points that pulses could give: below it, nothing sensible was said."""


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


class Alien(NamedTuple):
    """A device on the bus that is no panel: its address, and how many transfers it had."""

    address: int
    transfers: int


class Decoder:
    """Reads a capture.

    panels: those that are in it. seen: addresses in the head of a bus. aliens: address of another device on it -> its
    transfers, complete after the last event.
    raw, raw_names, raw_before: samples of the wires before an expander or register, their bits by name, and the last
    word before them, once a span is watched.
    begins_ns: when the first event began. ends_ns: the last time, known after the last event.
    Raises CaptureError.
    """

    def __init__(self, path: str | PathLike[str], settings: Settings) -> None:
        self.settings = settings
        self.source = open_capture(path, settings.bus_hz)
        self.panels: list[SeenPanel] = []
        self.aliens: dict[int, int] = {}
        self.seen: set[int] = set()
        self.begins_ns = -1
        self._watched: tuple[int, int] | None = None
        self.raw: list[tuple[int, int]] = []
        self.raw_names: dict[str, int] = {}
        self.raw_before: int | None = None
        self.resolution_ns = self.source.resolution_ns() if isinstance(self.source, CaptureSource) else 0
        self._parts: list[tuple[Group, list[SeenPanel]]] = []
        if isinstance(self.source, BusLog):
            self._prepare(Group(BUS, {}))
        else:
            for group in groups(self.source, settings.lines):
                self._prepare(group)
                if group.found and self.panels:
                    break
        if not self.panels:
            raise CaptureError(self._nothing_found())

    def watch(self, begins_ns: int, ends_ns: int) -> None:
        """Keep the samples of a span: of the panels' pins, and of the wires that lead to an expander or a register."""
        for panel in self.panels:
            panel.watched = begins_ns, ends_ns
        self._watched = begins_ns, ends_ns
        group = self._parts[0][0]
        if group.kind in WORDS and group.wires:
            self.raw_names = dict(WORDS[group.kind])

    @property
    def ends_ns(self) -> int:
        """The last time of the capture, once all of it was read."""
        return self.source.ends_ns

    def events(self) -> Iterator[Event]:
        """What happened, in its order. May be asked for once."""
        waiting: deque[Event] = deque()
        last: dict[tuple[int, int], Event] = {}
        until = self.settings.until_ns
        parts = [self._events_of(*part) for part in self._parts]
        for event in parts[0] if len(parts) == 1 else merge(*parts, key=lambda one: one.time_ns):
            if until is not None and event.time_ns > until:
                break
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

    def _nothing_found(self) -> str:
        name = self.source.name
        if isinstance(self.source, BusLog) or any(group.kind == BUS for group, _ in self._parts):
            there = ", ".join(f"{address:#04x}" for address in sorted(self.seen)) or "none"
            return f"{name}: no panel is on this bus; devices: {there}. For a panel that is, give --hookup FILE"
        far = ""
        if self.resolution_ns > COARSE_NS:
            far = f" (samples are {time_words(self.resolution_ns)} apart: take at least 4 million a second)"
        return (
            f"{name}: no wire pulses as E does, and no bus is found{far}: say which wires are the panel's, as --lines "
            "rs=D0,e=D1,d4=D2,d5=D3,d6=D4,d7=D5 or --lines scl=D0,sda=D1"
        )

    def _prepare(self, group: Group) -> None:
        """Find the panels of a group of wires."""
        found = {BUS: self._on_bus, REGISTER: self._behind_register, PINS: self._on_pins}[group.kind](group)
        if found or not group.found:
            self._parts.append((group, found))

    def _modules(self, kind: type) -> dict[str, ModuleTable]:
        """The panels of the hookup file with a kind of wiring."""
        hookup = self.settings.hookup
        if hookup is None:
            return {}
        named = hookup.only(self.settings.panel).panels if self.settings.panel else hookup.panels
        return {name: module for name, module in named.items() if isinstance(module.hookup, kind)}

    def _add(
        self, wiring: Wiring, head: Sequence[Pulse], name: str = "", module: ModuleTable | None = None
    ) -> SeenPanel:
        settings = self.settings
        oscillator, volts = settings.oscillator_hz, settings.volts
        panel = SeenPanel(
            len(self.panels), name, wiring, settings.size or (module.size if module else None),
            rom_named(settings.rom or (module.rom if module else "A00")),
            oscillator or (module.oscillator_hz if module else None),
            volts or (module.volts if module else None), self.resolution_ns, head,
        )  # fmt: skip
        self.panels.append(panel)
        return panel

    def _on_bus(self, group: Group) -> list[SeenPanel]:
        heads: dict[int, list[OnBus]] = {}
        address: int | None = None
        for one in islice(self._bus_events(group), HEAD_EVENTS):
            if one.kind in (START, ADDRESS):
                address = one.value >> 1 if one.kind == ADDRESS and one.acknowledged else None
            if address is not None and one.kind in (ADDRESS, BYTE):
                head = heads.setdefault(address, [])
                if len(head) < HEAD:
                    head.append(one)
        self.seen |= heads.keys()
        modules = self._modules(BackpackTable)
        given = {module.hookup.at: (name, module) for name, module in modules.items()}  # type: ignore[union-attr]
        panels = []
        for address, events in sorted(heads.items()):
            if address in given:
                name, module = given[address]
                wiring = module.hookup
                assert isinstance(wiring, BackpackTable)
                kind = "mcp23008" if wiring.part == RegisterPort.name else wiring.part
                own = Wiring("backpack", wiring.bits, wiring.lit_at, 4, address, kind, known_as=wiring.named)
                states = _states(events, kind)
                panels.append(self._given(own, states, name, module))
            elif not given:
                panel = self._found_at(address, events)
                if panel is not None:
                    panels.append(panel)
        missing = given.keys() - heads.keys()
        if missing and self.settings.panel:
            there = ", ".join(f"{one:#04x}" for one in sorted(heads)) or "no address"
            raise CaptureError(f"{self.source.name}: nothing is sent to {missing.pop():#04x}; seen are {there}")
        return panels

    def _given(self, wiring: Wiring, states: Sequence[tuple[int, int]], name: str, module: ModuleTable) -> SeenPanel:
        """The panel of a hookup file behind an expander or a register."""
        panel = self._add(wiring, self._byte_pulses(wiring, states), name, module)
        lines = {role: int(bit) for role, bit in wiring.lines.items()}
        better = makes_more_sense([state for _, state in states], 8, lines, 4, KNOWN_MAPS)
        if better:
            panel.instead, panel.instead_as = dict(better.lines), better.known_as
        return panel

    def _found_at(self, address: int, events: list[OnBus]) -> SeenPanel | None:
        """The panel at an address, if what it is sent makes sense as one."""
        kind = _chip_of(events, address)
        states = _states(events, kind)
        found = find([state for _, state in states], 8, KNOWN_MAPS)
        if not found or found[0].share < LEAST_SHARE:
            return None
        one = found[0]
        wiring = Wiring("backpack", one.lines, one.backlight_on, 4, address, kind, one, one.known_as)
        return self._add(wiring, self._byte_pulses(wiring, states))

    def _behind_register(self, group: Group) -> list[SeenPanel]:
        states: list[tuple[int, int]] = []
        for state in register_states(self._samples(group, WORDS[REGISTER], 0)):
            states.append(state)
            if len(states) >= HEAD:
                break
        panels = []
        for name, module in self._modules(RegisterTable).items():
            wiring = Wiring("shift-register", module.hookup.bits, module.hookup.lit_at, 4)
            panels.append(self._given(wiring, states, name, module))
        if panels or self.settings.hookup is not None:
            return panels
        found = find([state for _, state in states], 8, KNOWN_MAPS)
        if not found or found[0].share < LEAST_SHARE:
            return []
        one = found[0]
        wiring = Wiring("shift-register", one.lines, one.backlight_on, 4, found=one, known_as=one.known_as)
        return [self._add(wiring, self._byte_pulses(wiring, states))]

    def _on_pins(self, group: Group) -> list[SeenPanel]:
        name, module = group.name.rpartition(".")[2], None
        modules = self._modules(DirectTable)
        if name in modules or len(modules) == 1:
            name = name if name in modules else next(iter(modules))
            module = modules[name]
        lines: Mapping[str, int | str]
        found: Found | None = None
        if group.known:
            lines = {role: wire for role, wire in group.wires.items() if role in BIT}
        else:
            names = list(group.wires)
            candidates = find(self._states(names), len(names), {}, wide=True)
            if not candidates or candidates[0].share < LEAST_SHARE:
                return []
            found = candidates[0]
            lines = {role: names[place] for role, place in found.lines.items()}
            group.wires.clear()
            group.wires.update({role: str(wire) for role, wire in lines.items()})
        lit = found.backlight_on if found else module.hookup.lit_at if module else None
        width = 8 if "d0" in lines else 4
        wiring = Wiring("direct", lines, lit, width, found=found)
        pulses = SeenPanel.new_pulses(wiring, self.resolution_ns)
        head: list[Pulse] = []
        for at, word in self._samples(group, BIT, UNDRIVEN):
            head += pulses.take(at, word)
            if len(head) >= HEAD // 4:
                break
        panel = self._add(wiring, head, name if module else group.name, module)
        if found is None:
            names = [str(wire) for wire in lines.values()]
            better = makes_more_sense(
                self._states(names), len(names), {role: place for place, role in enumerate(lines)}, width, {}
            )
            panel.instead = {role: names[place] for role, place in better.lines.items()} if better else {}
        return [panel]

    def _states(self, names: Sequence[str]) -> list[int]:
        """The levels of wires, a bit each in this order, in the first samples."""
        every = {wire: 1 << place for place, wire in enumerate(names)}
        samples = self._samples(Group(PINS, {wire: wire for wire in names}), every, 0)
        return [word & 0xFFFF for _, word in islice(samples, HEAD_SAMPLES)]

    def _byte_pulses(self, wiring: Wiring, states: Iterable[tuple[int, int]]) -> list[Pulse]:
        pulses = SeenPanel.new_pulses(wiring, self.resolution_ns)
        found: list[Pulse] = []
        for at, state in states:
            found += pulses.take(at, word_of(wiring.lines, state))
        return found

    def _events_of(self, group: Group, panels: list[SeenPanel]) -> Iterator[Event]:
        if group.kind == BUS:
            yield from self._events_on_bus(group, panels)
        elif group.kind == REGISTER:
            for at, state in register_states(self._samples(group, WORDS[REGISTER], 0)):
                for panel in panels:
                    yield from panel.state(at, state)
        elif panels:
            panel = panels[0]
            for at, word in self._samples(group, BIT, UNDRIVEN):
                events = panel.take(at, word)
                if events:
                    yield from events
        for panel in panels:
            yield from panel.rest()

    def _events_on_bus(self, group: Group, panels: list[SeenPanel]) -> Iterator[Event]:
        by_address = {panel.wiring.address: panel for panel in panels}
        panel: SeenPanel | None = None
        reads = False
        for one in self._bus_events(group):
            if one.kind == BYTE:
                if panel is not None and (one.acknowledged or reads):
                    state = panel.port.gives(one.value) if reads else panel.port.takes(one.value)
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

    def _bus_events(self, group: Group) -> Iterable[OnBus]:
        if isinstance(self.source, BusLog):
            return self.source.events()
        return on_bus(self._samples(group, WORDS[BUS], 3, SPIKE_NS))

    def _samples(
        self, group: Group, bits: Mapping[str, int], undriven: int, at_least_ns: int = 0
    ) -> Iterable[tuple[int, int]]:
        assert isinstance(self.source, CaptureSource)
        wires = {name: bits[role] for role, name in group.wires.items() if role in bits}
        samples = self.source.samples(wires, undriven)
        shorter = self.settings.glitch_ns
        if 0 < self.resolution_ns < at_least_ns:
            shorter = max(shorter, at_least_ns)
        samples = without_glitches(samples, shorter) if shorter else samples
        return self._watching(samples) if self._watched and group is self._parts[0][0] and self.raw_names else samples

    def _watching(self, samples: Iterable[tuple[int, int]]) -> Iterator[tuple[int, int]]:
        """The same samples; those of the span are kept."""
        begins, ends = self._watched or (0, 0)
        for at, word in samples:
            if at < begins:
                self.raw_before = word
            elif at <= ends and len(self.raw) < MOST_TRACED:
                self.raw.append((at, word))
            yield at, word


def _chip_of(events: Sequence[OnBus], address: int) -> str:
    """The expander, by how it is written to: with registers, or not."""
    registers: list[int] = []
    first = reads = False
    for one in events:
        if one.kind == ADDRESS:
            first, reads = True, bool(one.value & 1)
        elif first and not reads:
            registers.append(one.value)
            first = False
    if registers and all(one in REGISTERS for one in registers) and 0x20 <= address < 0x28:
        return RegisterPort.name
    return "pcf8574a" if address >= 0x38 else PlainPort.name


def _states(events: Iterable[OnBus], kind: str) -> list[tuple[int, int]]:
    """The levels of the lines of an expander, as it is written to."""
    port = RegisterPort() if kind == RegisterPort.name else PlainPort()
    states: list[tuple[int, int]] = []
    reads = False
    for one in events:
        if one.kind == ADDRESS:
            reads = bool(one.value & 1)
            port.begins()
        elif not reads:
            state = port.takes(one.value)
            if state is not None:
                states.append((one.time_ns, state))
    return states
