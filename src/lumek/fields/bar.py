"""A bar that is read from across the room: five steps a cell, eight when it grows upwards or downwards.

Steps are the dots that can be lit; the gap between two cells is not a step, so that equal steps of the value light
equally many dots.
"""

from lumek._harmless import quoted
from lumek.core.glyph import COLUMNS, FULL_ROW, ROWS, Glyph
from lumek.core.layout import in_middle
from lumek.core.text import cells_of
from lumek.errors import SettingError
from lumek.fields.field import Field, flaw_of, number_of, number_setting, range_setting, time_of

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence
    from typing import Any

    from lumek.fields.field import Group, Moment
    from lumek.protocols import Content

DIRECTIONS = "right", "left", "up", "down"

FINEST = 1000
"""Parts of the range that a peak is remembered to."""

_drawn: "dict[tuple[str, Sequence[bool]], Glyph | str]" = {}


class Bar(Field):
    """A bar between low and high: full at high, half full at half.

    Outside of low to high a word is shown. With a word that is "" the bar stays full or empty.

    of: the name of a probe, or an expression of several, as 'weight - 12.5'.
    low: a number, at which the bar is empty.
    high: a number, at which the bar is full.
    grow: 'right', 'left', 'up' or 'down'.
    zero: a number between low and high, from which the bar grows to both sides; default: low.
    peak_s: seconds, 0.001 to 100000000, for which the highest value stays marked; default: no mark.
    words: text for each flaw: 'missing', 'invalid', 'under', 'over' and 'stale'.
    Raises SettingError for a setting that is not possible.

    >>> panel[0, 0:4] = Bar(low=0, high=100)(75)
    >>> panel[0, 0:4] = Bar(low=0, high=100)(120)
    >>> panel[0, 0:4]
    'over'
    """

    kind = "bar"

    def __init__(
        self,
        of: str = "",
        low: float = 0.0,
        high: float = 100.0,
        grow: str = "right",
        zero: float | None = None,
        peak_s: float | None = None,
        words: "Mapping[str, str] | None" = None,
    ) -> None:
        super().__init__(of, words)
        self._low, self._high = range_setting(low, high)
        if grow not in DIRECTIONS:
            raise SettingError(f"a bar cannot grow {quoted(grow)}: possible are {', '.join(DIRECTIONS)}")
        self._grow = grow
        self._zero = self._low if zero is None else number_setting("zero", zero)
        if not self._low <= self._zero <= self._high:
            raise SettingError(f"zero must be from low to high, {self._low:g} to {self._high:g}, not {self._zero:g}")
        self._peak_s = None if peak_s is None else number_setting("peak_s", peak_s)
        if self._peak_s is not None and self._peak_s <= 0:
            raise SettingError(f"peak_s is above 0, or left out for no mark, not {self._peak_s:g}")
        self.remembers = self._peak_s is not None
        self._value: Any = None
        self._peaks: list[tuple[float, float]] = []

    def take(self, value: "Any", now: "Moment") -> None:
        """Show a value from now on."""
        self._value = value
        if self._peak_s is not None:
            self._remember(value, now, self._peak_s)

    def _remember(self, value: "Any", now: "Moment", seconds: float) -> None:
        """Keep the values of the last seconds that may be a peak yet."""
        time = time_of(value, now)
        # Only what is higher than all that came after it can still become the highest; times that go back begin again.
        kept = [] if self._peaks and time < self._peaks[-1][0] else self._peaks
        kept = [peak for peak in kept if time - peak[0] <= seconds]
        if flaw_of(value) in (None, "under", "over"):
            # Values that no dot could tell apart are one, so that a long fall is not remembered step by step.
            number = float(number_of(value))
            least = number + (self._high - self._low) / FINEST
            same = [peak[1] for peak in kept if number < peak[1] < least]
            kept = [peak for peak in kept if peak[1] >= least] + [(time, max([number] + same))]
        self._peaks = kept

    def cells(self, rows: int, columns: int) -> "Sequence[Sequence[Content]]":
        """The bar, or the word for a flaw; with several rows, or columns of a bar that grows upwards, it is thicker."""
        flaw = flaw_of(self._value, self._low, self._high)
        if self.hides(self._value, flaw):
            return in_middle(cells_of(self.word(flaw, columns)), rows, columns)
        size, along = self._extent(rows, columns)
        steps = size * along
        first, past = sorted([self._step(self._value, steps), self._step(self._zero, steps)])
        peak = self._step(self._peaks[0][1], steps) if self._peaks else 0
        mark = peak - 1 if peak > past else -1
        line: list[Content] = [" "] * along
        full = self._cell((True,) * size)
        for at in range(-(-first // size), past // size):
            line[at] = full
        for edge, is_partly_lit in ((first, first % size), (past, past % size), (mark, mark >= 0)):
            if is_partly_lit:
                at = edge // size
                lit = [first <= step < past or step == mark for step in range(at * size, (at + 1) * size)]
                line[at] = self._cell(tuple(lit))
        if self._grow in ("left", "up"):
            line.reverse()
        return [line for _ in range(rows)] if size == COLUMNS else [[cell] * columns for cell in line]

    def groups(self, rows: int, columns: int) -> "list[list[Group]]":
        """The cells that are partly lit: one at a time, and one each for the zero in a cell and for the peak."""
        size, along = self._extent(rows, columns)
        zero = self._step(self._zero, size * along)
        partly = []
        for reached in range(size * along + 1):
            for at in (min(reached, size * along - 1) // size, min(zero, size * along - 1) // size):
                first, end = (max(0, min(size, step - at * size)) for step in (min(reached, zero), max(reached, zero)))
                marks = range(end, size) if self._peak_s else ()
                for mark in [-1] + list(marks):
                    lit = tuple([first <= step < end or step == mark for step in range(size)])
                    if any(lit) and not all(lit) and lit not in partly:
                        partly.append(lit)
        at_once = 1 + (zero % size > 0) + (self._peak_s is not None)
        drawings = [self._cell(lit) for lit in partly]
        whole: Group = ([self._cell((True,) * size)], 1)
        return [[whole, (drawings, at_once)]] + self.word_groups(columns)

    def _extent(self, rows: int, columns: int) -> tuple[int, int]:
        """Steps of a cell, and cells along the bar."""
        return (COLUMNS, columns) if self._grow in ("right", "left") else (ROWS, rows)

    def _step(self, value: "Any", steps: int) -> int:
        """How many steps a value is from low; the nearest whole number, and of two the higher."""
        if not self._low < value < self._high:
            return steps if value >= self._high else 0
        return int((float(value) - self._low) / (self._high - self._low) * steps + 0.5)

    def _cell(self, lit: "tuple[bool, ...]") -> "Glyph | str":
        """The drawing of a cell whose steps, in the direction in which it grows, are lit."""
        grow, steps = self._grow, list(lit)
        if (grow, lit) not in _drawn:
            if grow in ("left", "up"):
                steps.reverse()
            drawing = [FULL_ROW * step for step in steps]
            if grow in ("right", "left"):
                drawing = [sum([1 << COLUMNS - 1 - at for at in range(COLUMNS) if steps[at]])] * ROWS
            _drawn[grow, lit] = Glyph(drawing) if any(lit) else " "
        return _drawn[grow, lit]
