"""A graph of the last readings: five columns of dots a cell, eight heights."""

import math

from lumek.core.glyph import COLUMNS, FULL_ROW, ROWS, Glyph
from lumek.core.numbers import number
from lumek.core.text import aligned, cells_of
from lumek.core.values import whole_setting
from lumek.errors import SettingError
from lumek.fields.field import (
    LARGEST,
    UNKNOWN,
    Field,
    flaw_of,
    number_of,
    number_setting,
    range_setting,
    text_group,
    time_of,
)
from lumek.fields.scale import round_limits

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Sequence
    from typing import Any

    from lumek.fields.field import Group, Moment
    from lumek.protocols import Content

MOST = 40 * COLUMNS
"""Columns of dots that are remembered: those of the widest panel."""


SPREAD = tuple([sum([1 << at * 8 for at in range(4) if dots >> at & 1]) for dots in range(16)])
"""Four dots above each other as the right column of four rows: a byte for each, the lowest first."""

FIRST_OF_ROWS = int.from_bytes(bytes([1 << COLUMNS - 1] * ROWS), "big")
"""The left column of a drawing."""
REST_OF_ROWS = int.from_bytes(bytes([FULL_ROW - 1] * ROWS), "big")
"""All but its right column."""

COARSEST, LONG = 12, 40
"""Powers of ten to which limits may be rounded to fit their cells; the cells that hold any limit."""


class Trend(Field):
    """A graph of the last readings, the newest on the right.

    Without low and high the scale follows what is seen, between round numbers. A reading that is missing, invalid,
    stale or infinite is a gap. A place of n cells may need n slots, without its limits.

    of: the name of a probe, or an expression of several, as 'weight - 12.5'.
    low: a number, at which the graph touches the bottom.
    high: a number, at which the graph touches the top.
    every_s: seconds, 0.001 to 100000000, that a column of dots covers; default: a column for each reading.
    filled: true or false: the dots below the graph are lit, too.
    limits: cells, 0 to 100, for each of low and high, beside the graph; in one row low is on its left.
    Raises SettingError for a setting that is not possible.

    >>> trend = Trend(low=0, high=10)
    >>> for value in (3, 5, 8):
    ...     panel[0, 0:8] = trend(value)
    """

    kind = "trend"
    remembers = True

    def __init__(
        self,
        of: str = "",
        low: float | None = None,
        high: float | None = None,
        every_s: float | None = None,
        filled: bool = False,
        limits: int = 0,
    ) -> None:
        super().__init__(of)
        if (low is None) != (high is None):
            raise SettingError("give both low and high, or neither for a scale that follows what is seen")
        self._fixed = None if low is None else range_setting(low, high)
        self._every_s = None if every_s is None else number_setting("every_s", every_s)
        if self._every_s is not None and self._every_s <= 0:
            raise SettingError(f"every_s is above 0, not {self._every_s:g}")
        self._filled = filled
        self._limits = whole_setting("limits", limits, 0)
        self._columns: list[float | None] = []
        self._mean = 0.0, 0
        self._seen: tuple[Any, list[float | None], list[list[int]]] = None, [], []
        self._key: Any = None
        self._at: int | None = None

    def take(self, value: "Any", now: "Moment") -> None:
        """Take a reading in; the same one again changes nothing."""
        key = (value.time, value.flaw) if hasattr(value, "time") else None
        again = key is not None and key == self._key
        self._key = key
        begun = 0 if again else 1
        if self._every_s is not None:
            at = math.floor(time_of(value, now) / self._every_s)
            begun = 1 if self._at is None or at < self._at else min(MOST, at - self._at)
            self._at = at
        if begun:
            self._columns = (self._columns + [None] * begun)[-MOST:]
            self._mean = 0.0, 0
        # What is over or under may be infinite, or no number at all: a gap.
        number = number_of(value)
        if not again and flaw_of(value) not in UNKNOWN and -LARGEST < number < LARGEST:
            total, count = self._mean
            self._mean = total + float(number), count + 1
            self._columns[-1] = self._mean[0] / self._mean[1]

    def cells(self, rows: int, columns: int) -> "Sequence[Sequence[Content]]":
        """The graph, and its limits if they are asked for."""
        width = self._width(rows, columns)
        seen = self._columns[-width * COLUMNS :]
        low, high = self._scale(seen)
        unseen: list[float | None] = [None] * (width * COLUMNS - len(seen))
        lines = self._graph(unseen + seen, low, high, rows)
        if not self._limits:
            return lines
        shown = [value for value in seen if value is not None] or self._fixed
        texts = [cells_of(number(limit, self._limits)) if shown else [" "] * self._limits for limit in (low, high)]
        if rows == 1:
            return [texts[0] + lines[0] + aligned(_unpadded(texts[1]), self._limits, "left")]
        beside = [texts[1]] + [[" "] * self._limits] * (rows - 2) + [texts[0]]
        for row, line in enumerate(lines):
            line += beside[row]
        return lines

    def groups(self, rows: int, columns: int) -> "list[list[Group]]":
        """A drawing for each cell of the graph."""
        return [[(None, rows * self._width(rows, columns)), text_group("-" if self._limits else "")]]

    def check(self, rows: int, columns: int) -> None:
        """Raise SettingError when the limits leave no cell for the graph."""
        if self._width(rows, columns) < 1:
            raise SettingError(f"limits of {self._limits} cells leave no room for the graph in {columns} columns")

    def _width(self, rows: int, columns: int) -> int:
        """Cells of the graph in a row."""
        return columns - self._limits * (2 if rows == 1 else 1)

    def _scale(self, seen: "list[float | None]") -> tuple[float, float]:
        values = [value for value in seen if value is not None]
        if self._fixed is not None or not values:
            return self._fixed or (0.0, 1.0)
        if not self._limits:
            return round_limits(min(values), max(values))
        for coarser in range(COARSEST):
            limits = round_limits(min(values), max(values), coarser)
            if all(number(limit, self._limits).strip() == number(limit, LONG).strip() for limit in limits):
                return limits
        return round_limits(min(values), max(values))

    def _graph(self, values: "list[float | None]", low: float, high: float, rows: int) -> "list[list[Content]]":
        scale, (before, seen, cells) = (low, high, rows, len(values)), self._seen
        floors = range((rows - 1) * ROWS, -1, -ROWS)
        newest = self._mask(values, len(values) - 1, low, high, rows * ROWS)
        if scale == before and values[:-1] == seen[1:]:  # the usual case: one more column
            oldest = self._mask(values, 0, low, high, rows * ROWS)
            cells = [_moved(cells[at], _column(oldest >> floor), _column(newest >> floor))
                     for at, floor in enumerate(floors)]  # fmt: skip
        else:
            masks = [self._mask(values, at, low, high, rows * ROWS) for at in range(len(values) - 1)] + [newest]
            cells = [_filled([_column(mask >> floor) for mask in masks]) for floor in floors]
        self._seen = scale, values, cells
        return [[Glyph(cell.to_bytes(ROWS, "big")) if cell else " " for cell in line] for line in cells]

    def _mask(self, values: "list[float | None]", at: int, low: float, high: float, dots: int) -> int:
        """The lit dots of a column, bit 0 at the bottom: its value, and the way to the one before; none in a gap."""
        value, before = values[at], values[at - 1] if at else None
        if value is None:
            return 0
        first = last = height_of(value, low, high, dots)
        if self._filled:
            first = 0
        elif before is not None:
            came = height_of(before, low, high, dots)
            if came < last:
                first = came + 1
            elif came > last:
                last = came - 1
        return (2 << last) - (1 << first)


def _column(mask: int) -> int:
    """The lowest eight dots of a column as the right column of a drawing, a byte for each row."""
    return SPREAD[mask & 15] | SPREAD[mask >> 4 & 15] << 32


def _filled(columns: list[int]) -> list[int]:
    """The cells that columns fill, five each."""
    cells = []
    for first in range(0, len(columns), COLUMNS):
        cell = 0
        for column in columns[first : first + COLUMNS]:
            cell = cell << 1 | column
        cells.append(cell)
    return cells


def _moved(cells: list[int], oldest: int, newest: int) -> list[int]:
    """A row of cells, moved to the left by a column of dots, with its first and its last column."""
    moved = []
    for cell, after in zip(cells, cells[1:] + [newest << COLUMNS - 1]):  # noqa: B905  MicroPython
        moved.append(cell << 1 & REST_OF_ROWS | (after & FIRST_OF_ROWS) >> COLUMNS - 1)
    moved[0] = moved[0] & ~FIRST_OF_ROWS | oldest << COLUMNS - 1
    return moved


def height_of(value: float, low: float, high: float, dots: int) -> int:
    """The dot, from 0 at the bottom, that is nearest to a value; of two the higher one."""
    if not low < value < high:
        return dots - 1 if value >= high else 0
    return int((value - low) / (high - low) * (dots - 1) + 0.5)


def _unpadded(line: "list[str]") -> "list[str]":
    while line and line[0] == " ":
        line = line[1:]
    return line
