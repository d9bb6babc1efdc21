"""Digits two, three or four rows tall.

They are seven strokes, three dots wide or two high, on cells of which at most eight different ones are needed whatever
is shown: upright strokes in the side cells, next to the level ones in the middle cells. On two and on four rows the
strokes run along the edges of cells, which takes seven and six drawings; on three rows the level ones run through the
middle of cells, so that the two halves are of one height, which takes eight.
"""

from lumek._harmless import quoted
from lumek.core.glyph import Glyph
from lumek.core.layout import in_middle
from lumek.core.numbers import number
from lumek.core.text import cells_of
from lumek.errors import SettingError
from lumek.fields.clock import formatted
from lumek.fields.field import MARKS, NO_MOMENT, text_group
from lumek.fields.measure import Measure

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence
    from typing import Any

    from lumek.fields.field import Group, Moment
    from lumek.protocols import Content

STROKES = {
    "0": "abcdef", "1": "bc", "2": "abdeg", "3": "abcdg", "4": "bcfg", "5": "acdfg", "6": "acdefg", "7": "abc",
    "8": "abcdefg", "9": "abcdfg", " ": "", "-": "g",
}  # fmt: skip
"""Sign: its strokes. a is the top one, b and c are on the right, d is at the bottom, e and f on the left (e below), g
goes through the middle."""

LONG = 40
"""Cells in which every number has all its digits."""

WIDE = 3
"""Cells of a digit."""

NARROW = {"-": 1, ".": 1, ":": 1}
"""Cells of what is narrower: of a minus only its stroke."""

UPRIGHT, UPPER, LOWER = Glyph((7,) * 8), Glyph((7, 7, 7, 7, 7, 0, 0, 0)), Glyph((0, 0, 0, 7, 7, 7, 7, 7))
TOP, MIDDLE, BOTTOM = Glyph((31, 31) + (0,) * 6), Glyph((0, 0, 0, 31, 31, 0, 0, 0)), Glyph((0,) * 6 + (31, 31))
DOT, POINT = Glyph((0, 0, 0, 14, 14, 0, 0, 0)), Glyph((0,) * 6 + (14, 14))

# The cells of a left side, from above: (when the upper and the lower stroke are there, the upper alone, the lower).
SIDE = {
    2: ((UPRIGHT, UPRIGHT, " "), (UPRIGHT, " ", UPRIGHT)),
    3: ((LOWER, LOWER, " "), (UPRIGHT, UPPER, LOWER), (UPPER, " ", UPPER)),
    4: ((UPRIGHT, UPRIGHT, " "), (UPRIGHT, UPRIGHT, " "), (UPRIGHT, " ", UPRIGHT), (UPRIGHT, " ", UPRIGHT)),
}
# The level strokes that may be in each row, each with its drawing; two of one row are drawn in one cell.
LEVEL = {
    2: ((("a", TOP), ("g", BOTTOM)), (("d", BOTTOM),)),
    3: ((("a", MIDDLE),), (("g", MIDDLE),), (("d", MIDDLE),)),
    4: ((("a", TOP),), (("g", BOTTOM),), (), (("d", BOTTOM),)),
}
SIGNS: "dict[int, dict[str, tuple[Glyph | str, ...]]]" = {
    2: {".": (" ", POINT), ":": (DOT, DOT)},
    3: {".": (" ", " ", DOT), ":": (DOT, " ", DOT)},
    4: {".": (" ", " ", " ", POINT), ":": (" ", DOT, DOT, " ")},
}
"""Rows: what is one cell wide, row by row."""

DRAWINGS = {
    2: (UPRIGHT, UPRIGHT.mirrored(), TOP, BOTTOM, TOP | BOTTOM, POINT, DOT),
    3: (UPRIGHT, UPRIGHT.mirrored(), UPPER, UPPER.mirrored(), LOWER, LOWER.mirrored(), MIDDLE, DOT),
    4: (UPRIGHT, UPRIGHT.mirrored(), TOP, BOTTOM, POINT, DOT),
}
"""Rows: all that may be needed."""


_signs: "dict[tuple[str, int], list[list[Glyph | str]]]" = {}
"""(sign, rows): its cells, row by row, once it was drawn."""


class Tall(Measure):
    """A number, or the time, in digits as tall as its place: two, three or four rows, three cells a digit.

    Words that tall digits cannot show are shown in usual letters.

    of: the name of a probe, or an expression of several, as 'weight - 12.5'.
    unit: text after the number, in the bottom row, as ' kg'.
    decimals: places after the point, 0 to 100; default: as many as fit.
    low, high: a number; outside of low to high a word is shown.
    time: text with codes for parts of the time, as '%H:%M', shown instead of a number; digits, '-', '.' and ':' only.
    align: 'left', 'centre' or 'right'.
    words: text for each flaw: 'missing', 'invalid', 'under', 'over' and 'stale'.
    Raises SettingError for a setting that is not possible.

    >>> panel[0:2, 0:10] = Tall(decimals=1)(41.4)
    """

    kind = "tall"
    works_alone = True

    def __init__(
        self,
        of: str = "",
        unit: str = "",
        decimals: int | None = None,
        low: float | None = None,
        high: float | None = None,
        time: str = "",
        align: str = "right",
        words: "Mapping[str, str] | None" = None,
    ) -> None:
        super().__init__(of, low, high, words)
        self._unit = cells_of(unit)
        self._decimals = decimals
        number(0, 20, decimals, align=align)  # complains of what cannot be
        self._align = align
        self._time = time
        self.shows_time = bool(time)
        self._text = ""
        if time:
            self.take(NO_MOMENT.local, NO_MOMENT)

    def take(self, value: "Any", now: "Moment") -> None:
        """Show a number, or the time, from now on."""
        super().take(value, now)
        self._text = ""
        if self._time and (not self.of or isinstance(value, (tuple, list))):
            self._text = formatted(self._time, value if self.of else now.local)
            if not _is_tall(self._text):
                raise SettingError(f"tall digits cannot show {quoted(self._text)}: they have 0 to 9, '-', '.' and ':'")

    def cells(self, rows: int, columns: int) -> "Sequence[Sequence[Content]]":
        """The digits, or the word for a flaw in the middle row."""
        if self._text:
            return self._drawn(self._text, [], rows, columns)
        flaw = self.flaw
        word = self.word(flaw, columns)
        if word and _is_tall(word) and width_of(word) <= columns:
            return self._drawn(word, [], rows, columns)
        if self.hides(self._value, flaw):
            return in_middle(cells_of(word), rows, columns, self._align)
        room = columns - len(self._unit)
        text = self._fitting(room)
        if text:
            return self._drawn(text, self._unit, rows, columns)
        mark = MARKS["under" if self._value < 0 else "over"]
        return in_middle([mark] * max(room, 0) + self._unit, rows, columns)

    def groups(self, rows: int, columns: int) -> "list[list[Group]]":
        """The strokes, whatever they show."""
        if rows not in DRAWINGS:
            return []
        digits = [(DRAWINGS[rows], len(DRAWINGS[rows])), text_group(self._unit)]
        return [digits] + ([] if self._time and not self.of else self.word_groups(columns))

    def check(self, rows: int, columns: int) -> None:
        """Raise SettingError for a place that is not two to four rows high, or too narrow for a digit."""
        if rows not in DRAWINGS:
            raise SettingError(f"tall digits are 2, 3 or 4 rows high, not {rows}")
        need = width_of(self._text) if self._time else WIDE + len(self._unit)
        if columns < need:
            raise SettingError(f"{columns} columns are too few for {self._text or 'a tall digit'}: give it {need}")

    def _fitting(self, room: int) -> str:
        """The number as text with as many decimals as fit, at most those that are asked for; "" if it is too wide."""
        text = number(self._value, LONG, self._decimals).strip()
        whole, _, fraction = text.partition(".")
        most = min(len(fraction), max(0, (room - width_of(whole) - NARROW["."]) // WIDE))
        for decimals in range(most, -1, -1):
            if decimals < len(fraction):
                text = number(self._value, LONG, decimals).strip()
            if self._decimals is None and "." in text:
                text = text.rstrip("0").rstrip(".")
            if width_of(text) <= room:
                return text
        return ""

    def _drawn(self, text: str, unit: "list[str]", rows: int, columns: int) -> "Sequence[Sequence[Content]]":
        lines: list[list[Content]] = [[] for _ in range(rows)]
        for sign in text:
            if (sign, rows) not in _signs:
                columns_of = _sign(sign, rows)
                _signs[sign, rows] = [[column[row] for column in columns_of] for row in range(rows)]
            for row, cells in enumerate(_signs[sign, rows]):
                lines[row] += cells
        for row, line in enumerate(lines):
            line.extend([" "] * len(unit) if row < rows - 1 else unit)
        rest = columns - len(lines[0])
        left = {"left": 0, "centre": rest // 2, "right": rest}[self._align]
        return [[" "] * left + line + [" "] * (rest - left) for line in lines]


def width_of(text: str) -> int:
    """The cells that a text takes in tall digits."""
    return sum([NARROW.get(sign, WIDE) for sign in text])


def _is_tall(text: str) -> bool:
    return all(sign in STROKES or sign in NARROW for sign in text)


def _sign(sign: str, rows: int) -> "Sequence[Sequence[Glyph | str]]":
    """The cells of a sign, column by column, from above."""
    if sign in SIGNS[rows]:
        return [SIGNS[rows][sign]]
    strokes = STROKES[sign]
    middle: list[Glyph | str] = []
    for levels in LEVEL[rows]:
        lit = [drawing for stroke, drawing in levels if stroke in strokes]
        middle.append(lit[0] | lit[1] if len(lit) > 1 else lit[0] if lit else " ")
    if sign == "-":
        return [middle]
    return [_side("f" in strokes, "e" in strokes, rows), middle,
            [_mirrored(cell) for cell in _side("b" in strokes, "c" in strokes, rows)]]  # fmt: skip


def _side(upper: bool, lower: bool, rows: int) -> "list[Glyph | str]":
    if not upper and not lower:
        return [" "] * rows
    return [cells[0 if upper and lower else 1 if upper else 2] for cells in SIDE[rows]]


def _mirrored(cell: "Glyph | str") -> "Glyph | str":
    return cell if isinstance(cell, str) else cell.mirrored()
