"""A reading: one sensor value, with what one must know to trust it."""

import re
import time as _time
from datetime import UTC, datetime
from functools import lru_cache
from math import isfinite, modf, nan
from typing import Any, TypedDict, Unpack, cast

from lumek._harmless import LONGEST_LINE, harmless, quoted
from lumek.errors import SettingError

FLAWS = ("missing", "invalid", "under", "over", "stale")
"""What a reading can suffer from:

missing: nothing came (the probe raised, hangs, or the value is None); its number is NaN.
invalid: something came that is not a number (text, NaN, an infinity); its number is NaN.
under, over: below or above what the probe can measure; the number is the one that came.
stale: older than its lifetime; the number is the last good one.
"""


NUMBER = re.compile(r"\d[\d.]*(?:e[+-]?\d+)?")
LONGEST_NUMBER = 400
"""Characters of a number written as text: more than any float needs."""


class About(TypedDict, total=False):
    """What a reading says beside its number; see `Reading`."""

    name: str
    unit: str
    time: float
    flaw: str | None
    text: str | None
    cause: str
    age_s: float


class Reading(float):
    """One value of a sensor. It is its number, and carries what it is and whether it can be trusted.

    value: a number, None for a missing one; an infinity becomes NaN.
    name: what is measured.
    unit: as it is shown, "kg".
    time: when it was taken, in seconds since 1970 UTC (Unix time); now by default.
    flaw: None, or one of `FLAWS`; None and NaN as a value bring "missing" and "invalid" by themselves.
    text: the words of a reading that is not a number, an address for example; its number is NaN without being invalid.
    cause: why it is flawed, for people.
    age_s: how old it was when it was handed out, in seconds.

    >>> weight = Reading(41.4, "weight", "kg")
    >>> weight + 1, weight.unit, weight.flaw
    (42.4, 'kg', None)
    >>> f"{weight:.2f}"
    '41.40'
    >>> Reading(None, "weight").flaw
    'missing'

    Raises SettingError for a value that is not a number, a time that is not possible, and an unknown flaw. What may be
    anything
    goes through `Reading.of`, which raises nothing.
    """

    __slots__ = ("age_s", "cause", "flaw", "name", "text", "time", "unit")
    name: str
    unit: str
    time: float
    flaw: str | None
    text: str | None
    cause: str
    age_s: float

    def __new__(
        cls,
        value: float | None,
        name: str = "",
        unit: str = "",
        time: float | None = None,
        flaw: str | None = None,
        *,
        text: str | None = None,
        cause: str = "",
        age_s: float = 0.0,
    ) -> "Reading":
        """Check what was given, and mark what is not a number."""
        try:
            self = super().__new__(cls, nan if value is None else value)
        except (TypeError, ValueError, OverflowError):
            raise SettingError(f"{quoted(value)} is not a number: give one, None, or text=... for words") from None
        if flaw is not None and flaw not in FLAWS:
            raise SettingError(f"{quoted(flaw)} is not a flaw: flaws are None, {', '.join(FLAWS)}")
        if not isfinite(self):
            self = super().__new__(cls, nan)
            if flaw is None and text is None:
                flaw = "missing" if value is None else "invalid"
        self.name = name
        self.unit = unit
        self.time = _time.time() if time is None else moment(time)
        self.flaw = flaw
        self.text = text
        self.cause = cause
        self.age_s = age_s
        return self

    @classmethod
    def of(cls, value: object, name: str = "", unit: str = "", time: float | None = None) -> "Reading":
        """A reading of anything: a number, its text, None, a reading. Anything but a number makes an invalid one.

        Numbers as text may have blanks around them; "nan" and "inf" are not numbers; True is 1 and False 0.
        """
        if isinstance(value, Reading):
            return value
        if value is None or (isinstance(value, str) and not value.strip()):
            return cls(None, name, unit, time, cause="nothing was given")
        try:
            number = number_in(value) if isinstance(value, str) else float(cast("float", value))
        except (TypeError, ValueError, OverflowError):
            number = nan
        if isfinite(number):
            return cls(number, name, unit, time)
        return cls(nan, name, unit, time, "invalid", cause=f"{quoted(value)} is not a number")

    @property
    def good(self) -> bool:
        """Whether it has no flaw."""
        return self.flaw is None

    @property
    def trouble(self) -> str | None:
        """Flaw and cause without their numbers, which may change while the trouble stays; None for a good reading."""
        return None if self.flaw is None else f"{self.flaw}: {NUMBER.sub('#', self.cause)}"

    @property
    def when(self) -> datetime:
        """When it was taken, as a `datetime` in UTC."""
        return datetime.fromtimestamp(self.time, UTC)

    def but(self, value: float | None = None, **other: Unpack[About]) -> "Reading":
        """The same reading with another value, name, unit, time, flaw, text, cause or age_s.

        A new value that is NaN makes a good reading invalid; a flaw that there was stays unless another is given.
        """
        given: dict[str, Any] = {field: getattr(self, field) for field in self.__slots__} | {**other}
        return Reading(float(self) if value is None else value, **given)

    def limited(self, low: float | None, high: float | None) -> "Reading":
        """The same, or under or over when a good one is outside of low to high, which belong to the range."""
        if self.flaw is None and low is not None and self < low:
            return self.but(flaw="under", cause=f"{float(self):g} is below {low:g}")
        if self.flaw is None and high is not None and self > high:
            return self.but(flaw="over", cause=f"{float(self):g} is above {high:g}")
        return self

    def described(self) -> str:
        """A line for people: name, value with unit, flaw and its cause."""
        value = self.text if self.text is not None else "--" if self != self else f"{float(self):g}"
        said = f"{self.name} {value} {self.unit}".strip()
        return said if self.flaw is None else f"{said} ({self.flaw}{': ' if self.cause else ''}{self.cause})"

    def __repr__(self) -> str:
        shown = [repr(self.text) if self.text is not None else float.__repr__(self), repr(self.name), repr(self.unit)]
        shown.append(timestamp(self.time))
        if self.flaw is not None:
            shown.append(self.flaw)
        return f"<Reading {' '.join(shown)}>"

    __str__ = float.__repr__

    def __reduce__(self) -> tuple[Any, ...]:
        return _again, (float(self), {field: getattr(self, field) for field in self.__slots__})


def _again(value: float, fields: dict[str, Any]) -> Reading:
    """Make a reading again, for pickle and copy."""
    return Reading(value, **fields)


def number_in(text: str) -> float:
    """The number that a text is, as instruments and files write it; ValueError for any other.

    Python's own way to write 1_000, and digits of other scripts, are not numbers here.
    """
    if "_" in text or not text.isascii() or len(text) > LONGEST_NUMBER:
        raise ValueError(f"{quoted(text)} is not a number")
    return float(text)


def moment(time: float) -> float:
    """A time as seconds since 1970 UTC; SettingError for anything else (the years 1 to 9999 are possible)."""
    try:
        datetime.fromtimestamp(time, UTC)
    except (TypeError, ValueError, OverflowError, OSError):
        raise SettingError(f"{quoted(time)} is not a time: give seconds since 1970 UTC, as time.time() does") from None
    return float(time)


def timestamp(time: float) -> str:
    """A time as ISO 8601 in UTC with milliseconds: 2026-07-01T06:00:00.000Z."""
    fraction, whole = modf(time)
    micro = round(fraction * 1_000_000)  # as datetime rounds
    seconds, micro = int(whole) + micro // 1_000_000, micro % 1_000_000
    return f"{_second(seconds)}.{micro // 1000:03}Z"


@lru_cache(64)
def _second(seconds: int) -> str:
    return datetime.fromtimestamp(seconds, UTC).isoformat()[:-6]


def one_line(problem: BaseException) -> str:
    """What went wrong, in a line of at most 200 characters."""
    said = " ".join(str(problem)[:1000].split()) or type(problem).__name__
    return harmless(said, LONGEST_LINE)
