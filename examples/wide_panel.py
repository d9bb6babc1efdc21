"""A 40x4 panel, which is two controllers behind one glass, with an E line each; to a program it is one array.

python examples/wide_panel.py shows it on a simulated panel; with a chip (python examples/wide_panel.py /dev/gpiochip0)
on a real one.
"""

import sys

from apiary import reading_at, run, show

from lumek import Direct, Panel
from lumek.ports.linux import LinuxLines
from lumek.twin import direct_twin

TIMES = "06:00", "10:00", "14:00", "18:00", "22:00"


def main() -> None:
    """A table of the day: a column for each time, a row for each reading."""
    if len(sys.argv) > 1:
        twin, lines = None, LinuxLines(sys.argv[1])
    else:
        twin, lines = direct_twin("40x4", {"rs": 25, "e": 24, "e2": 4, "d4": 23, "d5": 22, "d6": 27, "d7": 5})
    panel = Panel("40x4", Direct(lines, rs=25, e=24, e2=4, data=(23, 22, 27, 5)))
    with panel.together():
        panel[:, 0:10] = "Hive 3\nWeight kg\nBrood °C\nForagers"
        for column, time in enumerate(TIMES):
            reading = reading_at(time)
            values = time, reading["weight_kg"], reading["brood_c"], reading["foragers_per_min"]
            panel[:, 10 + 6 * column : 16 + 6 * column] = "\n".join(f"{value:>6}" for value in values)
    panel.cursor, panel.cursor_shape = (3, 25), "underline"
    show(twin, "dusk")


if __name__ == "__main__":
    run(main)
