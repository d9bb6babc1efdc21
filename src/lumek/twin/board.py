"""A simulated microcontroller board on USB with a Firmata firmware, whose pins and bus lead to simulated panels.

It speaks the protocol on a pseudo-terminal of Linux or macOS, so that any program can open it, or within this process.
Sources: the Firmata protocol, version 2.5; the code of its standard firmware, for what the protocol leaves open.
"""

import os
import tempfile
from collections.abc import Callable, Hashable, Mapping
from contextlib import suppress
from pathlib import Path
from random import Random
from types import TracebackType
from typing import Self

from lumek.errors import NoAnswerError
from lumek.twin.board_cable import TwinCable
from lumek.twin.bus import TwinBus
from lumek.twin.lines import TwinLines
from lumek.twin.time_base import TwinClock

SERIAL_PINS = (0, 1)
FIRST_ANALOG = 14
I2C_PINS = (18, 19)
PINS = 20

MODES = {"in": 0, "out": 1, "analog": 2, "i2c": 6, "pulled up": 11}

MESSAGE_BYTES = {0x90: 3, 0xC0: 2, 0xD0: 2, 0xE0: 3, 0xF4: 3, 0xF5: 3}
"""How long a message is that begins so; of those below 0xF0 the lower half is a port or pin."""

BUFFER = 64
"""What the firmware holds of a message between its first byte and its last."""

QUICK_BYTE_NS = 1000
"""A byte where the processor itself has USB."""

MESSAGE_NS = 2000
AFTER_WRITE_NS = 70_000
"""A pause of the firmware's after each I2C write."""


class TwinBoard:
    """A board of 20 pins with a Firmata firmware, whose pins are the lines `lines` and whose I2C bus is `bus`.

    baud: bits a second of its serial line, or None for a board whose processor has USB itself.
    hz: the clock of its bus, in hertz.
    together: whether the pins of a port change at once; else one after the other, as on most boards.
    old: it has version 2.4 of the firmware, which makes up bytes of a device that does not acknowledge.
    late_us: it comes late to a message now and then, by up to this many microseconds, because it does something else;
        what came meanwhile then follows without a pause, and all of it before it does something else again.
        seed: of these moments.

    In a `with` block it is plugged in: `port` is then the path of its serial port. `unplug` pulls the cable, `plug_in`
    puts it back, and the board has restarted by then. `received` counts the bytes that it was sent, `lost` says whether
    a message, or what had to wait for the one before, was longer than it can hold.
    """

    def __init__(
        self,
        baud: int | None = 57_600,
        hz: int = 100_000,
        together: bool = True,
        old: bool = False,
        late_us: float = 0.0,
        seed: int = 0,
    ) -> None:
        self.clock = TwinClock()
        self.lines = TwinLines(self.clock, drive_ns=500)
        self.bus = TwinBus(self.clock, hz)
        self.received = 0
        self.lost = False
        self._byte_ns = QUICK_BYTE_NS if baud is None else 10_000_000_000 // baud
        self._together, self._old = together, old
        self._late_ns, self._chance = round(late_us * 1000), Random(seed)
        self._arrived_ns = 0
        self._folder: tempfile.TemporaryDirectory[str] | None = None
        self._cable: TwinCable | None = None
        self._restart()

    def __repr__(self) -> str:
        return f"<TwinBoard{f' at {self.port}' if self._cable else ''}>"

    @property
    def port(self) -> str:
        """The path of its serial port, which is there while it is plugged in."""
        return f"{self._folder.name}/board" if self._folder else ""

    def __enter__(self) -> Self:
        self._folder = tempfile.TemporaryDirectory(prefix="lumek-board-")
        self.plug_in()
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.unplug()
        assert self._folder is not None
        self._folder.cleanup()

    def plug_in(self) -> None:
        """Put the cable in: the board starts, and its port appears."""
        self._restart()
        self._cable = TwinCable(self)
        os.symlink(self._cable.path, self.port)

    def unplug(self) -> None:
        """Pull the cable: the port disappears, and no pin is driven any more."""
        cable, self._cable = self._cable, None
        if cable is not None:
            Path(self.port).unlink()
            cable.cut()
            self.lines.sense([pin for pin, mode in self._modes.items() if mode == MODES["out"]])

    def feed(self, data: bytes, at_ns: int) -> bytes:
        """Take bytes that the host sends at a time, and that come over the line one by one; what the board answers."""
        self._answers.clear()
        self._arrived_ns = max(self._arrived_ns, at_ns)
        for byte in data:
            self.received += 1
            self._arrived_ns += self._byte_ns
            behind_ns = self.clock.now_ns - self._arrived_ns
            # Where the processor has USB itself, the host is asked to wait.
            self.lost |= behind_ns > BUFFER * self._byte_ns > BUFFER * QUICK_BYTE_NS
            self.clock.now_ns = max(self.clock.now_ns, self._arrived_ns)
            self._take(byte)
        return bytes(self._answers)

    def _restart(self) -> None:
        self._modes: dict[int, int] = {}
        self._outputs = [0] * ((PINS + 7) // 8)
        self._bus_on = False
        self._message = bytearray()
        self._answers = bytearray()

    def _take(self, byte: int) -> None:
        """One more byte: of a message, or the first of the next; a lone one below 0x80 means nothing."""
        message = self._message
        if byte == 0xF7:
            if message[:1] == b"\xf0":
                self._message = bytearray()
                self._long(message[1:])
        elif byte >= 0x80:
            self._message = bytearray((byte,))
            if byte in (0xF9, 0xFF):
                self._message = bytearray()
                if byte == 0xF9:
                    self._say(0xF9, 2, 4 if self._old else 5)
                else:
                    self._restart()
        elif message:
            message.append(byte)
            if message[0] == 0xF0:
                self.lost |= len(message) - 1 > BUFFER
            else:
                kind = message[0] & 0xF0 if message[0] < 0xF0 else message[0]
                if len(message) == MESSAGE_BYTES.get(kind, 3):
                    self._message = bytearray()
                    self._short(kind, message[0] & 0x0F, message)

    def _take_time(self) -> None:
        """What a message costs the processor, which does something else only when it has taken all that came."""
        caught_up = self.clock.now_ns <= self._arrived_ns
        self.clock.now_ns += MESSAGE_NS
        if self._late_ns and caught_up and self._chance.random() < 0.1:
            self.clock.now_ns += self._chance.randrange(self._late_ns)

    def _short(self, kind: int, place: int, message: bytearray) -> None:
        self._take_time()
        if kind == 0x90:
            self._set_port(place, message[1] | message[2] << 7)
        elif kind == 0xD0 and message[1]:
            levels = self._sensed(place)
            self._say(0x90 | place, levels & 0x7F, levels >> 7)
        elif kind == 0xF4:
            self._set_mode(message[1], message[2])
        elif kind == 0xF5 and self._modes.get(message[1]) == MODES["out"]:
            self._drive({message[1]: message[2] & 1})

    def _long(self, message: bytearray) -> None:
        if not message or len(message) > BUFFER:
            return
        self._take_time()
        answer: dict[int, Callable[[], object]] = {
            0x79: lambda: self._say(0xF0, 0x79, 2, 5, *_in_halves(b"simulated"), 0xF7),
            0x6B: lambda: self._say(0xF0, 0x6C, *self._capabilities(), 0xF7),
            0x69: lambda: self._say(0xF0, 0x6A, *(_channel(pin) for pin in range(PINS)), 0xF7),
            0x78: self._start_bus,
            0x76: lambda: self._transfer(message[1:]),
        }
        answer.get(message[0], lambda: None)()

    def _say(self, *values: int) -> None:
        self._answers += bytes(values)

    def _capabilities(self) -> list[int]:
        values = []
        for pin in range(PINS):
            if pin not in SERIAL_PINS:
                values += [MODES["in"], 1, MODES["out"], 1, MODES["pulled up"], 1]
            if pin >= FIRST_ANALOG:
                values += [MODES["analog"], 10]
            if pin in I2C_PINS:
                values += [MODES["i2c"], 1]
            values.append(0x7F)
        return values

    def _set_mode(self, pin: int, mode: int) -> None:
        if pin in SERIAL_PINS or pin >= PINS or (self._bus_on and pin in I2C_PINS):
            return
        self._modes[pin] = mode
        if mode == MODES["out"]:
            self._outputs[pin >> 3] &= ~(1 << (pin & 7))
            self._drive({pin: 0})
        else:
            self.lines.sense([pin])

    def _set_port(self, port: int, value: int) -> None:
        pins = [pin for pin, mode in self._modes.items() if pin >> 3 == port and mode == MODES["out"]]
        changed: dict[Hashable, int] = {pin: value >> (pin & 7) & 1 for pin in sorted(pins)}
        if self._together and changed:
            self._drive(changed)
        else:
            for pin, level in changed.items():
                self._drive({pin: level})

    def _drive(self, levels: Mapping[Hashable, int]) -> None:
        self.lines.drive(levels)

    def _sensed(self, port: int) -> int:
        pins = [pin for pin, mode in self._modes.items() if pin >> 3 == port and mode == MODES["in"]]
        return sum(level << (pin & 7) for pin, level in zip(pins, self.lines.sense(pins).values(), strict=True))

    def _start_bus(self) -> None:
        self._bus_on = True

    def _transfer(self, message: bytearray) -> None:
        address, mode, halves = message[0], message[1], message[2:]
        values = [low | high << 7 for low, high in zip(halves[::2], halves[1::2], strict=False)]
        if not self._bus_on:
            return
        if mode == 0:
            with suppress(NoAnswerError):  # a write says nothing of itself
                self.bus.write(address, bytes(values))
            self.clock.now_ns += AFTER_WRITE_NS
        elif mode == 8:
            try:
                data = self.bus.read(address, values[-1])
            except NoAnswerError:
                data = b"\xff" * values[-1] if self._old else b""
                self._say(0xF0, 0x71, *_in_halves(b"I2C: Too few bytes received"), 0xF7)
            self._say(0xF0, 0x77, *_in_halves(bytes((address, 0)) + data), 0xF7)


def _in_halves(data: bytes) -> list[int]:
    return [half for byte in data for half in (byte & 0x7F, byte >> 7)]


def _channel(pin: int) -> int:
    return pin - FIRST_ANALOG if pin >= FIRST_ANALOG else 0x7F
