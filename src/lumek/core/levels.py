"""Symbols that fill up: a battery and its charge, a thermometer, bars of a signal, a drop."""

from lumek.core.drawings import drawing_of
from lumek.core.glyph import Glyph
from lumek.errors import GlyphError, SettingError

# Symbol: (what is lit when it is empty, how it fills). Full it is the drawing of the character.
SYMBOLS = {
    "🔋": (bytes((14, 17, 17, 17, 17, 17, 17, 31)), "up"),
    "🌡": (bytes((4, 10, 10, 10, 10, 21, 31, 14)), "up"),
    "💧": (bytes((4, 4, 10, 10, 17, 17, 17, 14)), "up"),
    "📶": (bytes((0, 0, 0, 0, 0, 0, 21, 0)), "right"),
}


def level(symbol: str, fraction: float) -> Glyph:
    """The glyph of a symbol that is filled to a fraction.

    symbol: "🔋", "🌡", "💧" or "📶". A battery has seven levels, the others fewer.
    fraction: from 0.0, empty, to 1.0, full; what is beyond is taken as that.
    Raises GlyphError for another symbol, SettingError for what is no number.

    >>> panel[0, -1] = level("🔋", 0.8)
    """
    if symbol not in SYMBOLS:
        raise GlyphError(f"no levels of {symbol!r} are drawn: there are those of {' '.join(sorted(SYMBOLS))}")
    if not (isinstance(fraction, (int, float)) or hasattr(fraction, "as_integer_ratio")) or fraction != fraction:
        raise SettingError(f"a level is a fraction, 0.0 to 1.0, not {fraction!r}")
    empty, way = SYMBOLS[symbol]
    full = drawing_of(symbol) or empty
    inside = Glyph(full) - Glyph(empty)
    dots = inside.dots if way == "up" else list(zip(*inside.dots))  # noqa: B905  MicroPython's zip has no strict
    steps = [number for number, line in enumerate(dots) if any(line)]
    steps = list(reversed(steps)) if way == "up" else steps
    lit = steps[: int(min(max(float(fraction), 0), 1) * len(steps) + 0.5)]
    kept = [
        [dot and (row if way == "up" else column) in lit for column, dot in enumerate(line)]
        for row, line in enumerate(inside.dots)
    ]
    return Glyph(empty) | Glyph(kept)
