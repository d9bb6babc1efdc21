"""Logs of an I2C bus, as bus analysers export them: a row for each transfer, or for each byte.

How numbers are written is found out: with 0x or a lower-case h they are hexadecimal; pairs of digits and letters are,
too. Addresses with their direction bit (0x4e) differ from those without (0x27) by the devices that there are.
"""

import re
from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple

from lumek._harmless import quoted
from lumek.captures.chips import PCF8574, PCF8574A
from lumek.captures.csv_text import CsvText, Times
from lumek.captures.i2c import ADDRESS, BYTE, START, OnBus
from lumek.errors import CaptureError

ADDRESS_NAMES = ("address", "addr", "slave", "device")
BYTE_NAMES = ("data", "bytes", "byte", "payload", "value")
DIRECTION_NAMES = ("direction", "dir", "read/write", "rw", "r/w", "operation", "type")
ACK_NAMES = ("ack", "acknowledge", "acknowledged", "ack/nak")
TIME_NAMES = ("time", "timestamp", "start", "start_time")

READS = ("r", "read", "rd", "1", "true")

REFUSED = ("nak", "nack", "n", "false", "0", "no")

LOOKED_AT = 200

EXPANDERS = {*PCF8574, *PCF8574A}

MOST_BYTES = 100_000


class Transfer(NamedTuple):
    """A transfer on the bus, or a piece of one.

    time_ns: when it began. address: 7 bits. read: its direction. data: its bytes. acknowledged: whether it was.
    """

    time_ns: int
    address: int
    read: bool
    data: bytes
    acknowledged: bool


def is_bus_log(path: Path) -> bool:
    """Whether a table has addresses and bytes. Raises CaptureError."""
    names = [_plain(name) for name in CsvText(path).columns]
    return any(name in ADDRESS_NAMES for name in names) and any(name in BYTE_NAMES for name in names)


class BusLog:
    """A log of a bus.

    path: the file. bus_hz: the clock at which the bytes of a row follow each other. ends_ns: the last time, once read.
    Raises CaptureError.
    """

    kind = ""

    def __init__(self, path: Path, bus_hz: int) -> None:
        self.path, self.bus_hz = path, bus_hz
        self._table = CsvText(path)
        self.name = self._table.name
        names = [_plain(name) for name in self._table.columns]
        self._address, self._bytes = _place(names, ADDRESS_NAMES), _place(names, BYTE_NAMES)
        self._direction, self._ack = _place(names, DIRECTION_NAMES), _place(names, ACK_NAMES)
        self._time = next((place for place, name in enumerate(names) if name.split("_")[0] in TIME_NAMES), None)
        if self._address is None or self._bytes is None or self._time is None:
            raise CaptureError(f"{self.name} has no columns for time, address and bytes")
        self.ends_ns = 0
        self._read_numbers()

    def _read_numbers(self) -> None:
        """Find out how addresses and bytes are written."""
        addresses, data = [], []
        for number, row in enumerate(self._table.rows()):
            if number >= LOOKED_AT:
                break
            if len(row) > max(self._address or 0, self._bytes or 0):
                addresses.append(row[self._address or 0].strip())
                data += re.findall(r"[0-9a-zA-Z]+", row[self._bytes or 0])
        addresses = [one for one in addresses if one]
        self._base = _base([*addresses, *data])
        values = {value for one in addresses if (value := _number(one, self._base)) is not None}
        # With its direction bit, an address is twice as large, or one more.
        self._shifted = bool(values) and not values & EXPANDERS and any(value >> 1 in EXPANDERS for value in values)

    def events(self) -> Iterator[OnBus]:
        """What happened on the bus; see `lumek.captures.i2c`."""
        for one in self.transfers():
            clock = 1_000_000_000 // self.bus_hz
            yield OnBus(one.time_ns, START)
            at = one.time_ns + 10 * clock
            yield OnBus(at, ADDRESS, one.address << 1 | one.read, one.acknowledged or bool(one.data))
            for number, byte in enumerate(one.data, 1):
                yield OnBus(at + 9 * number * clock, BYTE, byte, one.acknowledged)

    def transfers(self) -> Iterator[Transfer]:
        """The transfers, in their order. Raises CaptureError for a row that makes no sense."""
        address_at, bytes_at, time_at = self._address or 0, self._bytes or 0, self._time or 0
        times = Times(self._table.columns[time_at], self._table)
        last = None
        for number, row in enumerate(self._table.rows(), 1):
            if len(row) <= max(address_at, bytes_at, time_at):
                raise CaptureError(f"{self.name}: row {number} has {len(row)} columns, too few")
            at = times.ns(row[time_at])
            if last is not None and at < last:
                raise CaptureError(f"{self.name}: time goes back in row {number}, to {quoted(row[time_at])}")
            last = self.ends_ns = at
            if not row[address_at].strip():
                continue
            address = _number(row[address_at].strip(), self._base)
            if address is None or not 0 <= address <= 0xFF:
                raise CaptureError(f"{self.name}: {quoted(row[address_at])} in row {number} is not an address")
            read = self._direction is not None and _plain(row[self._direction]) in READS
            if self._shifted:
                read, address = read or (self._direction is None and bool(address & 1)), address >> 1
            values = [_number(one, self._base) for one in re.findall(r"[0-9a-zA-Z]+", row[bytes_at][:MOST_BYTES])]
            if any(value is None or not 0 <= value <= 0xFF for value in values):
                raise CaptureError(f"{self.name}: {quoted(row[bytes_at])} in row {number} are not bytes")
            taken = self._ack is None or len(row) <= self._ack or _plain(row[self._ack]) not in REFUSED
            yield Transfer(at, address, read, bytes(value for value in values if value is not None), taken)


def _place(names: list[str], words: tuple[str, ...]) -> int | None:
    return next((place for word in words for place, name in enumerate(names) if name == word), None)


def _plain(text: str) -> str:
    return re.sub(r"\s*[\[(].*", "", text.strip().strip('"').lower()).replace(" ", "_")


def _base(texts: list[str]) -> int:
    """That of numbers without a mark: 16 where they have letters, or two places each; else 10."""
    plain = [one for one in texts if not re.fullmatch(r"0[xX].*|.*[hH]", one)]
    return 16 if any(re.search("[a-fA-F]", one) for one in plain) or all(len(one) == 2 for one in plain) else 10


def _number(text: str, base: int) -> int | None:
    text = text.lower()
    if text.startswith("0x"):
        text, base = text[2:], 16
    elif text.endswith("h"):
        text, base = text[:-1], 16
    try:
        return int(text, base) if 0 < len(text) <= 8 and text.isalnum() else None
    except ValueError:
        return None
