"""A board with a Firmata firmware: pins and I2C by messages over a serial connection.

Sources: the Firmata protocol, version 2.5 ("protocol.md", "i2c.md"); the code of its standard firmware, of which this
is used here: it holds 64 bytes of a message, waits 70 us after each I2C write, says nothing of a device that does not
acknowledge a write, and answers a read that no device acknowledges with the words "Too few bytes received" and then
with no bytes, or, up to version 2.4, with those of the read before.

Nothing in the protocol says how soon a message is carried out, and a panel must be given its time. Two kinds of boards
differ in that. Where a second chip turns USB into a serial line, bytes come at its rate and no sooner: time is bytes,
and a wait is made of messages that change nothing. Where the processor itself has USB, they come as quickly as it
takes them: a wait then begins when the board has answered. Which kind a board is, is measured when it is opened.
"""

from collections.abc import Hashable, Iterable, Iterator, Mapping
from math import ceil

from lumek._harmless import quoted
from lumek.errors import NoAnswerError, PortError
from lumek.ports.usb import firmata_messages as protocol
from lumek.ports.usb.cable import ANSWER_S, Connection, UsbBoard

BAUD = 57_600
"""Of the standard firmware."""

MOST_I2C = 30
"""Bytes of a transfer: each takes two in a message, and a firmware holds 64 of those."""

MOST_PINS = 128
MOST_HELD = 512
"""Bytes that are held back at most, and then sent."""

LEVELS = 3
"""Bytes of a message with the levels of a port."""

LATE_US = 200.0
"""So late a firmware may come to a message, because it looks after its pins and clocks."""

BUS_HZ = 100_000
I2C_AFTER_US = 70.0
WAKE_S = 5.0
"""So long a board may take from the opening of its port, which restarts many, to its first answer."""

PACED = 0.75
"""A board that answers after this share of the time that the probe's bits take, or later, takes bytes by their rate."""


class FirmataBoard(UsbBoard):
    """A board with a Firmata firmware, such as StandardFirmata, which the editors for boards have among their examples.

    port, baud: see `UsbBoard`. Boards whose processor has USB itself take any speed.
    paced: whether the board takes bytes at the rate of a serial line; default: it is measured as the port is opened.
    pins: how many the board has. firmware: what it calls itself.

    Pins are known by their numbers, and by "D4" or "A0", as boards are labelled. The firmware drives all pins of a port
    (eight of them) together, and ports one after the other.
    """

    longest = MOST_I2C

    def __init__(self, port: str | Connection, baud: int = BAUD, paced: bool | None = None) -> None:
        self.pins = 0
        self._stated_paced = paced
        self.paced = bool(paced)
        self.firmware = ""
        self._modes: dict[int, int] = {}
        self._ports: dict[int, int] = {}
        self._analog: dict[int, int] = {}
        self._capable: list[set[int]] = []
        self._has_bus = False
        self._pending = bytearray()
        self._written: int | None = None
        self._behind_us = LATE_US
        self._fresh = True
        super().__init__(port, baud)

    # -- for the ports

    def claim(self, lines: Iterable[Hashable]) -> None:
        """See that the board has these pins."""
        known: dict[int, Hashable] = {}
        for line in lines:
            pin = self._pin(line)
            if known.setdefault(pin, line) != line:
                raise PortError(f"{quoted(known[pin])} and {quoted(line)} are the same pin: each role needs its own")
            if self._has_bus and protocol.I2C_PIN in self._capable[pin]:
                raise PortError(f"pin {quoted(line)} of {self} belongs to its I2C bus, which is in use")

    def drive(self, levels: Mapping[Hashable, int]) -> None:
        """Make these pins outputs at these levels, with the next `flush`: port by port, the last pin's port last."""
        self._opened()
        changed: dict[int, None] = {}
        for line, level in levels.items():
            pin = self._pin(line)
            if self._modes.get(pin) != protocol.OUTPUT:
                self._add(protocol.pin_mode(pin, protocol.OUTPUT))
                self._modes[pin] = protocol.OUTPUT
            port, bit = pin >> 3, 1 << (pin & 7)
            value = self._ports.get(port, 0)
            self._ports[port] = value | bit if level else value & ~bit
            changed.pop(port, None)
            changed[port] = None
        for port in changed:
            self._add(protocol.levels(port, self._ports[port]))

    def sense(self, lines: Iterable[Hashable]) -> dict[Hashable, int]:
        """Make these pins inputs, and read them."""
        self._opened()
        pins = {line: self._pin(line) for line in lines}
        for pin in pins.values():
            if self._modes.get(pin) != protocol.INPUT:
                self._add(protocol.pin_mode(pin, protocol.INPUT))
                self._modes[pin] = protocol.INPUT
                self._ports[pin >> 3] = self._ports.get(pin >> 3, 0) & ~(1 << (pin & 7))
        ports = sorted({pin >> 3 for pin in pins.values()})
        for port in ports:
            self._add(protocol.report_once(port))
        self._send_held()
        seen: dict[int, int] = {}
        for message in self._messages(ANSWER_S):
            if message[0] & 0xF0 == protocol.DIGITAL:
                seen[message[0] & 0x0F] = message[1] | message[2] << 7
                if len(seen) == len(ports):
                    self._met()
                    return {line: seen[pin >> 3] >> (pin & 7) & 1 for line, pin in pins.items()}
        raise self._silent()

    def start_bus(self, hz: int) -> None:
        """Make the I2C bus ready; its clock is the firmware's, and `hz` may state a quicker one at most."""
        if hz < BUS_HZ:
            raise PortError(
                f"the bus of a Firmata firmware runs at {BUS_HZ} Hz, not at {quoted(hz)}: leave its clock out"
            )
        if not any(protocol.I2C_PIN in modes for modes in self._capable):
            raise PortError(f"the firmware of {self} ({self.firmware}) has no I2C: load StandardFirmata")
        self._has_bus = True
        self._configure()

    def write(self, address: int, data: bytes) -> None:
        """Write bytes to a device of the bus, with the next `flush`, which sees that one is there."""
        self._opened()
        if self._written not in (None, address):
            self.flush()
        self._add(protocol.i2c_write(address, data), (len(data) + 1) * 9e6 / BUS_HZ + I2C_AFTER_US)
        self._written = address
        if self.paced and self._behind_us * self.baud > 40 * 1e7:  # 64 bytes wait in its buffer at most
            self._meet()

    def read(self, address: int, count: int) -> bytes:
        """Read bytes from a device of the bus."""
        if self._written not in (None, address):
            self.flush()
        data = b""
        while len(data) < count:
            wanted = min(count - len(data), MOST_I2C)
            self._opened()
            self._add(protocol.i2c_read(address, wanted))
            self._send_held()
            data += self._reply(address, wanted)
        self._written = None
        return data

    def pause(self, us: float) -> None:
        """Let at least this many microseconds pass on the board before what follows."""
        self._opened()
        if self.paced and us <= 20_000:
            # What follows is the message of a port at least, and is carried out when all of it is there.
            missing = (us + self._behind_us) * self.baud / 1e7 - LEVELS
            if missing > 0:
                self._add(protocol.NOTHING * ceil(missing / len(protocol.NOTHING)))
            return
        self._meet()
        self._wait_us(us)

    def flush(self) -> None:
        """Send what was held back. What was written is confirmed by a read, since a write says nothing of itself."""
        if self._pending or self._written is not None:
            self._opened()
            if self._written is not None:
                self.read(self._written, 1)
            else:
                self._send_held()

    # -- messages

    def _add(self, message: bytes, takes_us: float = 0.0) -> None:
        """Hold a message back; keep count of how far the board may be behind what it was sent."""
        self._pending += message
        self._fresh = True
        self._behind_us = max(LATE_US, self._behind_us - len(message) * 1e7 / self.baud) + takes_us
        if len(self._pending) >= MOST_HELD:
            self._send_held()

    def _send_held(self) -> None:
        held = bytes(self._pending)
        self._pending.clear()
        self._send(held)

    def _meet(self) -> None:
        """Return when the board has carried out all that it was sent."""
        if not self._fresh:
            return None
        self._add(bytes((protocol.VERSION,)))
        self._send_held()
        for message in self._messages(ANSWER_S):
            if message[0] == protocol.VERSION:
                return self._met()
        raise self._silent()

    def _met(self) -> None:
        """An answer came to the last that was sent: the board is behind with nothing."""
        self._fresh, self._behind_us = False, LATE_US

    def _reply(self, address: int, count: int) -> bytes:
        too_few = False
        for message in self._messages(ANSWER_S):
            values = protocol.from_halves(message[2:-1])
            if message[0] == protocol.START and message[1] == protocol.STRING:
                too_few = too_few or protocol.TOO_FEW in bytes(value & 0xFF for value in values)
            elif message[0] == protocol.START and message[1] == protocol.I2C_REPLY and values[:1] == [address]:
                self._met()
                if too_few or len(values) - 2 < count:
                    self._written = None
                    raise NoAnswerError(
                        f"no device acknowledges at address {address:#04x} on the I2C bus of {self}: check supply and "
                        "wires (SDA and SCL swapped?), and the address pads"
                    )
                return bytes(value & 0xFF for value in values[2 : count + 2])
        raise self._silent()

    def _messages(self, limit_s: float) -> Iterator[bytes]:
        """Messages from the board, as they come, until the time is over."""
        end = self._elapsed() + limit_s
        messages = protocol.Messages()
        while self._elapsed() < end:
            yield from messages.of(self._receive(256, end - self._elapsed()))

    def _silent(self) -> PortError:
        self._lose()
        return PortError(
            f"the board at {self._place} does not answer at {self.baud} baud: check that it has a Firmata firmware "
            "(StandardFirmata, one of the examples of editors for boards); if it has MicroPython, its kind "
            "(--firmware) is micropython"
        )

    # -- the start

    def _greet(self) -> None:
        self._modes, self._ports, self._written, self._fresh = {}, {}, None, True
        self._pending.clear()
        end = self._elapsed() + WAKE_S
        while not self._answers(bytes((protocol.VERSION,)), protocol.VERSION, 0.5):
            if self._elapsed() > end:
                raise self._silent()
        self._send(protocol.QUIET)
        while self._receive(256, 0.05):  # what else it says at its start
            if self._elapsed() > end:
                raise self._silent()
        name = protocol.from_halves(self._asked(protocol.FIRMWARE, protocol.FIRMWARE)[4:-1])
        self.firmware = quoted("".join(chr(value & 0xFF) for value in name))
        self._capable = protocol.capabilities(self._asked(protocol.CAPABILITY_QUERY, protocol.CAPABILITY))
        self.pins = min(len(self._capable), MOST_PINS)
        channels = self._asked(protocol.ANALOG_MAP_QUERY, protocol.ANALOG_MAP)[2:-1]
        self._analog = {channel: pin for pin, channel in enumerate(channels) if channel != 0x7F}
        if self._stated_paced is None:
            # Measured by the quickest of three: what delays an answer makes it look paced, which is the danger.
            bits_s = (len(protocol.PROBE) + 1) * 10 / self.baud
            self.paced = min(self._time(protocol.PROBE + bytes((protocol.VERSION,))) for _ in range(3)) > PACED * bits_s
        if self._has_bus:
            self._configure()

    def _configure(self) -> None:
        self._add(protocol.I2C_ON)

    def _time(self, data: bytes) -> float:
        begun = self._elapsed()
        if not self._answers(data, protocol.VERSION, ANSWER_S):
            raise self._silent()
        return self._elapsed() - begun

    def _answers(self, data: bytes, kind: int, limit_s: float) -> bool:
        self._send(data)
        return any(message[0] == kind for message in self._messages(limit_s))

    def _asked(self, asked: int, answer: int) -> bytes:
        self._send(protocol.query(asked))
        for message in self._messages(ANSWER_S):
            if message[0] == protocol.START and message[1] == answer:
                return message
        raise self._silent()

    def _pin(self, line: Hashable) -> int:
        """The number of a pin, known by that or by its label."""
        pin = line
        if isinstance(line, str) and line[1:].isdecimal() and len(line) < 5:
            number = int(line[1:])
            pin = {"D": number, "A": self._analog.get(number)}.get(line[0].upper())
        if isinstance(pin, int) and 0 <= pin < self.pins and protocol.OUTPUT in self._capable[pin]:
            return pin
        raise PortError(
            f"{self} has no pin {quoted(line)} for input and output: it has 0 to {self.pins - 1}, as 4, 'D4' or 'A0', "
            "without those of its serial line"
        )
