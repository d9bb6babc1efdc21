"""A panel whose backlight has three colours, each on a PWM channel, and a channel for the contrast.

python examples/colour_backlight.py shows it on a simulated panel; with the number of a PWM chip
(python examples/colour_backlight.py 0) its channels 0, 1 and 2 are red, green and blue, and 3 the contrast, and the
panel is on I2C bus 1.
"""

import sys

from apiary import reading_at, run, show

from lumek import Backpack, Panel
from lumek.ports.linux import LinuxBus, LinuxPwm
from lumek.twin import backpack_twin
from lumek.twin.light import TwinChannel, coloured_backlight


def main() -> None:
    """Turquoise when the battery is full, honey when it is not, red when it is low; dimmed in the end."""
    if len(sys.argv) > 1:
        twin, bus = None, LinuxBus(1)
        *colours, contrast = [LinuxPwm(int(sys.argv[1]), channel) for channel in range(4)]
    else:
        twin, bus = backpack_twin("16x2")
        colours, contrast = coloured_backlight(twin), TwinChannel(twin, "contrast")
    panel = Panel("16x2", Backpack(bus), backlight=colours, contrast=contrast)
    panel.contrast = 0.5
    for time in ("06:00", "10:00", "16:00"):
        percent = int(reading_at(time)["battery_percent"])
        with panel.together():
            panel[:] = f"Battery    {time}\n{percent:3} %"
            panel.backlight = "#20c0a0" if percent > 90 else "honey" if percent > 65 else "#c00000"
        show(twin, "ember")
    panel.backlight = 0.2
    show(twin, "ember")


if __name__ == "__main__":
    run(main)
