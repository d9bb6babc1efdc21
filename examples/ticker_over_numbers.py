"""News that run through the upper row of a 20x4 panel, while live numbers change below.

python examples/ticker_over_numbers.py plays it on a simulated panel for a second, in the terminal.
"""

from time import monotonic, sleep

from apiary import reading_at, run, show

import lumek
from lumek.motions import Gliding

NEWS = "Linden in flower: 1.4 kg today. Queen seen in hive 3"


def main() -> None:
    """Play the ticker beside the numbers, and leave the row as it was."""
    panel = lumek.simulate("20x4", hz=400_000)
    panel[0] = "Hive 3"
    end = monotonic() + 1
    with panel.play(Gliding(NEWS, gap=3), row=0, every_s=0.03, leaves="before") as ticker:
        for minute in range(0, 60, 10):
            reading = reading_at(f"14:{minute:02}")
            with panel.together():
                panel[1] = "Weight  " + lumek.number(float(reading["weight_kg"]), 12, 2, unit=" kg")
                panel[2] = "Brood   " + lumek.number(float(reading["brood_c"]), 12, 1, unit=" °C")
                panel[3] = f"at 14:{minute:02}"
            sleep(max(0.0, (end - monotonic()) / 6))
        show(panel.twin, "meadow", panel.rows)
    show(panel.twin, "meadow", panel.rows)
    print("the ticker moved" if ticker.step > 10 else "the ticker stood still")


if __name__ == "__main__":
    run(main)
