"""A comb of three cells as one picture of 2x2 cells, with the gaps of the glass taken into account.

python examples/logo_of_four_cells.py shows it on a simulated 16x2 panel, in the terminal, and prints it as an array for
firmware in C.
"""

from itertools import chain

from apiary import run, show

import lumek
from lumek.glyphs import Block, GlyphSet
from lumek.glyphs.files import written
from lumek.glyphs.formats import Options

COMB = Block(
    """
    ...#.......
    .##.##.....
    #.....#....
    #.....#....
    #.....##...
    #.....#.##.
    .##.##....#
    ...#......#
    ...#......#
    ...#......#
    .##.##..##.
    #.....##...
    #.....#....
    #.....#....
    #.....#....
    .##.##.....
    ...#.......""",
    gaps=True,
)


def main() -> None:
    """Show it beside two rows of text, and print it for a sketch."""
    panel = lumek.simulate("16x2")
    with panel.together():
        panel[:] = "   Apiary\n   Terrace"
        panel[0:2, 0:2] = COMB
    show(panel.twin, "meadow", panel.rows)
    glyphs = GlyphSet({f"comb_{number}": glyph for number, glyph in enumerate(chain(*COMB.cells), 1)})
    print(written(glyphs, "c", Options("comb", "PROGMEM")).decode())


if __name__ == "__main__":
    run(main)
