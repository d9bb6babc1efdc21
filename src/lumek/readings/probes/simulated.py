"""A sensor that is not there: a value that swings, strays and jitters, with spikes and drop-outs."""

import random
from math import inf, pi, sin, sqrt
from typing import Unpack

from lumek._harmless import quoted
from lumek.errors import SettingError
from lumek.readings.probe import Probe, ProbeSettings
from lumek.readings.settings import duration, positive


class SimulatedProbe(Probe):
    """A simulated sensor, the same for the same seed and the same times of polling.

    value: around which it swings. swing: by how much, in period_s seconds up and down again. drift_per_h: how far it
    usually has strayed after an hour (the standard deviation of a random walk). noise: standard deviation from one
    poll to the next. spike: how high a spike is, and spike_chance how likely a polled value is one.
    dropout_every_s: the mean time from one drop-out to the next, in which it raises, as a sensor that is unplugged;
    dropout_s: how long one lasts. seed: of all chance. settings: those of `Probe`; with low and high it is under and
    over beyond them.

    Raises SettingError for chances outside of 0 to 1, negative noise and times that are not above 0.
    """

    def __init__(
        self,
        name: str,
        value: float,
        unit: str = "",
        *,
        swing: float = 0.0,
        period_s: float = 86_400.0,
        drift_per_h: float = 0.0,
        noise: float = 0.0,
        spike: float = 0.0,
        spike_chance: float = 0.0,
        dropout_every_s: float = inf,
        dropout_s: float = 10.0,
        seed: int = 0,
        **settings: Unpack[ProbeSettings],
    ) -> None:
        super().__init__(name, unit, **settings)
        if not 0 <= spike_chance <= 1:
            raise SettingError(f"spike_chance must be 0 to 1, not {quoted(spike_chance)}")
        positive(noise, "noise", or_zero=True)
        positive(drift_per_h, "drift_per_h", or_zero=True)
        duration(period_s, "period_s")
        duration(dropout_s, "dropout_s")
        if dropout_every_s != inf:
            duration(dropout_every_s, "dropout_every_s")
        self._value, self._swing, self._period_s, self._drift = value, swing, period_s, drift_per_h
        self._noise, self._spike, self._spike_chance = noise, spike, spike_chance
        self._every_s, self._out_s = dropout_every_s, dropout_s
        self._chance = random.Random(f"{seed} {name}")
        self._start = self._polled_at = self.clock.elapsed()
        self._strayed = 0.0
        self._out_from = self._start + self._pause()

    def take(self) -> float:
        """The value as it is now. Raises OSError during a drop-out."""
        now = self.clock.elapsed()
        while now >= self._out_from + self._out_s:
            self._out_from += self._out_s + self._pause()
        if now >= self._out_from:
            raise OSError("no answer from the simulated sensor: it has dropped out")
        self._strayed += self._chance.gauss(0, self._drift * sqrt((now - self._polled_at) / 3600))
        self._polled_at = now
        value = self._value + self._swing * sin(2 * pi * (now - self._start) / self._period_s) + self._strayed
        value += self._chance.gauss(0, self._noise)
        return value + self._spike if self._chance.random() < self._spike_chance else value

    def _pause(self) -> float:
        return inf if self._every_s == inf else self._chance.expovariate(1 / self._every_s)
