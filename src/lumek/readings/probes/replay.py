"""Recorded readings, given again at their own pace, faster, or in a loop."""

import csv
import os
from bisect import bisect_right
from itertools import pairwise
from pathlib import Path
from statistics import median
from typing import Any, Unpack

from lumek._harmless import quoted
from lumek.errors import PortError, SettingError
from lumek.readings.loading import load
from lumek.readings.log_lines import ENDINGS, is_log
from lumek.readings.probe import SourceSettings, Taken
from lumek.readings.probes.source import Source, SourceProbe
from lumek.readings.probes.table_text import table_of
from lumek.readings.probes.table_times import times_of
from lumek.readings.reading import Reading, one_line
from lumek.readings.settings import positive
from lumek.readings.time_source import HOST_CLOCK, TimeSource

MOST_NAMED = 20
"""Columns listed in an error about another one."""


class Replay(Source):
    """A recording. `probe` makes probes of its columns, which run from one clock.

    A value holds until the next one comes. The time of a reading is the recorded one, later by the length of the
    recording for each round of a loop. A log of Lumek's can be replayed too: its names are the columns, and flaws and
    units come again; this needs pandas (PackageError without it).

    file: the path of a file, as 'day.csv' (CSV with a line of names; values parted by commas, semicolons, tabs or bars,
        with decimal points or commas) or 'day.jsonl' (JSON Lines).
    column: the name of the column of times; default: 'time', 'date', 'timestamp' or a similar name, or a date and a
        time of day in two columns. A time is ISO 8601 (UTC without a zone), a date in figures ("3.7.2026 06:10"), a
        time of a day ("06:10", of today, and of the next day where they go back), seconds since 1970 or any other
        moment, or the milliseconds, microseconds or nanoseconds since 1970.
    dates: 'day-first' or 'month-first', for dates such as 3/7/2026; default: found from a date that can be only one.
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
        column: str | None = None,
        dates: str | None = None,
        speed: float = 1.0,
        loop: bool = False,
        clock: TimeSource = HOST_CLOCK,
    ) -> None:
        super().__init__(clock)
        self.path = Path(file)
        self.speed = positive(speed, "speed")
        self.loop = loop
        self._series = _read(self.path, column, dates, clock)
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


def _read(
    path: Path, column: str | None, dates: str | None, clock: TimeSource
) -> dict[str, tuple[list[float], list[object]]]:
    """The times and values of each column."""
    if path.suffix.lower() not in ENDINGS:
        raise SettingError(f"a recording's name ends in {' or '.join(ENDINGS)}, not {quoted(path.name)}")
    try:
        names, rows = table_of(path)
    except OSError as problem:
        raise PortError(f"{path} cannot be read: {problem.strerror or problem}") from None
    except (ValueError, csv.Error, RecursionError) as problem:
        raise SettingError(f"{path} is not a recording: {one_line(problem)}") from None
    if not rows:
        raise SettingError(f"{path} is not a recording: it has no line of values")
    if is_log(names):
        return _log(path)
    if column is not None and column not in names:
        raise SettingError(f"{path} has no column {quoted(column)}: it has {_listed(names)}")
    seconds, used = _times(path, names, rows, column, dates, clock)
    series: dict[str, tuple[list[float], list[object]]] = {
        name: (seconds, [row.get(name) for row in rows]) for name in names if name not in used
    }
    if not series:
        raise SettingError(f"{path} has no column of values beside {quoted(names[0])}")
    return series


def _times(
    path: Path, names: list[str], rows: list[dict[str, Any]], column: str | None, dates: str | None, clock: TimeSource
) -> tuple[list[float], set[str]]:
    """The times of a table. Raises SettingError that names the file."""
    try:
        return times_of(names, rows, column, dates, clock)
    except SettingError as problem:
        raise SettingError(f"{path}: {problem}") from None


def _listed(names: list[str]) -> str:
    """Names, for people: the first of them."""
    return ", ".join(names[:MOST_NAMED]) + (f" and {len(names) - MOST_NAMED} more" if len(names) > MOST_NAMED else "")


def _log(path: Path) -> dict[str, tuple[list[float], list[object]]]:
    """The readings of a log of Lumek's, with the files that were put aside from it, by their names."""
    log = load(path)
    if log["time"].isna().any():
        raise SettingError(f"{path}: times are missing or go back")
    series: dict[str, tuple[list[float], list[object]]] = {}
    rows: Any = log.itertuples()
    for row in rows:
        time = row.time.timestamp()
        times, values = series.setdefault(row.name, ([], []))
        times.append(time)
        values.append(Reading(row.value, row.name, row.unit, time, row.flaw or None, text=row.text or None,
                              cause=row.cause))  # fmt: skip
    return series


def _usual_step(times: list[float]) -> float:
    """The median time from one value to the next, in seconds; 1 where there is one value only."""
    steps = [after - before for before, after in pairwise(times) if after > before]
    return median(steps) if steps else 1.0
