"""Where readings come from: the one protocol of all probes, and what none of them has to do for itself."""

from abc import ABC, abstractmethod
from collections.abc import Callable
from math import nan
from numbers import Real
from typing import Protocol, Self, TypedDict, Unpack, runtime_checkable

from lumek._harmless import quoted
from lumek.errors import GarbledError, SettingError
from lumek.readings.reading import Reading, one_line
from lumek.readings.settings import duration
from lumek.readings.stage import Remembering, Stage, staged
from lumek.readings.time_source import HOST_CLOCK, TimeSource

LIFETIME_S = 10.0
ROUNDS = 3
"""Default lifetime of a reading, in polling intervals; at least 10 s."""

FRESH_S = 0.001
"""A younger reading has no age."""

LONGEST_WORDS = 4000
"""Characters of the words that a probe brings; no panel shows more, and every one of them is logged."""

AGING = (None, "under", "over")
"""Readings with these flaws become stale; the others have no value that could."""


@runtime_checkable
class Polled(Protocol):
    """What everything that takes readings is asked for; anything that has it will do as a probe.

    name: what is measured.
    shortest_s: seconds that must pass between two polls; an earlier one gives the last reading again.
    lifetime_s: a reading older than that is stale; None for three times the pace at which it is polled, and 10 s at
        least.

    It may also have `may_come`: whether a value that is missing is likely to arrive soon by itself, as from a broker.
    """

    name: str
    shortest_s: float
    lifetime_s: float | None

    def poll(self) -> Reading:
        """The reading as it is now. Raises nothing."""
        ...

    def close(self) -> None:
        """Let go of what it holds. A second time does nothing."""
        ...


class Taken:
    """What `Probe.take` may return instead of a bare value, when it knows when the value came.

    at: by the probe's `TimeSource.elapsed`.
    time: Unix time to write on the reading; the same value has the same time whenever it is polled, so that filters and
        logs take it once.
    """

    def __init__(self, value: object, at: float, time: float) -> None:
        self.value = value
        self.at = at
        self.time = time


class SourceSettings(TypedDict, total=False):
    """The settings of a probe that takes from a source, by name; see `Probe`."""

    low: float | None
    high: float | None
    shortest_s: float
    lifetime_s: float | None
    words: bool


class ProbeSettings(SourceSettings, total=False):
    """The settings that every other probe takes, by name; see `Probe`."""

    clock: TimeSource


class Probe(ABC):
    """A probe whose subclass says only how to `take` a value. Flaws, limits, pace and age are seen to here.

    name: what is measured.
    unit: text, as 'kg'.
    low, high: a number; a reading below low is under, one above high is over.
    shortest_s: seconds, 0 to 100000000, between two polls at least; an earlier one gives the last reading again.
    lifetime_s: seconds, 0.001 to 100000000, after which a reading is stale; default: three polling intervals, at least
        10 s.
    words: true or false: its values are text (an address, a message), not numbers; 4000 characters of it are kept.
    clock: the clock that times are taken from; default: the host's.
    Raises SettingError for a setting that is not possible.
    """

    def __init__(
        self,
        name: str,
        unit: str = "",
        *,
        low: float | None = None,
        high: float | None = None,
        shortest_s: float = 0.0,
        lifetime_s: float | None = None,
        words: bool = False,
        clock: TimeSource = HOST_CLOCK,
    ) -> None:
        for limit in (low, high):
            if limit is not None and not isinstance(limit, Real):
                raise SettingError(f"low and high of {quoted(name)} must be numbers or None, not {quoted(limit)}")
        if low is not None and high is not None and not low < high:
            raise SettingError(f"low of {quoted(name)} must be below its high, not {quoted(low)} and {quoted(high)}")
        self.name = name
        self.unit = unit
        self.low, self.high = low, high
        self.shortest_s = duration(shortest_s, f"shortest_s of {quoted(name)}", or_zero=True)
        self.lifetime_s = None if lifetime_s is None else duration(lifetime_s, f"lifetime_s of {quoted(name)}")
        self.words = words
        self.clock = clock
        self._last: Reading | None = None
        self._at = 0.0
        self._polled = 0.0

    @abstractmethod
    def take(self) -> object:
        """The value as it is now: a number, its text, None for nothing, a `Reading`, or `Taken`. May raise anything."""

    def poll(self) -> Reading:
        """The reading as it is now. Raises nothing: what goes wrong is its flaw, with the cause.

        Within `shortest_s` of the last poll the sensor is left alone, and the last reading comes again with its age.
        """
        now = self.clock.elapsed()
        if self._last is None or now - self._polled >= self.shortest_s:
            self._polled = now
            self._last = self._new(now)
        age_s = self.clock.elapsed() - self._at
        return self._last if age_s < FRESH_S else aged(self._last, age_s, lifetime(self, self.shortest_s))

    def _new(self, now: float) -> Reading:
        self._at = now
        time = self.clock.time()
        try:
            value = self.take()
            if isinstance(value, Taken):
                self._at, time, value = value.at, value.time, value.value
            if isinstance(value, Reading):
                return value.but(name=value.name or self.name, unit=value.unit or self.unit).limited(
                    self.low, self.high
                )
            if self.words and value is not None:
                return Reading(None, self.name, self.unit, time, text=str(value)[:LONGEST_WORDS])
            return Reading.of(value, self.name, self.unit, time).limited(self.low, self.high)
        except (Exception, SystemExit) as problem:
            flaw = "invalid" if isinstance(problem, GarbledError) else "missing"
            return Reading(None, self.name, self.unit, time, flaw, cause=one_line(problem))

    def through(self, *stages: Stage, unit: str | None = None, low: float | None = None,
                high: float | None = None) -> "Through":  # fmt: skip
        """The probe followed by conversions and filters, in their order.

        stages: functions of a number, and filters of `lumek.readings.smoothing`, each for one probe; `copy()` makes one
            for another.
        unit: that of what comes out; it converts nothing.
        low, high: its limits. A flaw of the raw reading stays: where a conversion falls (a thermistor's resistance),
            give the limits here and not to the probe, otherwise too cold would be called over.
        Raises SettingError for what can be no stage.
        """
        return Through(self, *stages, unit=unit, low=low, high=high)

    @property
    def may_come(self) -> bool:
        """Whether nothing has come so far, and may come by itself."""
        return False

    def close(self) -> None:  # noqa: B027
        """Let go of what it holds. A second time does nothing."""

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *exc: object) -> None:
        self.close()

    def __repr__(self) -> str:
        return f"<{type(self).__name__} {self.name!r}>"


class FunctionProbe(Probe):
    """A probe that calls a function without arguments for its value: `FunctionProbe("weight", scale.read, "kg")`.

    Whatever the function returns or raises becomes a reading. The other settings are those of `Probe`.
    """

    def __init__(
        self, name: str, function: Callable[[], object], unit: str = "", **settings: Unpack[ProbeSettings]
    ) -> None:
        if not callable(function):
            raise SettingError(f"{quoted(function)} cannot be called: give the function itself, without ()")
        super().__init__(name, unit, **settings)
        self._function = function

    def take(self) -> object:
        """What the function returns."""
        return self._function()


class Through(Probe):
    """A probe followed by conversions and filters; `Probe.through` makes it.

    A reading without a number goes through untouched. A conversion that raises, or has no answer (NaN), makes an
    invalid reading. A filter follows one probe only, and gets each reading once, however often it is polled.
    """

    def __init__(
        self,
        probe: Polled,
        *stages: Stage,
        unit: str | None = None,
        low: float | None = None,
        high: float | None = None,
    ) -> None:
        super().__init__(probe.name, low=low, high=high, shortest_s=probe.shortest_s, lifetime_s=probe.lifetime_s)
        for stage in stages:
            if not callable(stage):
                raise SettingError(f"{quoted(stage)} cannot follow {quoted(probe.name)}: give functions and filters")
            if isinstance(stage, Remembering):
                stage.put_behind(probe.name)
        self._probe = probe
        self._stages = stages
        self._result = unit
        self._key: tuple[object, ...] = ()
        self._out = Reading(None, self.name)

    def poll(self) -> Reading:
        """The reading, converted and smoothed. Raises nothing."""
        came = self._probe.poll()
        key = came.time, repr(float(came)), came.text
        if key != self._key:
            self._key = key
            self._out = self._led_through(came).limited(self.low, self.high)
        if came.flaw == "stale" and self._out.flaw in (*AGING, "stale"):
            return self._out.but(flaw="stale", cause=came.cause, age_s=came.age_s)
        return self._out if came.age_s == self._out.age_s else self._out.but(age_s=came.age_s)

    def _led_through(self, reading: Reading) -> Reading:
        unit = reading.unit if self._result is None else self._result
        for stage in self._stages:
            try:
                reading = staged(stage, reading)
            except Exception as problem:
                reading = reading.but(nan, flaw="invalid", cause=one_line(problem))
        return reading.but(unit=unit)

    def take(self) -> object:
        """What the probe before it gives; `poll` does the rest."""
        return self._probe.poll()

    @property
    def may_come(self) -> bool:
        """Whether that holds for the probe before it."""
        return may_come(self._probe)

    def close(self) -> None:
        """Close the probe before it."""
        self._probe.close()


def may_come(probe: Polled) -> bool:
    """Whether nothing has come for a probe so far, and may come by itself."""
    return bool(getattr(probe, "may_come", False))


def lifetime(probe: Polled, every_s: float) -> float:
    """The lifetime of the readings of a probe, at this polling interval."""
    return max(LIFETIME_S, ROUNDS * every_s) if probe.lifetime_s is None else probe.lifetime_s


def aged(reading: Reading, age_s: float, lifetime_s: float) -> Reading:
    """A reading as it is after some time: with its age, and stale when that is more than its lifetime."""
    if age_s > lifetime_s and reading.flaw in AGING:
        return reading.but(age_s=age_s, flaw="stale", cause=f"nothing new for {age_s:.3g} s")
    return reading.but(age_s=age_s)
