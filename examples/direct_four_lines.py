"""A 16x2 panel on six GPIO lines: RS, E and four for data, RW grounded.

python examples/direct_four_lines.py shows it on a simulated panel; with a chip (python examples/direct_four_lines.py
/dev/gpiochip0) on a real one.
"""

import sys

from apiary import reading_at, run, show

from lumek import Direct, Panel
from lumek.ports.linux import LinuxLines
from lumek.twin import direct_twin

LINES = {"rs": 25, "e": 24, "d4": 23, "d5": 22, "d6": 27, "d7": 5}


def main() -> None:
    """Follow the weight of hive 3 through the morning."""
    if len(sys.argv) > 1:
        twin, lines = None, LinuxLines(sys.argv[1])
    else:
        twin, lines = direct_twin("16x2", LINES)
    panel = Panel("16x2", Direct(lines, rs=25, e=24, data=(23, 22, 27, 5)))
    panel[1] = "Weight        kg"
    for time in ("07:00", "09:00", "11:00"):
        with panel.together():
            panel[0] = f"Hive 3     {time}"
            panel[1, 7:13] = f"{float(reading_at(time)['weight_kg']):6.2f}"
        show(twin)


if __name__ == "__main__":
    run(main)
