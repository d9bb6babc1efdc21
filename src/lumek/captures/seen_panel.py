"""A panel in a capture: its wires, its controllers, and what they show."""

from collections.abc import Mapping, Sequence
from typing import NamedTuple

from lumek._harmless import quoted
from lumek.captures.chips import PlainPort, RegisterPort
from lumek.captures.follower import DATA, INSTRUCTION, NOMINAL_HZ, Event, Follower
from lumek.captures.pulses import AT_3_VOLTS, AT_5_VOLTS, BACKLIGHT, BIT, E2, UNDRIVEN, E, Limits, Pulse, Pulses
from lumek.captures.scoring import phase_of
from lumek.captures.wire_finder import Found
from lumek.errors import CaptureError
from lumek.roms.rom import Rom
from lumek.twin.module import GLASS, Twin
from lumek.twin.time_base import TwinClock

CONTROLLERS = {size: 1 + max(line for parts in rows for line, _, _ in parts) // 2 for size, rows in GLASS.items()}
"""Size -> how many it has."""

FULL_VOLTS = 4.5
"""From here on the bus timing is that of 5 V."""

UNSEEN = "·"
"""Stands for a cell into which nothing was written."""

NOTHING: Sequence[Event] = ()

MOST_TRACED = 20_000
"""Samples that are kept of a span that is watched."""


class Wiring(NamedTuple):
    """How a panel of a capture is wired.

    kind: "backpack", "shift-register" or "direct".
    lines: role -> bit of the byte, or (direct) name of the wire.
    backlight_on: the level that lights it, None when not known.
    width: 4 or 8. address, expander: of a backpack. found: how it was found out; None when it was given.
    known_as: the name of the map, "" for one that has none.
    """

    kind: str
    lines: Mapping[str, int | str]
    backlight_on: int | None
    width: int
    address: int | None = None
    expander: str = ""
    found: Found | None = None
    known_as: str = ""

    def __str__(self) -> str:
        """In words: "PCF8574 at 0x27, line map control-low"."""
        where = f"{self.expander.upper()} at {self.address:#04x}" if self.address is not None else (
            "shift register" if self.kind == "shift-register" else f"{self.width} data lines")  # fmt: skip
        if self.known_as:
            return f"{where}, line map {self.known_as}"
        if all(role == line for role, line in self.lines.items()):
            return where
        return f"{where}, lines {' '.join(f'{role}={line}' for role, line in self.lines.items())}"


class SeenPanel:
    """A panel.

    number, name: of it. wiring: see `Wiring`.
    size: None to guess it. rom: its ROM.
    oscillator_hz, volts: of its controllers. resolution_ns: by how much a time may be wrong.
    head: pulses of E from the beginning of the capture, by which phase and size are found out.
    size_guessed: whether the size is a guess. phase: how the first pulse is taken; see `Follower`. seen_ns: the last
    time at which something happened. counts: kind of event -> how many. broken: rule of the data sheet -> how often.
    instead: lines under which it makes sense, where those that were given make none; instead_as: the name of that map.
    watched: a span of which `trace` keeps the samples, and `trace_before` the last word before it.
    Raises CaptureError for a size that has more controllers than there are.
    """

    def __init__(
        self, number: int, name: str, wiring: Wiring, size: str | None, rom: Rom, oscillator_hz: int | None,
        volts: float | None, resolution_ns: int, head: Sequence[Pulse],
    ) -> None:  # fmt: skip
        self.number, self.name, self.wiring, self.rom = number, name, wiring, rom
        self._settings = oscillator_hz or NOMINAL_HZ, 5.0 if volts is None else volts, resolution_ns
        self._limits = AT_5_VOLTS if (volts or 5.0) >= FULL_VOLTS else AT_3_VOLTS
        self.port = RegisterPort() if wiring.expander == RegisterPort.name else PlainPort()
        self.pulses = self.new_pulses(wiring, resolution_ns, self._limits)
        self._table: dict[int, int] = {}
        self._lit = 1 if wiring.backlight_on is None else wiring.backlight_on
        self._backlight: int | None = None
        self.seen_ns = 0
        self.counts: dict[str, int] = {}
        self.broken: dict[str, int] = {}
        self.instead: dict[str, int | str] = {}
        self.instead_as = ""
        self._twin: Twin | None = None
        self.watched: tuple[int, int] | None = None
        self.trace: list[tuple[int, int]] = []
        self.trace_before: int | None = None
        count = 2 if "e2" in wiring.lines else 1
        writes = [pulse for pulse in head if not pulse.rw]
        self.phase = phase_of([pulse.data >> 4 | pulse.rs << 4 for pulse in writes]) if wiring.width == 4 else "eight"
        self.size_guessed = size is None
        self.size = size or self._guessed(head, count)
        if self.size in CONTROLLERS and CONTROLLERS[self.size] > count:
            raise CaptureError(
                f"a {self.size} panel has two controllers, and no second E is among the wires "
                f"({quoted(str(wiring), 200)}): give another --size, or --lines or --hookup with e2"
            )
        self.followers = self._followers(count)

    @staticmethod
    def new_pulses(wiring: Wiring, resolution_ns: int, limits: Limits = AT_5_VOLTS) -> Pulses:
        """What finds the pulses of a panel so wired."""
        wired = sum(BIT[role] for role in wiring.lines if role[:1] == "d")
        return Pulses(limits, resolution_ns, wired, holds=wiring.kind == "direct")

    def _followers(self, count: int) -> list[Follower]:
        oscillator, volts, resolution = self._settings
        return [Follower(self.wiring.width, self.phase, oscillator, volts, resolution, self.number, controller)
                for controller in range(count)]  # fmt: skip

    def take(self, at: int, word: int) -> Sequence[Event]:
        """Take a sample of the panel's pins. Returns what is complete then."""
        self._backlight, self.seen_ns = word & BACKLIGHT, at
        if self.watched is not None:
            if at < self.watched[0]:
                self.trace_before = word
            elif at <= self.watched[1] and len(self.trace) < MOST_TRACED:
                self.trace.append((at, word))
        pulses = self.pulses.take(at, word)
        return [event for pulse in pulses for event in self._pulsed(pulse)] if pulses else NOTHING

    def miss_something(self) -> None:
        """Something was sent that the capture does not have, or that can only be guessed."""
        for follower in self.followers:
            follower.miss_something()

    def rest(self) -> list[Event]:
        """What is still to come at the end of the capture."""
        return [event for pulse in self.pulses.rest() for event in self._pulsed(pulse)]

    def state(self, at: int, byte: int) -> Sequence[Event]:
        """Take the levels of the eight lines of an expander or a register."""
        word = self._table.get(byte)
        if word is None:
            word = self._table[byte] = word_of(self.wiring.lines, byte)
        return self.take(at, word)

    def _pulsed(self, pulse: Pulse) -> Sequence[Event]:
        number = pulse.enables - 1
        event = self.followers[number].take(pulse) if number < len(self.followers) else None
        return NOTHING if event is None else (event,)

    def _guessed(self, head: Sequence[Pulse], count: int) -> str:
        """The size that fits what was written."""
        if count == 2:
            return "40x4"
        follower = self._followers(1)[0]
        starts, ends = set(), 0
        for pulse in head:
            event = follower.take(pulse)
            if event is not None and any(one.rule == "nibble phase" for one in event.violations):
                break  # from here on the bytes are not what was meant
            if event is not None and event.kind == INSTRUCTION and event.code & 0x80:
                starts.add(event.code & 0x7F)
            elif event is not None and event.kind == DATA and event.code != 0x20 and not follower.chip.in_cgram:
                ends = max(ends, follower.chip.address & 0x3F)
        if not follower.chip.two_lines:
            return "16x1"
        if starts & {0x14, 0x54}:
            return "20x4"
        if starts & {0x10, 0x50}:
            return "16x4"
        fitting = [size for size, columns in (("16x2", 16), ("20x2", 20), ("24x2", 24), ("20x4", 40)) if ends < columns]
        return fitting[0] if fitting else "40x2"

    def view(self, now_ns: int) -> Twin:
        """The panel as it looks at that time, as a simulated panel that can be drawn."""
        twin = self._twin
        if twin is None:
            twin = self._twin = Twin(self.size, self.rom, TwinClock(), self._lit)
            twin.controllers[:] = [follower.chip for follower in self.followers][: len(twin.controllers)]
        twin.clock.now_ns = now_ns
        twin.font = "5x10" if any(follower.chip.tall for follower in self.followers) else "5x8"
        for follower in self.followers:
            follower.chip.settle(now_ns)
        dark = "backlight" in self.wiring.lines and self._backlight is not None
        level = int(bool(self._backlight)) if dark else self._lit
        twin.set_pins({"backlight": level}, now_ns)
        return twin

    @property
    def label(self) -> str:
        """Its name, or its number from 1."""
        return self.name or str(self.number + 1)

    @property
    def heading(self) -> str:
        """Its label, and how it is wired, in a line."""
        return f"panel {self.label}: {self.wiring}"

    def count(self, event: Event) -> None:
        """Count an event."""
        self.counts[event.kind] = self.counts.get(event.kind, 0) + 1
        for violation in event.violations:
            self.broken[violation.rule] = self.broken.get(violation.rule, 0) + 1

    @property
    def rows(self) -> list[str]:
        """The text on the glass, row by row; UNSEEN where nothing was written in the capture. See `known`."""
        twin = self.view(self.seen_ns)
        return ["".join(character if self._seen(place) else UNSEEN
                        for character, place in zip(row, places, strict=True))
                for row, places in zip(twin.rows, twin.addresses, strict=True)]  # fmt: skip

    def _seen(self, place: tuple[int, int] | None) -> bool:
        return place is None or place[1] in self.followers[place[0]].touched

    @property
    def sure(self) -> bool:
        """Whether it is sure which pulses belong together to a byte."""
        return all(follower.sure for follower in self.followers)

    def known(self) -> list[list[bool]]:
        """Row by row, whether what a cell shows is known for sure."""
        twin = self.view(self.seen_ns)
        rows = []
        for row, codes in zip(twin.addresses, twin.cells, strict=True):
            line = []
            for place, code in zip(row, codes, strict=True):
                line.append(self._cell_known(place, code))
            rows.append(line)
        return rows

    def _cell_known(self, place: tuple[int, int] | None, code: int) -> bool:
        if place is None:
            return all(follower.sure and follower.known.lines for follower in self.followers)
        follower = self.followers[place[0]]
        known = follower.known
        tall = follower.chip.tall
        at, rows = (code // 2 % 4 * 16, 10) if tall else (code % 8 * 8, 8)
        glyph = code >= 16 or all(known.cgram[at : at + rows])
        return follower.sure and known.lines and known.shift and known.ddram[place[1]] == 1 and glyph

    def place_of(self, address: int, controller: int = 0) -> tuple[int, int] | None:
        """Row and column of an address, when nothing is shifted; None beside the glass."""
        for row, parts in enumerate(GLASS[self.size]):
            at = 0
            for line, first, columns in parts:
                begin = 0x40 * (line % 2) + first
                if line // 2 == controller and begin <= address < begin + columns:
                    return row, at + address - begin
                at += columns
        return None


def word_of(lines: Mapping[str, int | str], byte: int) -> int:
    """The levels of a panel's pins with a byte at its lines; RW without one is grounded."""
    word = UNDRIVEN & ~(E | E2)
    for role, bit in lines.items():
        if byte >> int(bit) & 1:
            word |= BIT[role]
        else:
            word &= ~BIT[role]
    return word
