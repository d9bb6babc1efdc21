"""A picture of several cells, as one value."""

from lumek._harmless import quoted
from lumek.core.glyph import COLUMNS, ROWS, Glyph, dots_of_art, for_cell
from lumek.errors import GlyphError

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Sequence

    from lumek.protocols import Content

GAP = 1
"""Dots between two cells that the glass does not have, as `gaps` counts them."""


class Block:
    """A picture of several cells beside and above each other: `panel[0:2, 4:6] = Block(...)`. It never changes.

    drawing: one of
        text with '#' for each lit dot and '.' for each unlit one, or rows of booleans: 8 rows for each row of cells,
            and 5 dots for each cell;
        a list of rows of glyphs.
    gaps: whether the drawing goes on between the cells, where the glass has no dots: a row and a column of it between
        two cells are then left out. What is drawn so looks on the glass as it was drawn.
    Raises GlyphError for anything else.

    >>> comb = Block('''
    ... .#..#..#..
    ... #.##.##.##
    ... #..#..#..#
    ... #..#..#..#
    ... .##.##.##.
    ... ..#..#..#.
    ... ..#..#..#.
    ... ..........''')
    >>> comb.shape
    (1, 2)
    >>> panel[0, 0:2] = comb
    """

    def __init__(self, drawing: "str | Sequence[Sequence[Glyph | int]]", gaps: bool = False) -> None:
        try:
            given = dots_of_art(drawing) if isinstance(drawing, str) else [list(row) for row in drawing]
        except TypeError:
            raise GlyphError(
                f"a block is drawn as text, rows of dots or rows of glyphs, not {quoted(drawing)}"
            ) from None
        if given and given[0] and isinstance(given[0][0], Glyph):
            if any(len(row) != len(given[0]) or not all(isinstance(one, Glyph) for one in row) for row in given):
                raise GlyphError("the rows of a block have as many glyphs each")
            self.cells = [[for_cell(one) for one in row if isinstance(one, Glyph)] for row in given]
            return
        dots = [[bool(dot) for dot in row] for row in given]
        gap = GAP if gaps else 0
        high, wide = len(dots), len(dots[0]) if dots else 0
        rows, columns = (high + gap) // (ROWS + gap), (wide + gap) // (COLUMNS + gap)
        if not rows or not columns or (rows * (ROWS + gap) - gap, columns * (COLUMNS + gap) - gap) != (high, wide):
            raise GlyphError(
                f"a block has {ROWS} rows of dots for each row of cells and {COLUMNS} dots for each cell"
                f"{', and one between cells' if gaps else ''}, not {high} rows of {wide}"
            )
        for number, line in enumerate(dots):
            if len(line) != wide:
                raise GlyphError(f"row {number} of the block has {len(line)} dots, not {wide}")
        self.cells = [
            [_cut(dots, row * (ROWS + gap), column * (COLUMNS + gap)) for column in range(columns)]
            for row in range(rows)
        ]

    @property
    def shape(self) -> tuple[int, int]:
        """Number of rows and number of columns of cells."""
        return len(self.cells), len(self.cells[0])

    def dots(self, gaps: bool = False) -> list[list[bool]]:
        """Its dots, row by row; True is lit. With gaps, unlit ones are between the cells."""
        lines: list[list[bool]] = []
        for row in self.cells:
            if lines and gaps:
                lines.append([False] * len(lines[0]))
            for number in range(ROWS):
                line: list[bool] = []
                for glyph in row:
                    line += ([False] if line and gaps else []) + glyph.dots[number]
                lines.append(line)
        return lines

    def laid_out(self, rows: int, columns: int, leftward: bool = False) -> "Sequence[Sequence[Content]]":
        """Its cells in a place, called by the panel to which it is assigned: cut at the edge, blank after its end."""
        return [list(row) for row in self.cells[:rows]]

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Block) and self.cells == other.cells

    def __hash__(self) -> int:
        return hash(tuple([glyph.rows for row in self.cells for glyph in row]))

    def __repr__(self) -> str:
        art = "\n".join(["".join(["#" if dot else "." for dot in line]) for line in self.dots()])
        return f"Block('''\n{art}''')"


def _cut(dots: "Sequence[Sequence[bool]]", top: int, left: int) -> Glyph:
    return Glyph([dots[top + row][left : left + COLUMNS] for row in range(ROWS)])
