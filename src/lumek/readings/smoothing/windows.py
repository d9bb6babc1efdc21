"""Filters that look at a window: the value and those before it.

A window has either a number of samples, flawed ones included (so that a gap empties it in the end), or the seconds up
to and with the newest: a sample as old as that is out. Only good samples count.
"""

from abc import abstractmethod
from collections import deque
from math import fsum, nan
from statistics import median
from typing import TYPE_CHECKING

from lumek._harmless import quoted
from lumek.errors import SettingError
from lumek.readings.settings import duration, positive
from lumek.readings.smoothing.filter import Filter

if TYPE_CHECKING:
    from lumek.readings.smoothing.filter import Array

GAUSS = 1.482602218505602
"""From a median of absolute deviations to a standard deviation of normal noise: 1 / 0.6745 (1 / the 75 % quantile)."""

MOST_SAMPLES = 1_000_000

BLOCK = 1_000_000
"""Numbers that an array filter holds at once."""


class Windowed(Filter):
    """A filter with a window of `samples` or of `seconds`; one of them must be given.

    Raises SettingError for none or both of them, and for a window without a sample.
    """

    def __init__(self, samples: int | None = None, seconds: float | None = None) -> None:
        super().__init__()
        if (samples is None) == (seconds is None):
            raise SettingError(f"{type(self).__name__} needs samples=N or seconds=S, and only one of them")
        if samples is not None and (not isinstance(samples, int) or not 1 <= samples <= MOST_SAMPLES):
            raise SettingError(f"a window has 1 to {MOST_SAMPLES} samples, not {quoted(samples)}")
        self.samples = samples
        self.seconds = None if seconds is None else duration(seconds, "seconds")
        self.needs_time = seconds is not None
        self._window: deque[tuple[float, float]] = deque(maxlen=samples)

    def _good(self, value: float, time: float) -> float:
        self._window.append((value, time))
        if self.seconds is not None:
            while len(self._window) > 1 and self._window[0][1] <= time - self.seconds:
                self._window.popleft()
        good = [sample for sample in self._window if sample[0] == sample[0]]
        return self._summary([sample[0] for sample in good], [sample[1] for sample in good])

    def _hole(self, time: float) -> None:
        if self.samples is not None:
            self._window.append((nan, time))

    @abstractmethod
    def _summary(self, values: list[float], times: list[float]) -> float:
        """What comes out of the good samples of a window, the newest last."""

    @abstractmethod
    def _summaries(self, values: "Array", times: "Array") -> "Array":
        """The same of many windows: rows that begin with the newest, with NaN where there is no sample."""

    def _run(self, values: "Array", times: "Array") -> "Array":
        import numpy as np

        result = np.full(len(values), nan)
        good = np.flatnonzero(~np.isnan(values))
        if self.seconds is not None:
            # The newest is always in its window, also where the seconds are lost in the rounding of its time.
            first = np.minimum(np.searchsorted(times, times[good] - self.seconds, side="right"), good)
        else:
            first = np.maximum(good - (self.samples or 1) + 1, 0)
        rows = max(1, BLOCK // max(1, int((good - first).max(initial=0)) + 1))
        for start in range(0, len(good), rows):
            newest, oldest = good[start : start + rows], first[start : start + rows]
            places = newest[:, None] - np.arange((newest - oldest).max() + 1)
            inside = places >= oldest[:, None]
            places = np.maximum(places, 0)
            window = np.where(inside, values[places], nan)
            result[newest] = self._summaries(window, np.where(np.isnan(window), nan, times[places]))
        return result

    def reset(self) -> None:
        """Forget what came so far."""
        super().reset()
        self._window = deque(maxlen=self.samples)


class MovingMean(Windowed):
    """The mean of a window: takes noise away, and smears spikes and steps over the window."""

    def _summary(self, values: list[float], times: list[float]) -> float:
        return fsum(values) / len(values)

    def _summaries(self, values: "Array", times: "Array") -> "Array":
        import numpy as np

        return np.asarray(np.nanmean(values, axis=1))


class MovingMedian(Windowed):
    """The median of a window: takes spikes away that are shorter than half of it, and keeps steps."""

    def _summary(self, values: list[float], times: list[float]) -> float:
        return median(values)

    def _summaries(self, values: "Array", times: "Array") -> "Array":
        import numpy as np

        return np.asarray(np.nanmedian(values, axis=1))


class Hampel(Windowed):
    """Spikes become the median of the window; everything else stays as it is.

    sigmas: a value is a spike when it is further from the median than this many standard deviations, estimated by
        1.4826 times the median of the absolute deviations.
    least: what is nearer than this to the median is never a spike; the resolution of the sensor, so that a still signal
        may move by a step. With fewer than three good samples nothing is a spike.
    Source: F. R. Hampel, The influence curve and its role in robust estimation, J. Am. Stat. Assoc. 69 (1974).
    """

    def __init__(
        self, samples: int | None = None, seconds: float | None = None, *, sigmas: float = 3.0, least: float = 0.0
    ) -> None:
        super().__init__(samples, seconds)
        self.sigmas = positive(sigmas, "sigmas", or_zero=True)
        self.least = positive(least, "least", or_zero=True)

    def _summary(self, values: list[float], times: list[float]) -> float:
        middle = median(values)
        spread = GAUSS * median(abs(value - middle) for value in values)
        off = abs(values[-1] - middle)
        return middle if len(values) > 2 and off > self.sigmas * spread and off > self.least else values[-1]

    def _summaries(self, values: "Array", times: "Array") -> "Array":
        import numpy as np

        middle = np.nanmedian(values, axis=1)
        spread = GAUSS * np.nanmedian(np.abs(values - middle[:, None]), axis=1)
        off = np.abs(values[:, 0] - middle)
        spike = ((~np.isnan(values)).sum(axis=1) > 2) & (off > self.sigmas * spread) & (off > self.least)
        return np.where(spike, middle, values[:, 0])


class RateOfChange(Windowed):
    """How fast a value changes: the slope of the straight line that fits the window best (least squares).

    per_s: the unit of time of the rate, in seconds: 1 for "per second", 3600 for "per hour". The window is the last two
        samples by default. Before two times are known there is no answer: NaN, or a missing reading.
    """

    def __init__(self, samples: int | None = None, seconds: float | None = None, *, per_s: float = 1.0) -> None:
        super().__init__(2 if samples is None and seconds is None else samples, seconds)
        if self.samples == 1:
            raise SettingError("a rate of change needs two samples at least")
        self.per_s = positive(per_s, "per_s")
        self.needs_time = True

    def _summary(self, values: list[float], times: list[float]) -> float:
        # Before the newest, times are small numbers, and equal ones are exactly 0.
        passed = [time - times[-1] for time in times]
        mean, moment = fsum(values) / len(values), fsum(passed) / len(passed)
        spread = fsum((time - moment) ** 2 for time in passed)
        if spread == 0:
            return nan
        return fsum((t - moment) * (v - mean) for v, t in zip(values, passed, strict=True)) / spread * self.per_s

    def _summaries(self, values: "Array", times: "Array") -> "Array":
        import numpy as np

        passed = times - times[:, :1]
        offset = passed - np.nanmean(passed, axis=1, keepdims=True)
        rise = np.nansum(offset * (values - np.nanmean(values, axis=1, keepdims=True)), axis=1)
        spread = np.nansum(offset**2, axis=1)
        return np.where(spread > 0, rise / np.where(spread > 0, spread, 1) * self.per_s, nan)
