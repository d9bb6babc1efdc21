"""Motions: what changes in a place by itself, frame by frame.

A motion knows no panel and no time. Its frame of each step is computed from the size of the place, so a program may
step it as it likes, also backwards: `panel[1] = Marching("🐝").at(7)`. `Panel.play` steps one by the clock.
"""

from lumek._harmless import quoted
from lumek.core.glyph import ROWS, Glyph
from lumek.core.layout import in_middle, laid_out, side_by_side
from lumek.core.text import cells_of
from lumek.core.values import whole_setting
from lumek.errors import SettingError

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence
    from typing import Any

    from lumek.protocols import Assignable, Content

    Lines = Sequence[Sequence[Content]]

__all__ = ["Blinking", "Cycling", "Frame", "Gliding", "Marching", "Motion", "Rolling", "Sliding", "Typing"]

MOST_ROLLING = 8
"""Digits that roll at once: each needs one of the eight slots."""


class Frame:
    """A motion at a step, to be assigned to a place."""

    def __init__(self, motion: "Motion", step: int) -> None:
        self._motion = motion
        self._step = step

    def laid_out(self, rows: int, columns: int, leftward: bool = False) -> "Lines":
        """Its cells; called by the panel to which it is assigned."""
        return self._motion.cells(self._step, rows, columns)


class Motion:
    """What all motions have in common. Those of your own have `cells` and, when they end, `count`."""

    def cells(self, step: int, rows: int, columns: int) -> "Lines":
        """What it shows at a step, from 0 on, in a place of these rows and columns: row by row, blank after its end."""
        return []

    def count(self, rows: int, columns: int) -> int | None:
        """Steps until it ends, or None for one that goes on and on."""
        return None

    def period(self, rows: int, columns: int) -> int:
        """Steps after which it has shown everything: until it ends or begins again."""
        return self.count(rows, columns) or 1

    def at(self, step: int) -> Frame:
        """The frame of a step, to be assigned to a place. Raises SettingError for anything but a number from 0 on."""
        return Frame(self, whole_setting("a step", step, 0))

    def frames(self, rows: int, columns: int) -> "Iterator[Frame]":
        """Its frames in a place of these rows and columns, one after the other; without end if it has none.

        >>> for frame in Typing("Hive 3").frames(1, 20):
        ...     panel[0] = frame
        """
        step, count = 0, self.count(rows, columns)
        while count is None or step < count:
            yield Frame(self, step)
            step += 1


class Typing(Motion):
    """Text that appears character by character, as somebody types it. Ends when all is there.

    text: text, or `Text`, which says how it is aligned and wrapped.
    """

    def __init__(self, text: "Assignable") -> None:
        self._text = text

    def cells(self, step: int, rows: int, columns: int) -> "Lines":
        """The first characters."""
        shown: list[list[Content]] = []
        for line in self._lines(rows, columns):
            shown.append(line[:step])
            step -= min(step, len(line))
        return shown

    def count(self, rows: int, columns: int) -> int:
        """One more than it has characters."""
        return sum([len(line) for line in self._lines(rows, columns)]) + 1

    def _lines(self, rows: int, columns: int) -> "list[list[Content]]":
        lines = []
        for laid in list(laid_out(self._text, rows, columns))[:rows]:
            line = list(laid)[:columns]
            while line and line[-1] == " ":
                line.pop()
            lines.append(line)
        return lines


class Gliding(Motion):
    """Text that glides to the left through its place when it is longer. Text that fits stays.

    text: text of one line.
    gap: blank cells, 0 or more, between its end and its beginning, with which it goes around and around; with 0 it
        glides to its end and begins again.
    pause: steps, 0 or more, that it stands still at its beginning and, with a gap of 0, at its end.
    Raises SettingError for a setting that is not possible.
    """

    def __init__(self, text: str, gap: int = 0, pause: int = 5) -> None:
        if not isinstance(text, str):
            raise SettingError(f"what glides is text, not {quoted(text)}")
        self.line = cells_of(text.replace("\n", " "))
        self._gap = whole_setting("gap", gap, 0)
        self._pause = whole_setting("pause", pause, 0)

    def cells(self, step: int, rows: int, columns: int) -> "Lines":
        """The part that is seen, in the middle row."""
        if len(self.line) <= columns:
            return in_middle(self.line, rows, columns, "left")
        moved = min(max(0, step % self.period(rows, columns) - self._pause), self._last(columns))
        ring = self.line + [" "] * self._gap
        return in_middle([ring[(moved + at) % len(ring)] for at in range(columns)], rows, columns)

    def count(self, rows: int, columns: int) -> int | None:
        """1 for text that fits."""
        return 1 if len(self.line) <= columns else None

    def period(self, rows: int, columns: int) -> int:
        """Steps until it begins again."""
        if len(self.line) <= columns:
            return 1
        return self._last(columns) + 1 + self._pause * (1 if self._gap else 2)

    def _last(self, columns: int) -> int:
        """How far it glides."""
        return len(self.line) + self._gap - 1 if self._gap else len(self.line) - columns


class Marching(Motion):
    """Something that marches from the left end of its place to the right one, turns round, and comes back.

    what: a character, a glyph, or a list of them side by side.
    then: what it looks like at every other step; default: the same.
    back: what it looks like on its way back; default: the same from the other side, its glyphs mirrored.
    Raises SettingError for anything else.
    """

    def __init__(
        self,
        what: "str | Glyph | Sequence[str | Glyph]",
        then: "str | Glyph | Sequence[str | Glyph] | None" = None,
        back: "str | Glyph | Sequence[str | Glyph] | None" = None,
    ) -> None:
        one = _look(what)
        other = one if then is None else _look(then)
        self.looks = [one, other] + ([_turned(one), _turned(other)] if back is None else [_look(back)] * 2)
        self._width = max([len(look) for look in self.looks])

    def cells(self, step: int, rows: int, columns: int) -> "Lines":
        """Where it is, in the middle row."""
        last = max(0, columns - self._width)
        at = step % self.period(rows, columns)
        look = self.looks[step % 2 + (2 if at > last else 0)]
        at = at if at <= last else 2 * last - at
        return in_middle(([" "] * at + look)[:columns], rows, columns, "left")

    def period(self, rows: int, columns: int) -> int:
        """Steps until it is back."""
        return max(1, 2 * (columns - self._width))


class Blinking(Motion):
    """Something that is seen and not seen in turn.

    what: what can be assigned to a place.
    lit, dark: steps, 1 or more, for which it is seen, and for which the place is blank.
    Raises SettingError for anything but whole numbers.
    """

    def __init__(self, what: "Assignable", lit: int = 1, dark: int = 1) -> None:
        self._what = what
        self._lit, self._dark = whole_setting("lit", lit, 1), whole_setting("dark", dark, 1)

    def cells(self, step: int, rows: int, columns: int) -> "Lines":
        """It, or nothing."""
        return laid_out(self._what, rows, columns) if step % (self._lit + self._dark) < self._lit else []

    def period(self, rows: int, columns: int) -> int:
        """Steps until it is seen again."""
        return self._lit + self._dark


class Cycling(Motion):
    """Things that are seen one after the other, around and around: glyphs that are an animation.

    what: a list of what can be assigned to a place, such as glyphs, blocks or text.
    Raises SettingError for an empty one.
    """

    def __init__(self, what: "Sequence[Assignable]") -> None:
        if not isinstance(what, (list, tuple)) or not what:
            raise SettingError(f"what is shown in turn is a list of one thing at least, not {quoted(what)}")
        self._what = what

    def cells(self, step: int, rows: int, columns: int) -> "Lines":
        """The one whose turn it is."""
        return laid_out(self._what[step % len(self._what)], rows, columns)

    def period(self, rows: int, columns: int) -> int:
        """As many as there are."""
        return len(self._what)


class Rolling(Motion):
    """A counter that rolls from one number to the next, dot by dot, as wheels do. Ends with the new one.

    Digits that differ roll all at once, each until it is there: upwards, or downwards when the number falls. What is
    not a digit changes at the end. At most eight digits roll, the last ones, since each needs a slot.

    old, new: numbers or text; numbers are right-aligned, with as many decimals as fit.
    dots: dots per step, 1 to 8.
    Raises SettingError for anything but that.
    """

    def __init__(self, old: "Assignable", new: "Assignable", dots: int = 1) -> None:
        self._old, self._new = old, new
        self._dots = whole_setting("dots", dots, 1)
        self._down = _falls(old, new)
        if self._dots > ROWS:
            raise SettingError(f"a digit rolls by 1 to {ROWS} dots per step, not {dots}")

    def cells(self, step: int, rows: int, columns: int) -> "Lines":
        """The wheels as they stand, in the middle row."""
        from lumek.core.wheels import between

        moved = step * self._dots
        last = self.count(rows, columns) - 1
        line: list[Content] = []
        for old, new, wheel in self._wheels(columns):
            if step >= last or old == new:
                line.append(new)
            elif len(wheel) < 2:
                line.append(old)
            else:
                line.append(between(wheel, moved, self._down))
        return in_middle(line, rows, columns, "left")

    def count(self, rows: int, columns: int) -> int:
        """One more than the slowest wheel takes."""
        furthest = max([ROWS * (len(wheel) - 1) for _, _, wheel in self._wheels(columns)] + [0])
        return -(-furthest // self._dots) + 1

    def _wheels(self, columns: int) -> "list[tuple[Content, Content, str]]":
        """For each cell what it shows before and after, and the digits that it rolls through; "" when it does not."""
        from lumek.core.wheels import wheel_of  # needed only by programs with a counter

        ends = []
        for value in (self._old, self._new):
            line = list(laid_out(value, 1, columns)[0])[:columns]
            ends.append(line + [" "] * (columns - len(line)))
        wheels: list[tuple[Content, Content, str]] = []
        rolling = 0
        for at in range(columns - 1, -1, -1):
            old, new = ends[0][at], ends[1][at]
            wheel = wheel_of(old, new, self._down) if rolling < MOST_ROLLING else ""
            rolling += len(wheel) > 1
            wheels.append((old, new, wheel))
        return list(reversed(wheels))


class Sliding(Motion):
    """Text that slides into its place from one side, or out of it. Ends when it is there, or gone.

    When it fills the whole panel, `Panel.play` lets the controller shift its window, which costs one instruction for
    each step. On four rows, and where the memory is not twice as wide as the glass, that would carry text from one
    row to another: there it is redrawn.

    text: what can be assigned to a place.
    side: 'left' or 'right', where it comes from or goes to.
    out: whether it slides out.
    shift: True refuses to be redrawn, False is always redrawn; default: as the panel can.
    Raises SettingError for a side that is not possible.
    """

    def __init__(self, text: "Assignable", side: str = "right", out: bool = False, shift: bool | None = None) -> None:
        if side not in ("left", "right"):
            raise SettingError(f"text slides from or to the 'left' or the 'right', not {quoted(side)}")
        self.text = text
        self.sign = 1 if side == "right" else -1
        self.out, self.shift = bool(out), shift

    def cells(self, step: int, rows: int, columns: int) -> "Lines":
        """The part that is in the place."""
        away = self.away(step, columns)
        lines = []
        for laid in list(laid_out(self.text, rows, columns))[:rows]:
            line = list(laid)[:columns]
            line += [" "] * (columns - len(line))
            blanks: list[Content] = [" "] * away
            lines.append(blanks + line if away > 0 else line[-away:])
        return lines

    def count(self, rows: int, columns: int) -> int:
        """One more than the place has columns."""
        return columns + 1

    def away(self, step: int, columns: int) -> int:
        """Columns by which it is away from its place at a step, to the left when negative."""
        step = min(step, columns)
        return self.sign * (step if self.out else columns - step)


def _falls(old: "Any", new: "Any") -> bool:
    """Whether the second of two numbers, or of texts that are numbers, is the smaller one."""
    try:
        return float(new) < float(old)
    except (TypeError, ValueError):
        return False


def _look(what: "str | Glyph | Sequence[str | Glyph]") -> "list[Content]":
    """Cells side by side, one at least."""
    line: list[Content] = side_by_side(what if isinstance(what, (list, tuple)) else [what])
    if not line:
        raise SettingError("what marches is one character at least, a glyph, or a list of them")
    return line


def _turned(look: "list[Content]") -> "list[Content]":
    """The same from the other side: its glyphs mirrored. Text stays as it is read."""
    if all(isinstance(one, str) for one in look):
        return look
    return [one.mirrored() if isinstance(one, Glyph) else one for one in reversed(look)]
