"""A text that a value chooses."""

from lumek._harmless import quoted
from lumek.core.layout import in_middle
from lumek.core.text import cells_of
from lumek.core.values import is_number
from lumek.errors import SettingError
from lumek.fields.field import Field, flaw_of, number_setting, side_setting, text_group

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence
    from typing import Any

    from lumek.fields.field import Group, Moment
    from lumek.protocols import Content


class Choice(Field):
    """Text for each value, or for each range of values. Give either texts or ranges.

    of: the name of a probe, or an expression of several, as 'weight - 12.5'.
    texts: text for each value, as { 0 = 'closed', 1 = 'open' }; a value is a number, or what a probe says in words.
    ranges: text for each range, as [{ below = 30, text = 'cold' }, { text = 'hot' }], limits rising (in Python: [(30,
        "cold"), (None, "hot")]).
    gap: a number, 0 or more, by which a value must be past a limit before the text changes back.
    otherwise: text, when no value or range fits.
    align: 'left', 'centre' or 'right'.
    words: text for each flaw: 'missing', 'invalid', 'under', 'over' and 'stale'.
    Raises SettingError for a setting that is not possible.

    >>> state = Choice(ranges=[(33, "cold"), (37, "good"), (None, "hot")])
    >>> panel[0, 0:8] = state(34.8)
    >>> panel[0, 0:8]
    'good    '
    """

    kind = "choice"

    def __init__(
        self,
        of: str = "",
        texts: "Mapping[float | str, str] | None" = None,
        ranges: "Sequence[tuple[float | None, str]]" = (),
        gap: float = 0.0,
        otherwise: str = "",
        align: str = "left",
        words: "Mapping[str, str] | None" = None,
    ) -> None:
        super().__init__(of, words)
        if bool(texts) == bool(ranges):
            raise SettingError("a choice needs texts for values, or ranges: give one of the two")
        self._texts = {_key(value): _text(text) for value, text in (texts or {}).items()}
        self._ranges = [
            (limit if limit is None else number_setting("a limit", limit), _text(text)) for limit, text in ranges
        ]
        self._limits = [limit for limit, _ in self._ranges if limit is not None]
        if any(limit is None for limit, _ in self._ranges[:-1]):
            raise SettingError("only the last range is without a limit")
        if any(self._limits[at] >= self._limits[at + 1] for at in range(len(self._limits) - 1)):
            raise SettingError(f"limits must rise from one range to the next, not {self._limits}")
        self._gap = number_setting("gap", gap)
        if self._gap < 0:
            raise SettingError(f"gap is 0 or more, not {quoted(gap)}")
        self.remembers = self._gap > 0
        self._otherwise = _text(otherwise)
        self._align = side_setting(align)
        self._shown: list[str] = []
        self._flaw: str | None = None
        self._at: int | None = None

    def take(self, value: "Any", now: "Moment") -> None:
        """Show the text of a value from now on."""
        text = value if isinstance(value, str) else getattr(value, "text", None)
        flaw = flaw_of(value)
        self._flaw = None
        if text is not None and self._texts and flaw in (None, "invalid"):
            self._shown = self._texts.get(_key(text), self._otherwise)
        elif self.hides(value, flaw):
            self._at, self._flaw = None, flaw
        elif self._texts:
            self._shown = self._texts.get(_key(value), self._otherwise)
        else:
            self._at = self._range_of(float(value))
            self._shown = self._otherwise if self._at == len(self._ranges) else self._ranges[self._at][1]

    def cells(self, rows: int, columns: int) -> "Sequence[Sequence[Content]]":
        """The text, in the middle row."""
        shown = self._shown if self._flaw is None else cells_of(self.word(self._flaw, columns))
        return in_middle(shown, rows, columns, self._align)

    def groups(self, rows: int, columns: int) -> "list[list[Group]]":
        """What each of the texts needs."""
        texts = list(self._texts.values()) + [text for _, text in self._ranges] + [self._otherwise]
        return [[text_group(text[:columns])] for text in texts] + self.word_groups(columns)

    def _range_of(self, value: float) -> int:
        """The range of a value; the one where it was, until it is past a limit by the gap."""
        limits, at = self._limits, self._at
        if at is not None and self._gap:
            above = at >= len(limits) or value < limits[at] + self._gap
            below = at == 0 or value >= limits[at - 1] - self._gap
            if above and below:
                return at
        return len([limit for limit in limits if value >= limit])


def _key(value: "Any") -> "Any":
    """What a value is found by: text that is a number counts as one, since names in a file are text."""
    if isinstance(value, str):
        try:
            return value if "_" in value else float(value)
        except ValueError:
            return value
    if isinstance(value, bool) or is_number(value):
        return float(value)
    raise SettingError(f"texts are chosen by numbers or text, not by {quoted(value)}")


def _text(text: "Any") -> list[str]:
    if not isinstance(text, str):
        raise SettingError(f"a choice is between texts, not {quoted(text)}")
    return cells_of(text)
