"""A number with its unit, always in the same cells."""

from lumek.core.numbers import number
from lumek.core.text import cells_of
from lumek.fields.field import Measure, in_middle, text_group

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Mapping
    from typing import Any

    from lumek.fields.field import Group


class Number(Measure):
    """A number, right-aligned, whose figures stay where they are.

    low, high: outside of these, as when the reading is under or over, a word stands instead; a word that is "" lets the
    number stay. unit, decimals, notation, base, digits, plus, group, point and align: as those of `lumek.number`.
    of, words: as those of `Field`.
    """

    kind = "number"

    def __init__(
        self,
        of: str = "",
        unit: str = "",
        decimals: int | None = None,
        low: float | None = None,
        high: float | None = None,
        words: "Mapping[str, str] | None" = None,
        **style: "Any",
    ) -> None:
        super().__init__(of, low, high, words)
        self._style = dict(style)
        self._style["unit"] = unit
        self._style["decimals"] = decimals
        self._align = style.get("align", "right")
        number(0, 20, **self._style)  # complains of a style that cannot be

    def cells(self, rows: int, columns: int) -> "list[list[Any]]":
        """The number in the middle row, or the word for its flaw."""
        flaw = self.flaw
        text = self.word(flaw, columns) if flaw else ""
        if not text:
            missing = flaw in ("missing", "invalid") and self._value != self._value
            text = number(None if missing or flaw == "invalid" else self._value, columns, **self._style)
        return in_middle(cells_of(text), rows, columns, self._align)

    def groups(self, rows: int, columns: int) -> "list[list[Group]]":
        """What unit, marks and words need."""
        signs = cells_of(self._style["unit"] + self._style.get("point", "") + self._style.get("group", ""))
        if self._style.get("notation") == "prefix":
            signs.append("µ")
        return [[text_group(signs)]] + self.word_groups(columns)
