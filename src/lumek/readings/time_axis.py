"""The time axis of a chart, from which long pauses may be cut out."""

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

LONG = 0.15
"""A pause of this share of all the time may be cut out."""

WORTH = 0.5
"""It is cut out when all that is left is less than this share of all the time."""

LEFT = 0.04
"""What is left of a pause, as a share of all that is not cut out."""

DAY_S = 86_400.0

Seconds = NDArray[np.float64]


class TimeAxis:
    """Where moments are on the axis, in days of Matplotlib; pauses of months between hours of readings are cut out.

    seconds: of all readings, since 1970.
    """

    def __init__(self, seconds: Seconds) -> None:
        times = np.unique(seconds)
        apart = np.diff(times)
        span = float(times[-1] - times[0]) if times.size else 0.0
        cut = np.flatnonzero(apart > LONG * span) if span else np.array([], dtype=int)
        covered = span - float(apart[cut].sum())
        if covered >= WORTH * span:
            cut = cut[:0]
        self._starts, self._ends = times[cut], times[cut + 1]
        room = LEFT * covered if covered else DAY_S / 24
        self._taken = np.concatenate([[0.0], np.cumsum(apart[cut] - room)])
        self.stretches = (
            list(zip([times[0], *self._ends], [*self._starts, times[-1]], strict=True)) if times.size else []
        )
        """The beginning and end of each stretch between cuts."""

    @property
    def is_cut(self) -> bool:
        """Whether anything is cut out."""
        return bool(self._starts.size)

    def place(self, seconds: Any) -> Seconds:
        """Where moments are."""
        moments = np.asarray(seconds, np.float64)
        placed: Seconds = (moments - self._taken[np.searchsorted(self._starts, moments, "left")]) / DAY_S
        return placed

    def joints(self) -> list[float]:
        """Where something was cut out."""
        return [
            float(self.place(start) + self.place(end)) / 2 for start, end in zip(self._starts, self._ends, strict=True)
        ]

    def prepare(self, axes: Sequence[Any], zone: str) -> None:
        """Set the ticks of the lowest of these axes, and mark in all of them where something was cut out."""
        import matplotlib.dates
        from matplotlib.ticker import FixedLocator

        dates: Any = matplotlib.dates
        low = axes[-1].xaxis
        if not self.is_cut:
            locator = dates.AutoDateLocator(tz=zone)
            low.set_major_locator(locator)
            low.set_major_formatter(dates.ConciseDateFormatter(locator, tz=zone))
            return
        whole = sum(end - start for start, end in self.stretches) or 1.0
        ticks, labels = [], []
        for start, end in self.stretches:
            most = max(2, round(8 * (end - start) / whole))
            locator = dates.AutoDateLocator(tz=zone, minticks=2, maxticks=most + 1)
            first, last = (dates.num2date(moment / DAY_S, tz=zone) for moment in (start, end))
            found = [tick for tick in locator.tick_values(first, last) if start / DAY_S <= tick <= end / DAY_S]
            for number, tick in enumerate(found[:: -(-len(found) // most)] if found else [start / DAY_S]):
                ticks.append(float(self.place(tick * DAY_S)))
                labels.append(dates.num2date(tick, tz=zone).strftime("%H:%M\n%Y-%m-%d" if number == 0 else "%H:%M"))
        low.set_major_locator(FixedLocator(ticks))
        low.set_ticklabels(labels)
        for axis in axes:
            for joint in self.joints():
                axis.axvline(joint, color="#999999", linestyle=(0, (2, 3)), linewidth=1.2)
