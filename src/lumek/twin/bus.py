"""The simulated I2C bus."""

import threading
from typing import Protocol

from lumek.errors import NoAnswerError
from lumek.twin.harm import Harm, arriving
from lumek.twin.time_base import TwinClock


class Device(Protocol):
    """Something with an address on the bus."""

    def start(self) -> None:
        """A transfer begins."""

    def write(self, byte: int, now_ns: int) -> None:
        """Take a byte at its acknowledge."""

    def read(self, now_ns: int) -> int:
        """Give a byte."""


class Bystander:
    """A device that belongs to no panel: it takes what it is sent, `taken`, and gives 0xFF, `given` times."""

    def __init__(self) -> None:
        self.taken = bytearray()
        self.given = 0

    def start(self) -> None:
        """A transfer begins."""

    def write(self, byte: int, now_ns: int) -> None:
        """Take a byte."""
        self.taken.append(byte)

    def read(self, now_ns: int) -> int:
        """Give a byte."""
        self.given += 1
        return 0xFF


class TwinBus:
    """An I2C bus at `hz` clocks a second, with the methods of a bus port.

    Each byte takes nine clocks, start and stop one each (UM10204). `sent` counts the bytes that went over the
    wire, addresses included, and `transfers` counts the transfers that were begun.
    """

    def __init__(self, clock: TwinClock, hz: int = 100_000) -> None:
        self.hz = hz
        self.clock = clock
        self.sent = 0
        self.transfers = 0
        self.longest: int | None = None
        """Bytes that one transfer carries at most; None for any number."""
        self.harms: list[Harm] = []
        """What goes wrong on it; see `lumek.twin.faults`."""
        self._devices: dict[int, Device] = {}
        self._bytes_left: int | None = None
        self._lock = threading.RLock()

    def __repr__(self) -> str:
        return f"<TwinBus {self.hz} Hz, devices at {self._there()}>"

    def connect(self, address: int, device: Device) -> None:
        """Put a device on the bus."""
        self._devices[address] = device

    def cut(self, after: int = 0) -> None:
        """Let the wire come off after this many more bytes; no device acknowledges from then on."""
        self._bytes_left = after

    def mend(self) -> None:
        """Put the wire back."""
        self._bytes_left = None

    def write(self, address: int, data: bytes) -> None:
        """Write bytes to a device. Raises NoAnswerError when no device acknowledges."""
        with self._lock:
            for piece in arriving(self.harms, data, address):
                self._carry(address, piece)

    def read(self, address: int, count: int) -> bytes:
        """Read bytes from a device. Raises NoAnswerError when no device acknowledges."""
        with self._lock:
            for harm in self.harms:
                harm.reading(address)
            device = self._begin(address)
            data = bytearray()
            for _ in range(count):
                data.append(device.read(self.clock.now_ns))
                self._clocked()
            self._pass(1)
        return bytes(data)

    def quick(self, address: int) -> None:
        """Call a device and send it nothing. Raises NoAnswerError when no device acknowledges."""
        with self._lock:
            for harm in self.harms:
                harm.reading(address)
            self._begin(address)
            self._pass(1)

    def now_us(self) -> float:
        """The simulated time, in microseconds."""
        return self.clock.now_ns / 1000

    def wait_us(self, us: float) -> None:
        """Let simulated time pass."""
        with self._lock:
            self.clock.now_ns += round(us * 1000)

    def _carry(self, address: int, data: bytes) -> None:
        """One transfer to a device."""
        device = self._begin(address)
        clock, write = self.clock, device.write
        if self._bytes_left is None and not self.harms:  # the usual case, quickly
            byte_ns = 9 * 1_000_000_000 // self.hz
            self.sent += len(data)
            for byte in data:
                clock.now_ns += byte_ns
                write(byte, clock.now_ns)
            self._pass(1)
            return
        for number, byte in enumerate(data):
            if not self._clocked():
                raise NoAnswerError(f"address {address:#04x} stopped acknowledging after {number} of {len(data)} bytes")
            write(byte, clock.now_ns)
        self._pass(1)

    def _begin(self, address: int) -> Device:
        self.transfers += 1
        self._pass(1)
        if not self._clocked() or address not in self._devices:
            raise NoAnswerError(
                f"no device acknowledges at address {address:#04x} on the simulated bus (there is {self._there()})"
            )
        self._devices[address].start()
        return self._devices[address]

    def _there(self) -> str:
        return ", ".join(f"{address:#04x}" for address in sorted(self._devices)) or "none"

    def _clocked(self) -> bool:
        """One byte on the wire, and whether it was acknowledged."""
        self.sent += 1
        self._pass(9)
        for harm in self.harms:
            self.clock.now_ns += harm.stretch_ns()
        if self._bytes_left is None:
            return True
        self._bytes_left -= 1
        return self._bytes_left >= 0

    def _pass(self, clocks: int) -> None:
        self.clock.now_ns += clocks * 1_000_000_000 // self.hz
