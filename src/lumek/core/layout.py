"""How what is assigned to a place becomes the contents of its cells, row by row."""

from lumek._harmless import quoted
from lumek.core.glyph import Glyph
from lumek.core.text import SIDES, aligned, cells_of, lines_of
from lumek.core.values import is_number
from lumek.errors import SettingError, TextError

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Sequence
    from typing import Any

    from lumek.protocols import Assignable, Content


class Text:
    """Text with a say in how it fills its place.

    text: the text; a line break begins a new row.
    align: "left", "centre" or "right".
    wrap: whether a line that is too long goes on in the next row, broken between words (or inside one that is longer
        than a row).
    more: text in the last cells when text is left over; "" for none.
    leftward: whether the characters go from right to left, the first at the right end of its row. As the panel does by
        default; see `Panel.leftward`.
    Raises TextError for anything but text, SettingError for an alignment that is not possible.

    >>> panel[0:2, 4:16] = Text("Queen seen, brood in all stages", wrap=True)
    """

    def __init__(
        self, text: str, align: str | None = None, wrap: bool = False, more: str = "…", leftward: bool | None = None
    ) -> None:
        if not isinstance(more, str):
            raise TextError(f"more is text, not {quoted(more)}")
        if not isinstance(text, str):
            raise TextError(f"Text takes text, not {quoted(text)}")
        if align is not None and align not in SIDES:
            raise SettingError(f"text cannot be aligned {quoted(align)}: possible are {', '.join(SIDES)}")
        self._lines = lines_of(text)
        self._more = cells_of(more)
        self._align = align
        self._wrap = wrap
        self._leftward = leftward

    def laid_out(self, rows: int, columns: int, leftward: bool = False) -> "list[list[str]]":
        """Its cells in a place of these rows and columns, row by row."""
        if self._leftward is not None:
            leftward = self._leftward
        lines: list[list[str]] = []
        for line in self._lines:
            if len(lines) <= rows or not self._wrap:
                lines += wrapped(line, columns, rows + 1 - len(lines)) if self._wrap else [line]
            else:
                lines.append(line)
        shown = [line[:columns] for line in lines[:rows]]
        for number, line in enumerate(shown):
            below = lines[rows:] if number == rows - 1 else []
            if _end(lines[number]) > columns or any(_end(other) for other in below):
                room = max(0, columns - len(self._more))
                shown[number] = (line[:room] + self._more)[:columns]
        if leftward:
            shown = [list(reversed(line)) for line in shown]
        side = self._align or ("right" if leftward else "left")
        return [aligned(line, columns, side) for line in shown]


def laid_out(value: "Assignable", rows: int, columns: int, leftward: bool = False) -> "Sequence[Sequence[Content]]":
    """The contents of a place of these rows and columns: one line for each row, blank after its end.

    value: text, a number or None, or what lays itself out, as glyphs, Text and fields do; a list of as many texts as
        the place has rows, one for each; any other list of texts and glyphs, which come side by side in the first row.
    leftward: whether text and glyphs are written from the right end of each row; numbers are read as ever.
    Raises TextError for anything else.
    """
    lines: list[list[Any]]
    field: Any = value
    if hasattr(field, "laid_out") and not isinstance(field, type):
        filled: Sequence[Sequence[Content]] = field.laid_out(rows, columns, leftward)
        return filled
    if isinstance(value, str):
        lines = lines_of(value)
    elif isinstance(value, (list, tuple)):
        are_rows = len(value) == rows and all(isinstance(part, str) for part in value)
        lines = [cells_of(part) for part in value] if are_rows else [side_by_side(value)]
    else:
        if value is None or is_number(value):
            from lumek.core.numbers import number  # loaded by programs that show numbers

            return [cells_of(number(field, columns))]
        raise TextError(
            f"cells take text, a number, a Glyph or Text, not {quoted(value)} ({type(value).__name__}): "
            "try str(...) or an f-string"
        )
    if leftward:
        lines = [aligned(list(reversed(line[:columns])), columns, "right") for line in lines]
    return lines


def in_middle(
    line: "list[str] | list[Content]", rows: int, columns: int, side: str = "centre"
) -> "Sequence[Sequence[Content]]":
    """A line in the middle row of a place (the upper of two), the rest blank."""
    lines: list[Sequence[Content]] = [[" "] * columns for _ in range(rows)]
    lines[(rows - 1) // 2] = aligned(line[:columns], columns, side)
    return lines


def side_by_side(parts: "Sequence[Any]") -> "list[Any]":
    """Text and glyphs as cells side by side. Raises TextError for anything else."""
    line: list[Any] = []
    for part in parts:
        if isinstance(part, str):
            line += cells_of(part)
        elif isinstance(part, Glyph):
            line.append(part)
        else:
            raise TextError(
                f"parts of a row are text and glyphs, not {quoted(part)}: lumek.number(...) makes text of a number"
            )
    return line


def wrapped(line: list[str], columns: int, most: int) -> list[list[str]]:
    """A line of text as lines of at most `columns` cells, broken at blanks, or inside a word that is longer.

    most: lines that are wanted; the last of them has what is left, however much that is.
    """
    lines: list[list[str]] = []
    start = 0
    while len(line) - start > columns > 0 and len(lines) < most - 1:
        end = start + columns
        while end > start and line[end] != " ":
            end -= 1
        if _end(line[start:end]) == 0:
            end = start + columns  # a word that fills more than a row
        lines.append(_trimmed(line[start:end]))
        start = end
        while start < len(line) and line[start] == " ":
            start += 1
    return lines + [_trimmed(line[start:])] if start < len(line) or not lines else lines


def _trimmed(line: list[str]) -> list[str]:
    return line[: _end(line)]


def _end(line: list[str]) -> int:
    """Where the blanks at the end of a line begin."""
    end = len(line)
    while end and line[end - 1] == " ":
        end -= 1
    return end
