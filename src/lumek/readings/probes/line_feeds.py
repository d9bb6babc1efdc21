"""Values in lines of text: from standard input, a serial port, or a TCP connection.

A line is `weight=41.4`, several of them (`weight=41.4 brood=34.6`), a JSON object, or a bare number, whose key is "".
It ends with a line feed, a carriage return or both, is UTF-8, and has 16,384 bytes at most.
"""

import os
import select
import socket
import sys
from abc import abstractmethod
from collections.abc import Mapping
from typing import Any, Protocol, Unpack

from lumek._harmless import quoted
from lumek.errors import GarbledError, SettingError
from lumek.readings.extras import wanted_by
from lumek.readings.line_buffer import LineBuffer
from lumek.readings.probe import SourceSettings
from lumek.readings.probes.document import utf8_text, values_in
from lumek.readings.probes.feed import FeedProbe, ThreadedFeed
from lumek.readings.probes.network import checked_port
from lumek.readings.reading import one_line
from lumek.readings.settings import duration
from lumek.readings.time_source import HOST_CLOCK, TimeSource

LONGEST_LINE = 16_384
"""Bytes of a line; a reading takes some dozens."""

WAIT_S = 0.2
"""How long a reader waits for bytes before it looks whether it is to end."""


class TextFeed(ThreadedFeed):
    """A feed of lines, read by a thread of its own; a source that is lost is opened again.

    retry_s: how long to wait before opening it again.
    skip_first: the first line after opening is left out, because it may be the rest of one.
    last_line_counts: a last line without its end is one, too; after a lost connection it may be half of one.
    """

    skip_first = False
    last_line_counts = False
    hint = ""
    """A hint for people when nothing makes sense."""

    def __init__(self, retry_s: float = 1.0, clock: TimeSource = HOST_CLOCK) -> None:
        super().__init__(clock)
        self.retry_s = duration(retry_s, "retry_s")
        self._thread.start()

    def probe(
        self, name: str, unit: str = "", *, key: str | None = None, **settings: Unpack[SourceSettings]
    ) -> FeedProbe:
        """A probe of what arrives under a key.

        name, unit: as those of `Probe`.
        key: a key of the lines; default: the name of the probe.
        settings: those of `Probe`; lifetime_s is 60 s by default.
        """
        return FeedProbe(self, name, unit, name if key is None else key, **settings)

    @abstractmethod
    def _open(self) -> Any:
        """Open the source. May raise anything."""

    @abstractmethod
    def _read(self, source: Any) -> bytes:
        """What has come within `WAIT_S`; empty when nothing has. Raises EOFError at the end, or anything else."""

    def _run(self) -> None:
        while not self._ended.is_set():
            source: Any = None
            try:
                source = self._open()
                self.trouble = ""
                self._listen(source)
            except Exception as problem:
                self.trouble = one_line(problem)
            finally:
                self.ended = self._ended.is_set()
                if hasattr(source, "close"):
                    source.close()
            self._ended.wait(self.retry_s)

    def _listen(self, source: Any) -> None:
        lines = LineBuffer(LONGEST_LINE, self.skip_first)
        while not self._ended.is_set():
            try:
                came = self._read(source)
            except EOFError:
                if self.last_line_counts:
                    self._take_in(lines.end())
                raise
            for line in lines.take(came):
                if line is None:
                    self.reject(f"{LONGEST_LINE} bytes came without the end of a line{self.hint}")
                else:
                    self._take_in(line)

    def _take_in(self, line: bytes) -> None:
        if not line.strip():
            return
        try:
            values = values_in(utf8_text(line))
        except GarbledError as problem:
            self.reject(f"{problem}{self.hint}")
        else:
            self.trouble = ""
            for key, value in values.items():
                self.arrive(key, value)


class OpenFile(Protocol):
    """What has the number of an open file."""

    def fileno(self) -> int:
        """The number."""
        ...


class InputText(TextFeed):
    """Lines from standard input, or from another open file: `sensor | python station.py`.

    What was read last stays at the end of the input, and becomes stale.

    file: a file number, or what has one; default: standard input.
    clock: the clock that readings are dated by; default: the host's.
    Raises SettingError for what is not an open file.
    """

    kind = "input"
    last_line_counts = True

    @staticmethod
    def place_of(settings: Mapping[str, object]) -> str:
        """That it is standard input."""
        return "standard input"

    def __init__(self, file: "int | OpenFile | None" = None, clock: TimeSource = HOST_CLOCK) -> None:
        given = sys.stdin if file is None else file
        try:
            self._number = given if isinstance(given, int) else given.fileno()
        except (AttributeError, OSError, ValueError):
            raise SettingError(f"{quoted(given)} is not an open file to read lines from") from None
        super().__init__(clock=clock)

    def _open(self) -> int:
        return self._number

    def _read(self, source: int) -> bytes:
        if os.name != "nt" and not select.select([source], [], [], WAIT_S)[0]:  # Windows waits for sockets alone
            return b""
        data = os.read(source, 65536)
        if not data:
            self._ended.set()
            raise EOFError("the input has ended")
        return data


class TcpText(TextFeed):
    """Lines from a TCP connection. A connection that is lost is made again.

    host: the name or address of a host.
    port: a number, 1 to 65535.
    limit_s: seconds, 0.001 to 100000000, that it may take to connect.
    retry_s: seconds, 0.001 to 100000000, before it connects again.
    clock: the clock that readings are dated by; default: the host's.
    Raises SettingError for a setting that is not possible.
    """

    kind = "tcp"

    @staticmethod
    def place_of(settings: Mapping[str, object]) -> str:
        """The host and its port, for people."""
        return f"{settings['host']} port {settings['port']}"

    def __init__(
        self, host: str, port: int, *, limit_s: float = 5.0, retry_s: float = 1.0, clock: TimeSource = HOST_CLOCK
    ) -> None:
        self._place = host, checked_port(port)
        self._name = self.place_of({"host": host, "port": port})
        self._limit_s = duration(limit_s, "limit_s")
        super().__init__(retry_s, clock)

    def _open(self) -> socket.socket:
        try:
            return socket.create_connection(self._place, self._limit_s)
        except OSError as problem:
            raise ConnectionError(f"no connection to {self._name}: {problem.strerror or problem}") from None

    def _read(self, source: socket.socket) -> bytes:
        if not select.select([source], [], [], WAIT_S)[0]:
            return b""
        data = source.recv(65536)
        if not data:
            raise EOFError(f"{self._name} has ended the connection")
        return data


class SerialText(TextFeed):
    """Lines from a serial port. A port that is unplugged is opened again when it is back.

    The first line after opening is skipped, because it may be the rest of one. Needs pyserial (PackageError without
    it).

    port: the path of a port, as '/dev/ttyUSB0'.
    speed: baud, 1 or more, as 9600.
    retry_s: seconds, 0.001 to 100000000, before it opens the port again.
    clock: the clock that readings are dated by; default: the host's.
    Raises SettingError for a setting that is not possible.
    """

    kind = "serial"
    extra = "serial"
    modules = ("serial",)
    skip_first = True
    hint = ": is the speed right?"

    def __init__(
        self, port: str, speed: int = 115_200, *, retry_s: float = 1.0, clock: TimeSource = HOST_CLOCK
    ) -> None:
        with wanted_by("SerialText", "serial"):
            import serial
        if not (isinstance(speed, int) and speed > 0):
            raise SettingError(f"speed is a number of baud, such as 9600, not {quoted(speed)}")
        self._serial = serial
        self._port, self._speed = port, speed
        super().__init__(retry_s, clock)

    @staticmethod
    def place_of(settings: Mapping[str, object]) -> str:
        """The port."""
        return str(settings["port"])

    def _open(self) -> Any:
        return self._serial.Serial(self._port, self._speed, timeout=WAIT_S, exclusive=True)

    def _read(self, source: Any) -> bytes:
        data: bytes = source.read(max(1, min(source.in_waiting, 65536)))
        return data
