"""Two panels on one I2C bus, distinguished by the pads on their backpacks.

python examples/two_panels.py shows them simulated; with a bus number (python examples/two_panels.py 1) on real ones.
"""

import sys

from apiary import reading_at, run, show

from lumek import Backpack, Panel
from lumek.ports.linux import LinuxBus
from lumek.twin import backpack_twin


def main() -> None:
    """The hive on one panel, its gate on the other."""
    if len(sys.argv) > 1:
        upper = lower = None
        bus = LinuxBus(int(sys.argv[1]))
    else:
        upper, bus = backpack_twin("20x4", address=0x27)
        lower, _ = backpack_twin("16x2", address=0x26, bus=bus)
    hive, gate = Panel("20x4", Backpack(bus, 0x27)), Panel("16x2", Backpack(bus, 0x26))
    now = reading_at("14:20")
    hive[:] = (
        f"Hive 3         {now['time']}\n"
        f"Weight     {float(now['weight_kg']):6.2f} kg\n"
        f"Honey       {float(now['honey_kg']):+5.2f} kg\n"
        f"Battery       {int(now['battery_percent']):3} %"
    )
    gate[:] = f"At the gate\nForagers {int(now['foragers_per_min']):3}/min"
    show(upper)
    show(lower, "dusk")


if __name__ == "__main__":
    run(main)
