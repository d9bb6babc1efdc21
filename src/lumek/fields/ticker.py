"""Text that moves through its place."""

from lumek._harmless import quoted
from lumek.core.values import whole_setting
from lumek.errors import SettingError
from lumek.fields.field import NO_MOMENT, Field, number_setting
from lumek.fields.label import words_of
from lumek.motions import Gliding

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence
    from typing import Any

    from lumek.fields.field import Group, Moment
    from lumek.protocols import Content

LONGEST_PAUSE = 1e9
"""Cells that it could move in a pause."""


class Ticker(Field):
    """Text that scrolls: it moves to the left through its place. Text that fits does not move.

    A new text begins at its beginning. Where no moment is given it moves on by a cell with each call.

    text: text, unless `of` brings it.
    of: the name of a probe with words, or an expression of several, as 'weight - 12.5'.
    cells_per_s: cells per second, 0.001 to 100000000.
    gap: blank cells, 1 to 100, between the end of the text and its beginning.
    around: true or false: the text goes around and around; false: it moves to its end, and begins again.
    pause_s: seconds, 0 or more, for which it stands still at its beginning and, unless it goes around, at its end.
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
        around: bool = True,
        pause_s: float = 0.0,
        words: "Mapping[str, str] | None" = None,
    ) -> None:
        super().__init__(of, words)
        if not isinstance(text, str):
            raise SettingError(f"a ticker shows text, not {quoted(text)}")
        self._per_s = number_setting("cells_per_s", cells_per_s)
        if self._per_s <= 0:
            raise SettingError(f"cells_per_s is above 0, not {quoted(cells_per_s)}")
        self._gap = whole_setting("gap", gap, 1) if around else 0
        pause_s = number_setting("pause_s", pause_s)
        if not 0 <= pause_s * self._per_s <= LONGEST_PAUSE:
            raise SettingError(f"pause_s is 0 or more, not {quoted(pause_s)}, and less than a billion cells long")
        self._pause = int(pause_s * self._per_s + 0.5)
        self._began: float | None = None
        self._moved = 0
        self._show(text)

    def take(self, value: "Any", now: "Moment") -> None:
        """Move on to where it is now, with the words of a value if it is of one."""
        if self.of or value is not None:
            text = words_of(value, self.words).replace("\n", " ")
            if text != self.text:
                self._show(text)
        if now is NO_MOMENT:
            self._moved = 0 if self._began is None else self._moved + 1
            self._began = 0.0
            return
        if self._began is None:
            self._began = now.seconds
        self._moved = int((now.seconds - self._began) * self._per_s + 1e-6)

    def _show(self, text: str) -> None:
        """Show a text from its beginning on."""
        self.text = text.replace("\n", " ")
        self._motion = Gliding(self.text, self._gap, self._pause)
        self._began = None

    def appear(self) -> None:
        """Begin at the beginning."""
        self._began, self._moved = None, 0

    def cells(self, rows: int, columns: int) -> "Sequence[Sequence[Content]]":
        """The part of the text that is seen now, in the middle row."""
        return self._motion.cells(self._moved, rows, columns)

    def groups(self, rows: int, columns: int) -> "list[list[Group]]":
        """The letters of its own text, as many as are seen at once; those of a probe get the slots that are left."""
        motion = Gliding(self.text, self._gap, 0)
        return [[(motion.cells(at, 1, columns)[0], columns)] for at in range(motion.period(1, columns))]
