"""A glyph: a drawing of 8 (or 10) rows of 5 dots, as a value.

In tables drawings are packed: five bytes, in which the eight rows of five bits follow each other.
"""

from lumek._harmless import quoted
from lumek.core.values import is_whole
from lumek.errors import GlyphError

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence
    from typing import Any

ROWS, COLUMNS = 8, 5

ROW_BITS = 0x1F
"""The bits of a byte of CGRAM that are dots of a row."""

LARGE_ROWS = 10
"""Rows of a drawing in the controller's larger font, 5x10 dots, which panels of one line may be set to."""

FULL_ROW = (1 << COLUMNS) - 1

PACKED = 5
"""Bytes of a packed drawing."""


class Glyph:
    """A drawing of 8 rows of 5 dots. It never changes; two with the same dots are equal.

    One of 10 rows is for the controller's larger font: for panels of one line that are started with font="5x10".

    drawing: one of
        text with '#' for each lit dot and '.' for each unlit one, a line for each row;
        8 numbers from 0 to 31, the leftmost dot counting 16, as CGRAM takes them (HD44780U data sheet, "Character
            generator RAM");
        8 rows of 5 booleans, or of the numbers 0 and 1; a NumPy array of shape (8, 5).
    Raises GlyphError for anything else.

    >>> heart = Glyph('''
    ... .....
    ... .#.#.
    ... #####
    ... #####
    ... .###.
    ... ..#..
    ... .....
    ... .....''')
    >>> heart.numbers
    (0, 10, 31, 31, 14, 4, 0, 0)
    """

    __slots__ = ("_rows",)

    def __init__(self, drawing: "str | Iterable[int | Sequence[int]]") -> None:
        if type(drawing) is bytes and len(drawing) == ROWS and max(drawing) <= FULL_ROW:  # as fields draw, quickly
            self._rows = drawing
            return
        if isinstance(drawing, str):
            self._rows = bytes(_rows_of_art(drawing))
            return
        try:
            rows = list(drawing)
        except TypeError:
            raise GlyphError(f"a glyph is drawn as text or as 8 rows, not {quoted(drawing)}") from None
        if len(rows) not in (ROWS, LARGE_ROWS):
            raise GlyphError(f"a glyph has {ROWS} rows, not {len(rows)} ({LARGE_ROWS} in the larger font)")
        self._rows = bytes([_row(number, row) for number, row in enumerate(rows)])

    @staticmethod
    def from_rows(rows: "Sequence[int]") -> "Glyph":
        """The glyph of 8 numbers from 0 to 31, the leftmost dot counting 16. Raises GlyphError."""
        return Glyph(rows)

    @property
    def numbers(self) -> tuple[int, ...]:
        """Its rows as numbers from 0 to 31, the leftmost dot counting 16."""
        return tuple(self._rows)

    @property
    def rows(self) -> bytes:
        """Its rows as bytes, as they are written into CGRAM."""
        return self._rows

    def laid_out(self, rows: int, columns: int, leftward: bool = False) -> "list[list[Any]]":
        """It in the first cell of a place, or in the last; called by the panel to which it is assigned."""
        return [[" "] * (columns - 1) + [self]] if leftward else [[self]]

    @property
    def dots(self) -> list[list[bool]]:
        """Its dots, rows of 5; True is lit."""
        return [[bool(row >> COLUMNS - 1 - column & 1) for column in range(COLUMNS)] for row in self._rows]

    @property
    def art(self) -> str:
        """Its dots as text: lines of '#' and '.'."""
        return "\n".join(["".join(["#" if dot else "." for dot in row]) for row in self.dots])

    def mirrored(self) -> "Glyph":
        """Left and right exchanged."""
        return Glyph([sum([16 >> at for at in range(COLUMNS) if row >> at & 1]) for row in self._rows])

    def upended(self) -> "Glyph":
        """Top and bottom exchanged."""
        return Glyph(list(reversed(self.numbers)))

    def inverted(self) -> "Glyph":
        """Lit dots unlit, and the other way round; also `~glyph`."""
        return Glyph([row ^ FULL_ROW for row in self._rows])

    def shifted(self, right: int = 0, down: int = 0, around: bool = False) -> "Glyph":
        """Moved by this many dots; to the left and up when negative.

        around: what leaves on one side comes back on the other. Else it is gone, and blank dots follow.
        Raises GlyphError for anything but whole numbers.
        """
        if not is_whole(right) or not is_whole(down):
            raise GlyphError(f"a glyph is shifted by whole dots, not by {quoted(right)} and {quoted(down)}")
        dots, moved = self.dots, []
        rows = len(dots)
        for row in range(-down, rows - down):
            line = []
            for column in range(-right, COLUMNS - right):
                inside = around or (0 <= row < rows and 0 <= column < COLUMNS)
                line.append(inside and dots[row % rows][column % COLUMNS])
            moved.append(line)
        return Glyph(moved)

    def __invert__(self) -> "Glyph":
        return self.inverted()

    def __or__(self, other: "Glyph") -> "Glyph":
        """The dots that are lit in one or the other."""
        return self._combined(other, lambda a, b: a | b)

    def __and__(self, other: "Glyph") -> "Glyph":
        """The dots that are lit in both."""
        return self._combined(other, lambda a, b: a & b)

    def __xor__(self, other: "Glyph") -> "Glyph":
        """The dots that are lit in just one of the two."""
        return self._combined(other, lambda a, b: a ^ b)

    def __sub__(self, other: "Glyph") -> "Glyph":
        """The dots that are lit here and not in the other."""
        return self._combined(other, lambda a, b: a & ~b)

    def _combined(self, other: "Glyph", how: "Any") -> "Glyph":
        if not isinstance(other, Glyph):
            raise GlyphError(f"a glyph is combined with another glyph, not with {quoted(other)}")
        if len(self._rows) != len(other._rows):
            raise GlyphError(f"a glyph of {len(self._rows)} rows is not combined with one of {len(other._rows)}")
        return Glyph([how(self._rows[row], other._rows[row]) for row in range(len(self._rows))])

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Glyph) and self._rows == other._rows

    def __hash__(self) -> int:
        return hash(self._rows)

    def __repr__(self) -> str:
        return f"Glyph('''\n{self.art}''')"

    def __array__(self, dtype: "Any" = None, copy: "bool | None" = None) -> "Any":
        """Its dots as a NumPy array of booleans, shape (8, 5) or (10, 5)."""
        import numpy as np

        return np.array(self.dots, dtype=dtype)


def for_cell(glyph: Glyph) -> Glyph:
    """The glyph itself, if a cell of a block can show it. Raises GlyphError for one of the larger font."""
    if len(glyph.rows) != ROWS:
        raise GlyphError(
            f"a cell of a block has {ROWS} rows, and this glyph has {len(glyph.rows)}: take rows out of it"
        )
    return glyph


def packed(rows: bytes) -> bytes:
    """Five bytes from eight rows."""
    bits = 0
    for row in rows:
        bits = bits << 5 | row
    return bits.to_bytes(PACKED, "big")


def unpacked(data: bytes) -> bytes:
    """Eight rows from five bytes."""
    bits = int.from_bytes(data, "big")
    return bytes([bits >> shift & 0x1F for shift in range(35, -1, -5)])


def dots_of_art(art: str) -> list[list[bool]]:
    """The dots of text of '#' and '.', row by row. Raises GlyphError for any other character."""
    lines = _lines_of_art(art)
    for number, line in enumerate(lines):
        if line.replace("#", "").replace(".", ""):
            raise GlyphError(f"row {number} is {quoted(line)}: write '#' for a lit dot and '.' for an unlit one")
    return [[dot == "#" for dot in line] for line in lines]


def _lines_of_art(art: str) -> list[str]:
    lines = [line.strip() for line in art.split("\n")]
    while lines and not lines[0]:
        lines = lines[1:]
    while lines and not lines[-1]:
        lines = lines[:-1]
    return lines


def _rows_of_art(art: str) -> list[int]:
    lines = _lines_of_art(art)
    if len(lines) not in (ROWS, LARGE_ROWS):
        raise GlyphError(
            f"a glyph has {ROWS} rows, not {len(lines)} ({LARGE_ROWS} in the larger font): write '.....' for a blank "
            "one"
        )
    for number, line in enumerate(lines):
        if len(line) != COLUMNS or line.replace("#", "").replace(".", ""):
            raise GlyphError(
                f"row {number} of the glyph is {quoted(line)}: write {COLUMNS} dots, '#' lit and '.' unlit"
            )
    return [sum([1 << COLUMNS - 1 - at for at, dot in enumerate(line) if dot == "#"]) for line in lines]


def _row(number: int, row: "Any") -> int:
    """A row as a number, given as one or as five dots."""
    if isinstance(row, int) and not isinstance(row, bool) and 0 <= row <= FULL_ROW:
        return row
    return _row_of_dots(number, row)


def _row_of_dots(number: int, row: "Any") -> int:
    """A row that is given as five dots, or as what counts as a number."""
    try:
        dots = list(row)
    except TypeError:
        return _checked(number, row)
    if len(dots) != COLUMNS or any(dot not in (0, 1, False, True) for dot in dots):  # MicroPython: False is not 0
        raise GlyphError(f"row {number} of the glyph is {quoted(dots)}: give {COLUMNS} booleans")
    return sum([1 << COLUMNS - 1 - at for at, dot in enumerate(dots) if dot])


def _checked(number: int, row: "Any") -> int:
    """A row that is a number."""
    try:
        value = int(row)
    except (TypeError, ValueError):
        raise GlyphError(f"row {number} of the glyph is {quoted(row)}: give a number, or {COLUMNS} booleans") from None
    if value != row or isinstance(row, bool) or not 0 <= value <= FULL_ROW:
        raise GlyphError(f"row {number} of the glyph is {quoted(row)}: numbers are 0 to {FULL_ROW}, one bit a dot")
    return value
