"""What all filters are: one value at a time or an array at once, with the same result, and chainable.

Rules that hold for every filter, unless it says otherwise:
- What is flawed comes out as it is, and the filter learns nothing from it; NaN and the infinities come out as NaN.
- A time before the last one (a clock set back, a recording that begins again) makes a filter that needs times start
  afresh; the others do not look at it.
- In an array a NaN, or an infinity, is a flawed reading.
"""

from abc import abstractmethod
from collections.abc import Callable
from itertools import pairwise
from math import isfinite, nan
from typing import TYPE_CHECKING, Any, Self, overload

from lumek._harmless import quoted
from lumek.errors import SettingError
from lumek.readings.reading import Reading
from lumek.readings.stage import Remembering, Stage, staged

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import ArrayLike, NDArray

    Array = NDArray[np.float64]


class Filter(Remembering):
    """A filter. `f(reading)` or `f(value, time)` filters one value, `f.over(values, times)` an array.

    `a | b` is a filter that does a, then b; b may also be a function of a number.
    """

    needs_time = True

    def __init__(self) -> None:
        self._time: float | None = None
        self._behind: str | None = None

    @overload
    def __call__(self, value: Reading) -> Reading: ...
    @overload
    def __call__(self, value: float, time: float | None = None) -> float: ...
    def __call__(self, value: float, time: float | None = None) -> float:
        """One value, filtered: a reading, or a number and its time in seconds.

        What has no answer yet comes out as NaN, or as a missing reading. Raises SettingError for a number without a
        time where the filter needs one.
        """
        if isinstance(value, Reading):
            number = value if value.good and value == value else float("nan")
            out = self.step(float(number), value.time)
            if number != number:
                return value
            return (
                value.but(out)
                if out == out
                else value.but(out, flaw="missing", cause=f"too few for {quoted(self)} yet")
            )
        if time is None and self.needs_time:
            raise SettingError(f"{quoted(self)} needs the time of each value: give a reading, or a number and its time")
        return self.step(float(value), 0.0 if time is None else time)

    def step(self, value: float, time: float) -> float:
        """One value at its time; NaN for a flawed one."""
        if self.needs_time and self._time is not None and time < self._time:
            self.reset()
        self._time = time
        if isfinite(value):
            return self._good(value, time)
        self._hole(time)
        return nan

    def reset(self) -> None:
        """Forget what came so far."""
        self._time = None

    @abstractmethod
    def _good(self, value: float, time: float) -> float:
        """What comes out for a good value."""

    def _hole(self, time: float) -> None:
        """A flawed reading came."""

    def over(self, values: "ArrayLike", times: "ArrayLike | None" = None) -> "Array":
        """All values of an array filtered, as one after the other would be by a filter that is new.

        values: n numbers; NaN for a flawed one.
        times: n times, in seconds or as datetimes, such as a column of the frame that `lumek.readings.load` gives. What
            this filter has seen so far neither matters nor changes.
        Raises SettingError for lengths that differ and for times that are missing.
        """
        import numpy as np

        numbers, moments = self._series(values, times)
        back = np.flatnonzero(np.diff(moments) < 0) + 1 if self.needs_time else np.zeros(0, int)
        starts = [0, *back.tolist(), len(numbers)]
        with np.errstate(all="ignore"):  # what is beyond all floats becomes infinite, or NaN
            parts = [self._run(numbers[a:b], moments[a:b]) for a, b in pairwise(starts) if a < b]
        return np.concatenate(parts) if parts else numbers

    def _series(self, values: "ArrayLike", times: "ArrayLike | None") -> "tuple[Array, Array]":
        """Both as arrays that fit each other."""
        import numpy as np

        if times is not None:
            return series(values, times)
        if self.needs_time:
            raise SettingError(f"{quoted(self)} needs times: give one for each value")
        return series(values, np.zeros(np.shape(values)))

    def _run(self, values: "Array", times: "Array") -> "Array":
        """Values whose times do not go back, filtered by a filter that is new."""
        import numpy as np

        fresh = self.copy()
        pairs = zip(values.tolist(), times.tolist(), strict=True)
        return np.array([fresh.step(value, time) for value, time in pairs], np.float64)

    def copy(self) -> Self:
        """The same filter, which has seen nothing."""
        from copy import copy

        new = copy(self)
        new._behind = None
        new.reset()
        return new

    def put_behind(self, probe: str) -> None:
        """Set the probe that it follows. Raises SettingError when it follows another."""
        if self._behind is not None:
            raise SettingError(
                f"{quoted(self)} already follows the probe {quoted(self._behind)}: give {quoted(probe)} its copy()"
            )
        self._behind = probe

    def __or__(self, after: Stage) -> "Chain":
        return Chain(self, after)

    def __ror__(self, before: Stage) -> "Chain":
        return Chain(before, self)

    def __repr__(self) -> str:
        given = ((name, value) for name, value in vars(self).items() if not name.startswith(("_", "needs_")))
        settings = ", ".join(f"{name}={value!r}" for name, value in given if value is not None)
        return f"{type(self).__name__}({settings})"


class Chain(Filter):
    """Filters and functions of a number, one behind the other. `MovingMedian(5) | Exponential(10)` makes one."""

    def __init__(self, *stages: Stage) -> None:
        super().__init__()
        for stage in stages:
            if not callable(stage):
                raise SettingError(f"{quoted(stage)} can be no part of a chain: give filters and functions of a number")
        self._stages: list[Stage] = [
            part for stage in stages for part in (stage._stages if isinstance(stage, Chain) else [stage])
        ]
        self.needs_time = any(stage.needs_time for stage in self._filters())

    def _filters(self) -> list[Filter]:
        return [stage for stage in self._stages if isinstance(stage, Filter)]

    @overload
    def __call__(self, value: Reading) -> Reading: ...
    @overload
    def __call__(self, value: float, time: float | None = None) -> float: ...
    def __call__(self, value: float, time: float | None = None) -> float:
        """One value, led through all stages."""
        if not isinstance(value, Reading):
            return super().__call__(value, time)
        for stage in self._stages:
            value = staged(stage, value)
        return value

    def _good(self, value: float, time: float) -> float:
        return self.step(value, time)

    def step(self, value: float, time: float) -> float:
        """One value at its time through all stages."""
        for stage in self._stages:
            value = stage.step(value, time) if isinstance(stage, Filter) else _converted(stage, value)
        return value

    def over(self, values: "ArrayLike", times: "ArrayLike | None" = None) -> "Array":
        """All values of an array led through all stages; as `Filter.over`."""
        import numpy as np

        numbers, moments = self._series(values, times)
        for stage in self._stages:
            if isinstance(stage, Filter):
                numbers = stage.over(numbers, moments)
            else:
                numbers = np.array([_converted(stage, value) for value in numbers.tolist()], np.float64)
        return numbers

    def put_behind(self, probe: str) -> None:
        """Set the probe that all its filters follow."""
        for stage in self._filters():
            stage.put_behind(probe)

    def reset(self) -> None:
        """Forget what came so far, in every stage."""
        super().reset()
        for stage in self._filters():
            stage.reset()

    def copy(self) -> "Chain":
        """The same chain, which has seen nothing."""
        return Chain(*(stage.copy() if isinstance(stage, Filter) else stage for stage in self._stages))

    def __repr__(self) -> str:
        return " | ".join(
            repr(stage) if isinstance(stage, Filter) else getattr(stage, "__name__", repr(stage))
            for stage in self._stages
        )


def series(values: "ArrayLike", times: "ArrayLike") -> "tuple[Array, Array]":
    """Values, and their times in seconds, as arrays. SettingError when they do not fit, or a time is missing."""
    import numpy as np

    numbers, moments = np.asarray(values, np.float64), np.asarray(times)
    if moments.dtype.kind == "M":
        moments = (moments - np.datetime64(0, "s")) / np.timedelta64(1, "s")
    elif moments.dtype.kind == "O":  # datetimes with a zone
        moments = np.array([getattr(time, "timestamp", lambda time=time: time)() for time in moments])
    moments = moments.astype(np.float64)
    if numbers.ndim != 1 or numbers.shape != moments.shape:
        raise SettingError(f"values and times must be rows of one length, not {numbers.shape} and {moments.shape}")
    if not np.isfinite(moments).all():
        raise SettingError("a time is missing: leave such values out")
    return np.where(np.isfinite(numbers), numbers, nan), moments


def _converted(stage: Callable[[Any], float], value: float) -> float:
    """What a function makes of a number; NaN is left alone."""
    return value if value != value else float(stage(value))
