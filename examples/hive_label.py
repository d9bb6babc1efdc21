"""The label of a hive on a 20x4 panel, and its weight, which goes up.

python examples/hive_label.py shows it on a simulated panel; with a bus number (python examples/hive_label.py 1) on a
real one, whose backpack is at address 0x27.
"""

import sys

from apiary import run, show

import lumek
from lumek.ports.linux import LinuxBus


def write_label(panel: lumek.Panel) -> None:
    """What stays."""
    panel[:] = "Hive 3\nTerrace, east\n\nWeight         kg"


def main() -> None:
    """Write the label once, then only the weight."""
    if len(sys.argv) > 1:
        panel = lumek.Panel("20x4", lumek.Backpack(LinuxBus(int(sys.argv[1])), 0x27))
    else:
        panel = lumek.simulate("20x4")
    with panel:
        write_label(panel)
        for weight in (41.38, 41.40, 41.42):
            panel[3, 8:14] = f"{weight:6.2f}"
    show(panel.twin)


if __name__ == "__main__":
    run(main)
