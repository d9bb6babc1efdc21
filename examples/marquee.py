"""A line that runs through a 16x2 panel while the clock below it keeps its place.

python examples/marquee.py shows a few moments of it on a simulated panel, in the terminal. `slide` would move both
rows, so the upper one is assigned again; only the cells that differ are sent.
"""

from collections.abc import Iterator

from apiary import run, show

import lumek

NEWS = "Linden in flower: 1.4 kg today  *  "


def windows(text: str, columns: int) -> Iterator[str]:
    """Each part of the text that the panel can hold, one after the other, around its end."""
    for start in range(len(text)):
        yield (text + text)[start : start + columns]


def main() -> None:
    """Run once through the news."""
    panel = lumek.simulate("16x2", hz=400_000)
    bus = panel.twin.port
    panel[1] = "Hive 3     14:20"
    for number, part in enumerate(windows(NEWS, panel.shape[1])):
        panel[0] = part
        if number % 10 == 0:
            show(panel.twin)
    print(f"{len(NEWS)} moments, {bus.sent} bytes, {bus.clock.now_ns / 1e6:.0f} ms on the bus")


if __name__ == "__main__":
    run(main)
