"""Clock, date, and the time that is left."""

from lumek._harmless import quoted
from lumek.core.layout import in_middle
from lumek.core.text import cells_of
from lumek.errors import SettingError
from lumek.fields.field import NO_MOMENT, Field, flaw_of, number_setting, side_setting, text_group

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence
    from typing import Any

    from lumek.fields.field import Group, Moment
    from lumek.protocols import Content

DAYS = "Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"
MONTHS = ("January", "February", "March", "April", "May", "June", "July", "August", "September", "October", "November",
          "December")  # fmt: skip
SHORT = 3
"""Letters of the short names of days and months."""

DAY_S = 86_400

UNTIL = "until is a time of the day, as '18:00', or seconds since 1970 UTC"


class Clock(Field):
    """Time and date.

    The codes in `form` are those of `strftime`: %H %I %M %S %p (hours of 24 and of 12, minutes, seconds, AM or PM),
    %d %e %m %y %Y %j (day with a zero or a blank, month, year of two and of four digits, day of the year), %a %A %b %B
    (names of days and months, short and in full), %u %w (number of the weekday, Monday being 1, Sunday being 0), %G %V
    (year and week of ISO 8601), %F (%Y-%m-%d), %R (%H:%M), %T (%H:%M:%S), %%.

    form: text with codes for parts of the time, as '%H:%M'.
    of: the name of a probe; shows the time of its reading instead of the time now.
    days: names of the seven days, from Monday on; their first three letters are the short names.
    months: names of the twelve months; their first three letters are the short names.
    align: 'left', 'centre' or 'right'.
    words: text for each flaw: 'missing', 'invalid', 'under', 'over' and 'stale'.
    Raises SettingError for a setting that is not possible.

    >>> panel[0, 0:8] = Clock("%H:%M")(now=Moment(local=(2026, 7, 1, 6, 5, 0, 2, 182)))
    >>> panel[0, 0:8]
    '06:05   '
    """

    kind = "clock"
    works_alone = True
    shows_time = True

    def __init__(
        self,
        form: str = "%H:%M",
        of: str = "",
        days: "Sequence[str]" = DAYS,
        months: "Sequence[str]" = MONTHS,
        align: str = "left",
        words: "Mapping[str, str] | None" = None,
    ) -> None:
        super().__init__(of, words)
        for what, names, count in (("days", days, 7), ("months", months, 12)):
            if isinstance(names, str) or len(names) != count or not all(isinstance(name, str) for name in names):
                raise SettingError(f"{what} are {count} names, not {quoted(names)}")
        if not isinstance(form, str):
            raise SettingError(f"form is text with codes, as '%H:%M', not {quoted(form)}")
        self._form = form
        self._names = days, months
        self._align = side_setting(align)
        self._text = formatted(form, NO_MOMENT.local, days, months)
        self._flaw: str | None = None

    def take(self, value: "Any", now: "Moment") -> None:
        """Show the time as it is now, or that of a value: a time tuple as `Moment.local`."""
        self._flaw = None
        if self.of and not isinstance(value, (tuple, list)):
            self._flaw = flaw_of(value) or "invalid"
        else:
            self._text = formatted(self._form, value if self.of else now.local, *self._names)

    def cells(self, rows: int, columns: int) -> "Sequence[Sequence[Content]]":
        """The time, in the middle row."""
        text = self._text if self._flaw is None else self.word(self._flaw, columns)
        return in_middle(cells_of(text), rows, columns, self._align)

    def groups(self, rows: int, columns: int) -> "list[list[Group]]":
        """The letters of all names that it may show."""
        plain = self._form
        longest = 0
        letters = ""
        for code, names in (("a", self._names[0]), ("b", self._names[1])):
            if "%" + code in self._form or "%" + code.upper() in self._form:
                letters += "".join(names)
                longest += max([len(name) for name in names])
        return [[text_group(plain), (cells_of(letters), longest)]] + (self.word_groups(columns) if self.of else [])


class Countdown(Field):
    """The time left: "2d 04:10" in days, hours and minutes, "4:10:00", and "0:59" at the end.

    until: a time of each day as '18:00', or a date and time with its zone as 2026-07-01T18:00:00+02:00 (in Python:
        seconds since 1970 UTC).
    of: the name of a probe that counts the seconds left.
    done: text, when no time is left.
    align: 'left', 'centre' or 'right'.
    words: text for each flaw: 'missing', 'invalid', 'under', 'over' and 'stale'.
    Raises SettingError for a setting that is not possible.

    >>> panel[0, 0:8] = Countdown("18:00")(now=Moment(local=(2026, 7, 1, 17, 59, 1, 2, 182)))
    >>> panel[0, 0:8]
    '    0:59'
    """

    kind = "countdown"
    works_alone = True

    def __init__(
        self,
        until: "str | float | None" = None,
        of: str = "",
        done: str = "0:00",
        align: str = "right",
        words: "Mapping[str, str] | None" = None,
    ) -> None:
        super().__init__(of, words)
        if (until is None) != bool(of):
            raise SettingError("a countdown needs until, a time, or of, a probe that counts the seconds left")
        self._until = seconds_of_day(until, UNTIL) if isinstance(until, str) else None
        self._at = None if until is None or isinstance(until, str) else number_setting("until", until)
        self._done = cells_of(done)
        self._align = side_setting(align)
        self._text = self._done
        self._flaw: str | None = None

    def take(self, value: "Any", now: "Moment") -> None:
        """Show what is left now, or the seconds of a value."""
        if self._until is not None:
            hour, minute, second = now.local[3:6]
            left: float = (self._until - (hour * 3600 + minute * 60 + second)) % DAY_S
        elif self._at is not None:
            left = self._at - now.unix
        else:
            flaw = flaw_of(value)
            self._flaw = flaw if self.hides(value, flaw) else None
            if self._flaw is not None:
                return
            left = float(value)
        self._text = cells_of(time_left(left)) if left > 0 else self._done

    def cells(self, rows: int, columns: int) -> "Sequence[Sequence[Content]]":
        """What is left, in the middle row."""
        text = self._text if self._flaw is None else cells_of(self.word(self._flaw, columns))
        return in_middle(text, rows, columns, self._align)

    def groups(self, rows: int, columns: int) -> "list[list[Group]]":
        """What its words need."""
        return [[text_group(self._done)]] + (self.word_groups(columns) if self.of else [])


def time_left(seconds: float) -> str:
    """A time in days, hours, minutes and seconds, the last begun one counting whole."""
    whole = -int(-seconds // 1)
    days, rest = divmod(whole, DAY_S)
    hours, rest = divmod(rest, 3600)
    minutes, rest = divmod(rest, 60)
    if days:
        return f"{days}d {hours:02d}:{minutes:02d}"
    return f"{hours}:{minutes:02d}:{rest:02d}" if hours else f"{minutes}:{rest:02d}"


def formatted(form: str, local: "Sequence[int]", days: "Sequence[str]" = DAYS, months: "Sequence[str]" = MONTHS) -> str:
    """A time as text; see `Clock`. Raises SettingError for an unknown code."""
    parts = form.split("%")
    text = parts[0]
    at = 1
    while at < len(parts):
        part = parts[at]
        code = part[:1] or "%"
        if code == "%":
            at += 1
            text += "%" + (parts[at] if at < len(parts) else "")
            if at >= len(parts):
                raise SettingError(f"{quoted(form)} ends in %: write %% for a percent sign")
        elif code in ("F", "R", "T"):
            text += formatted({"F": "%Y-%m-%d", "R": "%H:%M", "T": "%H:%M:%S"}[code], local) + part[1:]
        elif code in ("a", "A"):
            text += days[local[6]][: SHORT if code == "a" else None] + part[1:]
        elif code in ("b", "B"):
            text += months[local[1] - 1][: SHORT if code == "b" else None] + part[1:]
        elif code == "p":
            text += ("AM" if local[3] < 12 else "PM") + part[1:]
        elif code in NUMBERS:
            text += _number(code, local) + part[1:]
        else:
            raise SettingError(
                f"there is no code %{code} in {quoted(form)}: codes are %{' %'.join(sorted(CODES))} and %%"
            )
        at += 1
    return text


# Code: (digits at least, whether zeros fill them).
NUMBERS = {"H": (2, "0"), "I": (2, "0"), "M": (2, "0"), "S": (2, "0"), "d": (2, "0"), "e": (2, " "), "m": (2, "0"),
           "y": (2, "0"), "Y": (1, "0"), "j": (3, "0"), "u": (1, "0"), "w": (1, "0"), "G": (1, "0"),
           "V": (2, "0")}  # fmt: skip
CODES = list(NUMBERS) + ["a", "A", "b", "B", "p", "F", "R", "T"]


def _number(code: str, local: "Sequence[int]") -> str:
    """A part of the time that is a number."""
    year, month, day, hour, minute, second, weekday, of_year = local[:8]
    week = iso_week(year, weekday, of_year) if code in "GV" else (0, 0)
    value = {"H": hour, "I": (hour - 1) % 12 + 1, "M": minute, "S": second, "d": day, "e": day, "m": month,
             "y": year % 100, "Y": year, "j": of_year, "u": weekday + 1, "w": (weekday + 1) % 7, "G": week[0],
             "V": week[1]}[code]  # fmt: skip
    digits, filler = NUMBERS[code]
    text = str(value)
    return filler * (digits - len(text)) + text


def iso_week(year: int, weekday: int, of_year: int) -> tuple[int, int]:
    """Year and week of ISO 8601: a week belongs to the year in which its Thursday is."""
    thursday = of_year - weekday + 3
    if thursday < 1:
        return year - 1, (thursday + _days_in(year - 1) - 1) // 7 + 1
    if thursday > _days_in(year):
        return year + 1, 1
    return year, (thursday - 1) // 7 + 1


def _days_in(year: int) -> int:
    return 366 if year % 4 == 0 and (year % 100 != 0 or year % 400 == 0) else 365


def seconds_of_day(text: str, wanted: str) -> int:
    """Seconds from midnight of a time such as "18:00". Raises SettingError, which begins with what is wanted."""
    parts = text.split(":")
    if 2 <= len(parts) <= 3 and all(part.isdigit() and len(part) <= 2 for part in parts):
        hour, minute, second = [int(part) for part in parts] + [0] * (3 - len(parts))
        if hour < 24 and minute < 60 and second < 60:
            return hour * 3600 + minute * 60 + second
    raise SettingError(f"{wanted}, not {quoted(text)}")
