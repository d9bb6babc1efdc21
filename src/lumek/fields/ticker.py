"""Text that moves through its place."""

from lumek._harmless import quoted
from lumek.core.text import cells_of
from lumek.errors import SettingError
from lumek.fields.field import NO_MOMENT, Field, in_middle, number_setting, whole_setting
from lumek.fields.label import words_of

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence
    from typing import Any

    from lumek.fields.field import Group, Moment
    from lumek.protocols import Content


class Ticker(Field):
    """Text that scrolls: it moves to the left through its place, around and around. Text that fits does not move.

    A new text begins at its beginning. Where no moment is given it moves on by a cell with each call.

    text: text, unless `of` brings it.
    of: the name of a probe with words, or an expression of several, as 'weight - 12.5'.
    cells_per_s: cells per second, 0.001 to 100000000.
    gap: blank cells, 1 to 100, between the end of the text and its beginning.
    words: text for each flaw: 'missing', 'invalid', 'under', 'over' and 'stale'.
    Raises SettingError for a setting that is not possible.

    >>> ticker = Ticker("Queen seen in hive 3", cells_per_s=2)
    >>> panel[0, 0:8] = ticker(now=Moment(0.0))
    >>> panel[0, 0:8] = ticker(now=Moment(1.0))
    >>> panel[0, 0:8]
    'een seen'
    >>> for _ in range(3):
    ...     panel[0, 0:8] = ticker("Brood in all stages")
    >>> panel[0, 0:8]
    'ood in a'
    """

    kind = "ticker"
    works_alone = True

    def __init__(
        self,
        text: str = "",
        of: str = "",
        cells_per_s: float = 3.0,
        gap: int = 3,
        words: "Mapping[str, str] | None" = None,
    ) -> None:
        super().__init__(of, words)
        if not isinstance(text, str):
            raise SettingError(f"a ticker shows text, not {quoted(text)}")
        self._per_s = number_setting("cells_per_s", cells_per_s)
        if self._per_s <= 0:
            raise SettingError(f"cells_per_s is above 0, not {quoted(cells_per_s)}")
        self._gap = whole_setting("gap", gap, 1)
        self.text = text.replace("\n", " ")
        self._cells = cells_of(self.text)
        self._began: float | None = None
        self._moved = 0

    def take(self, value: "Any", now: "Moment") -> None:
        """Move on to where it is now, with the words of a value if it is of one."""
        if self.of or value is not None:
            text = words_of(value, self.words).replace("\n", " ")
            if text != self.text:
                self.text, self._cells, self._began = text, cells_of(text), None
        if now is NO_MOMENT:
            self._moved = 0 if self._began is None else self._moved + 1
            self._began = 0.0
            return
        if self._began is None:
            self._began = now.seconds
        self._moved = int((now.seconds - self._began) * self._per_s + 1e-6)

    def appear(self) -> None:
        """Begin at the beginning."""
        self._began, self._moved = None, 0

    def cells(self, rows: int, columns: int) -> "Sequence[Sequence[Content]]":
        """The part of the text that is seen now, in the middle row."""
        if len(self._cells) <= columns:
            return in_middle(self._cells, rows, columns, "left")
        ring = self._cells + [" "] * self._gap
        return in_middle([ring[(self._moved + at) % len(ring)] for at in range(columns)], rows, columns)

    def groups(self, rows: int, columns: int) -> "list[list[Group]]":
        """The letters of its own text, as many as are seen at once; those of a probe get the slots that are left."""
        ring = (self._cells + [" "] * self._gap) * 2
        length = len(self._cells) + self._gap
        if len(self._cells) <= columns:
            return [[(self._cells, len(self._cells))]]
        return [[(ring[at : at + columns], columns)] for at in range(length)]
