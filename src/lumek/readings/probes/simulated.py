"""A sensor that is not there: a value that swings, strays and jitters, with spikes and drop-outs."""

import random
from math import inf, pi, sin, sqrt
from typing import Unpack

from lumek._harmless import quoted
from lumek.errors import SettingError
from lumek.readings.probe import Probe, ProbeSettings
from lumek.readings.settings import duration, positive


class SimulatedProbe(Probe):
    """A simulated sensor. With the same seed and the same times of polling it gives the same values.

    name, unit: as those of `Probe`.
    value: a number, around which the value swings.
    swing: a number, by how much it swings.
    period_s: seconds, 0.001 to 100000000, of a swing up and down.
    drift_per_h: a number, 0 or more: how far it usually has strayed after an hour (standard deviation of a random
        walk).
    noise: a number, 0 or more: the standard deviation from one poll to the next.
    spike: a number, the height of a spike.
    spike_chance: a number, 0 to 1: how likely a polled value is a spike.
    dropout_every_s: seconds, 0.001 to 100000000, from one drop-out to the next, on average; default: never.
    dropout_s: seconds, 0.001 to 100000000, that a drop-out lasts, in which the probe raises like an unplugged sensor.
    seed: a whole number, from which all chances follow.
    settings: those of `Probe`; beyond low and high a value is under or over.
    Raises SettingError for a setting that is not possible.
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
        dropout_every_s: float | None = None,
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
        if dropout_every_s is not None:
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
        return inf if self._every_s is None else self._chance.expovariate(1 / self._every_s)
