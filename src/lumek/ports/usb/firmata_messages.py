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
"""A message of this kind is for firmwares of one's own; others pass over it."""

INPUT, OUTPUT, I2C_PIN = 0, 1, 6
I2C_WRITE, I2C_READ = 0x00, 0x08

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
