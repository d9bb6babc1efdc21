"""BDF fonts, as X11 and font editors have them.

Source: Glyph Bitmap Distribution Format (BDF) Specification, version 2.2. A row is written as hexadecimal bytes, its
leftmost dot in the highest bit. The cell of 5x8 dots lies one dot below the baseline, as in FONTBOUNDINGBOX 5 8 0 -1.
"""

from collections.abc import Iterator

from lumek._harmless import quoted
from lumek.core.glyph import COLUMNS, LARGE_ROWS, ROWS, Glyph
from lumek.errors import GlyphError
from lumek.glyphs.formats import Options, decoded
from lumek.glyphs.formats.entries import Parsed, collected
from lumek.glyphs.glyph_set import NAME, GlyphSet, as_name

DESCENT = 1
"""Dots below the baseline."""

LAST_CODE = 0x10FFFF

Numbered = tuple[int, list[str]]


def read(data: bytes, source: str, format: str) -> GlyphSet:
    """The glyphs of a font. Raises GlyphError, which names line and glyph."""
    lines = iter([(number, line.split()) for number, line in enumerate(decoded(data, source).split("\n"), 1)
                  if line.strip()])  # fmt: skip
    first = next(lines, (1, [""]))
    if first[1][0] != "STARTFONT":
        raise GlyphError(f"{source}: line 1 is not STARTFONT, with which a BDF font begins")
    box: list[int] | None = None
    found: list[Parsed] = []
    seen: dict[str, int] = {}
    for number, words in lines:
        where = f"{source}: line {number}"
        if words[0] == "FONTBOUNDINGBOX":
            box = _whole(words, 4, where)
            if box[0] > COLUMNS or box[1] > LARGE_ROWS:
                raise GlyphError(f"{where}: the font has {box[0]}x{box[1]} dots, and a cell {COLUMNS}x{ROWS}")
        elif words[0] == "STARTCHAR":
            if box is None:
                raise GlyphError(f"{where}: FONTBOUNDINGBOX must come before the first glyph")
            name = " ".join(words[1:])
            name = name if NAME.fullmatch(name) else as_name(name)
            seen[name] = seen.get(name, 0) + 1
            if seen[name] > 1:
                raise GlyphError(f"{where}: there are two glyphs {quoted(name)}")
            found.append((name, *_glyph(lines, name, box, source)))
    return collected(found, source, "glyph")


def write(glyphs: GlyphSet, options: Options, format: str) -> bytes:
    """A font of a set; what draws no single code point has the encoding -1."""
    rows = glyphs.rows
    family = as_name(options.name)
    head = [
        "STARTFONT 2.1", f"FONT -lumek-{family}-medium-r-normal--{rows}-{10 * rows}-72-72-c-{10 * COLUMNS}-iso10646-1",
        f"SIZE {rows} 72 72", f"FONTBOUNDINGBOX {COLUMNS} {rows} 0 {-DESCENT}",
        "STARTPROPERTIES 2", f"FONT_ASCENT {rows - DESCENT}", f"FONT_DESCENT {DESCENT}", "ENDPROPERTIES",
        f"CHARS {len(glyphs)}",
    ]  # fmt: skip
    for name, glyph, character in glyphs.entries:
        code = ord(character) if character is not None and len(character) == 1 else -1
        head += [
            f"STARTCHAR {name}", f"ENCODING {code}", f"SWIDTH {1000 * COLUMNS // rows} 0", f"DWIDTH {COLUMNS} 0",
            f"BBX {COLUMNS} {rows} 0 {-DESCENT}", "BITMAP", *[f"{row << 8 - COLUMNS:02X}" for row in glyph.numbers],
            "ENDCHAR",
        ]  # fmt: skip
    return "\n".join([*head, "ENDFONT", ""]).encode()


def _glyph(lines: Iterator[Numbered], name: str, font: list[int], source: str) -> tuple[Glyph, str | None]:
    """The glyph and the character that follow a STARTCHAR."""
    character: str | None = None
    box = font
    for number, words in lines:
        where = f"{source}: line {number}, glyph {name}"
        if words[0] == "ENCODING":
            code = _whole(words, 1, where)[0]
            if not -1 <= code <= LAST_CODE:
                raise GlyphError(f"{where}: {code} is not a code point")
            character = chr(code) if code > ord(" ") else None
        elif words[0] == "BBX":
            box = _whole(words, 4, where)
        elif words[0] == "BITMAP":
            return _placed(lines, box, font, where), character
        elif words[0] in ("ENDCHAR", "STARTCHAR", "ENDFONT"):
            break
    raise GlyphError(f"{source}: glyph {name} has no BITMAP")


def _placed(lines: Iterator[Numbered], box: list[int], font: list[int], where: str) -> Glyph:
    """A bitmap at its place in the cell."""
    wide, high, right, up = box
    top = font[1] + font[3] - (high + up)
    left = right - font[2]
    rows = LARGE_ROWS if font[1] > ROWS else ROWS
    top += rows - font[1] if rows == ROWS else 0  # fonts that are lower stand on the same ground
    dots = [0] * rows
    if high < 0 or wide < 0 or top < 0 or top + high > rows or left < 0 or left + wide > COLUMNS:
        raise GlyphError(f"{where}: {wide}x{high} dots at {right},{up} are not within {COLUMNS}x{rows}")
    for row in range(high):
        _, words = next(lines, (0, ["the end"]))
        try:
            bits = int(words[0], 16) >> max(0, 4 * len(words[0]) - wide)
        except ValueError:
            raise GlyphError(f"{where}: row {row} is {quoted(words[0])}, and {high} rows of bits are due") from None
        dots[top + row] = (bits & (1 << wide) - 1) << COLUMNS - wide >> left
    if next(lines, (0, [""]))[1][0] != "ENDCHAR":
        raise GlyphError(f"{where}: its {high} rows are not followed by ENDCHAR")
    return Glyph(dots)


def _whole(words: list[str], count: int, where: str) -> list[int]:
    """The whole numbers after a keyword."""
    try:
        numbers = [int(word) for word in words[1 : count + 1] if len(word) < 10]
    except ValueError:
        numbers = []
    if len(numbers) < count:
        raise GlyphError(f"{where}: {words[0]} takes {count} whole number{'' if count == 1 else 's'}")
    return numbers
