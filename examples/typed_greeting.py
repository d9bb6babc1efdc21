"""A greeting that is typed letter by letter and slides away, beside the program, which goes on.

python examples/typed_greeting.py plays it on a simulated 16x2 panel, and prints it at the end of each part.
"""

from apiary import run, show

import lumek
from lumek.motions import Sliding, Typing


def main() -> None:
    """Type, wait for the end, and let the window slide out by the controller's own shift."""
    panel = lumek.simulate("16x2", hz=400_000)
    panel.play(Typing("Good morning,\nbees"), every_s=0.02).wait()
    show(panel.twin, "dusk", panel.rows)
    with panel.play(Sliding("Good morning,\nbees", "left", out=True), every_s=0.02) as slide:
        while not slide.wait(0.01):
            pass  # here the program does something else
    panel.play(Typing("Hive 3   41.4 kg"), row=0, every_s=0.02).wait()
    show(panel.twin, "dusk", panel.rows)
    print(f"{slide.step} steps of the window")


if __name__ == "__main__":
    run(main)
