"""Something that marches through its place, and back."""

from lumek._harmless import quoted
from lumek.errors import SettingError
from lumek.fields.field import NO_MOMENT, Field, number_setting, text_group
from lumek.motions import Marching

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Sequence
    from typing import Any

    from lumek.core.glyph import Glyph
    from lumek.fields.field import Group, Moment
    from lumek.protocols import Content


class March(Field):
    """A character or glyph that marches from one end of its place to the other, turns round, and comes back.

    Where no moment is given it moves on by a cell with each call.

    text: text, as '🐝' (in Python also a Glyph).
    then: text, what it looks like at every other step (in Python also a Glyph); default: the same.
    back: text, what it looks like on its way back (in Python also a Glyph); default: the same, a Glyph mirrored.
    cells_per_s: cells per second, 0.001 to 100000000.
    Raises SettingError for a setting that is not possible.

    >>> march = March("🐝", cells_per_s=2)
    >>> panel[0, 0:5] = march(now=Moment(1.0))
    >>> panel[0, 0:5]
    '  🐝  '
    """

    kind = "march"
    works_alone = True

    def __init__(
        self,
        text: "str | Glyph" = "🐝",
        then: "str | Glyph | None" = None,
        back: "str | Glyph | None" = None,
        cells_per_s: float = 3.0,
    ) -> None:
        super().__init__()
        self._per_s = number_setting("cells_per_s", cells_per_s)
        if self._per_s <= 0:
            raise SettingError(f"cells_per_s is above 0, not {quoted(cells_per_s)}")
        self._motion = Marching(text, then, back)
        self._step = 0

    def take(self, value: "Any", now: "Moment") -> None:
        """Move on to where it is now."""
        self._step = self._step + 1 if now is NO_MOMENT else int(now.seconds * self._per_s + 1e-6)

    def cells(self, rows: int, columns: int) -> "Sequence[Sequence[Content]]":
        """Where it is, in the middle row."""
        return self._motion.cells(self._step, rows, columns)

    def groups(self, rows: int, columns: int) -> "list[list[Group]]":
        """What each of its looks needs."""
        return [[text_group(look)] for look in self._motion.looks]
