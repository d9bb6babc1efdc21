"""A text that stays, or the words of a probe."""

from lumek.core.layout import Text
from lumek.core.text import LINE_BREAKS, LONGEST
from lumek.fields.field import Field, flaw_of, side_setting, text_group

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence
    from typing import Any

    from lumek.fields.field import Group, Moment
    from lumek.protocols import Content


class Label(Field):
    """Text that stays, or, with `of`, the words of a probe.

    text: text; line breaks begin new rows.
    of: the name of a probe with words, or an expression of several, as 'weight - 12.5'.
    align: 'left', 'centre' or 'right'.
    wrap: true or false: a line that is too long goes on in the next row.
    words: text for each flaw: 'missing', 'invalid', 'under', 'over' and 'stale'.
    Raises SettingError for a setting that is not possible.

    >>> panel[0, 0:8] = Label("Hive 3", align="centre")()
    >>> panel[0, 0:8]
    ' Hive 3 '
    """

    kind = "label"
    works_alone = True

    def __init__(
        self,
        text: str = "",
        of: str = "",
        align: str = "left",
        wrap: bool = False,
        words: "Mapping[str, str] | None" = None,
    ) -> None:
        super().__init__(of, words)
        self.text = text
        self._align = side_setting(align)
        self._wrap = wrap
        self._given = Text(text, align, wrap)

    def take(self, value: "Any", now: "Moment") -> None:
        """Show the words of a value from now on; without one its own text."""
        if value is None and not self.of:
            return
        text = words_of(value, self.words)
        if text != self.text:
            self.text = text
            self._given = Text(text, self._align, self._wrap)

    def cells(self, rows: int, columns: int) -> "Sequence[Sequence[Content]]":
        """The text, cut at the edges of its place."""
        return [list(line) for line in self._given.laid_out(rows, columns)]

    def groups(self, rows: int, columns: int) -> "list[list[Group]]":
        """What the text needs; the words of a probe are not known before, and get the slots that are left."""
        return [[text_group(line) for line in self.cells(rows, columns)]]


def words_of(value: "Any", words: "Mapping[str, str]") -> str:
    """What a value says in words: text as it is, a number as it is written, or the word for its flaw."""
    if isinstance(value, str):
        return _plain(value)
    text = getattr(value, "text", None)
    flaw = flaw_of(value)
    if text is not None and flaw in (None, "invalid"):
        return _plain(text)
    if flaw and words[flaw]:
        return words[flaw]
    if text is not None:
        return _plain(text)
    unit = getattr(value, "unit", "")
    return f"{float(value):g}" + (" " + unit if unit else "") if value is not None else ""


def _plain(text: str) -> str:
    """A text from elsewhere: of bounded length, blanks for what a cell cannot hold, and one kind of line break."""
    text = text[:LONGEST]
    if not text or (min(text) >= " " and max(text) < "\x7f"):
        return text
    for line_break in LINE_BREAKS:
        text = text.replace(line_break, "\n")
    return "".join([one if one == "\n" or (one >= " " and not "\x7f" <= one < "\xa0") else " " for one in text])
