"""Two panels from one hookup file, which also draws and checks their wiring.

python examples/attached.py shows them simulated; python examples/attached.py real drives those that are wired so.
"""

import sys
from pathlib import Path

from apiary import reading_at, run, show

import lumek

FILE = Path(__file__).parent / "hookups" / "two_panels.toml"


def main() -> None:
    """The hive on one panel, its gate on the other."""
    panels = lumek.attach_all(FILE, twin="real" not in sys.argv[1:])
    now = reading_at("16:10")
    panels["hive"][:] = f"Hive 3         {now['time']}\nWeight     {float(now['weight_kg']):6.2f} kg"
    panels["gate"][:] = f"At the gate\nForagers {int(now['foragers_per_min']):3}/min"
    for panel in panels.values():
        show(panel.twin)
        panel.close()


if __name__ == "__main__":
    run(main)
