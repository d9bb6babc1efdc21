"""A 16x2 panel behind a 74HC595, which takes three lines of the host; its last output opens the hive's shutter.

python examples/shift_register.py shows it on a simulated panel; with a chip and the numbers of its lines for data,
clock and latch (python examples/shift_register.py /dev/gpiochip0 17 27 22) on a real one. With SPI, give LinuxSpi()
instead of SerialLines.
"""

import sys

from apiary import reading_at, run, show

from lumek import Panel, ShiftRegister
from lumek.ports.bit_banged import SerialLines
from lumek.ports.linux import LinuxLines
from lumek.twin import shift_register_twin

OUTPUTS = {"rs": 0, "e": 1, "d4": 2, "d5": 3, "d6": 4, "d7": 5, "backlight": 6}
SHUTTER = 7


def main() -> None:
    """Open the shutter when foragers fly."""
    twin = None
    wires = {"data": 5, "clock": 27, "latch": 22}
    if len(sys.argv) > 1:
        lines = LinuxLines(sys.argv[1])
        wires = dict(zip(wires, map(int, sys.argv[2:5]), strict=True))
    else:
        twin, lines = shift_register_twin("16x2", OUTPUTS, three_lines=wires)
    register = ShiftRegister(SerialLines(lines, **wires), OUTPUTS)
    panel = Panel("16x2", register)
    for time in ("05:00", "12:00"):
        foragers = int(reading_at(time)["foragers_per_min"])
        register.put({SHUTTER: foragers > 0})
        panel.backlight = foragers > 0
        panel[:] = f"Foragers {foragers:3}/min\nShutter {'open' if foragers else 'closed'}"
        show(twin)


if __name__ == "__main__":
    run(main)
