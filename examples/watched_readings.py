"""Readings of several probes, watched in the terminal and on a panel at once; one of the probes hangs.

python examples/watched_readings.py polls four probes for a few seconds: a recorded day, a simulated sensor behind a
filter, the host's load, and one that never answers. Needs the extra: pip install 'lumek[readings]'.
"""

import threading
import time
from importlib.resources import files
from pathlib import Path

from apiary import run, show

import lumek
from lumek.readings import FunctionProbe, HostProbe, Poller, Replay, SimulatedProbe
from lumek.readings.smoothing import Exponential, Hampel


def main() -> None:
    """Two hours of the recorded day pass in a second."""
    day = Replay(Path(str(files("lumek") / "data/hive_day.csv")), speed=7200)
    brood = SimulatedProbe("Brood", 34.6, "°C", noise=0.3, spike=20, spike_chance=0.1, seed=3)
    probes = [
        day.probe("Weight", "kg", column="weight_kg"),
        brood.through(Hampel(9), Exponential(1.5)),
        HostProbe("load", "Load"),
        FunctionProbe("Scale", threading.Event().wait, "kg"),
    ]
    with Poller(probes, every_s=0.1, limit_s=0.5) as poller, lumek.simulate("20x4") as panel:
        for _ in range(3):
            time.sleep(1)
            for row, reading in enumerate(poller.readings().values()):
                print(reading.described())
                panel[row, 0:8] = reading.name
                panel[row, 8:] = lumek.number(reading, 12, 1, unit=f" {reading.unit}") if reading.good else reading.flaw
        show(panel.twin)


if __name__ == "__main__":
    run(main)
