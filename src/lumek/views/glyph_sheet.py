"""Glyphs to look at: one large, with the value of each row, or many as a chart; in a terminal and as pictures."""

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from PIL import Image
from rich.cells import cell_len, set_cell_size
from rich.console import Console
from rich.text import Text

from lumek._harmless import harmless
from lumek.core.glyph import COLUMNS, Glyph
from lumek.views.colours import scheme_named
from lumek.views.rom_sheet import EDGE, FAINT, INK, TITLE, Dots, font, paint, sheet
from lumek.views.terminal import draws_dots, half_blocks, hexadecimal

ENTRY, LONGEST = 34, 26
"""Columns of an entry of a chart in a terminal, and of its text."""

LARGE, SMALL = 40, 9
"""Pixels from dot to dot in a picture of one glyph, and of many."""

VALUES = "binary   hex   decimal"


class Labelled(NamedTuple):
    """A glyph and what is said of it."""

    glyph: Glyph
    name: str
    character: str = ""

    @property
    def title(self) -> str:
        """Name and character."""
        return harmless(f"{self.name} {self.character}".strip(), 60)


def values_of(glyph: Glyph) -> list[str]:
    """The rows of a glyph as numbers, as VALUES heads them."""
    return [f"0b{row:0{COLUMNS}b}  0x{row:02X}  {row:2}" for row in glyph.numbers]


def large_view(shown: Labelled, console: Console, scheme: str = "meadow") -> list[Text]:
    """One glyph as lines for a terminal: two columns for a dot, and the values of its rows; '#' and '.' elsewhere."""
    values = values_of(shown.glyph)
    if not draws_dots(console):
        lines = [Text(f"{art}  {value}") for art, value in zip(shown.glyph.art.split("\n"), values, strict=True)]
        return [Text(shown.title), Text(" " * (COLUMNS + 2) + VALUES), *lines]
    colours = scheme_named(scheme)
    lines = [Text(shown.title, "bold"), Text(" " * (2 * COLUMNS + 2) + VALUES, "dim")]
    for dots, value in zip(shown.glyph.dots, values, strict=True):
        line = Text()
        for dot in dots:
            if console.color_system == "truecolor":
                line.append("  ", f"on {hexadecimal(colours.lit if dot else colours.glass)}")
            else:
                line.append("██" if dot else "· ")
        lines.append(line.append(f"  {value}"))
    return lines


def chart_view(shown: Sequence[Labelled], console: Console) -> list[str]:
    """Many glyphs as lines for a terminal: dots, name, character and rows in hexadecimal; '#' and '.' elsewhere."""
    dots = draws_dots(console)
    across = max(1, console.width // ENTRY)
    lines: list[str] = []
    for first in range(0, len(shown), across):
        entries = [_entry(one, dots) for one in shown[first : first + across]]
        high = max(map(len, entries))
        for number in range(high):
            parts = [entry[number] if number < len(entry) else "" for entry in entries]
            lines.append("".join([set_cell_size(part, ENTRY) for part in parts]).rstrip())
        lines.append("")
    return lines[:-1]


def _entry(shown: Labelled, drawn: bool) -> list[str]:
    """An entry of a chart."""
    hexes = [f"{row:02X}" for row in shown.glyph.numbers]
    words = [shown.title if cell_len(shown.title) <= LONGEST else set_cell_size(shown.title, LONGEST - 1) + "…",
             " ".join(hexes)]  # fmt: skip
    rows = half_blocks(dots_of(shown.glyph).tolist()) if drawn else shown.glyph.art.split("\n")
    return [f"{row}  {words[number] if number < len(words) else ''}" for number, row in enumerate(rows)]


def large_picture(shown: Labelled, scheme: str = "meadow", below: Image.Image | None = None) -> Image.Image:
    """An RGB image of one glyph, with the values of its rows; `below` is drawn under it."""
    colours = scheme_named(scheme)
    high = len(shown.glyph.numbers) * LARGE
    room = (below.height + EDGE) if below is not None else 0
    wide = max(COLUMNS * LARGE + 320, below.width if below is not None else 0)
    image, draw = sheet(wide, high + room, shown.title)
    paint(draw, dots_of(shown.glyph), (EDGE, EDGE + TITLE), LARGE, colours.glass, colours.lit)
    for number, value in enumerate(values_of(shown.glyph)):
        at = EDGE + COLUMNS * LARGE + 24, EDGE + TITLE + number * LARGE + LARGE // 2 - 12
        draw.text(at, value, INK, font(20))
    if below is not None:
        image.paste(below, (EDGE, EDGE + TITLE + high + EDGE // 2))
    return image


def chart_picture(
    shown: Sequence[Labelled], title: str, scheme: str = "meadow", below: Image.Image | None = None
) -> Image.Image:
    """An RGB image of many glyphs, about 1280 pixels wide: dots, name, and rows in hexadecimal."""
    colours = scheme_named(scheme)
    across = min(4, len(shown))
    rows = max(len(one.glyph.numbers) for one in shown)
    wide, high = 308, rows * SMALL + 22
    down = -(-len(shown) // across)
    room = (below.height + EDGE) if below is not None else 0
    width = max(across * wide, below.width if below is not None else 0)
    image, draw = sheet(width, down * high + room, title)
    for number, one in enumerate(shown):
        left, top = EDGE + number % across * wide, EDGE + TITLE + number // across * high
        paint(draw, dots_of(one.glyph), (left, top), SMALL, colours.glass, colours.lit)
        beside = left + COLUMNS * SMALL + 10
        draw.text((beside, top), one.name[:28], INK, font(17))
        hexes = [f"{row:02X}" for row in one.glyph.numbers]
        draw.text((beside, top + 26), " ".join(hexes[:4]), FAINT, font(14))
        draw.text((beside, top + 44), " ".join(hexes[4:]), FAINT, font(14))
    if below is not None:
        image.paste(below, (EDGE, EDGE + TITLE + down * high + EDGE // 2))
    return image


def dots_of(glyph: Glyph) -> Dots:
    """The dots of a glyph as an array."""
    return np.array(glyph.dots, dtype=bool)
