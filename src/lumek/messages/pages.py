"""Text of a message in its place, as time goes by: on pages, cut with a mark, or gliding through."""

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from lumek.core.layout import Text, wrapped
from lumek.core.text import aligned, lines_of
from lumek.fields.field import Moment
from lumek.fields.ticker import Ticker

if TYPE_CHECKING:
    from lumek.protocols import Assignable

MOST_PAGES = 100

CELLS_PER_S = 4.0
PAUSE_S = 1.5


class Pages:
    """The text of a message in a place.

    text: its text.
    rows, columns: of its place.
    fit: "pages", "wrap" or "glide".
    align: "left", "centre" or "right".
    count: of the pages; 1 for text that fits.
    needs_s: seconds after which all of it has been seen; 0 for text on one page.
    """

    def __init__(self, text: str, rows: int, columns: int, fit: str, align: str, page_s: float) -> None:
        self.count, self.needs_s = 1, 0.0
        self._at: Callable[[float, float], Assignable]
        if fit == "glide":
            cells = len(lines_of(text.replace("\n", " "))[0])
            self.needs_s = 2 * PAUSE_S + (cells - columns) / CELLS_PER_S if cells > columns else 0.0
            self._ticker = Ticker(text, cells_per_s=CELLS_PER_S, around=False, pause_s=PAUSE_S)
            self._at = lambda seconds, whole: self._ticker(now=Moment(seconds))
        elif fit == "wrap":
            shown = Text(text, align, wrap=True)
            self._at = lambda seconds, whole: shown
        else:
            pages = pages_of(text, rows, columns, align)
            self.count = len(pages)
            self.needs_s = page_s * self.count if self.count > 1 else 0.0
            self._at = lambda seconds, whole: pages[min(self.count - 1, int(seconds * self.count / whole))]

    def at(self, seconds: float, whole: float) -> "Assignable":
        """What is in its place, after some of the whole number of seconds that it is shown."""
        return self._at(seconds, whole)


def pages_of(text: str, rows: int, columns: int, align: str) -> "list[Assignable]":
    """A text on pages of this many rows, broken between words; 100 at most."""
    lines: list[list[str]] = []
    most = rows * MOST_PAGES
    for line in lines_of(text):
        lines += wrapped(line, columns, most)
        if len(lines) >= most:
            break
    lines = [aligned(line[:columns], columns, align) for line in lines[:most]]
    return [_Rows(lines[top : top + rows]) for top in range(0, len(lines), rows)]


class _Rows:
    """Rows of cells, as something that is assigned to a place."""

    def __init__(self, lines: Sequence[Sequence[str]]) -> None:
        self._lines = lines

    def laid_out(self, rows: int, columns: int, leftward: bool = False) -> Sequence[Sequence[str]]:
        """Its cells; blank where it has none."""
        return [*self._lines, *[[" "] * columns] * (rows - len(self._lines))]
