"""Recorded readings, given again at their own pace, faster, or in a loop."""

import csv
import io
import os
import re
from bisect import bisect_right
from collections import Counter
from datetime import UTC, datetime
from itertools import pairwise
from math import isfinite
from pathlib import Path
from statistics import median
from typing import Any, Unpack

from lumek._files import read_text
from lumek._harmless import quoted
from lumek.errors import PortError, SettingError
from lumek.readings.log import COLUMNS, ENDINGS, json_rows, load
from lumek.readings.probe import SourceSettings, Taken
from lumek.readings.probes.source import Source, SourceProbe
from lumek.readings.reading import Reading, number_in, one_line
from lumek.readings.settings import positive
from lumek.readings.time_source import HOST_CLOCK, TimeSource

MOST_BYTES, MOST_COLUMNS, MOST_NAMED = 50_000_000, 1000, 20
"""Of a recording; and columns listed in an error about another one."""

UNITS = ((1e11, 1.0), (1e14, 1e3), (1e17, 1e6))
"""Numbers below the first are times in units of which the second make a second; larger ones are nanoseconds.

1e11 s is the year 5138.
"""

NOTHING = {"", "NA", "N/A", "nan", "NaN", "null", "None"}
"""What a CSV file has for no value."""


class Replay(Source):
    """A recording. `probe` makes probes of its columns, which run from one clock.

    A value holds until the next one comes. The time of a reading is the recorded one, later by the length of the
    recording for each round of a loop. A log of Lumek's can be replayed too: its names are the columns, and flaws and
    units come again; this needs pandas (PackageError without it).

    file: the path of a file, as 'day.csv' (CSV with a line of names) or 'day.jsonl' (JSON Lines).
    column: the name of the column of times. A time is ISO 8601 (UTC without a zone), a time of a day ("06:10", of
        today, and of the next day where they go back), seconds since 1970 or any other moment, or the milliseconds,
        microseconds or nanoseconds since 1970.
    speed: seconds of the recording in one second, above 0.
    loop: true or false: it begins again at its end.
    clock: the clock that it runs by, from now on; default: the host's.
    Raises PortError for a file that cannot be read, SettingError for one without times or with times that go back.
    """

    kind = "replay"

    def __init__(
        self,
        file: str | os.PathLike[str],
        *,
        column: str = "time",
        speed: float = 1.0,
        loop: bool = False,
        clock: TimeSource = HOST_CLOCK,
    ) -> None:
        super().__init__(clock)
        self.path = Path(file)
        self.speed = positive(speed, "speed")
        self.loop = loop
        self._series = _read(self.path, column, clock)
        ends = [(times[0], times[-1], _usual_step(times)) for times, _ in self._series.values()]
        self._first = min(first for first, _, _ in ends)
        self.length_s = max(last + step for _, last, step in ends) - self._first
        self._start = clock.elapsed()

    @property
    def columns(self) -> list[str]:
        """The columns that a probe can have."""
        return list(self._series)

    @property
    def ended(self) -> bool:
        """Whether it has come to its end; a loop never does."""
        return not self.loop and self._passed() >= self.length_s

    def _passed(self) -> float:
        return (self.clock.elapsed() - self._start) * self.speed

    def probe(
        self, name: str, unit: str = "", *, column: str | None = None, **settings: Unpack[SourceSettings]
    ) -> "ReplayProbe":
        """A probe of a column.

        name, unit: as those of `Probe`.
        column: the name of a column; default: the name of the probe.
        settings: those of `Probe`; lifetime_s is three of the column's usual steps by default.
        Raises SettingError for a column that is not there.
        """
        column = name if column is None else column
        if column not in self._series:
            raise SettingError(f"{self.path} has no column {quoted(column)}: it has {_listed(self.columns)}")
        settings.setdefault("lifetime_s", 3 * _usual_step(self._series[column][0]) / self.speed)
        return ReplayProbe(self, name, unit, column, **settings)

    def value(self, column: str) -> Taken:
        """The current value of a column. Raises LookupError before its first value."""
        times, values = self._series[column]
        passed = self._passed()
        rounds, within = divmod(passed, self.length_s) if self.loop else (0.0, passed)
        now = self._first + within
        row = bisect_right(times, now) - 1
        if row < 0:
            raise LookupError(
                f"the recording of {quoted(column)} begins {(times[0] - now) / self.speed:.3g} s from now"
            )
        at = self.clock.elapsed() - (now - times[row]) / self.speed
        return Taken(values[row], at, times[row] + rounds * self.length_s)


class ReplayProbe(SourceProbe[Replay]):
    """A column of a recording; `Replay.probe` makes it."""

    def __init__(self, replay: Replay, name: str, unit: str, column: str, **settings: Unpack[SourceSettings]) -> None:
        super().__init__(replay, name, unit, **settings)
        self._column = column

    def take(self) -> object:
        """The current value of the column."""
        taken = self.source.value(self._column)
        if isinstance(taken.value, Reading):  # of a log: this probe's name, and its unit if it has one
            unit = self.unit or taken.value.unit
            return Taken(taken.value.but(name=self.name, unit=unit, time=taken.time), taken.at, taken.time)
        return taken


def _read(path: Path, column: str, clock: TimeSource) -> dict[str, tuple[list[float], list[object]]]:
    """The times and values of each column."""
    if path.suffix.lower() not in ENDINGS:
        raise SettingError(f"a recording's name ends in {' or '.join(ENDINGS)}, not {quoted(path.name)}")
    try:
        names, rows = _table(path)
    except OSError as problem:
        raise PortError(f"{path} cannot be read: {problem.strerror or problem}") from None
    except (ValueError, csv.Error, RecursionError) as problem:
        raise SettingError(f"{path} is not a recording: {one_line(problem)}") from None
    if not rows:
        raise SettingError(f"{path} is not a recording: it has no line of values")
    if tuple(names) == COLUMNS:
        return _log(path, clock)
    if column not in names:
        raise SettingError(f"{path} has no column {quoted(column)}: it has {_listed(names)}")
    if len(names) < 2:
        raise SettingError(f"{path} has no column of values beside {quoted(column)}")
    seconds = _seconds([row.get(column) for row in rows], path, clock)
    return {name: (seconds, [row.get(name) for row in rows]) for name in names if name != column}


def _table(path: Path) -> tuple[list[str], list[dict[str, Any]]]:
    """The names of the columns, and the rows; None where a cell is empty. Raises ValueError for what is not a table."""
    text = read_text(path, MOST_BYTES, "utf-8-sig")
    if path.suffix.lower() != ".csv":
        rows = json_rows(text)
        names = list(dict.fromkeys(name for row in rows for name in row))
        return _counted(names), rows
    lines = [line for line in csv.reader(io.StringIO(text, newline=""), skipinitialspace=True, strict=True) if line]
    names = lines[0] if lines else []
    if len({*_counted(names)}) < len(names):
        raise ValueError(f"it has two columns {quoted(Counter(names).most_common(1)[0][0])}")
    for number, line in enumerate(lines, 1):
        if len(line) > len(names):
            raise ValueError(f"line {number} has {len(line)} values, and there are {len(names)} names")
    return names, [
        {name: None if value.strip() in NOTHING else value for name, value in zip(names, line, strict=False)}
        for line in lines[1:]
    ]


def _counted(names: list[str]) -> list[str]:
    """The names of columns. Raises ValueError for too many of them."""
    if len(names) > MOST_COLUMNS:
        raise ValueError(f"it has {len(names)} columns, and at most {MOST_COLUMNS} are read")
    return names


def _listed(names: list[str]) -> str:
    """Names, for people: the first of them."""
    return ", ".join(names[:MOST_NAMED]) + (f" and {len(names) - MOST_NAMED} more" if len(names) > MOST_NAMED else "")


def _log(path: Path, clock: TimeSource) -> dict[str, tuple[list[float], list[object]]]:
    """The readings of a log of Lumek's, with the files that were put aside from it, by their names."""
    log = load(path)
    seconds = [time.timestamp() for time in log["time"]]
    series: dict[str, tuple[list[float], list[object]]] = {}
    rows: Any = log.itertuples()
    for time, row in zip(_seconds(seconds, path, clock), rows, strict=True):
        times, values = series.setdefault(row.name, ([], []))
        times.append(time)
        values.append(Reading(row.value, row.name, row.unit, time, row.flaw or None, text=row.text or None))
    return series


def _seconds(times: list[Any], path: Path, clock: TimeSource) -> list[float]:
    """Times as seconds since 1970, or any other moment."""
    try:
        if all(isinstance(time, str) and re.fullmatch(r"\d\d?:\d\d(:\d\d(\.\d+)?)?", time) for time in times):
            seconds = _of_days(times, clock)
        else:
            seconds = [_second(time) for time in times]
    except (ValueError, TypeError, OverflowError) as problem:
        raise SettingError(f"{path}: a time cannot be read: {one_line(problem)}") from None
    if not all(map(isfinite, seconds)) or any(after < before for before, after in pairwise(seconds)):
        raise SettingError(f"{path}: times are missing or go back")
    return seconds


def _second(time: Any) -> float:
    """A time, given as a number or as ISO 8601, UTC where no zone is said.

    Numbers too large for seconds since 1970 are its milliseconds, microseconds or nanoseconds.
    """
    try:
        number = number_in(time) if isinstance(time, str) else float(time)
        return number / next((unit for most, unit in UNITS if abs(number) < most), 1e9)
    except ValueError:
        moment = datetime.fromisoformat(time)
        return (moment if moment.tzinfo else moment.replace(tzinfo=UTC)).timestamp()


def _of_days(times: list[str], clock: TimeSource) -> list[float]:
    """Times of a day, of today and, where they go back, of the next day."""
    midnight = datetime.fromtimestamp(clock.time(), UTC).replace(hour=0, minute=0, second=0, microsecond=0)
    seconds: list[float] = []
    day, last = midnight.timestamp(), 0.0
    for time in times:
        hours, minutes, rest = [*map(float, time.split(":")), 0.0][:3]
        now = hours * 3600 + minutes * 60 + rest
        day += 86_400 if now < last else 0
        last = now
        seconds.append(day + now)
    return seconds


def _usual_step(times: list[float]) -> float:
    """The median time from one value to the next, in seconds; 1 where there is one value only."""
    steps = [after - before for before, after in pairwise(times) if after > before]
    return median(steps) if steps else 1.0
