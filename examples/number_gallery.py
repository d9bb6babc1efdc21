"""Numbers in every form, each in a place of its own width.

python examples/number_gallery.py shows three pages of them on a simulated 20x4 panel, in the terminal.
"""

from fractions import Fraction

from apiary import run, show

import lumek
from lumek import number, numbers


def main() -> None:
    """Fixed decimals, columns, bases, prefixes, and what happens to a number that is too wide."""
    with lumek.simulate("20x4") as panel:
        for row, weight in enumerate(numbers([41.38, 9.5, -0.254, None], 8)):
            panel[row] = f"Hive {row + 1}  " + weight + " kg"
        show(panel.twin)

        panel.clear()
        panel[0] = "hex   " + number(3054, 14, base=16, digits=4)
        panel[1] = "bin   " + number(182, 14, base=2, group=" ")
        panel[2] = "count " + number(1_250_730, 14, group="'")
        panel[3] = "1/3   " + number(Fraction(1, 3), 14)
        show(panel.twin)

        panel.clear()
        for row, value in enumerate((41.418, 12_345.678, 1.3e-7, -2.5e9)):
            panel[row, 0:6] = number(value, 6, 2)
            panel[row, 7:13] = number(value, 6, notation="scientific")
            panel[row, 14:] = number(value, 6, notation="prefix", unit="g")
        show(panel.twin, written=panel.rows)


if __name__ == "__main__":
    run(main)
