"""Recorded readings, given again at their own pace, faster, or in a loop."""

import os
from bisect import bisect_right
from datetime import UTC, datetime, timedelta
from itertools import pairwise
from pathlib import Path
from statistics import median
from typing import TYPE_CHECKING, Any

from lumek.errors import PortError, SettingError
from lumek.readings.clock import HOST_CLOCK, Clock
from lumek.readings.extras import wanted_by
from lumek.readings.log import COLUMNS, ENDINGS, json_rows, load
from lumek.readings.probe import Taken
from lumek.readings.probes.source import Source, SourceProbe
from lumek.readings.reading import Reading, told
from lumek.readings.settings import positive

if TYPE_CHECKING:
    import pandas as pd


class Replay(Source):
    """A recording; `probe` makes probes of its columns, which run from one clock.

    path: a CSV file with a line of names, or JSON Lines; or a log of Lumek's, whose names are the columns, and whose
    flaws and units come again. column: that of the times: ISO 8601 (UTC where no zone is said), times of a day
    ("06:10", of today, and of the next day where they go back), or seconds since 1970 or any other moment. speed:
    seconds of the recording in one second. loop: begin again at the end. clock: by which it runs, from now on.

    A value stands until the next one comes; the time of a reading is the recorded one, later by the length of the
    recording for each round of a loop. Needs pandas (PackageError without it). Raises PortError for a file that cannot
    be read, SettingError for one without times or with times that go back.
    """

    def __init__(
        self,
        path: str | os.PathLike[str],
        *,
        column: str = "time",
        speed: float = 1.0,
        loop: bool = False,
        clock: Clock = HOST_CLOCK,
    ) -> None:
        super().__init__(clock)
        self.path = Path(path)
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

    def probe(self, name: str, unit: str = "", *, column: str | None = None, **settings: Any) -> "ReplayProbe":
        """A probe of a column, which has the probe's name by default.

        settings: those of `Probe`; lifetime_s is three of the column's usual steps unless it is given. Raises
        SettingError for a column that is not there.
        """
        column = name if column is None else column
        if column not in self._series:
            raise SettingError(f"{self.path} has no column {column!r}: it has {', '.join(self.columns)}")
        settings.setdefault("lifetime_s", 3 * _usual_step(self._series[column][0]) / self.speed)
        return ReplayProbe(self, name, unit, column, **settings)

    def value(self, column: str) -> Taken:
        """What stands in a column now. Raises LookupError before its first value."""
        times, values = self._series[column]
        passed = self._passed()
        rounds, within = divmod(passed, self.length_s) if self.loop else (0.0, passed)
        now = self._first + within
        row = bisect_right(times, now) - 1
        if row < 0:
            raise LookupError(f"the recording of {column!r} begins {(times[0] - now) / self.speed:.3g} s from now")
        at = self.clock.elapsed() - (now - times[row]) / self.speed
        return Taken(values[row], at, times[row] + rounds * self.length_s)


class ReplayProbe(SourceProbe[Replay]):
    """A column of a recording; `Replay.probe` makes it."""

    def __init__(self, replay: Replay, name: str, unit: str, column: str, **settings: Any) -> None:
        super().__init__(replay, name, unit, **settings)
        self._column = column

    def take(self) -> object:
        """What stands in the column now."""
        taken = self.source.value(self._column)
        if isinstance(taken.value, Reading):  # of a log: this probe's name, and its unit if it has one
            unit = self.unit or taken.value.unit
            return Taken(taken.value.but(name=self.name, unit=unit, time=taken.time), taken.at, taken.time)
        return taken


def _read(path: Path, column: str, clock: Clock) -> dict[str, tuple[list[float], list[object]]]:
    """The times and values of each column."""
    with wanted_by("a replay", "readings"):
        import pandas as pd
    if path.suffix.lower() not in ENDINGS:
        raise SettingError(f"a recording's name ends in {' or '.join(ENDINGS)}, not {path.name!r}")
    try:
        if path.suffix.lower() == ".csv":
            frame = pd.read_csv(path, skipinitialspace=True)
        else:
            frame = pd.DataFrame.from_records(json_rows(path.read_text(encoding="utf-8")))
    except OSError as problem:
        raise PortError(f"{path} cannot be read: {problem.strerror or problem}") from None
    except ValueError as problem:
        raise SettingError(f"{path} is no recording: {told(problem)}") from None
    if frame.empty:
        raise SettingError(f"{path} is no recording: it has no line of values")
    if tuple(frame.columns) == COLUMNS:
        log = load(path)
        seconds = _seconds(log["time"], path, clock)
        series: dict[str, tuple[list[float], list[object]]] = {}
        rows: Any = log.itertuples()
        for time, row in zip(seconds, rows, strict=True):
            times, values = series.setdefault(row.name, ([], []))
            times.append(time)
            values.append(Reading(row.value, row.name, row.unit, time, row.flaw or None, text=row.text or None))
        return series
    if column not in frame:
        raise SettingError(f"{path} has no column {column!r}: it has {', '.join(map(str, frame))}")
    seconds = _seconds(frame.pop(column), path, clock)
    values_of = frame.astype(object).where(frame.notna(), None)
    return {str(name): (seconds, values_of[name].tolist()) for name in frame}


def _seconds(times: "pd.Series[Any]", path: Path, clock: Clock) -> list[float]:
    """Times as seconds since 1970."""
    import numpy as np
    import pandas as pd

    try:
        if pd.api.types.is_numeric_dtype(times):
            seconds = times.to_numpy(np.float64)
        elif (
            pd.api.types.is_string_dtype(times) and times.astype(str).str.fullmatch(r"\d\d?:\d\d(:\d\d(\.\d+)?)?").all()
        ):
            today = datetime.fromtimestamp(clock.time(), UTC).replace(hour=0, minute=0, second=0, microsecond=0)
            of_day = pd.to_timedelta(times.astype(str).map(lambda time: time if time.count(":") == 2 else f"{time}:00"))
            seconds = today.timestamp() + (of_day / timedelta(seconds=1)).to_numpy(np.float64)
            seconds[1:] += 86_400 * np.cumsum(np.diff(seconds) < 0)
        else:
            moments = pd.to_datetime(times, utc=True, format="ISO8601")
            seconds = ((moments - pd.Timestamp(0, tz="UTC")) / timedelta(seconds=1)).to_numpy(np.float64)
    except (ValueError, TypeError) as problem:
        raise SettingError(f"{path}: a time cannot be read: {told(problem)}") from None
    if not np.isfinite(seconds).all() or (np.diff(seconds) < 0).any():
        raise SettingError(f"{path}: times are missing or go back")
    return [float(second) for second in seconds]


def _usual_step(times: list[float]) -> float:
    """The median time from one value to the next, in seconds; 1 where there is one value only."""
    steps = [after - before for before, after in pairwise(times) if after > before]
    return median(steps) if steps else 1.0
