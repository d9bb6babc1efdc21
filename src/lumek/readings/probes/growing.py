"""Values from a table to which another program appends lines."""

import os
from pathlib import Path
from stat import S_ISREG
from typing import Unpack

from lumek._files import PLAIN, read_at
from lumek.readings.probe import SourceSettings
from lumek.readings.probes.feed import FeedProbe, ThreadedFeed
from lumek.readings.probes.table_text import cells_of, has_commas, separator_of, text_of, value_of
from lumek.readings.reading import one_line
from lumek.readings.settings import duration
from lumek.readings.time_source import HOST_CLOCK, TimeSource

HEAD_BYTES = 65_536
"""In which the line of names and, when it is opened, the last line must be."""


class GrowingTable(ThreadedFeed):
    """A CSV file to which another program appends lines; the last line has the readings. `probe` takes a column.

    When the file is opened, its last whole line is as old as the file. A file that is not there yet is waited for; one
    that is emptied or replaced is read from its start again.

    file: the path of a file, as 'station.csv' (CSV with a line of names, as `Replay` takes it).
    every_s: seconds, 0.001 to 100000000, from one look at the file to the next.
    clock: the clock that readings are dated by; default: the host's.
    Raises SettingError for a setting that is not possible.
    """

    kind = "growing"

    def __init__(self, file: str | os.PathLike[str], *, every_s: float = 0.5, clock: TimeSource = HOST_CLOCK) -> None:
        super().__init__(clock)
        self.path = Path(file)
        self._every_s = duration(every_s, "every_s")
        self._file: int | None = None
        self._forget()
        self.trouble = f"{self.path} has no line of values yet"
        self._thread.start()

    def probe(
        self, name: str, unit: str = "", *, column: str | None = None, **settings: Unpack[SourceSettings]
    ) -> FeedProbe:
        """A probe of a column.

        name, unit: as those of `Probe`.
        column: the name of a column; default: the name of the probe.
        settings: those of `Probe`; lifetime_s is 60 s by default.
        """
        return FeedProbe(self, name, unit, name if column is None else column, **settings)

    def _run(self) -> None:
        while not self._ended.is_set():
            try:
                self._look()
            except Exception as problem:
                self.trouble = f"{self.path}: {getattr(problem, 'strerror', None) or one_line(problem)}"
                self._forget()
            self._ended.wait(self._every_s)
        self._forget()

    def _forget(self) -> None:
        """Close the file, and forget where it was read."""
        if self._file is not None:
            os.close(self._file)
        self._file = None
        self._names: list[str] = []
        self._separator = ","
        self._at = 0
        self._rest = b""

    def _look(self) -> None:
        """Take in what was appended. Raises OSError, ValueError and csv.Error."""
        if self._file is not None:
            there, mine = os.stat(self.path), os.fstat(self._file)
            if (there.st_dev, there.st_ino) != (mine.st_dev, mine.st_ino) or mine.st_size < self._at:
                self._forget()
        ago_s = 0.0
        if self._file is None:
            self._file = os.open(self.path, os.O_RDONLY | PLAIN)
            ago_s = max(0.0, self.clock.time() - os.fstat(self._file).st_mtime)
        if not self._names and not self._read_names(self._file):
            return
        last = b""
        while data := read_at(self._file, HEAD_BYTES, self._at):
            self._at += len(data)
            *lines, self._rest = (self._rest + data).split(b"\n")
            self._rest = self._rest[-HEAD_BYTES:]
            last = next((line for line in reversed(lines) if line.strip()), last)
        if last:
            self._take_in(last, ago_s)

    def _read_names(self, file: int) -> bool:
        """Read the line of names, and go to the last lines; False while there is no whole line of names."""
        state = os.fstat(file)
        if not S_ISREG(state.st_mode):
            raise ValueError("it is not an ordinary file")
        begin = read_at(file, HEAD_BYTES, 0)
        begin = begin[: begin.rfind(b"\n") + 1]
        whole = text_of(begin)
        self._separator, text = separator_of(whole)
        if not text.strip():
            return False
        self._names = [name.strip() for name in cells_of(text.partition("\n")[0], self._separator)[0]]
        first = begin.index(b"\n") + 1
        if text is not whole:  # the line before it says what the separator is
            first = begin.index(b"\n", first) + 1
        self._at = max(first, state.st_size - HEAD_BYTES)
        return True

    def _take_in(self, line: bytes, ago_s: float) -> None:
        """The values of a line, which came some seconds ago."""
        cells = cells_of(text_of(line), self._separator)[0]
        if len(cells) > len(self._names):
            self.reject(f"{self.path}: a line has {len(cells)} values, and there are {len(self._names)} names")
            return
        self.trouble = ""
        commas = self._separator != "," and has_commas(cells)
        for name, cell in zip(self._names, cells, strict=False):
            self.arrive(name, value_of(cell, commas), ago_s)
