"""A glyph that is lit or not."""

from lumek._harmless import quoted
from lumek.core.glyph import Glyph
from lumek.core.layout import in_middle
from lumek.core.text import cells_of
from lumek.errors import SettingError
from lumek.fields.field import MARKS, UNKNOWN, Field, flaw_of, number_of, number_setting, text_group

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Sequence
    from typing import Any

    from lumek.fields.field import Group, Moment
    from lumek.protocols import Content


class Lamp(Field):
    """One of two signs: lit or dark.

    The lamp lights when the value reaches `on`, and goes out when it is back below `off`. With `off` above `on` it
    lights at low values: from `on` downwards, until the value is above `off`. The defaults are for conditions, which
    are 1 or 0.

    of: the name of a probe, or an expression of several, as 'weight - 12.5'.
    on: a number, at which the lamp lights.
    off: a number, past which the lamp goes out; default: the same as on.
    lit: text, as '●' (in Python also a Glyph).
    dark: text, as '○' (in Python also a Glyph).
    unknown: text, when the value is missing, invalid or stale.
    Raises SettingError for a setting that is not possible.

    >>> panel[0, 0] = Lamp(on=37)(38)
    >>> panel[0, 0]
    '●'
    """

    kind = "lamp"

    def __init__(
        self,
        of: str = "",
        on: float = 0.5,
        off: float | None = None,
        lit: "str | Glyph" = "●",
        dark: "str | Glyph" = "○",
        unknown: "str | Glyph" = MARKS["invalid"],
    ) -> None:
        super().__init__(of)
        self._on = number_setting("on", on)
        self._off = self._on if off is None else number_setting("off", off)
        self._signs = {True: _sign("lit", lit), False: _sign("dark", dark), None: _sign("unknown", unknown)}
        self.remembers = self._off != self._on
        self._is_lit: bool | None = None

    def take(self, value: "Any", now: "Moment") -> None:
        """Light it, or not, from now on."""
        number = number_of(value)
        if flaw_of(value) in UNKNOWN:
            self._is_lit = None
        elif self._off > self._on:
            self._is_lit = number <= self._on or (self._is_lit is True and number <= self._off)
        else:
            self._is_lit = number >= self._on or (self._is_lit is True and number >= self._off)

    @property
    def is_lit(self) -> bool | None:
        """Whether it is lit; None when that is unknown."""
        return self._is_lit

    def cells(self, rows: int, columns: int) -> "Sequence[Sequence[Content]]":
        """The sign, in the middle row."""
        return in_middle(self._signs[self._is_lit], rows, columns)

    def groups(self, rows: int, columns: int) -> "list[list[Group]]":
        """What each of the signs needs."""
        return [[text_group(sign)] for sign in self._signs.values()]


def _sign(what: str, sign: "str | Glyph") -> "list[Content]":
    if isinstance(sign, Glyph):
        return [sign]
    if isinstance(sign, str):
        return list(cells_of(sign))
    raise SettingError(f"{what} is text or a Glyph, not {quoted(sign)}")
