"""The serial connection to a board, and what boards of all kinds have in common."""

import os
import time
from abc import abstractmethod
from collections.abc import Callable, Hashable, Iterable, Mapping
from contextlib import suppress
from errno import EACCES, EAGAIN, EBUSY, ENOENT
from threading import RLock
from typing import Any, Protocol

from lumek._harmless import quoted
from lumek.errors import LumekError, PackageError, PortError
from lumek.ports.device_port import DevicePort
from lumek.ports.waiting import wait_us

IN_USE = "lock", "busy", "PermissionError", "Access is denied"
"""Words of an error for a port that another program has: on Linux and macOS by a lock, on Windows as a denial."""

ANSWER_S = 2.0
"""How long a board may take to answer, in seconds."""


class Connection(Protocol):
    """What leads to a board: an open port of pyserial's, or what has these methods of it.

    One that runs in a time of its own also has `elapsed()`, in seconds, and `wait_us(us)`.
    """

    timeout: float | None

    def write(self, data: bytes) -> object:
        """Send bytes."""

    def read(self, size: int) -> bytes:
        """Up to this many bytes, as many as come before the timeout."""

    def close(self) -> None:
        """Give it back."""


class UsbBoard(DevicePort[Connection]):
    """A board at the end of a serial connection: pins and one I2C bus, for `UsbLines` and `UsbBus`.

    port: the name of the serial port ("/dev/ttyACM0", "COM3"), an address as pyserial takes it ("socket://host:4000"),
        or an open connection.
    baud: bits a second.
    bytes_sent, writes: what went to the board up to now, and in how many calls.

    What is driven and written is held back until `flush`, or until an answer is needed. May be used from several
    threads. A board that is unplugged is opened again by the next call.
    Raises PortError when the port is missing or may not be used, or the board does not answer as it should, and
    PackageError without pyserial.
    """

    longest: int
    """The most bytes of one transfer on its bus."""

    def __init__(self, port: str | Connection, baud: int) -> None:
        self.port = port
        self.baud = baud
        self.bytes_sent = self.writes = 0
        self.lock = RLock()
        super().__init__()

    def __repr__(self) -> str:
        return f"<{type(self).__name__} at {self._place}{self._closed_mark}>"

    @property
    def _place(self) -> str:
        return self.port if isinstance(self.port, str) else "an open connection"

    @abstractmethod
    def _greet(self) -> None:
        """Find out that the board is what it should be, and make it ready. Raises PortError."""

    @abstractmethod
    def drive(self, levels: Mapping[Hashable, int]) -> None:
        """Make these pins outputs at these levels, with the next `flush`."""

    @abstractmethod
    def sense(self, lines: Iterable[Hashable]) -> dict[Hashable, int]:
        """Make these pins inputs, and read them."""

    @abstractmethod
    def claim(self, lines: Iterable[Hashable]) -> None:
        """See that the board has these pins."""

    @abstractmethod
    def start_bus(self, hz: int) -> None:
        """Make the I2C bus ready, at this clock."""

    @abstractmethod
    def write(self, address: int, data: bytes) -> None:
        """Write bytes to a device of the bus, with the next `flush`."""

    @abstractmethod
    def read(self, address: int, count: int) -> bytes:
        """Read bytes from a device of the bus."""

    @abstractmethod
    def pause(self, us: float) -> None:
        """Let at least this many microseconds pass on the board before what follows."""

    @abstractmethod
    def flush(self) -> None:
        """Send what was held back."""

    def _open(self) -> Connection:
        connection = _open_port(self.port, self.baud) if isinstance(self.port, str) else self.port
        self._device = connection
        self._elapsed: Callable[[], float] = getattr(connection, "elapsed", time.monotonic)
        self._wait_us: Callable[[float], None] = getattr(connection, "wait_us", wait_us)
        try:
            self._greet()
        except BaseException:
            self._device = None
            with suppress(Exception):
                connection.close()
            raise
        return connection

    def _shut(self, device: Connection) -> None:
        device.close()

    def close(self) -> None:
        """Send what is held back, as far as that goes, and give the board back."""
        with self.lock:
            if self._device is not None:
                with suppress(PortError):
                    self.flush()
            super().close()

    def _send(self, data: bytes) -> None:
        """Send bytes now. A connection that fails is lost."""
        if not data:
            return
        connection = self._opened()
        self.bytes_sent += len(data)
        self.writes += 1
        try:
            connection.write(data)
        except (OSError, TypeError, AttributeError) as problem:
            raise self._gone(problem) from None

    def _receive(self, count: int, limit_s: float) -> bytes:
        """Up to this many bytes, as they come; at least one, or none at the limit. A connection that fails is lost."""
        connection = self._opened()
        end = self._elapsed() + limit_s
        try:
            while True:
                connection.timeout = max(0.001, end - self._elapsed())
                data = connection.read(1)
                if data:
                    more = min(count - 1, getattr(connection, "in_waiting", 0))
                    return data + (connection.read(more) if more > 0 else b"")
                if self._elapsed() >= end:
                    return b""
        except LumekError:
            raise
        except (OSError, TypeError, AttributeError) as problem:
            raise self._gone(problem) from None

    def _gone(self, problem: Exception) -> PortError:
        """What to raise when the connection failed: pyserial raises more than OSError for a cable that is pulled."""
        self._lose()
        return PortError(
            f"the board at {self._place} is gone ({quoted(str(problem))}): check its cable, and whether another "
            "program uses the port"
        )


def _open_port(port: str, baud: int) -> Connection:
    try:
        import serial
    except ImportError:
        raise PackageError("a board on USB needs the package pyserial: pip install 'lumek[usb]'") from None
    try:
        opened: Any = serial.serial_for_url(port, baud, timeout=ANSWER_S, write_timeout=5, do_not_open=True)
        if not port.startswith(("socket:", "rfc2217:", "loop:")):
            opened.exclusive = True
        opened.open()
    except (OSError, ValueError) as problem:
        raise PortError(why_not_open(port, problem)) from None
    connection: Connection = opened
    return connection


def why_not_open(port: str, problem: Exception) -> str:
    """What to say of a serial port that cannot be opened."""
    from serial.tools.list_ports import comports

    error, text = getattr(problem, "errno", None), str(problem)
    there = ", ".join(sorted(one.device for one in comports())) or "none"
    if isinstance(problem, ValueError):
        return f"there is no serial port named {quoted(port)}; there is: {there}"
    if error == EACCES and os.name == "posix":
        from lumek.ports.linux.device import not_allowed

        return not_allowed(port, "tty", "dialout")
    if error in (EAGAIN, EBUSY) or any(word in text for word in IN_USE):
        return f"serial port {quoted(port)} is in use by another program: close its monitor or editor"
    if error == ENOENT or "FileNotFound" in text:
        return f"there is no serial port {quoted(port)}; there is: {there}. Plug it in"
    return f"serial port {quoted(port)} cannot be opened: {quoted(text, 160)}"
