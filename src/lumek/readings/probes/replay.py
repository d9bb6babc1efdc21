"""Recorded readings, given again at their own pace, faster, or in a loop."""

import os
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import TYPE_CHECKING, Any

from lumek.errors import PortError, SettingError
from lumek.readings.clock import HOST_CLOCK, Clock
from lumek.readings.extras import wanted_by
from lumek.readings.log import COLUMNS, json_rows, load
from lumek.readings.probe import Probe, Taken
from lumek.readings.settings import positive

if TYPE_CHECKING:
    import numpy as np
    import pandas as pd
    from numpy.typing import NDArray


class Replay:
    """A recording; `probe` makes probes of its columns, which run from one clock.

    path: a CSV file with a line of names, or JSON Lines; or a log of Lumek's. column: that of the times: ISO 8601 (UTC
    where no zone is said), times of a day ("06:10", of today, and of
    the next day where they go back), or seconds since 1970 or any other moment.
    speed: seconds of the recording in one second. loop: begin again at the end. clock: by which it runs, from now on.

    A row stands until the next one comes; the time of a reading is the recorded one, later by the length of the
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
        self.path = Path(path)
        self.speed = positive(speed, "speed")
        self.loop = loop
        self.clock = clock
        self._frame = _read(self.path)
        if column not in self._frame:
            raise SettingError(f"{path} has no column {column!r}: it has {', '.join(map(str, self._frame))}")
        self._times = _seconds(self._frame.pop(column), self.path, clock)
        self.columns = [str(name) for name in self._frame]
        self._start = clock.elapsed()
        usual = _usual_step(self._times)
        self.length_s = float(self._times[-1] - self._times[0]) + usual
        self.lifetime_s = 3 * usual / speed

    @property
    def ended(self) -> bool:
        """Whether it has come to its end; a loop never does."""
        return not self.loop and self._passed() >= self.length_s

    def _passed(self) -> float:
        return (self.clock.elapsed() - self._start) * self.speed

    def probe(self, name: str, unit: str = "", *, column: str | None = None, **settings: Any) -> "ReplayProbe":
        """A probe of a column, which has the probe's name by default.

        settings: those of `Probe`; lifetime_s is three of the usual steps of the recording unless it is given. Raises
        SettingError for a column that is not there.
        """
        column = name if column is None else column
        if column not in self.columns:
            raise SettingError(f"{self.path} has no column {column!r}: it has {', '.join(self.columns)}")
        return ReplayProbe(self, name, unit, column, **settings)

    def value(self, column: str) -> Taken:
        """What stands in a column now."""
        import numpy as np

        passed = self._passed()
        rounds, within = divmod(passed, self.length_s) if self.loop else (0.0, passed)
        row = int(np.searchsorted(self._times, self._times[0] + within, side="right")) - 1
        value = self._frame[column].iloc[row]
        time = float(self._times[row])
        age_s = (self._times[0] + within - time) / self.speed
        return Taken(None if value is None or value != value else value, self.clock.elapsed() - age_s,
                     time + rounds * self.length_s)  # fmt: skip

    def close(self) -> None:
        """There is nothing to let go of."""


class ReplayProbe(Probe):
    """A column of a recording; `Replay.probe` makes it."""

    def __init__(self, replay: Replay, name: str, unit: str, column: str, **settings: Any) -> None:
        settings.setdefault("lifetime_s", replay.lifetime_s)
        super().__init__(name, unit, clock=replay.clock, **settings)
        self._replay = replay
        self._column = column

    def take(self) -> object:
        """What stands in the column now."""
        return self._replay.value(self._column)


def _read(path: Path) -> "pd.DataFrame":
    with wanted_by("a replay", "readings"):
        import pandas as pd
    try:
        if path.suffix.lower() == ".csv":
            frame = pd.read_csv(path, skipinitialspace=True)
        elif path.suffix.lower() == ".jsonl":
            frame = pd.DataFrame.from_records(json_rows(path.read_text(encoding="utf-8")))
        else:
            raise SettingError(f"a recording's name ends in .csv or .jsonl, not {path.name!r}")
    except OSError as problem:
        raise PortError(f"{path} cannot be read: {problem.strerror or problem}") from None
    except ValueError as problem:
        if isinstance(problem, SettingError):
            raise
        raise SettingError(f"{path} is no recording: {problem}") from None
    if tuple(frame.columns) == COLUMNS:
        log = load(path)
        values = log["value"].astype(object).where(log["text"] == "", log["text"])
        frame = log.assign(value=values).pivot_table("value", "time", "name", aggfunc="last").reset_index()
    if frame.empty:
        raise SettingError(f"{path} is no recording: it has no line of values")
    return frame


def _seconds(times: "pd.Series[Any]", path: Path, clock: Clock) -> "NDArray[np.float64]":
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
        raise SettingError(f"{path}: a time cannot be read: {problem}") from None
    if not np.isfinite(seconds).all() or (np.diff(seconds) < 0).any():
        raise SettingError(f"{path}: times are missing or go back")
    return seconds


def _usual_step(times: "NDArray[np.float64]") -> float:
    import numpy as np

    steps = np.diff(times)
    return float(np.median(steps[steps > 0])) if (steps > 0).any() else 1.0
