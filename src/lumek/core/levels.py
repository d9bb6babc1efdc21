"""Symbols that fill up: a battery and its charge, a thermometer, bars of a signal, a drop."""

from lumek._harmless import quoted
from lumek.core.glyph import Glyph
from lumek.errors import GlyphError, SettingError

BEYOND = 0.1

# Symbol: (what is lit when it is empty, and when it is full, how it fills).
SYMBOLS = {
    "🔋": ((14, 17, 17, 17, 17, 17, 17, 31), (14, 31, 31, 31, 31, 31, 31, 31), "up"),
    "🌡": ((4, 10, 10, 10, 10, 21, 31, 14), (4, 14, 14, 14, 14, 31, 31, 14), "up"),
    "💧": ((4, 4, 10, 10, 17, 17, 17, 14), (4, 4, 14, 14, 31, 31, 31, 14), "up"),
    "📶": ((0, 0, 0, 0, 0, 0, 21, 0), (0, 1, 1, 5, 5, 21, 21, 0), "right"),
}


def level(symbol: str, fraction: float) -> Glyph:
    """The glyph of a symbol that is filled to a fraction.

    symbol: "🔋", "🌡", "💧" or "📶". A battery has seven levels, the others fewer.
    fraction: from 0.0, empty, to 1.0, full; what is beyond by a tenth at most, as readings are, is taken as that.
    Raises GlyphError for another symbol, SettingError for any other fraction.

    >>> panel[0, -1] = level("🔋", 0.8)
    """
    if symbol not in SYMBOLS:
        raise GlyphError(f"no levels of {quoted(symbol)} are drawn: possible are {' '.join(sorted(SYMBOLS))}")
    if not isinstance(fraction, (int, float)) and not hasattr(fraction, "as_integer_ratio"):
        raise SettingError(f"a level is a fraction, 0.0 to 1.0, not {quoted(fraction)}")
    if not -BEYOND <= fraction <= 1 + BEYOND:
        raise SettingError(f"a level is a fraction, 0.0 to 1.0, not {quoted(fraction)}: divide percent by 100")
    empty, full, way = SYMBOLS[symbol]
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
