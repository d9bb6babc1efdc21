"""Tables in text, as programs export them: what is between their columns, what the head says, how times are written."""

import csv
from collections.abc import Iterator
from datetime import datetime
from itertools import islice
from pathlib import Path

from lumek._harmless import quoted
from lumek.errors import CaptureError

DELIMITERS = ",;\t|"

COMMENTS = (";", "#", "//")
"""How lines begin that are none of the table, as long as no table has begun."""

UNITS_NS = {"s": 1e9, "sec": 1e9, "seconds": 1e9, "ms": 1e6, "us": 1e3, "µs": 1e3, "μs": 1e3, "ns": 1.0, "ps": 1e-3}

HEAD_LINES = 50

MOST_LINE = 1 << 16

MOST_COLUMNS = 256


class CsvText:
    """A table in a text file.

    path: the file. delimiter: what is between its columns. columns: their names; comments: lines before the table.
    Raises CaptureError.
    """

    def __init__(self, path: Path) -> None:
        self.path = path
        self.name = quoted(path.name).strip("'\"")
        self.comments: list[str] = []
        head: list[str] = []
        for line in islice(self._lines(), HEAD_LINES):
            text = line.strip()
            if not head and (not text or text.startswith(COMMENTS)) and not text.startswith(";;"):
                self.comments.append(text)
            elif text:
                head.append(line)
        if not head:
            raise CaptureError(f"{self.name} has no table")
        self.delimiter = max(
            DELIMITERS, key=lambda one: (min(line.count(one) for line in head[:5]), -DELIMITERS.index(one))
        )
        self.columns = [cell.strip().strip('"').strip() for cell in self._split(head[0])]
        if len(self.columns) < 2 or len(self.columns) > MOST_COLUMNS:
            raise CaptureError(f"{self.name} is not a capture: its first line has {len(self.columns)} columns")
        self.has_head = not all(_is_number(cell) for cell in self.columns)
        if not self.has_head:
            self.columns = [f"column{number}" for number in range(len(self.columns))]

    def rows(self) -> Iterator[list[str]]:
        """The rows below the head."""
        lines = self._lines()
        for _ in range(len(self.comments)):
            next(lines, None)
        begun = not self.has_head
        try:
            for row in csv.reader(lines, delimiter=self.delimiter):
                if not begun:
                    begun = bool(row)
                elif row:
                    yield row
        except csv.Error as problem:
            raise CaptureError(f"{self.name} cannot be read as a table: {quoted(str(problem))}") from None

    def _split(self, line: str) -> list[str]:
        return next(csv.reader([line], delimiter=self.delimiter), [])

    def _lines(self) -> Iterator[str]:
        with self.path.open("r", encoding="utf-8-sig", errors="replace", newline=None) as file:
            while line := file.readline(MOST_LINE):
                if len(line) >= MOST_LINE:
                    raise CaptureError(f"{self.name}: a line has more than {MOST_LINE} characters")
                yield line.replace("\0", " ")


class Times:
    """How a column's times are written, found out from its name and its first value.

    unit: of plain numbers. Times that are dates count from the first.
    """

    def __init__(self, name: str, table: CsvText) -> None:
        self._table = table
        self._comma = table.delimiter != ","
        self._scale = unit_ns(name)
        self._first: datetime | None = None

    def ns(self, text: str) -> int:
        """A time in nanoseconds. Raises CaptureError for what is none."""
        text = text.strip().strip('"')
        try:
            return round(float(text.replace(",", ".") if self._comma else text) * self._scale)
        except (ValueError, OverflowError):
            pass
        parts = text.split()
        if len(parts) == 2 and parts[1] in UNITS_NS and _is_number(parts[0]):
            return round(float(parts[0].replace(",", ".")) * UNITS_NS[parts[1]])
        try:
            return self._of_date(text)
        except (ValueError, OverflowError):
            raise CaptureError(f"{self._table.name}: {quoted(text)} is not a time") from None

    def _of_date(self, text: str) -> int:
        """A date and time of ISO 8601, with as many decimals of seconds as there are."""
        text = text.replace("Z", "+00:00").replace(",", ".")
        whole, _, rest = text.partition(".")
        digits = ""
        while rest[:1].isdigit():
            digits, rest = digits + rest[0], rest[1:]
        instant = datetime.fromisoformat(whole + rest)
        if self._first is None:
            self._first = instant
        elapsed = instant - self._first
        return (elapsed.days * 86_400 + elapsed.seconds) * 10**9 + int((digits + "0" * 9)[:9])


def unit_ns(name: str) -> float:
    """Nanoseconds of the unit in the name of a column of times; seconds where it has none."""
    words = "".join(one if one.isalnum() or one in "µμ" else " " for one in name.lower()).split()
    return next((UNITS_NS[word] for word in reversed(words) if word in UNITS_NS), 1e9)


def _is_number(text: str) -> bool:
    try:
        float(text.replace(",", "."))
    except ValueError:
        return False
    return True
