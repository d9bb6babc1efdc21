"""Messages as lines of text: from a serial port, or standard input. Each answer is a line back."""

import os
import select
import sys
from abc import abstractmethod
from collections import deque
from collections.abc import Mapping
from typing import Any

from lumek.errors import PortError, SettingError
from lumek.messages.models import Answer
from lumek.messages.reading import MOST_BYTES
from lumek.messages.ways.way import WayIn
from lumek.readings.extras import wanted_by
from lumek.readings.guarded import guarded_thread
from lumek.readings.line_buffer import LineBuffer
from lumek.readings.reading import one_line

WAIT_S = 0.1
"""How long a reader waits for bytes before it writes answers, and looks whether it is to end."""

RETRY_S = 1.0

MOST_ANSWERS = 100
"""Answers that wait to be written; of more the oldest is dropped."""

TOO_LONG = b"{" + b" " * MOST_BYTES
"""Brought in place of a line that is too long, and refused for its length."""


class LineWay(WayIn):
    """Lines that a thread of its own reads; what is lost is opened again."""

    skip_first = False

    def __init__(self) -> None:
        super().__init__()
        self._answers: deque[str] = deque(maxlen=MOST_ANSWERS)
        self._thread = guarded_thread(f"lumek {type(self).__name__}", self._run, self._closing, self._failed)

    @abstractmethod
    def _open(self) -> Any:
        """Open it. May raise anything."""

    @abstractmethod
    def _read(self, source: Any) -> bytes:
        """What has come within `WAIT_S`; empty when nothing has. Raises EOFError at the end, or anything else."""

    @abstractmethod
    def _write(self, source: Any, data: bytes) -> None:
        """Write an answer. May raise anything."""

    def _begin(self) -> None:
        self._thread.start()

    def _run(self) -> None:
        while not self._closing.is_set():
            source: Any = None
            try:
                source = self._open()
                self._failed("")
                self._listen(source)
            except EOFError:
                self.ended = True
                while not self._closing.wait(WAIT_S):
                    self._send(source)
                self._send(source)
                return
            except Exception as problem:
                self._failed(one_line(problem))
            finally:
                if hasattr(source, "close"):
                    source.close()
            self._closing.wait(RETRY_S)

    def _listen(self, source: Any) -> None:
        lines = LineBuffer(MOST_BYTES, self.skip_first)
        while not self._closing.is_set():
            try:
                came = self._read(source)
            except EOFError:
                self._take(lines.end())
                raise
            finally:
                self._send(source)
            for line in lines.take(came):
                self._take(TOO_LONG if line is None else line)
        self._send(source)

    def _take(self, line: bytes) -> None:
        if line.strip():
            self.bring(line, self._reply)

    def _reply(self, answer: Answer) -> None:
        self._answers.append(answer.json_text())

    def _send(self, source: Any) -> None:
        while self._answers:
            self._write(source, self._answers.popleft().encode() + b"\n")

    def close(self) -> None:
        """Write the last answers, and stop listening. A second time does nothing."""
        super().close()
        if self._thread.is_alive():
            self._thread.join(2.0)


class InputWay(LineWay):
    """Lines of standard input, each a message; answers are lines of standard output."""

    kind = "input"

    @staticmethod
    def place_of(settings: Mapping[str, object]) -> str:
        """That it is standard input."""
        return "standard input"

    def _open(self) -> int:
        try:
            return sys.stdin.fileno()
        except (AttributeError, OSError, ValueError):
            raise EOFError("there is no standard input") from None

    def _read(self, source: int) -> bytes:
        if os.name != "nt" and not select.select([source], [], [], WAIT_S)[0]:  # Windows waits for sockets alone
            return b""
        data = os.read(source, 65_536)
        if not data:
            raise EOFError
        return data

    def _write(self, source: int, data: bytes) -> None:
        sys.stdout.write(data.decode())
        sys.stdout.flush()


class SerialWay(LineWay):
    """Lines from a serial port, each a message; answers are lines back. Needs pyserial (PackageError without it).

    A port that is unplugged is opened again when it is back. The first line after opening is left out, because it may
    be the rest of one, unless whole is true.

    port: the path of a port, as '/dev/ttyUSB0'.
    speed: baud, 1 or more, as 9600.
    whole: true or false: the first line after opening counts, too.
    Raises SettingError for a setting that is not possible.
    """

    kind = "serial"
    extra = "serial"
    modules = ("serial",)

    def __init__(self, port: str, speed: int = 9600, *, whole: bool = False) -> None:
        super().__init__()
        with wanted_by("SerialWay", "serial"):
            import serial
        if not (isinstance(speed, int) and speed > 0):
            raise SettingError(f"speed is a number of baud, such as 9600, not {speed!r}")
        self._serial = serial
        self._port, self._speed, self.skip_first = port, speed, not whole

    @staticmethod
    def place_of(settings: Mapping[str, object]) -> str:
        """The port."""
        return str(settings["port"])

    def _open(self) -> Any:
        try:
            return self._serial.Serial(self._port, self._speed, timeout=WAIT_S, write_timeout=1.0, exclusive=True)
        except (OSError, ValueError) as problem:
            from lumek.ports.usb.cable import why_not_open

            raise PortError(why_not_open(self._port, problem)) from None

    def _read(self, source: Any) -> bytes:
        data: bytes = source.read(max(1, min(source.in_waiting, 65_536)))
        return data

    def _write(self, source: Any, data: bytes) -> None:
        source.write(data)
