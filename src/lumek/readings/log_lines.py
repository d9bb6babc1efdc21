"""The lines of a log: what is in them, and how readings are written as CSV and as JSON Lines.

Columns of CSV, keys of JSON Lines: time (ISO 8601, UTC), name, value, unit, flaw, cause. The value of a reading of
words is its text; what is missing is empty or null. A log that was begun without the last column is continued so.
"""

import csv
import io
import json
from collections.abc import Sequence
from datetime import datetime
from functools import lru_cache
from typing import Any

from lumek._json import json_value
from lumek.readings.reading import Reading, timestamp

BEFORE = "time", "name", "value", "unit", "flaw"
"""The columns of a log of Lumek's before there were causes in it."""

COLUMNS = *BEFORE, "cause"
ENDINGS = (".csv", ".jsonl")
HEADS = {(",".join(names) + "\n").encode(): len(names) for names in (COLUMNS, BEFORE)}
"""First line of a CSV log: how many columns it has."""

HEAD = next(iter(HEADS))

JSON_START = b'{"time": "'
"""With which each line of a JSON Lines log begins."""

LONGEST_LINE = 100_000
"""Bytes of the first line of a log at most."""

_encode = json.JSONEncoder(ensure_ascii=False).encode  # `json.dumps` would make an encoder for each line

FORMULA = "=+-@"
"""With one of these a spreadsheet takes a text for a formula (OWASP, "CSV injection")."""


def is_log(names: Sequence[str]) -> bool:
    """Whether columns are those of a log of Lumek's."""
    return tuple(names) in (COLUMNS, BEFORE)


def json_rows(text: str) -> list[dict[str, Any]]:
    """The objects of JSON Lines. Raises ValueError for a line that is not one."""
    lines = [line for line in text.split("\n") if line.strip()]
    try:
        rows = _flat_rows(lines) if "[" not in text and text.count("{") == len(lines) else None
        rows = rows or [json_value(line) for line in lines]
    except RecursionError:
        raise ValueError("a line is nested too deeply") from None
    for row in rows:
        if not isinstance(row, dict):
            raise ValueError(f"a line is {json.dumps(row)[:60]} instead of an object")
    return rows


def _flat_rows(lines: list[str]) -> list[Any] | None:
    """Lines with as many "{" as there are lines, read at once as one list; None where each is to be read by itself.

    When each begins with one, there is none within another, and none goes on in the next line.
    """
    if not all(line.startswith("{") for line in lines):
        return None
    try:
        rows: list[Any] = json.loads("[" + ",\n".join(lines) + "]")
    except ValueError:
        return None
    return rows if len(rows) == len(lines) else None


def _value(reading: Reading) -> float | str | None:
    if reading.text is not None:
        return _plain(reading.text)
    return None if reading != reading else float(reading)


def _plain(text: str) -> str:
    """Text without control characters, which would break lines, and without halves of pairs, which no file can hold."""
    return "".join(char if char.isprintable() else " " for char in text).encode("utf-8", "replace").decode()


_plain_name = lru_cache(4096)(_plain)
"""The same for names, units and causes, which come again and again; words may be long, and always others."""


def _no_formula(text: str) -> str:
    """A text with an apostrophe before it if a spreadsheet would compute it, or take that apostrophe away."""
    return f"'{text}" if text.lstrip("'")[:1] in FORMULA and text.strip("'") else text


def is_line(begins: bytes) -> bool:
    """Whether a file begins with a line of a JSON Lines log, or with a part of one."""
    line, end, _ = begins.partition(b"\n")
    if not end:
        return line == JSON_START[: len(line)] or line.startswith(JSON_START)
    try:
        row = json_value(line)
    except (ValueError, RecursionError):
        return False
    return isinstance(row, dict) and {*BEFORE} <= row.keys()


def time_of(line: str, is_csv: bool) -> float | None:
    """The time of the first line of a log; None for what is none."""
    try:
        time = line.partition(",")[0] if is_csv else json_value(line)["time"]
        return datetime.fromisoformat(time).timestamp()
    except (ValueError, TypeError, KeyError, RecursionError):
        return None


def csv_line(reading: Reading, columns: int) -> str:
    """A reading as a line of CSV. columns: how many it has."""
    value = _value(reading)
    row = (
        timestamp(reading.time),
        _csv_name(reading.name),
        "" if value is None else _csv_text(value) if isinstance(value, str) else repr(value),
        _csv_name(reading.unit),
        reading.flaw or "",
        _csv_name(reading.cause),
    )
    return ",".join(row[:columns]) + "\n"


def _csv_text(text: str) -> str:
    """A text as a field of CSV: without what breaks lines, no formula, in quotes where it needs them."""
    line = io.StringIO()
    csv.writer(line, lineterminator="").writerow((_no_formula(_plain(text)), ""))
    return line.getvalue()[:-1]


_csv_name = lru_cache(4096)(_csv_text)


def json_line(reading: Reading) -> str:
    """A reading as a line of JSON."""
    row = {
        "time": timestamp(reading.time),
        "name": _plain_name(reading.name),
        "value": _value(reading),
        "unit": _plain_name(reading.unit),
        "flaw": reading.flaw,
        "cause": _plain_name(reading.cause) or None,
    }
    return _encode(row) + "\n"
