"""A bee that marches across a row, turns round and comes back, with wings that beat, while a weight changes below it.

python examples/marching_bee.py shows a few moments of it on a simulated 16x2 panel, in the terminal. The program keeps
the time itself here; `panel.play(march, row=0)` would do it beside the program.
"""

from apiary import run, show

import lumek
from lumek import Glyph
from lumek.motions import Marching

RIGHT = Glyph("""
    .##..
    .##..
    #####
    #.#.#
    #####
    .....
    .....
    .....""")
BEAT = Glyph("""
    .....
    .....
    #####
    #.#.#
    #####
    .##..
    .##..
    .....""")


def main() -> None:
    """March once to the end and back."""
    panel = lumek.simulate("16x2", hz=400_000)
    bus = panel.twin.port
    march = Marching(RIGHT, then=BEAT)
    most = 0
    for step, frame in enumerate(march.frames(1, 16)):
        if step > march.period(1, 16):
            break
        panel[1] = lumek.number(41.38 + step / 100, 16, 2, unit=" kg")
        before = bus.sent
        panel[0] = frame
        if step > 17:  # all four drawings have been seen
            most = max(most, bus.sent - before)
        if step % 10 == 5:
            show(panel.twin, "ember", panel.rows)
    print(f"at most {most} bytes a step")


if __name__ == "__main__":
    run(main)
