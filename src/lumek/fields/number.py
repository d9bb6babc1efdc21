"""A number with its unit, always in the same cells."""

from lumek.core.numbers import number
from lumek.core.text import cells_of
from lumek.fields.field import Field, finite, flaw_of, in_middle, text_group

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Mapping
    from typing import Any

    from lumek.fields.field import Group, Moment


class Number(Field):
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
        super().__init__(of, words)
        self._low = low if low is None else finite("low", low)
        self._high = high if high is None else finite("high", high)
        self._style = dict(style)
        self._style["unit"] = unit
        self._style["decimals"] = decimals
        self._align = style.get("align", "right")
        number(0, 20, **self._style)  # complains of a style that cannot be
        self._value: Any = None

    def take(self, value: "Any", now: "Moment") -> None:
        """Show a number from now on."""
        self._value = int(value) if isinstance(value, bool) else value

    def cells(self, rows: int, columns: int) -> "list[list[Any]]":
        """The number in the middle row, or the word for its flaw."""
        flaw = flaw_of(self._value, self._low, self._high)
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
