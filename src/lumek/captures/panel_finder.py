"""The panels of a capture: those of a hookup file, or those that are found out.

Only the head of a capture is read for it.
"""

from collections.abc import Iterable, Mapping, Sequence
from itertools import islice
from typing import TypeVar

from lumek.captures.chips import PCF8574, PCF8574A, REGISTERS, PlainPort, RegisterPort, register_states
from lumek.captures.i2c import ADDRESS, BYTE, START, OnBus
from lumek.captures.pulses import BIT, UNDRIVEN, Pulse
from lumek.captures.seen_panel import SeenPanel, Wiring, word_of
from lumek.captures.traffic import Traffic
from lumek.captures.wire_finder import Found, find, makes_more_sense
from lumek.captures.wires import BUS, PINS, REGISTER, WORDS, Group
from lumek.errors import CaptureError
from lumek.hookup.maps import MAPS
from lumek.hookup.model import ModuleTable
from lumek.hookup.wiring import BackpackTable, DirectTable, RegisterTable
from lumek.roms import rom_named

Table = TypeVar("Table", BackpackTable, RegisterTable, DirectTable)

HEAD = 3000
"""States of a panel's lines by which its map is found out."""

HEAD_SAMPLES = 20_000
"""The same where a busy flag may be polled again and again."""

HEAD_EVENTS = 20_000
"""What happens on a bus until all of its panels should have been seen."""

KNOWN_MAPS = {name: (one.lines, one.backlight_on) for name, one in MAPS.items()}

LEAST_SHARE = 0.3
"""Of the points that pulses could give: below it, nothing sensible was said."""


class PanelFinder:
    """Finds the panels of groups of wires.

    panels: those that were found. seen: addresses with a device, in the head of a bus.
    """

    def __init__(self, traffic: Traffic) -> None:
        self.panels: list[SeenPanel] = []
        self.seen: set[int] = set()
        self._traffic, self._settings = traffic, traffic.settings

    def find(self, group: Group) -> tuple[Group, list[SeenPanel]]:
        """The panels of a group, which are added to the others; and the group with its roles. Raises CaptureError."""
        if group.kind == PINS:
            return self._on_pins(group)
        return group, self._on_bus(group) if group.kind == BUS else self._behind_register(group)

    def _modules(self, kind: type[Table]) -> dict[str, tuple[ModuleTable, Table]]:
        """The panels of the hookup file with a kind of wiring, and that wiring."""
        hookup = self._settings.hookup
        if hookup is None:
            return {}
        named = hookup.only(self._settings.panel).panels if self._settings.panel else hookup.panels
        return {name: (one, one.hookup) for name, one in named.items() if isinstance(one.hookup, kind)}

    def _add(
        self, wiring: Wiring, head: Sequence[Pulse], name: str = "", module: ModuleTable | None = None
    ) -> SeenPanel:
        settings = self._settings
        oscillator, volts = settings.oscillator_hz, settings.volts
        panel = SeenPanel(
            len(self.panels), name, wiring, settings.size or (module.size if module else None),
            rom_named(settings.rom or (module.rom if module else "A00")),
            oscillator or (module.oscillator_hz if module else None),
            volts or (module.volts if module else None), self._traffic.resolution_ns, head,
        )  # fmt: skip
        self.panels.append(panel)
        return panel

    def _on_bus(self, group: Group) -> list[SeenPanel]:
        heads: dict[int, list[OnBus]] = {}
        address: int | None = None
        for one in islice(self._traffic.bus_events(group), HEAD_EVENTS):
            if one.kind in (START, ADDRESS):
                address = one.value >> 1 if one.kind == ADDRESS and one.acknowledged else None
            if address is not None and one.kind in (ADDRESS, BYTE):
                head = heads.setdefault(address, [])
                if len(head) < HEAD:
                    head.append(one)
        self.seen |= heads.keys()
        given = {table.at: (name, module, table) for name, (module, table) in self._modules(BackpackTable).items()}
        panels = []
        for address, events in sorted(heads.items()):
            if address in given:
                name, module, table = given[address]
                wiring = Wiring("backpack", table.bits, table.lit_at, 4, address, table.part, known_as=table.named)
                panels.append(self._given(wiring, _states(events, table.part), name, module))
            elif not given:
                panel = self._found_at(address, events)
                if panel is not None:
                    panels.append(panel)
        missing = given.keys() - heads.keys()
        if missing and self._settings.panel:
            there = ", ".join(f"{one:#04x}" for one in sorted(heads)) or "no address"
            raise CaptureError(
                f"{self._traffic.source.name}: nothing is sent to {missing.pop():#04x}; seen are {there}"
            )
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
        found = _likeliest([state for _, state in states], 8, KNOWN_MAPS)
        if found is None:
            return None
        wiring = Wiring("backpack", found.lines, found.backlight_on, 4, address, kind, found, found.known_as)
        return self._add(wiring, self._byte_pulses(wiring, states))

    def _behind_register(self, group: Group) -> list[SeenPanel]:
        states = list(islice(register_states(self._traffic.samples(group, WORDS[REGISTER], 0)), HEAD))
        panels = []
        for name, (module, table) in self._modules(RegisterTable).items():
            wiring = Wiring("shift-register", table.bits, table.lit_at, 4)
            panels.append(self._given(wiring, states, name, module))
        if panels or self._settings.hookup is not None:
            return panels
        found = _likeliest([state for _, state in states], 8, KNOWN_MAPS)
        if found is None:
            return []
        wiring = Wiring("shift-register", found.lines, found.backlight_on, 4, found=found, known_as=found.known_as)
        return [self._add(wiring, self._byte_pulses(wiring, states))]

    def _on_pins(self, group: Group) -> tuple[Group, list[SeenPanel]]:
        name, module = group.name.rpartition(".")[2], None
        modules = self._modules(DirectTable)
        if name in modules or len(modules) == 1:
            name = name if name in modules else next(iter(modules))
            module, _ = modules[name]
        found: Found | None = None
        lines = {role: wire for role, wire in group.wires.items() if role in BIT}
        if not group.known:
            names = list(group.wires)
            found = _likeliest(self._states(names), len(names), {}, wide=True)
            if found is None:
                return group, []
            lines = {role: names[place] for role, place in found.lines.items()}
        group = group._replace(wires=lines)
        lit = found.backlight_on if found else module.hookup.lit_at if module else None
        wiring = Wiring("direct", lines, lit, 8 if "d0" in lines else 4, found=found)
        pulses = SeenPanel.new_pulses(wiring, self._traffic.resolution_ns)
        head: list[Pulse] = []
        for at, word in self._traffic.samples(group, BIT, UNDRIVEN):
            head += pulses.take(at, word)
            if len(head) >= HEAD:
                break
        panel = self._add(wiring, head, name if module else group.name, module)
        if found is None:
            panel.instead = self._instead(wiring)
        return group, [panel]

    def _instead(self, wiring: Wiring) -> dict[str, int | str]:
        """Wires of pins under which they make sense, where those that were given make none."""
        names = [str(wire) for wire in wiring.lines.values()]
        given = {role: place for place, role in enumerate(wiring.lines)}
        better = makes_more_sense(self._states(names), len(names), given, wiring.width, {})
        return {role: names[place] for role, place in better.lines.items()} if better else {}

    def _states(self, names: Sequence[str]) -> list[int]:
        """The levels of wires, a bit each in this order, in the first samples."""
        every = {wire: 1 << place for place, wire in enumerate(names)}
        samples = self._traffic.samples(Group(PINS, {wire: wire for wire in names}), every, 0)
        return [word & 0xFFFF for _, word in islice(samples, HEAD_SAMPLES)]

    def _byte_pulses(self, wiring: Wiring, states: Iterable[tuple[int, int]]) -> list[Pulse]:
        pulses = SeenPanel.new_pulses(wiring, self._traffic.resolution_ns)
        found: list[Pulse] = []
        for at, state in states:
            found += pulses.take(at, word_of(wiring.lines, state))
        return found


def _likeliest(
    states: Sequence[int], count: int, maps: Mapping[str, tuple[Mapping[str, int], int]], wide: bool = False
) -> Found | None:
    """The assignment of lines under which their states make the most sense, if they make any."""
    found = find(states, count, maps, wide)
    return found[0] if found and found[0].share >= LEAST_SHARE else None


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
    if registers and all(one in REGISTERS for one in registers) and address in PCF8574:
        return RegisterPort.name
    return "pcf8574a" if address in PCF8574A else PlainPort.name


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
