"""A number with its unit, always in the same cells."""

from lumek.core.layout import in_middle
from lumek.core.numbers import number
from lumek.core.text import cells_of
from lumek.fields.field import text_group
from lumek.fields.measure import Measure

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence
    from typing import Any

    from lumek.fields.field import Group
    from lumek.protocols import Content


class Number(Measure):
    """A number, whose figures stay in the same cells.

    A word is shown instead of a number with a flaw, and of one outside of low to high. With a word that is "" the
    number is shown all the same.

    of: the name of a probe, or an expression of several, as 'weight - 12.5'.
    unit: text after the number, as ' kg'.
    decimals: places after the point, 0 to 100; default: as many as fit.
    low, high: a number; outside of low to high a word is shown.
    words: text for each flaw: 'missing', 'invalid', 'under', 'over' and 'stale'.
    notation: 'plain', 'scientific' or 'prefix'.
    base: 2, 8, 10 or 16.
    digits: digits before the point, 1 to 100, with leading zeros.
    plus: true or false: positive numbers have a sign, too.
    group: one character between groups of thousands.
    point: one character before the decimals.
    align: 'left', 'centre' or 'right'.
    Raises SettingError for a setting that is not possible.

    >>> panel[0, 0:8] = Number(unit=" kg", decimals=1)(41.37)
    >>> panel[0, 0:8] = Number(unit=" kg")(None)
    >>> panel[0, 0:8]
    '      --'
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
        notation: str = "plain",
        base: int = 10,
        digits: int = 1,
        plus: bool = False,
        group: str = "",
        point: str = ".",
        align: str = "right",
    ) -> None:
        super().__init__(of, low, high, words)
        self._style: dict[str, Any] = {
            "decimals": decimals, "notation": notation, "base": base, "digits": digits, "plus": plus, "group": group,
            "point": point, "unit": unit, "align": align,
        }  # fmt: skip
        self._align = align
        number(0, 20, **self._style)  # complains of a style that cannot be

    def cells(self, rows: int, columns: int) -> "Sequence[Sequence[Content]]":
        """The number in the middle row, or the word for its flaw."""
        flaw = self.flaw
        hidden = self.hides(self._value, flaw)
        text = self.word(flaw, columns) or number(None if hidden else self._value, columns, **self._style)
        return in_middle(cells_of(text), rows, columns, self._align)

    def groups(self, rows: int, columns: int) -> "list[list[Group]]":
        """What unit, marks and words need."""
        signs = cells_of(self._style["unit"] + self._style["point"] + self._style["group"])
        if self._style["notation"] == "prefix":
            signs.append("µ")
        return [[text_group(signs)]] + self.word_groups(columns)
