"""What all fields have in common: how they take a value, what is shown for one that cannot be trusted, and their slots.

A value is anything: a number, a reading with its `flaw`, text, None. The rules for flaws are here:
a flaw of the reading counts; None is missing; anything but a finite number is invalid; a field's own limits make a good
value under or over (`flaw_of`). Its word hides a value with a flaw; a word that is "" shows what is known of it
(`Field.hides`).
"""

from lumek._harmless import quoted
from lumek.core.text import SIDES, cells_of
from lumek.core.values import is_number
from lumek.errors import SettingError

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence
    from typing import Any, Self

    from lumek.protocols import Content

    Group = tuple[Sequence[Content] | None, int]

WORDS = {"missing": "--", "invalid": "??", "under": "under", "over": "over", "stale": "old"}
"""Flaw: the word shown for a value that has it."""

MARKS = {"missing": "-", "invalid": "?", "under": "<", "over": ">", "stale": "~"}
"""What fills a place that is too small for the word."""

LARGEST = 1e300
"""Numbers beyond it, and NaN, are not values; every other one has a float."""

UNKNOWN = "missing", "invalid", "stale"
"""Flaws with which the value is unknown; one that is under or over is known to be at least that far."""


class Moment:
    """When something is shown.

    seconds: since any moment; they never jump.
    unix: seconds since 1970 UTC.
    local: year, month (1 to 12), day, hour, minute, second, weekday (0 is Monday), day of the year, as `time.localtime`
        gives them.
    """

    def __init__(
        self, seconds: float = 0.0, unix: float = 0.0, local: "Sequence[int]" = (2000, 1, 1, 0, 0, 0, 5, 1)
    ) -> None:
        self.seconds = seconds
        self.unix = unix
        self.local = local


NO_MOMENT = Moment()


class Field:
    """Something on a face. Call it with a value, and with the moment if it matters, and assign the result to a place.

    of: the name of a probe, or an expression of several, as 'weight - 12.5'.
    words: text for each flaw: 'missing', 'invalid', 'under', 'over' and 'stale'.
    Raises SettingError for a setting that is not possible.
    """

    kind = "field"
    """What it is, in a file and in errors."""

    shows_time = False
    """Whether it takes the time of a reading, as a time tuple, instead of the reading."""

    works_alone = False
    """Whether it shows something without `of`."""

    _blink_s = 0.0
    _is_dark = False

    remembers = False
    """Whether what it shows depends on what it took before: it should take values while it is not seen, too."""

    def __init__(self, of: str = "", words: "Mapping[str, str] | None" = None) -> None:
        if not isinstance(of, str):
            raise SettingError(
                f"a {self.kind} shows a probe, given by its name, or an expression as text, not {quoted(of)}"
            )
        self.of = of
        self.words = dict(WORDS)
        for flaw, word in (words or {}).items():
            if flaw not in WORDS:
                raise SettingError(f"{quoted(flaw)} is not a flaw: flaws are {', '.join(sorted(WORDS))}")
            if not isinstance(word, str):
                raise SettingError(f"the word for {flaw} is text, not {quoted(word)}")
            cells_of(word)
            self.words[flaw] = word

    def __call__(self, value: "Any" = None, now: Moment = NO_MOMENT) -> "Self":
        """Take a value. Returns itself, to be assigned to a place.

        value: anything: a number, a reading, text, None for one that is missing.
        now: when it is, for what depends on time.
        """
        if hasattr(value, "is_snan") and value.is_snan():  # the NaN of decimal that raises wherever it is compared
            value = float("nan")
        self.take(value, now)
        if self._blink_s:
            self._is_dark = not self._is_dark if now is NO_MOMENT else int(now.seconds / self._blink_s) % 2 == 1
        return self

    def blinking(self, seconds: float = 0.5) -> "Self":
        """Let it blink: its place is blank in turn. Without a moment, at every other call. Returns itself.

        seconds: for which it is seen, and is not, 0.001 or more.
        Raises SettingError for anything else.

        >>> from lumek.fields import Label
        >>> panel[0] = Label("Lid open").blinking()(now=Moment(0.7))
        >>> panel[0].strip()
        ''
        """
        self._blink_s = number_setting("blinking", seconds)
        if self._blink_s < 0.001:
            raise SettingError(f"a field blinks for 0.001 seconds or more, not {quoted(seconds)}")
        return self

    def take(self, value: "Any", now: Moment) -> None:
        """Take a value, anything, which is shown from now on."""

    def appear(self) -> None:
        """It is seen from now on, after something else stood in its place."""

    def cells(self, rows: int, columns: int) -> "Sequence[Sequence[Content]]":
        """What it shows in a place of these rows and columns: characters and glyphs, row by row; here nothing."""
        return [[" "] * columns for _ in range(rows)]

    def groups(self, rows: int, columns: int) -> "list[list[Group]]":
        """What it may show, for the slots that it may need.

        Several alternatives, of which one is seen at a time. Each consists of groups: (contents, how many different
        ones of them are seen at once at most); contents are None for drawings that are not known before.
        """
        return []

    def check(self, rows: int, columns: int) -> None:
        """Raise SettingError for a place where it cannot be put."""

    def laid_out(self, rows: int, columns: int, leftward: bool = False) -> "Sequence[Sequence[Content]]":
        """Its cells; called by the panel to which it is assigned."""
        return [[" "] * columns] if self._is_dark else self.cells(rows, columns)

    @property
    def blinks(self) -> bool:
        """Whether it blinks."""
        return self._blink_s > 0

    def word_groups(self, columns: int) -> "list[list[Group]]":
        """The alternatives in which a word is shown for the value."""
        return [[text_group(self.word(flaw, columns))] for flaw in WORDS if self.words[flaw]]

    def hides(self, value: "Any", flaw: str | None) -> bool:
        """Whether a flaw hides a value: the flaw has a word, or the value is unknown."""
        return flaw is not None and (bool(self.words[flaw]) or flaw in ("missing", "invalid") or value != value)

    def word(self, flaw: str | None, columns: int) -> str:
        """The word for a flaw, or its mark where the word does not fit; "" without a flaw or a word."""
        if flaw is None:
            return ""
        word = self.words[flaw]
        return word if len(cells_of(word)) <= columns else MARKS[flaw] * columns


def flaw_of(value: "Any", low: float | None = None, high: float | None = None) -> str | None:
    """Why a value is not to be trusted, or None.

    low, high: outside of these a good one is under or over.
    """
    flaw: str | None = getattr(value, "flaw", None)
    if flaw in WORDS:
        return flaw
    if value is None:
        return "missing"
    if not isinstance(value, bool) and not is_number(value):
        return "invalid"
    if (hasattr(value, "is_nan") and value.is_nan()) or not -LARGEST < value < LARGEST:
        return "invalid"
    if low is not None and value < low:
        return "under"
    if high is not None and value > high:
        return "over"
    return None


def number_of(value: "Any") -> "Any":
    """A value that is good, under or over, as a number: on a board one that is under or over has it apart."""
    return getattr(value, "number", value)


def time_of(value: "Any", now: Moment) -> float:
    """When a value was as it is, in seconds: the time of a reading and its age, else the moment."""
    time = getattr(value, "time", None)
    return now.seconds if time is None else time + (value.age_s if getattr(value, "flaw", None) == "stale" else 0.0)


def text_group(text: "Sequence[Content]") -> "Group":
    """The group of what a text contains, all of it at once."""
    contents = cells_of(text) if isinstance(text, str) else list(text)
    return contents, len(contents)


def side_setting(align: "Any") -> str:
    """A setting that is a side, for alignment. Raises SettingError for anything else."""
    if not isinstance(align, str) or align not in SIDES:
        raise SettingError(f"nothing can be aligned {quoted(align)}: possible are {', '.join(SIDES)}")
    return align


def number_setting(what: str, value: "Any") -> float:
    """A setting that is a number. Raises SettingError for anything else."""
    if isinstance(value, bool) or flaw_of(value):
        raise SettingError(f"{what} is a number, not {quoted(value)}")
    return float(value)


def range_setting(low: "Any", high: "Any") -> tuple[float, float]:
    """Two settings that are a range. Raises SettingError unless low is below high."""
    low, high = number_setting("low", low), number_setting("high", high)
    if not low < high:
        raise SettingError(f"low must be below high, not {low:g} and {high:g}")
    return low, high
