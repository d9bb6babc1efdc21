"""The times of a table: which column has them, and what they are in seconds."""

import re
from collections.abc import Sequence
from datetime import UTC, datetime, timedelta
from itertools import pairwise
from math import isfinite
from typing import Any

from lumek._harmless import quoted
from lumek.errors import SettingError
from lumek.readings.reading import number_in, one_line
from lumek.readings.time_source import TimeSource

WITH_DATE = ("timestamp", "datetime", "date time", "date", "zeitstempel", "datum", "fecha", "jour")
OF_DAY = ("time", "time of day", "clock", "zeit", "uhrzeit", "hora", "heure")
OTHERS = ("utc", "epoch", "unix time", "seconds")
"""Names of a column of times, without what is in parentheses: "Time (s)"."""

TIME_OF_DAY = re.compile(r"(\d\d?):(\d\d)(?::(\d\d(?:[.,]\d+)?))?\s*([AaPp]\.?[Mm]\.?)?")
DATE = re.compile(rf"(\d{{1,4}})([./-])(\d\d?)\2(\d{{2}}|\d{{4}})(?:[ T,]+({TIME_OF_DAY.pattern}))?")

UNITS = ((1e11, 1.0), (1e14, 1e3), (1e17, 1e6))
"""Numbers below the first are times in units of which the second make a second; larger ones are nanoseconds.

1e11 s is the year 5138.
"""

MOST_NAMED = 20
DAY_S = 86_400
MONTHS = 12


def times_of(
    names: Sequence[str], rows: Sequence[dict[str, Any]], column: str | None, dates: str | None, clock: TimeSource
) -> tuple[list[float], set[str]]:
    """The times of the rows, in seconds since 1970 or any other moment, and the columns that they were in.

    column: the name of the column; None to find it.
    dates: 'day-first', 'month-first', or None to find it.
    Raises SettingError for times that are missing, go back or cannot be read.
    """
    used = [column] if column is not None else _columns(names, rows)
    cells = [row.get(used[0]) for row in rows]
    if len(used) == 2:
        cells = [f"{date or ''} {row.get(used[1])}" for date, row in zip(cells, rows, strict=True)]
    try:
        seconds = _seconds(cells, dates, clock)
    except (ValueError, TypeError, OverflowError) as problem:
        raise SettingError(f"a time cannot be read: {one_line(problem)}") from None
    if not all(map(isfinite, seconds)) or any(after < before for before, after in pairwise(seconds)):
        raise SettingError("times are missing or go back")
    return seconds, {*used}


def _columns(names: Sequence[str], rows: Sequence[dict[str, Any]]) -> list[str]:
    """The column of times, by its name; or that of dates and that of times of day."""
    plain = {re.sub(r"\s*[(\[].*", "", name).strip().casefold().replace("_", " "): name for name in reversed(names)}
    dated = next((plain[name] for name in WITH_DATE if name in plain), None)
    daily = next((plain[name] for name in OF_DAY if name in plain), None)
    if dated is not None and daily is not None and all(_is_of_day(row.get(daily)) for row in rows):
        return [dated, daily]
    # "time" itself is the name that Lumek's own recordings have.
    wanted = ("time", *WITH_DATE, *OF_DAY, *OTHERS)
    found = next((plain[name] for name in wanted if name in plain), None)
    if found is None:
        there = ", ".join(names[:MOST_NAMED]) + (", ..." if len(names) > MOST_NAMED else "")
        first = names[0] if names else "time"
        raise SettingError(f"no column 'time' or of a similar name: it has {there}; name it: column = {quoted(first)}")
    return [found]


def _is_of_day(cell: Any) -> bool:
    return isinstance(cell, str) and TIME_OF_DAY.fullmatch(cell) is not None


def _seconds(cells: list[Any], dates: str | None, clock: TimeSource) -> list[float]:
    if all(map(_is_of_day, cells)):
        return _of_days(cells, clock)
    written = [found for cell in cells if isinstance(cell, str) and (found := DATE.fullmatch(cell))]
    day_first = _day_first([(found[1], found[2], found[3]) for found in written], dates) if written else False
    return [_second(cell, day_first) for cell in cells]


def _day_first(dates: list[tuple[str, str, str]], said: str | None) -> bool:
    """Whether dates begin with the day. Raises ValueError when it cannot be known."""
    parted = [(int(first), int(second)) for first, sign, second in dates if len(first) < 4 and sign != "."]
    if said is not None or not parted:
        return said != "month-first"
    day, month = any(first > MONTHS for first, _ in parted), any(second > MONTHS for _, second in parted)
    if day == month:
        first, second = parted[0]
        raise ValueError(f"{first}/{second} may be a day and a month, or the reverse: add dates = 'day-first' or "
                         "'month-first'")  # fmt: skip
    return day


def _second(cell: Any, day_first: bool) -> float:
    """A time, given as a number, as ISO 8601, or as a date in figures; UTC where no zone is given.

    Numbers too large for seconds since 1970 are its milliseconds, microseconds or nanoseconds.
    """
    if isinstance(cell, str) and (found := DATE.fullmatch(cell)) and not (found[2] == "-" and len(found[1]) == 4):
        first, second, third = int(found[1]), int(found[3]), int(found[4])
        if len(found[1]) == 4:
            year, month, day = first, second, third
        else:
            year = third if len(found[4]) == 4 else 2000 + third
            day, month = (first, second) if day_first or found[2] == "." else (second, first)
        midnight = datetime(year, month, day, tzinfo=UTC)
        return (midnight + timedelta(seconds=_of_day(found[5]) if found[5] else 0)).timestamp()
    try:
        number = number_in(cell) if isinstance(cell, str) else float(cell)
        return number / next((unit for most, unit in UNITS if abs(number) < most), 1e9)
    except ValueError:
        moment = datetime.fromisoformat(cell)
        return (moment if moment.tzinfo else moment.replace(tzinfo=UTC)).timestamp()


def _of_day(text: str) -> float:
    """A time of day, in seconds. Raises ValueError for one that no day has."""
    found = TIME_OF_DAY.fullmatch(text)
    assert found is not None
    hours, minutes, seconds = int(found[1]), int(found[2]), float((found[3] or "0").replace(",", "."))
    if found[4]:
        hours = hours % 12 + (12 if found[4][0] in "Pp" else 0)
    if hours > 24 or minutes > 59 or seconds >= 61:
        raise ValueError(f"{text!r} is not a time of day")
    return hours * 3600 + minutes * 60 + seconds


def _of_days(times: list[str], clock: TimeSource) -> list[float]:
    """Times of a day, of today and, where they go back, of the next day."""
    midnight = datetime.fromtimestamp(clock.time(), UTC).replace(hour=0, minute=0, second=0, microsecond=0)
    seconds: list[float] = []
    day, last = midnight.timestamp(), 0.0
    for time in times:
        now = _of_day(time)
        day += DAY_S if now < last else 0
        last = now
        seconds.append(day + now)
    return seconds
