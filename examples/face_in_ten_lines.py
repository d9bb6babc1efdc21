"""Ten lines that are an instrument: a face over two simulated sensors, for two seconds."""

from apiary import run as run_example
from apiary import show

from lumek import simulate
from lumek.faces import Face, run
from lumek.fields import Bar, Clock, Lamp, Number
from lumek.readings import SimulatedProbe


def main() -> None:
    """Lay it out, run it, and print what was seen last."""
    face = Face("20x4")
    face[0, 0:12] = "🐝 Hive 3"
    face[0, 12:] = Clock("%H:%M:%S")
    face[1, 0:8] = Number("weight", unit=" kg", decimals=1)
    face[1, 9:] = Bar("weight", low=30, high=50, peak_s=60)
    face[2, 0:8] = Number("brood", unit=" °C", decimals=1)
    face[2, 9] = Lamp("33 < brood < 36")
    probes = [SimulatedProbe("weight", 41.4, "kg", swing=4, period_s=10), SimulatedProbe("brood", 34.8, "°C")]
    panel = simulate("20x4")
    run(panel, face, probes, seconds=2, every_s=0.1)
    show(panel.twin, written=panel.rows)


if __name__ == "__main__":
    run_example(main)
