"""A day of a hive, polled, logged and drawn; with a sensor that drops out, and a scale that is too small.

python examples/logged_day.py [OUT.png] lets the day pass in a moment, on a clock that is moved by hand, and needs the
extra: pip install 'lumek[readings]'.
"""

import sys
from importlib.resources import files
from pathlib import Path
from tempfile import TemporaryDirectory

from apiary import run

from lumek.readings import HandClock, Log, Poller, Replay, SimulatedProbe, load, plot

MIDNIGHT = 1_782_864_000.0
"""Of the first of July 2026, UTC."""

STEP_S = 300


def main() -> None:
    """Four probes, every five minutes from midnight to midnight."""
    clock = HandClock(MIDNIGHT)
    day = Replay(Path(str(files("lumek") / "data/hive_day.csv")), clock=clock)
    probes = [
        day.probe("weight", "kg", column="weight_kg", high=41.9),
        SimulatedProbe(
            "brood", 34.6, "°C", swing=-0.5, noise=0.05, dropout_every_s=30_000, dropout_s=4000, seed=6, clock=clock
        ),
        day.probe("foragers", "1/min", column="foragers_per_min"),
        day.probe("battery", "V", column="battery_v"),
    ]
    with TemporaryDirectory() as folder:
        path = Path(folder) / "hive.csv"
        with Log(path) as log, Poller(probes, STEP_S, each=log, clock=clock, threads=False) as poller:
            for _ in range(24 * 3600 // STEP_S):
                poller.poll_due()
                clock.advance(STEP_S)
            print(*(reading.described() for reading in poller.readings().values()), sep="\n")
        readings = load(path)
    print(readings.groupby(["name", "flaw"]).size().to_string())
    if len(sys.argv) > 1:
        plot(readings, sys.argv[1], title="A day of hive 3")


if __name__ == "__main__":
    run(main)
