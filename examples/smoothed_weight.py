"""A jumpy reading made steady: a morning of a hive's scale, raw and smoothed, as a chart.

python examples/smoothed_weight.py [OUT.png] simulates a scale in the wind, with knocks and a cable that comes loose,
logs what it says and what is left after smoothing, and draws both. Needs the extra: pip install 'lumek[readings]'.
"""

import sys
from pathlib import Path
from tempfile import TemporaryDirectory

from apiary import run

from lumek.readings import HandClock, Log, SimulatedProbe, load, plot
from lumek.readings.smoothing import Exponential, Hampel

SIX_O_CLOCK = 1_782_885_600.0
"""On the first of July 2026, UTC."""

STEP_S, HOURS = 20, 5


def main() -> None:
    """Five hours in a moment, on a clock that is moved by hand."""
    clock = HandClock(SIX_O_CLOCK)
    scale = SimulatedProbe("raw", 40.6, "kg", swing=-0.25, period_s=6 * 3600, drift_per_h=0.1, noise=0.035, spike=0.9,
                           spike_chance=0.02, dropout_every_s=9000, dropout_s=900, seed=8, clock=clock)  # fmt: skip
    smooth = Hampel(15) | Exponential(180)
    with TemporaryDirectory() as folder:
        with Log(Path(folder) / "scale.csv") as log:
            for _ in range(HOURS * 3600 // STEP_S):
                weight = scale.poll()
                log(weight)
                log(smooth(weight).but(name="smoothed"))
                clock.advance(STEP_S)
        readings = load(Path(folder) / "scale.csv")
    steps = readings.groupby("name")["value"].agg(lambda values: values.diff().abs().median() * 1000)
    print(f"usual step from one reading to the next: {steps['raw']:.1f} g raw, {steps['smoothed']:.1f} g smoothed")
    print(f"missing: {(readings['flaw'] == 'missing').sum() // 2} of {len(readings) // 2}")
    if len(sys.argv) > 1:
        plot(readings, sys.argv[1], title="A hive's scale: Hampel(15) | Exponential(180)")


if __name__ == "__main__":
    run(main)
