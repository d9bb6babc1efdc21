"""Filters that follow a value: what comes out depends on what came out before."""

from abc import abstractmethod
from math import exp, expm1, nan
from typing import TYPE_CHECKING

from lumek._harmless import quoted
from lumek.errors import SettingError
from lumek.readings.settings import duration, finite, positive
from lumek.readings.smoothing.filter import Filter

if TYPE_CHECKING:
    from lumek.readings.smoothing.filter import Array

SPAN = 30.0
"""Time constants that one block of an array spans: the weights in it stay within e**30, far from the end of floats."""


class Following(Filter):
    """A filter that remembers what came out of it last, NaN before there was anything."""

    def __init__(self) -> None:
        super().__init__()
        self._out = nan

    def reset(self) -> None:
        """Forget what came so far."""
        super().reset()
        self._out = nan


class Trailing(Following):
    """A filter that begins with the first good value, and goes towards each later one for the time since the last."""

    def __init__(self) -> None:
        super().__init__()
        self._since = 0.0

    def _good(self, value: float, time: float) -> float:
        self._out = value if self._out != self._out else self._out + self._way(value - self._out, time - self._since)
        self._since = time
        return self._out

    @abstractmethod
    def _way(self, distance: float, seconds: float) -> float:
        """How far it goes towards a value at that distance, in that many seconds."""


class Exponential(Trailing):
    """A first-order low pass: after a step it has gone 63 % of the way when the time constant has passed.

    time_constant_s: in seconds. Exact for uneven intervals: each value is taken to have stood since the one before, so
        y += (1 - exp(-dt / time constant)) * (x - y). It begins with the first good value. After a gap the next value
        counts for the whole of it, so after a long gap the filter starts again by itself.
    Source: the solution of T dy/dt = x - y for an x that is constant over dt.
    """

    def __init__(self, time_constant_s: float) -> None:
        super().__init__()
        self.time_constant_s = duration(time_constant_s, "time_constant_s")

    def _way(self, distance: float, seconds: float) -> float:
        return -expm1(-seconds / self.time_constant_s) * distance

    def _run(self, values: "Array", times: "Array") -> "Array":
        import numpy as np

        good = np.flatnonzero(~np.isnan(values))
        result = np.full(len(values), nan)
        if not len(good):
            return result
        x, t = values[good], (times[good] - times[good[0]]) / self.time_constant_s
        y = np.empty(len(x))
        y[0] = x[0]
        start = 0
        while start < len(x) - 1:
            # y[k] e**t[k] = y[start] + the sum of (e**t[i] - e**t[i-1]) x[i], with t counted from the block's start
            stop = max(start + 2, int(np.searchsorted(t, t[start] + SPAN, side="right")))
            passed = t[start:stop] - t[start]
            if passed[-1] > SPAN:  # a gap: one step, in which hardly anything of what was before remains
                y[start + 1] = x[start + 1] + (y[start] - x[start + 1]) * exp(-float(passed[-1]))
            else:
                weights = np.exp(passed)
                rise = -np.expm1(passed[:-1] - passed[1:]) * weights[1:] * (x[start + 1 : stop] - y[start])
                y[start + 1 : stop] = y[start] + np.cumsum(rise) / weights[1:]
            start = stop - 1
        result[good] = y
        return result


class RateLimit(Trailing):
    """Follows a value by at most so much a second; a spike can pull it only a little.

    per_s: the greatest change in a second. It begins with the first good value; over a gap it may go as far as the time
        allows.
    """

    def __init__(self, per_s: float) -> None:
        super().__init__()
        self.per_s = positive(per_s, "per_s")

    def _way(self, distance: float, seconds: float) -> float:
        most = self.per_s * seconds
        return min(max(distance, -most), most)


class DeadBand(Following):
    """Stays until the value has left it by more than the band, then takes the value: a display that does not flicker.

    band: the difference that is passed over, in the unit of the value. A gap changes nothing.
    """

    needs_time = False

    def __init__(self, band: float) -> None:
        super().__init__()
        self.band = positive(band, "band", or_zero=True)

    def _good(self, value: float, time: float) -> float:
        if not abs(value - self._out) <= self.band:
            self._out = value
        return self._out


class Hysteresis(Filter):
    """A switch with two thresholds: 1 from `on`, 0 from `off`, and as it was between them; at first 0.

    on, off: both belong to their side. With on below off it is a switch for low values: 1 from `on` downward. A gap
        changes nothing.
    """

    needs_time = False

    def __init__(self, on: float, off: float) -> None:
        super().__init__()
        if finite(on, "on") == finite(off, "off"):
            raise SettingError(f"on and off must be two different numbers, not {quoted(on)} and {quoted(off)}")
        self.on, self.off = on, off
        self._out = 0.0

    def _good(self, value: float, time: float) -> float:
        sign = 1 if self.on > self.off else -1
        if (value - self.on) * sign >= 0:
            self._out = 1.0
        elif (value - self.off) * sign <= 0:
            self._out = 0.0
        return self._out

    def _run(self, values: "Array", times: "Array") -> "Array":
        import numpy as np

        above, below = (np.greater_equal, np.less_equal) if self.on > self.off else (np.less_equal, np.greater_equal)
        decided = np.where(above(values, self.on), 1.0, np.where(below(values, self.off), 0.0, nan))
        last = np.maximum.accumulate(np.where(np.isnan(decided), -1, np.arange(len(values))))
        return np.where(np.isnan(values), nan, np.where(last < 0, 0.0, decided[last]))

    def reset(self) -> None:
        """Forget what came so far: it is 0."""
        super().reset()
        self._out = 0.0


class Tare(Filter):
    """What lies above a zero that is set by hand: `tare.zero_here()` makes the last value the zero.

    zero: the zero at the start, in the unit of the value. It survives `reset`.
    Raises SettingError for what is not a number.
    """

    needs_time = False

    def __init__(self, zero: float = 0.0) -> None:
        super().__init__()
        self.zero = finite(zero, "zero")
        self._last = nan

    def _good(self, value: float, time: float) -> float:
        self._last = value
        return value - self.zero

    def zero_here(self) -> float:
        """Make the last good value the zero, and return it. Raises SettingError before there is one."""
        if self._last != self._last:
            raise SettingError("there is no value yet that could be the zero")
        self.zero = self._last
        return self.zero

    def _run(self, values: "Array", times: "Array") -> "Array":
        return values - self.zero


class _Extreme(Following):
    needs_time = False
    _sign = 1

    def __init__(self) -> None:
        super().__init__()
        self._at: float | None = None

    def _good(self, value: float, time: float) -> float:
        if not self._out * self._sign >= value * self._sign:
            self._out, self._at = value, time
        return self._out

    @property
    def at(self) -> float | None:
        """When it was so, in the time of the values; None before there was one."""
        return self._at

    def _run(self, values: "Array", times: "Array") -> "Array":
        import numpy as np

        reached = np.maximum.accumulate(np.where(np.isnan(values), -np.inf, values * self._sign)) * self._sign
        return np.where(np.isnan(values), nan, reached)

    def reset(self) -> None:
        """Start again: the next value is the record."""
        super().reset()
        self._at = None


class Highest(_Extreme):
    """The highest value since the start or the last `reset`; `at` is its time."""


class Lowest(_Extreme):
    """The lowest value since the start or the last `reset`; `at` is its time."""

    _sign = -1
