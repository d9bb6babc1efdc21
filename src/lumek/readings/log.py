"""Readings written to a file, one line each. `loading` reads them again.

A line is written by one call to the system: there is no moment at which a killed program has left half of one.
`log_lines` has what is in a line.
"""

import os
import threading
from errno import ENOSPC
from pathlib import Path
from stat import S_ISREG

from lumek._files import PLAIN, keep_to_us, read_at, sync_folder
from lumek._harmless import quoted
from lumek._notice import notice
from lumek.errors import ClosedError, PortError, SettingError
from lumek.readings.log_lines import (
    ENDINGS,
    HEAD,
    HEADS,
    JSON_START,
    LONGEST_LINE,
    csv_line,
    is_line,
    json_line,
    time_of,
)
from lumek.readings.reading import Reading
from lumek.readings.settings import duration

LEAST_BYTES = 1000

RENAMES_OPEN = os.name != "nt"
"""Windows renames no file that is open."""

SLACK_S = 0.001
"""A reading that comes so much too early is written: times are rounded."""


class Log:
    """A file to which readings are appended. `log.append(reading)`, or `log(reading)`, from any thread.

    path: ends in .csv or .jsonl (JSON Lines). A log that already exists is continued; half a line at its end, left by
        a loss of power, is cut off. Any other file is refused, and stays as it is. A log that is deleted, renamed or
        emptied (logrotate) starts again.
    every_s: seconds, 0 to 100000000, from one line of a probe to the next, by the times of its readings; 0 for every
        reading. When its flaw, its cause or its words change, that reading is written at once.
    rotate_bytes: bytes, 1000 or more; a file that would grow beyond it is first put aside as NAME-0001.csv,
        NAME-0002.csv and so on; default: never.
    rotate_s: seconds, 0.001 to 100000000; a file whose first line is older is put aside, too; default: never.
    keep: a whole number, 1 or more: how many of those stay; the oldest go; default: all.
    sync: true or false: wait until each line is on the disk, not only with the system; safe against a loss of power,
        and slow.

    In CSV, text that a spreadsheet would take for a formula has an apostrophe before it, which `load` takes away.

    Raises SettingError for other endings, numbers and files, PortError (an OSError) for a file that cannot be opened or
    written, or that another program is writing; ClosedError after `close`.
    """

    def __init__(
        self,
        path: str | os.PathLike[str],
        *,
        every_s: float = 0.0,
        rotate_bytes: int | None = None,
        rotate_s: float | None = None,
        keep: int | None = None,
        sync: bool = False,
    ) -> None:
        self.path = Path(path)
        if self.path.suffix.lower() not in ENDINGS:
            raise SettingError(f"a log's name ends in {' or '.join(ENDINGS)}, not {quoted(self.path.name)}")
        if rotate_bytes is not None and not rotate_bytes >= LEAST_BYTES:
            raise SettingError(f"rotate_bytes must be {LEAST_BYTES} or more, not {quoted(rotate_bytes)}")
        if keep is not None and ((rotate_bytes is None and rotate_s is None) or keep < 1):
            raise SettingError(f"keep must be 1 or more, and needs rotate_bytes or rotate_s; it is {quoted(keep)}")
        self.every_s = duration(every_s, "every_s", or_zero=True)
        self.rotate_bytes = rotate_bytes
        self.rotate_s = None if rotate_s is None else duration(rotate_s, "rotate_s")
        self.keep = keep
        self.sync = sync
        self._is_csv = self.path.suffix.lower() == ".csv"
        self._head = HEAD if self._is_csv else b""
        self._size = 0
        self._begins: float | None = None
        self._written: dict[str, Reading] = {}
        self._name = os.fspath(self.path)
        self._numbers: list[int] | None = None
        self._lock = threading.Lock()
        self._file: int | None = None
        self._is_closed = False
        self._open()

    def append(self, reading: Reading) -> None:
        """Write a reading, if it is time for one. It is with the system when this returns: a kill loses nothing."""
        if not isinstance(reading, Reading):
            raise SettingError(f"{quoted(reading)} is not a reading: a log takes Reading(value, name, unit)")
        with self._lock:
            if self._is_closed:
                raise ClosedError(f"the log {self.path} is closed")
            if not self._is_due(reading):
                return
            try:
                file = self._open() if self._file is None else self._file
                state = self._state()
                if state != "ours":
                    file = self._begin_anew(file, state)
                line = self._line(reading)
                if len(self._head) < self._size and self._is_full(reading.time, len(line)):
                    file = self._rotate(file)
                    line = self._line(reading)
                self._write(file, line)
                self._begins = reading.time if self._begins is None else self._begins
                self._written[reading.name] = reading
            except PortError:
                raise
            except OSError as problem:
                raise PortError(f"{self.path} cannot be written: {problem.strerror or problem}") from None

    def _is_due(self, reading: Reading) -> bool:
        """Whether a reading is to be written, because of its time or because something has changed."""
        last = self._written.get(reading.name)
        if not self.every_s or last is None or (last.trouble, last.text) != (reading.trouble, reading.text):
            return True
        return not last.time <= reading.time < last.time + self.every_s - SLACK_S

    def _is_full(self, time: float, more: int) -> bool:
        """Whether the file is to be put aside before a line of a time is written."""
        if self.rotate_bytes is not None and self._size > self.rotate_bytes - more:
            return True
        return self.rotate_s is not None and self._begins is not None and time - self._begins >= self.rotate_s

    def _line(self, reading: Reading) -> bytes:
        """A reading as a line of this file."""
        return (csv_line(reading, HEADS[self._head]) if self._is_csv else json_line(reading)).encode()

    def _state(self) -> str:
        """Whether the file is still "ours", was "moved" away (or deleted), or "emptied"."""
        try:
            there = os.stat(self._name)
        except FileNotFoundError:
            return "moved"
        if (there.st_dev, there.st_ino) != self._is:
            return "moved"
        return "emptied" if there.st_size < self._size else "ours"

    def _begin_anew(self, old: int, state: str) -> int:
        """Begin the file again after somebody else moved or emptied it; the file to write to."""
        if state != "moved":
            self._make_whole(old)
            return old
        file = self._open()
        os.close(old)
        return file

    __call__ = append

    def close(self) -> None:
        """End the log. A second time does nothing."""
        with self._lock:
            file, self._file, self._is_closed = self._file, None, True
            try:
                if file is not None:
                    os.close(file)
            except OSError as problem:
                raise PortError(f"{self.path} cannot be closed: {problem.strerror or problem}") from None

    def __enter__(self) -> "Log":
        return self

    def __exit__(self, *exc: object) -> None:
        self.close()

    def _open(self) -> int:
        """Open the file, and make it whole."""
        flags = os.O_RDWR | os.O_CREAT | os.O_APPEND | PLAIN
        try:
            file = os.open(self.path, flags, 0o644)
        except OSError as problem:
            raise PortError(f"{self.path} cannot be opened: {problem.strerror}") from None
        try:
            mine = os.fstat(file)
            self._is = mine.st_dev, mine.st_ino
            if not S_ISREG(mine.st_mode):
                raise SettingError(f"{self.path} is not an ordinary file: give another name")
            keep_to_us(file)
            self._make_whole(file)
        except OSError as problem:
            os.close(file)
            why = "another program is writing it" if isinstance(problem, BlockingIOError) else problem.strerror
            raise PortError(f"{self.path} cannot be written: {why}") from None
        except SettingError:
            os.close(file)
            raise
        self._file = file
        return file

    def _make_whole(self, file: int) -> None:
        """Cut off half a line at the end, and write the head of a new log; note its head, size and first time."""
        begins = read_at(file, LONGEST_LINE, 0)
        if self._is_csv:
            self._head = next((head for head in HEADS if begins.startswith(head)), HEAD)
        self._size = self._whole(file, begins)
        if self._size < len(self._head):
            self._write(file, self._head)
            if self.sync:
                sync_folder(self.path.parent)
        first = begins[len(self._head) :].partition(b"\n")[0] if self._size > len(self._head) else b""
        self._begins = time_of(first.decode(errors="replace"), self._is_csv)

    def _whole(self, file: int, begins: bytes) -> int:
        """Cut off half a line at the end, and return the size. Raises SettingError for a file that is not a log."""
        size = os.fstat(file).st_size
        if size and not (self._is_head(begins) if self._is_csv else is_line(begins)):
            wanted = f"is not {HEAD.decode().strip()!r}" if self._is_csv else "has no time, name, value, unit and flaw"
            raise SettingError(f"{self.path} is not a log: its first line {wanted}; give another name")
        end = size
        while end and read_at(file, 1, end - 1) != b"\n":
            start = max(0, end - 4096)
            end = start + read_at(file, end - start, start).rfind(b"\n") + 1
        tail = read_at(file, len(JSON_START), end)
        if not self._is_csv and end < size and tail != JSON_START[: len(tail)]:
            raise SettingError(f"{self.path} is not a log: its last line is not one of a log; give another name")
        if end < size:
            notice(f"{self.path} ended in half a line of {size - end} bytes, which is cut off")
            os.ftruncate(file, end)
        return end

    def _is_head(self, begins: bytes) -> bool:
        """Whether a file begins as a CSV log, or as one whose first line a loss of power cut short."""
        return begins.startswith(self._head) or (begins == self._head[: len(begins)] and b"," in begins)

    def _write(self, file: int, line: bytes) -> None:
        written = os.write(file, line)
        if written < len(line):  # a full disk takes a part: leave no half line
            os.ftruncate(file, self._size)
            raise OSError(ENOSPC, "no space left on the device")
        if self.sync:
            os.fsync(file)
        self._size += written

    def _rotate(self, old: int) -> int:
        """Put the file aside, and begin a new one, which is returned."""
        if self._numbers is None or self._aside(self._numbers[-1] + 1 if self._numbers else 1).exists():
            self._numbers = [_number(part) for part in parts_of(self.path)]  # once: a folder may have thousands
        number = self._numbers[-1] + 1 if self._numbers else 1
        aside = self._aside(number)
        if not RENAMES_OPEN:
            self._file = None  # if this fails, the next line opens it again
            os.close(old)
        os.rename(self.path, aside)
        try:
            file = self._open()
        except PortError:
            os.rename(aside, self.path)
            raise
        if RENAMES_OPEN:
            os.close(old)
        self._numbers.append(number)
        if self.keep is not None:
            for old_number in self._numbers[: -self.keep]:
                self._aside(old_number).unlink(missing_ok=True)
            del self._numbers[: -self.keep]
        return file

    def _aside(self, number: int) -> Path:
        """The name of a file that is put aside."""
        return self.path.with_name(f"{self.path.stem}-{number:04}{self.path.suffix}")


def parts_of(path: Path) -> list[Path]:
    """The files that were put aside from a log, oldest first."""
    pattern = f"{path.stem}-[0-9][0-9][0-9][0-9]*{path.suffix}"
    found = [part for part in path.parent.glob(pattern) if part.stem[len(path.stem) + 1 :].isdecimal()]
    return sorted(found, key=_number)


def _number(part: Path) -> int:
    """The number of a file that was put aside."""
    return int(part.stem.rsplit("-", 1)[1])
