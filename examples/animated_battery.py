"""A battery that drains and is charged again, by changing one glyph while it is shown.

python examples/animated_battery.py shows a few moments of it on a simulated 16x2 panel, in the terminal. The two cells
are written once; after that each step sends only the rows of the drawing that differ.
"""

from apiary import run, show

import lumek


def main() -> None:
    """From full to empty by the load of a night, and up by the sun of a day."""
    panel = lumek.simulate("16x2", hz=400_000)
    bus = panel.twin.port
    with panel:
        panel[0] = "🔋 Battery     🔋"
        for hour in range(25):
            charge = abs(12 - hour) / 12
            before = bus.sent
            with panel.together():
                panel.glyphs["🔋"] = lumek.level("🔋", charge)
                panel[1] = f"{hour % 24:02}:00" + lumek.number(charge * 100, 11, 0, unit=" %")
            if hour % 6 == 0:
                show(panel.twin, "ember", panel.rows)
                print(f"{bus.sent - before} bytes")


if __name__ == "__main__":
    run(main)
