"""A 20x2 panel on eleven GPIO lines: eight for data, and RW, so that the busy flag is read and nothing waits too long.

python examples/direct_eight_lines.py shows it on a simulated panel; with a chip (python examples/direct_eight_lines.py
/dev/gpiochip0) on a real one. RW may only be wired where the host bears the panel's 5 V, or through a level shifter.
"""

import sys

from apiary import reading_at, run, show

from lumek import Direct, Panel
from lumek.ports.linux import LinuxLines
from lumek.twin import direct_twin

DATA = {"d0": 12, "d1": 13, "d2": 26, "d3": 6, "d4": 23, "d5": 22, "d6": 27, "d7": 5}


def main() -> None:
    """Show the brood nest and the hum at noon, then read back what the panel holds."""
    if len(sys.argv) > 1:
        twin, lines = None, LinuxLines(sys.argv[1])
    else:
        twin, lines = direct_twin("20x2", {"rs": 25, "rw": 4, "e": 24, **DATA})
    panel = Panel("20x2", Direct(lines, rs=25, rw=4, e=24, data=tuple(DATA.values())))
    noon = reading_at("12:00")
    panel[0] = f"Brood nest   {float(noon['brood_c']):4.1f} °C"
    panel[1] = f"Hum         {int(noon['hum_hz']):5} Hz"
    show(twin)
    print("The panel says it holds", panel.read_back())


if __name__ == "__main__":
    run(main)
