"""Filters: from a jumpy reading to a steady one, one value at a time or an array at once.

    smooth = Hampel(7) | Exponential(20)
    smooth(reading)                 # one reading
    smooth.over(values, times)      # an array

`filter` has the rules for flaws and times that all keep.
"""

from lumek.readings.smoothing.filter import Chain, Filter
from lumek.readings.smoothing.following import DeadBand, Exponential, Highest, Hysteresis, Lowest, RateLimit, Tare
from lumek.readings.smoothing.resample import Resample, resampled
from lumek.readings.smoothing.windows import Hampel, MovingMean, MovingMedian, RateOfChange

__all__ = [
    "Chain",
    "DeadBand",
    "Exponential",
    "Filter",
    "Hampel",
    "Highest",
    "Hysteresis",
    "Lowest",
    "MovingMean",
    "MovingMedian",
    "RateLimit",
    "RateOfChange",
    "Resample",
    "Tare",
    "resampled",
]
