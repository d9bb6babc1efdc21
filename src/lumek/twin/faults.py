"""What goes wrong with panels and their wires, on the simulated one: seeded, and the same each time.

A fault is asked for in words: "bit-flip every 2 s", "stuck d5 0", "unplugged at 3 s for 2 s". It is an *event*, which
happens once or again and again, or a *state*, which lasts. `lumek.twin.fault_words` lists them.
"""

import random
from collections.abc import Callable, Iterator, Mapping
from typing import TYPE_CHECKING, Any

from lumek.errors import BusError, NoAnswerError, PortError
from lumek.roms import rom_named
from lumek.twin.fault_words import PINS_OF, Fault, fault_of
from lumek.twin.pins import DATA_PINS

if TYPE_CHECKING:
    from lumek.twin.module import Twin

STRETCH_NS = 50_000

CHANGES: dict[str, tuple[str, Callable[[Any], Any]]] = {
    "slow-oscillator": ("oscillator_hz", lambda hz: 110_000),
    "strict-nibbles": ("strict_nibbles", lambda strict: True),
    "stuck-flag": ("flag_stuck", lambda stuck: True),
    "wrong-rom": ("rom", lambda rom: rom_named("A02" if rom.name == "A00" else "A00")),
    "contrast-low": ("contrast", lambda contrast: 0.05),
    "contrast-high": ("contrast", lambda contrast: 0.95),
}
"""States that are another value: of which attribute of the panel or of its controllers, and which value."""

MOST_WAITED = 60
"""An event comes at one of this many of the next bytes or levels."""


class Faults:
    """The faults of one simulated panel: `panel.twin.faults`.

    on: whether there are any.
    count: how often one has happened, or has begun.
    clock: what gives the time in seconds; default: that of the simulation.
    """

    def __init__(self, twin: "Twin") -> None:
        self._twin = twin
        self._faults: list[Fault] = []
        self._driven: dict[str, int | None] = {}
        self._flipped: str | None = None
        self._without_e = self._wires = self._harmed_before = False
        self._own: dict[str, list[tuple[Any, Any]]] = {}
        """Attribute -> whose it is, and their values without a fault."""
        self.on = False
        self.count = 0
        self.clock: Callable[[], float] = lambda: twin.clock.now_ns / 1e9

    def __iter__(self) -> Iterator[Fault]:
        return iter(list(self._faults))

    def __repr__(self) -> str:
        return f"<Faults: {', '.join(fault.text for fault in self._faults) or 'none'}>"

    def begin(self, text: str, seed: int = 0) -> Fault:
        """Let something go wrong from now on.

        text: a kind of `EVENTS` or `STATES`, the pins of a wire, and when: "at 3 s", "every 2 s", "for 500 ms".
        seed: with another, events come at other bytes and turn other bits.
        Raises SettingError for what is not understood.
        """
        fault = fault_of(text)
        fault.chance = random.Random(f"{seed} {text}")
        if not self.on:
            self._driven = dict(self._twin.levels)
            self.on = True
            for port in self._ports():
                port.harms.append(self)
        fault.next_s = self.clock() + (fault.next_s or 0.0)
        self._faults.append(fault)
        self.update()
        return fault

    def end(self, fault: Fault | None = None) -> None:
        """End a fault, or all of them; what was changed of the panel is then as before. One that has ended is left."""
        for one in [one for one in self._faults if fault is None or one is fault]:
            one.until_s = None
            self._faults.remove(one)
        if not self._faults and self.on:
            self._flipped, self._without_e = None, False
            self._settle()
            self.on = False
            for port in self._ports():
                port.harms.remove(self)
        elif self.on:
            self._settle()

    def update(self) -> None:
        """Begin, end and prepare what is due."""
        now = self.clock()
        for fault in list(self._faults):
            if fault.until_s is not None and now >= fault.until_s:
                fault.until_s = None
                self._settle()
            if fault.next_s is None or now < fault.next_s:
                continue
            every = fault.every_s
            fault.next_s = None if every is None else fault.next_s + every * max(1, (now - fault.next_s) // every + 1)
            if fault.lasts:
                if fault.until_s is None:
                    fault.until_s = float("inf") if fault.for_s is None else now + fault.for_s
                    self._happened(fault)
                    self._settle()
            elif "brown-out" in fault.kind:
                self._happened(fault)
                self._brown_out(fault)
            elif fault.wait is None:
                fault.wait = fault.chance.randrange(MOST_WAITED) if fault.after is None else fault.after

    # What the ports ask.

    def sending(self, data: bytes, address: int | None = None) -> Iterator[bytes]:
        """What arrives of bytes that are sent, in pieces. Raises what the port then raises.

        address: on a bus; that of another device is not harmed.
        """
        self.update()
        if address is not None and not self._mine(address):
            yield data
            return
        self._refuse(address)
        yield from self._harmed(data, address)

    def reading(self, address: int) -> None:
        """A transfer that reads begins. Raises what the port then raises."""
        self.update()
        if self._mine(address):
            self._refuse(address)

    def calling(self) -> None:
        """A call of lines begins. Raises PortError when it is to fail."""
        self.update()
        if any(self._due("no-answer", 1)):
            raise PortError("the simulated lines failed, as a fault was asked for")

    def stretch_ns(self) -> int:
        """How long the clock of the bus is held low after a byte."""
        return STRETCH_NS if self._is("stretched") else 0

    def drive(self, levels: Mapping[str, int | None], now_ns: int) -> None:
        """Bring to the panel what arrives of levels that are driven."""
        rises = levels.get("e") == 1 and self._driven.get("e") == 0
        falls = levels.get("e") == 0 and self._driven.get("e") == 1
        self._driven.update(levels)
        self.update()
        self._flipped = None
        if falls:
            self._without_e = False
        if rises and any(self._due("lost-pulse", 1)):
            self._without_e = True
        for kind in ("wire-flip",) if self._has_bytes else ("wire-flip", "bit-flip"):
            for _, wire in self._due(kind, 1):
                self._flipped = wire.chance.choice([pin for pin in ("rs", *DATA_PINS) if pin in self._driven])
        if self._wires or self._flipped or self._without_e or self._harmed_before:
            self._harmed_before = bool(self._flipped or self._without_e)
            self._apply()
        else:
            self._twin.take(levels, now_ns)
        for _ in self._due("extra-pulse", 1) if falls else ():
            for level in (1, 0):
                self._twin.clock.now_ns += 1000
                self._twin.take({"e": level}, self._twin.clock.now_ns)
            self._twin.clock.now_ns += 1000

    def read(self, output: dict[str, int] | None) -> dict[str, int] | None:
        """What arrives at the other end of what the panel drives."""
        if output is None:
            return None
        found = {self._end_of(pin): level for pin, level in output.items()}
        for fault in self._lasting("stuck"):
            if fault.pins[0] in found:
                found[fault.pins[0]] = fault.level
        for fault in self._lasting("open"):
            found.pop(fault.pins[0], None)
        return found

    def resting(self, pin: str, level: int) -> int:
        """What is read on a wire that is not driven, where this is the level at the panel's end."""
        for fault in self._lasting("stuck"):
            if pin == fault.pins[0]:
                return fault.level
        return 0 if self.is_open(pin) else level

    def is_open(self, pin: str) -> bool:
        """Whether the wire of a pin is off."""
        return any(pin == fault.pins[0] for fault in self._lasting("open"))

    def _end_of(self, pin: str) -> str:
        """The pin to which a wire leads, when wires are swapped."""
        for fault in self._lasting("swapped"):
            if pin in fault.pins:
                pin = fault.pins[1 - fault.pins.index(pin)]
        return pin

    def _apply(self) -> None:
        """Bring the panel's pins to what arrives there of what is driven."""
        levels = {self._end_of(pin): level for pin, level in self._driven.items()}
        for fault in self._lasting("stuck"):
            levels[fault.pins[0]] = fault.level
        for fault in self._lasting("open"):
            levels[fault.pins[0]] = None
        if self._flipped is not None:
            levels[self._flipped] = 1 - (levels[self._flipped] or 0)
        if self._without_e:
            levels["e"] = 0
        self._twin.take(levels, self._twin.clock.now_ns)

    def _harmed(self, data: bytes, address: int | None) -> Iterator[bytes]:
        """What of bytes arrives, when single ones are harmed."""
        for _, other in self._due("second-master", len(data)):
            yield other.chance.randbytes(other.chance.randrange(1, 40))
        harmed = bytearray(data)
        for kind, harm in HARMS.items():
            for place, fault in self._due(kind, len(data)):
                if harmed:
                    harm(harmed, min(place, len(harmed) - 1), fault.chance)
        cut = [place for place, _ in self._due("no-answer", len(data))]
        if not cut:
            yield bytes(harmed)
            return
        arrived = min(cut)
        if arrived:
            yield bytes(harmed[:arrived])
        if address is None:
            raise PortError("the simulated SPI failed, as a fault was asked for")
        raise NoAnswerError(f"address {address:#04x} stopped acknowledging after {arrived} of {len(data)} bytes")

    def _refuse(self, address: int | None) -> None:
        """Raise what a bus raises on which nothing can be sent."""
        if address is None:
            return
        if self._is("no-pull-up"):
            raise BusError("the simulated bus is stuck: SDA and SCL are low at rest")
        if self._is("unplugged") or self._is("swapped-bus"):
            raise NoAnswerError(f"no device acknowledges at address {address:#04x} on the simulated bus")

    def _due(self, kind: str, count: int) -> list[tuple[int, Fault]]:
        """The events of this kind among the next `count` bytes, pulses or levels: at which of them, counted from 0."""
        found = []
        for fault in self._faults:
            if fault.kind == kind and fault.wait is not None:
                if fault.wait < count:
                    found.append((fault.wait, fault))
                    fault.wait = None
                    self._happened(fault)
                else:
                    fault.wait -= count
        return found

    def _happened(self, fault: Fault) -> None:
        fault.count += 1
        self.count += 1

    def _is(self, kind: str) -> bool:
        return any(True for _ in self._lasting(kind))

    def _lasting(self, kind: str) -> Iterator[Fault]:
        """The faults of this kind that there are now."""
        return (fault for fault in self._faults if fault.kind == kind and fault.until_s is not None)

    def _settle(self) -> None:
        """Bring about what the states that there are now change, and undo what others have changed."""
        twin = self._twin
        for attribute in {attribute for attribute, _ in CHANGES.values()}:
            now = [fault for fault in self._faults if fault.until_s is not None
                   and CHANGES.get(fault.kind, ("",))[0] == attribute]  # fmt: skip
            if now and attribute not in self._own:
                whose = [twin] if hasattr(twin, attribute) else twin.controllers
                self._own[attribute] = [(one, getattr(one, attribute)) for one in whose]
            for one, value in self._own.get(attribute, ()):
                setattr(one, attribute, CHANGES[now[-1].kind][1](value) if now else value)
            if not now:
                self._own.pop(attribute, None)
        if twin.supplied == self._is("unplugged"):
            if not twin.supplied and twin.device is not None:  # the expander has been away, too
                self._driven.update(twin.device.wake())
            twin.supply(not twin.supplied, twin.clock.now_ns)
        self._wires = any(fault.kind in PINS_OF for fault in self._faults if fault.until_s is not None)
        self._apply()

    def _brown_out(self, fault: Fault) -> None:
        now = self._twin.clock.now_ns
        for chip in self._twin.controllers:
            chip.lose_supply(now, fault.kind == "slow-brown-out", fault.chance.randrange(1 << 30))

    def _mine(self, address: int) -> bool:
        """Whether a transfer concerns this panel, or a fault of the whole bus."""
        return self._twin.address is None or address == self._twin.address or self._is("no-pull-up") or self._is(
            "swapped-bus"
        )  # fmt: skip

    @property
    def _has_bytes(self) -> bool:
        return hasattr(self._twin.port, "sent")

    def _ports(self) -> list[Any]:
        return [self._twin.port] if hasattr(self._twin.port, "harms") else []


def _flip(data: bytearray, place: int, chance: random.Random) -> None:
    data[place] ^= 1 << chance.randrange(8)


def _lose(data: bytearray, place: int, chance: random.Random) -> None:
    del data[place : place + 1]


def _double(data: bytearray, place: int, chance: random.Random) -> None:
    data[place:place] = data[place : place + 1]


def _swap(data: bytearray, place: int, chance: random.Random) -> None:
    place = max(0, min(place, len(data) - 2))
    data[place : place + 2] = data[place : place + 2][::-1]


HARMS: dict[str, Callable[[bytearray, int, random.Random], None]] = {
    "bit-flip": _flip, "lost-byte": _lose, "doubled-byte": _double, "swapped-bytes": _swap,
}  # fmt: skip
"""What happens to bytes on a bus, from a place on."""
