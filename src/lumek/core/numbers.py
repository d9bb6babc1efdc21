"""Numbers as text of a fixed width, so that figures stay where they are.

All rounding is done on the exact value, half to even, as Python's `format` does: a float is the fraction that it
represents (IEEE 754).
"""

import math

from lumek._harmless import quoted
from lumek.core.text import SIDES, aligned, cells_of
from lumek.core.values import is_number, is_whole
from lumek.errors import SettingError, TextError

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Sequence
    from typing import Any, SupportsFloat

NOTATIONS = "plain", "scientific", "prefix"

BASES = {2: "b", 8: "o", 10: "d", 16: "X"}
"""Base: the code under which `format` knows it."""

PREFIXES = {0: "", 3: "k", 6: "M", 9: "G", 12: "T", 15: "P", 18: "E", 21: "Z", 24: "Y", 27: "R",
            30: "Q", -3: "m", -6: "µ", -9: "n", -12: "p", -15: "f", -18: "a", -21: "z", -24: "y", -27: "r",
            -30: "q"}  # fmt: skip
"""Power of ten: prefix. Source: BIPM, SI Brochure, 9th edition (2022), table 7."""

WIDEST = 1000
"""Cells of a number, digits and decimals at most: more than any panel has, and fewer than Python writes out."""

OVER, UNDER = ">", "<"
"""What fills the place of a number that does not fit: of a positive one, of a negative one."""

MISSING, NOT_A_NUMBER, INFINITE = ("--", "-"), ("nan", "?"), "∞"
"""The marks of None, of NaN and of infinity; the short ones where the others do not fit."""

FLOAT_DIGITS = {2: 3, 4: 6, 8: 15}
"""Bytes of a float: the decimal digits that it surely keeps (IEEE 754, binary16, binary32 and binary64)."""

OWN_FLOAT = 8 if 1.0 + 1e-10 != 1.0 else 4
"""Bytes of this Python's floats; boards often have the smaller ones."""


def number(
    value: "SupportsFloat | None",
    width: int,
    decimals: int | None = None,
    notation: str = "plain",
    base: int = 10,
    digits: int = 1,
    plus: bool = False,
    group: str = "",
    point: str = ".",
    unit: str = "",
    align: str = "right",
) -> str:
    """A number as text that fills exactly `width` cells.

    value: an int of any size, a float, Decimal, Fraction or NumPy scalar; None for one that is missing.
    width: 0 to 1000 cells.
    decimals: places after the point, 0 to 1000; None for as many as fit and mean something.
    notation: "plain", "scientific" (1.3e-7), or "prefix" (an SI prefix before the unit).
    base: 2, 8, 10 or 16; whole numbers only, unless 10.
    digits: fewest digits before the point, 1 to 1000, with leading zeros.
    plus: whether positive numbers have a sign, too.
    group: a character between groups of thousands (of four digits, unless the base is 10).
    point: the character before the decimals.
    unit: what follows, joined or after a blank: "%" or " kg".
    align: "right", "left" or "centre".

    A number that is too wide gives up decimals, then leading zeros; then its place is filled with ">", or with "<" if
    it is negative, up to its unit. None is "--", NaN "nan", infinity "∞". Minus zero is zero.
    Raises SettingError for an option that is not possible, TextError for a value that is not a number.

    >>> number(41.4159, 8, 2, unit=" kg")
    '41.42 kg'
    >>> number(255, 4, base=16, digits=4), number(-0.04, 5, 1), number(123456, 5)
    ('00FF', '  0.0', '>>>>>')
    """
    style = _Style(decimals, notation, base, digits, plus, group, point, unit)
    text = style.text(value, _checked_width(width))
    return "".join(aligned(cells_of(text), width, _checked_side(align)))


def numbers(
    values: "Sequence[SupportsFloat | None]",
    width: int,
    decimals: int | None = None,
    digits: int = 1,
    plus: bool = False,
    group: str = "",
    point: str = ".",
    unit: str = "",
) -> list[str]:
    """Numbers as texts of `width` cells each, with their points below each other; arguments are those of `number`.

    They have as many decimals as leave room for the widest of them; only a number that does not fit even without
    decimals is replaced by a mark.

    >>> numbers([41.4, 3.75, -120], 7)
    ['  41.4 ', '   3.75', '-120   ']
    """
    style = _Style(decimals, "plain", 10, digits, plus, group, point, unit)
    room = _checked_width(width) - len(style.unit)
    after = max([0] + [len(style.parts(value, room, room)[1]) for value in values])
    without = [style.parts(value, room, 0)[0] for value in values].count("")
    while [style.parts(value, room - after, after)[0] for value in values].count("") > without:
        after -= 1
    if after == 1:  # room for the point alone
        after = 0
    texts = []
    for value in values:
        before, decimals_text = style.parts(value, room - after, after)
        if before:
            before = "".join(aligned(cells_of(before), room - after, "right"))
            texts.append(before + "".join(aligned(cells_of(decimals_text), after, "left")) + "".join(style.unit))
        else:
            texts.append(style.text(value, width) if room < 1 else style.overflow(_is_negative(value), width))
    return texts


class _Style:
    """How numbers are to be written; see `number`."""

    def __init__(
        self, decimals: int | None, notation: str, base: int, digits: int, plus: bool, group: str, point: str, unit: str
    ) -> None:
        if decimals is not None and (not is_whole(decimals) or not 0 <= decimals <= WIDEST):
            raise SettingError(f"decimals are 0 to {WIDEST}, or None for as many as fit, not {quoted(decimals)}")
        if notation not in NOTATIONS:
            raise SettingError(f"there is no notation {quoted(notation)}: possible are {', '.join(NOTATIONS)}")
        if base not in BASES:
            raise SettingError(f"numbers cannot be written to base {quoted(base)}: possible are 2, 8, 10 and 16")
        if base != 10 and (decimals or notation != "plain"):
            raise SettingError(f"to base {base} numbers are whole and plain: drop decimals and notation")
        if not is_whole(digits) or not 1 <= digits <= WIDEST:
            raise SettingError(f"digits are a whole number, 1 to {WIDEST}, not {quoted(digits)}")
        for what, mark, least in (("group", group, 0), ("point", point, 1)):
            if not isinstance(mark, str) or not least <= len(mark) <= 1 or (mark and mark in "+-0123456789"):
                raise SettingError(f"{what} is one character other than a digit or sign, not {quoted(mark)}")
        if group == point:
            raise SettingError(f"group and point are both {quoted(point)}: they must differ")
        if not isinstance(unit, str):
            raise SettingError(f"a unit is text, such as 'kg', not {quoted(unit)}")
        self.unit = cells_of(unit)
        self._decimals = decimals
        self._notation = notation
        self._base = base
        self._digits = int(digits)
        self._plus = plus
        self._group = group
        self._point = point

    def text(self, value: "Any", width: int) -> str:
        """The number and its unit, at most `width` cells; or what says that it does not fit."""
        unit = "".join(self.unit)
        room = width - len(self.unit)
        marks = self._marks(value)
        if marks:
            fitting = [mark + tail for tail in (unit, "") for mark in marks
                       if len(mark) + len(self.unit) * bool(tail) <= width]  # fmt: skip
            return fitting[0] if fitting else ""
        top, bottom, meant = _ratio(value)
        if self._base != 10:
            body = self._to_base(top, bottom, room)
        elif self._notation == "scientific":
            body = self._scientific(top, bottom, meant, room)
        elif self._notation == "prefix":
            return self._prefixed(top, bottom, meant, room) or self.overflow(top < 0, width)
        else:
            body = "".join(self._plain(top, bottom, meant, _within(room), room, room))
        return body + unit if body else self.overflow(top < 0, width)

    def parts(self, value: "Any", before: int, after: int) -> tuple[str, str]:
        """The text before the point, in that many cells, and the text from it on; empty when it does not fit."""
        for mark in self._marks(value):
            if len(mark) <= before:
                return mark, ""
        if self._marks(value):
            return "", ""
        top, bottom, meant = _ratio(value)
        return self._plain(top, bottom, meant, lambda a, b: a <= before and b <= after, before, after)

    def overflow(self, negative: bool, width: int) -> str:
        """What fills the place of a number that does not fit."""
        mark, room = UNDER if negative else OVER, width - len(self.unit)
        return mark * room + "".join(self.unit) if room > 0 else mark * width

    def _marks(self, value: "Any") -> tuple[str, ...]:
        """The marks of what is not a finite number, the better first; none for a number."""
        if value is None:
            return MISSING
        if not is_number(value):
            raise TextError(
                f"{quoted(value)} ({type(value).__name__}) is not a number: give int, float, Decimal, Fraction or None"
            )
        if is_whole(value):
            return ()
        if value.is_nan() if hasattr(value, "is_nan") else value != value:  # a Decimal may refuse to be compared
            return NOT_A_NUMBER
        if value in (float("inf"), float("-inf")):
            return ("-" + INFINITE, UNDER) if value < 0 else ("+" * self._plus + INFINITE, INFINITE)
        return ()

    def _plain(
        self, top: int, bottom: int, meant: int | None, fits: "Callable[[int, int], bool]", room: int, most: int
    ) -> tuple[str, str]:
        """The number in decimals, as the text before the point and the rest; both empty when nothing fits.

        room: at most this many digits come before the point.
        most: no more decimals are tried.
        """
        if self._decimals is not None:
            most = min(most, self._decimals)
        elif meant is not None:
            most = max(0, min(most, meant - 1 - _exponent(abs(top), bottom)))
        for digits in range(self._digits, 0, -1):
            for places in range(most, -1, -1):
                rounded = _rounded(abs(top) * 10**places, bottom)
                if rounded >= 10 ** (max(room, 0) + places):
                    return "", ""
                text = str(rounded)
                text = "0" * (places + digits - len(text)) + text
                before, after = text[: len(text) - places], text[len(text) - places :]
                if self._decimals is None:
                    after = after.rstrip("0")
                before = self._sign(top, rounded) + self._grouped(before, 3)
                after = self._point + after if after else ""
                if fits(len(before), len(after)):
                    return before, after
        return "", ""

    def _scientific(self, top: int, bottom: int, meant: int | None, room: int) -> str:
        most = self._decimals if self._decimals is not None else room if meant is None else meant - 1
        exponent = _exponent(abs(top), bottom)
        for places in range(min(most, max(room, 0)), -1, -1):
            shift = places - exponent
            rounded = _rounded(abs(top) * 10 ** max(shift, 0), bottom * 10 ** max(-shift, 0))
            power = exponent
            if rounded == 10 ** (places + 1):
                rounded, power = 10**places, exponent + 1
            text = str(rounded)
            after = text[1:].rstrip("0") if self._decimals is None else text[1:]
            text = f"{self._sign(top, rounded)}{text[0]}{self._point if after else ''}{after}e{power}"
            if rounded == 0 and self._decimals and places:
                text = text.replace("e", self._point + "0" * places + "e")
            if len(text) <= room:
                return text
        return ""

    def _prefixed(self, top: int, bottom: int, meant: int | None, room: int) -> str:
        unit = "".join(self.unit)
        name = unit.lstrip(" ")
        blanks = unit[: len(unit) - len(name)]
        power = max(-30, min(30, _exponent(abs(top), bottom) // 3 * 3))
        while True:
            free = max(0, room - len(PREFIXES[power]))
            scaled = top * 10 ** max(-power, 0), bottom * 10 ** max(power, 0)
            before, after = self._plain(*scaled, meant, _within(free), free, free)
            figures = "".join([digit for digit in before if digit.isdigit()])
            rounded_up = int(figures) == 1000 if figures else _rounded(abs(scaled[0]), scaled[1]) == 1000
            if power == 30 or not rounded_up:
                return before and before + after + blanks + PREFIXES[power] + name
            power += 3  # rounded, it is one of the next prefix

    def _to_base(self, top: int, bottom: int, room: int) -> str:
        if top % bottom:
            raise SettingError(f"to base {self._base} numbers are whole, and this one has decimals: round it first")
        text = ("{:" + BASES[self._base] + "}").format(abs(top // bottom))
        for digits in range(max(self._digits, 1), 0, -1):
            written = self._sign(top, top) + self._grouped("0" * (digits - len(text)) + text, 4)
            if len(written) <= room:
                return written
        return ""

    def _sign(self, top: int, rounded: int) -> str:
        return "-" if top < 0 and rounded else "+" if self._plus else ""

    def _grouped(self, text: str, size: int) -> str:
        if not self._group:
            return text
        groups = [text[max(0, end - size) : end] for end in range(len(text), 0, -size)]
        return self._group.join(reversed(groups))


def _is_negative(value: "Any") -> bool:
    return bool(value < 0)


def _within(room: int) -> "Callable[[int, int], bool]":
    """Whether these cells before the point and from it on fit."""
    return lambda before, after: before + after <= room


def _ratio(value: "Any") -> tuple[int, int, int | None]:
    """The value as a fraction, and the decimal digits that it surely keeps; None when it keeps all."""
    if is_whole(value):
        return int(value), 1, None
    meant = FLOAT_DIGITS.get(getattr(value, "itemsize", OWN_FLOAT), FLOAT_DIGITS[8])
    if hasattr(value, "as_integer_ratio"):
        top, bottom = value.as_integer_ratio()
        return int(top), int(bottom), meant if isinstance(value, float) or hasattr(value, "itemsize") else None
    mantissa, exponent = math.frexp(value)  # MicroPython
    top, bottom = int(mantissa * 2**53), 2**53
    return (top << exponent, bottom, meant) if exponent > 0 else (top, bottom << -exponent, meant)


def _rounded(top: int, bottom: int) -> int:
    """The whole number nearest to a fraction that is not negative; of two the even one."""
    whole, rest = divmod(top, bottom)
    return whole + (2 * rest > bottom or (2 * rest == bottom and whole % 2))


def _exponent(top: int, bottom: int) -> int:
    """The greatest power of ten that is not above a fraction; 0 for zero."""
    if top == 0:
        return 0
    power, step = 0, 1
    if top >= bottom:
        while bottom * 10 ** (power + step) <= top:
            power, step = power + step, step * 2
        while step:
            power += step if bottom * 10 ** (power + step) <= top else 0
            step //= 2
        return power
    while top * 10 ** (power + step) < bottom:
        power, step = power + step, step * 2
    while step:
        power += step if top * 10 ** (power + step) < bottom else 0
        step //= 2
    return -power - 1


def _checked_width(width: int) -> int:
    if not is_whole(width) or not 0 <= width <= WIDEST:
        raise SettingError(f"a width is a whole number of cells, 0 to {WIDEST}, not {quoted(width)}")
    return int(width)


def _checked_side(side: str) -> str:
    if side not in SIDES:
        raise SettingError(f"numbers cannot be aligned {quoted(side)}: possible are {', '.join(SIDES)}")
    return side
