"""Readings at uneven times brought to an even grid."""

from math import floor, fsum, nan
from statistics import median
from typing import TYPE_CHECKING

from lumek._harmless import quoted
from lumek.errors import SettingError
from lumek.readings.settings import duration
from lumek.readings.smoothing.filter import Filter, series

if TYPE_CHECKING:
    from collections.abc import Callable

    from numpy.typing import ArrayLike

    from lumek.readings.smoothing.filter import Array

SUMMARIES: "dict[str, Callable[[list[float]], float]]" = {
    "mean": lambda values: fsum(values) / len(values),
    "median": median,
    "last": lambda values: values[-1],
    "lowest": min,
    "highest": max,
}
"""What may represent the values of one step of the grid."""


class Resample(Filter):
    """One value for each step of an even grid, held until the next step is complete.

    every_s: the step in seconds; steps begin at multiples of it.
    how: "mean", "median", "last", "lowest" or "highest" of the values in a step. What comes out is the last complete
        step that had values; before there is one, NaN or a missing reading. `resampled` makes the even series itself.
    """

    def __init__(self, every_s: float, how: str = "mean") -> None:
        super().__init__()
        self.every_s = _checked(every_s, how)
        self.how = how
        self._step: float | None = None
        self._values: list[float] = []
        self._out = nan

    def _good(self, value: float, time: float) -> float:
        step = floor(time / self.every_s)
        if step != self._step:
            if self._values:
                self._out = SUMMARIES[self.how](self._values)
            self._step, self._values = step, []
        self._values.append(value)
        return self._out

    def _run(self, values: "Array", times: "Array") -> "Array":
        import numpy as np

        result = np.full(len(values), nan)
        good = ~np.isnan(values)
        steps, summaries = _steps(values[good], times[good], self.every_s, self.how)
        place = np.searchsorted(steps, np.floor(times[good] / self.every_s)) - 1
        result[good] = np.where(place < 0, nan, summaries[place])
        return result

    def reset(self) -> None:
        """Forget what came so far."""
        super().reset()
        self._step, self._values, self._out = None, [], nan


def resampled(
    values: "ArrayLike", times: "ArrayLike", every_s: float, how: str = "mean", longest_gap_s: float | None = None
) -> "tuple[Array, Array]":
    """A series brought to an even grid: its values, and the times at which the steps begin.

    values, times: n numbers, NaN for flawed ones, and their times, in seconds or as datetimes, which must not go back.
    every_s: the step of the grid; steps begin at multiples of it.
    how: "mean", "median", "last", "lowest" or "highest" of the good values in a step, NaN where there is none; or
        "linear": on the straight line between the good values before and after the grid's time.
    longest_gap_s: "linear" leaves NaN between two values that are further apart; by default it bridges all.

    Raises SettingError for lengths that differ, times that go back, an unknown `how` and a step that is not above 0.
    """
    import numpy as np

    _checked(every_s, how, "linear")
    numbers, moments = series(values, times)
    if (np.diff(moments) < 0).any():
        raise SettingError("times must not go back: sort the readings by time")
    if not len(numbers):
        return numbers, moments
    good = ~np.isnan(numbers)
    first, last = np.floor(moments[0] / every_s), np.floor(moments[-1] / every_s)
    if last - first >= 1e8:
        raise SettingError(
            f"a step of {every_s:g} s makes more than 100 million steps of these times: take a longer one"
        )
    grid = np.arange(first, last + 1)
    result = np.full(len(grid), nan)
    if how != "linear":
        steps, summaries = _steps(numbers[good], moments[good], every_s, how)
        result[np.searchsorted(grid, steps)] = summaries
    elif good.any():
        at, known = grid * every_s, moments[good]
        result = np.interp(at, known, numbers[good], left=nan, right=nan)
        if longest_gap_s is not None:
            before = known[np.maximum(np.searchsorted(known, at, side="right") - 1, 0)]
            after = known[np.minimum(np.searchsorted(known, at), len(known) - 1)]
            result[after - before > longest_gap_s] = nan
    return result, grid * every_s


def _steps(values: "Array", times: "Array", every_s: float, how: str) -> "tuple[Array, Array]":
    """The steps that have values, and what represents them."""
    import numpy as np

    if not len(values):
        return np.zeros(0), np.zeros(0)
    steps, first = np.unique(np.floor(times / every_s), return_index=True)
    groups = np.split(values, first[1:])
    return steps, np.array([SUMMARIES[how](group.tolist()) for group in groups])


def _checked(every_s: float, how: str, *more: str) -> float:
    if how not in (*SUMMARIES, *more):
        raise SettingError(f"how is not {quoted(how)}: it is {', '.join((*SUMMARIES, *more))}")
    return duration(every_s, "every_s")
