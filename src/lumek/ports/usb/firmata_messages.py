"""The numbers and messages of the Firmata protocol, version 2.5 ("protocol.md", "i2c.md").

A message begins with a byte of 0x80 or more, and has bytes below that; one of any length ends with END. Values of eight
bits are sent in two halves, of seven bits and of one.
"""

from collections.abc import Iterator

DIGITAL, REPORT_DIGITAL, PIN_MODE, VERSION = 0x90, 0xD0, 0xF4, 0xF9
START, END = 0xF0, 0xF7
ANALOG_MAP_QUERY, ANALOG_MAP, CAPABILITY_QUERY, CAPABILITY = 0x69, 0x6A, 0x6B, 0x6C
STRING, I2C_REQUEST, I2C_REPLY, I2C_CONFIG, FIRMWARE = 0x71, 0x76, 0x77, 0x78, 0x79
OF_USERS = 0x01
"""A message of this kind is for firmware that users write themselves; the standard one passes over it."""

INPUT, OUTPUT, I2C_PIN = 0, 1, 6
I2C_WRITE, I2C_READ = 0x00, 0x08

TOO_FEW = b"Too few bytes"
"""Words of a firmware that read less than it was to."""

I2C_ON = bytes((START, I2C_CONFIG, 0, 0, END))

NOTHING = bytes((REPORT_DIGITAL, 0))
"""A message that changes nothing: pins of port 0 are not to be reported, as they never are."""

QUIET = bytes(byte for port in range(16) for byte in (REPORT_DIGITAL | port, 0, 0xC0 | port, 0))
"""No pin is reported by itself, whatever a program before wanted."""

PROBE = bytes((START, OF_USERS, *bytes(48), END)) * 2
"""What no firmware answers, to measure how long its bytes take."""

SHORT = 3
"""Bytes of what a board sends that does not begin with START: the levels of a port, a version."""

LONGEST = 4096
"""Bytes of a message that are read; a longer one is none."""


class Messages:
    """Messages in what comes, piece by piece."""

    def __init__(self) -> None:
        self._message = bytearray()

    def of(self, data: bytes) -> Iterator[bytes]:
        """Those that end in these bytes."""
        for byte in data:
            if byte >= 0x80 and byte != END:
                self._message = bytearray((byte,))
            elif self._message:
                self._message.append(byte)
            is_long = self._message[:1] == bytes((START,))
            if (is_long and byte == END) or (not is_long and len(self._message) == SHORT):
                yield bytes(self._message)
                self._message = bytearray()
            elif len(self._message) > LONGEST:
                self._message = bytearray()


def in_halves(data: bytes) -> list[int]:
    """Bytes as they are sent."""
    return [half for byte in data for half in (byte & 0x7F, byte >> 7)]


def from_halves(halves: bytes) -> list[int]:
    """What was sent so: values below 2 ** 14."""
    return [low | high << 7 for low, high in zip(halves[::2], halves[1::2], strict=False)]


def query(asked: int) -> bytes:
    """What asks for something about the board."""
    return bytes((START, asked, END))


def pin_mode(pin: int, mode: int) -> bytes:
    """What makes a pin an input or an output."""
    return bytes((PIN_MODE, pin, mode))


def levels(port: int, value: int) -> bytes:
    """What sets the pins of a port, 0 or 1 each, that are outputs."""
    return bytes((DIGITAL | port, value & 0x7F, value >> 7))


def report_once(port: int) -> bytes:
    """What has the pins of a port reported that are inputs: reports are switched on, which makes one, and off."""
    return bytes((REPORT_DIGITAL | port, 1, REPORT_DIGITAL | port, 0))


def i2c_write(address: int, data: bytes) -> bytes:
    """What writes bytes to a device."""
    return bytes((START, I2C_REQUEST, address, I2C_WRITE, *in_halves(data), END))


def i2c_read(address: int, count: int) -> bytes:
    """What reads up to 127 bytes from a device, once."""
    return bytes((START, I2C_REQUEST, address, I2C_READ, count, 0, END))


def capabilities(message: bytes) -> list[set[int]]:
    """The modes that each pin has, from the answer to CAPABILITY_QUERY."""
    return [set(pin[::2]) for pin in message[2:-1].split(b"\x7f")[:-1]]
