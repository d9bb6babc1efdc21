"""Charts: the 256 characters of a ROM with their codes, and the drawings that Lumek brings for what a ROM lacks."""

import re
from contextlib import suppress
from functools import lru_cache
from importlib.util import find_spec
from pathlib import Path
from unicodedata import name as name_of

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont
from rich.cells import cell_len
from rich.console import Console

from lumek.core.bundled import characters_drawn, drawing_of
from lumek.core.slots import FIRST
from lumek.roms.rom import Rom
from lumek.twin.dots import rom_patterns
from lumek.views.colours import Colour, scheme_named
from lumek.views.terminal import braille, draws_dots

EDGE, TITLE = 24, 40
"""Pixels around a chart, and above it for its title."""

PAPER, INK, FAINT = (250, 250, 246), (30, 34, 40), (120, 126, 132)

NOTHING = "\u00b7"
"""Stands for a code that draws no known character."""

FONTS = ("DejaVuSans.ttf", "NotoSans-Regular.ttf", "FreeSans.ttf", "LiberationSans-Regular.ttf", "Arial.ttf")
"""Looked for where the system keeps its fonts."""

KINDS = {"latin", "greek", "cyrillic", "katakana", "hiragana", "halfwidth", "hebrew", "letter", "small", "capital",
         "sign", "mark", "with", "character", "symbol", "cjk", "unified", "ideograph"}  # fmt: skip
"""Words of a Unicode name that say nothing of one character."""

MOST_LETTERS = 7

Dots = NDArray[np.bool_]


def rom_picture(rom: Rom, scheme: str = "meadow") -> Image.Image:
    """An RGB image, about 1270 by 1050 pixels: of each code its dots, its number and the character that it draws."""
    colours = scheme_named(scheme)
    wide, high, pitch = 76, 60, 6
    image, draw = sheet(16 * wide, 16 * high, _title(rom))
    for code, dots in enumerate(rom_patterns(rom)):
        left, top = EDGE + code % 16 * wide, EDGE + TITLE + code // 16 * high
        known = code < FIRST or rom.character(code)
        paint(draw, dots, (left, top), pitch, colours.glass if known else PAPER, colours.lit)
        draw.text((left + 5 * pitch + 6, top), f"{code:02X}", INK, font(14))
        _write(draw, _meaning(rom, code), (left + 5 * pitch + 6, top + 22))
    return image


def drawings_picture(scheme: str = "meadow") -> Image.Image:
    """An RGB image, about 1280 pixels wide: each character with a drawing, in a normal font and in dots.

    A character that the font lacks is named by its code point.
    """
    colours = scheme_named(scheme)
    wide, high, pitch, across = 49, 38, 4, 25
    shown = drawn_characters()
    image, draw = sheet(across * wide, -(-len(shown) // across) * high, f"{len(shown)} drawings")
    for number, character in enumerate(shown):
        left, top = EDGE + number % across * wide, EDGE + TITLE + number // across * high
        paint(draw, _dots_of(character), (left + 22, top), pitch, colours.glass, colours.lit)
        _write(draw, character, (left, top + 4))
    return image


def drawn_characters() -> str:
    """The characters beyond ASCII that have a drawing, in the order of their code points, and two of ASCII."""
    return "\\~" + "".join([character for character in characters_drawn() if character > "\x7f"])


def rom_view(rom: Rom, console: Console) -> list[str]:
    """The chart of a ROM as lines for a terminal: dots and characters (100 columns), dots (68), or characters (52).

    Characters alone, too, when the console is not a terminal or does not speak UTF-8.
    """
    room = console.width if draws_dots(console) else 0
    dots, names = room >= 68, room < 68 or room >= 100
    width = 2 * names + 3 * dots + 1
    lines = [_title(rom), "    " + "".join([f"{column:<{width}X}" for column in range(16)]).rstrip()]
    for first in range(0, 256, 16):
        codes = range(first, first + 16)
        cells = [_cell(_meaning(rom, code) if names else "", rom_patterns(rom)[code], names, dots) for code in codes]
        lines += _side_by_side(f"{first:02X}  ", cells)
    return lines


def drawings_view(console: Console) -> list[str]:
    """The characters that have a drawing as lines for a terminal, with their dots where it can show them."""
    dots = draws_dots(console)
    across = max(1, console.width // (6 if dots else 3))
    shown, lines = drawn_characters(), []
    for first in range(0, len(shown), across):
        some = shown[first : first + across]
        lines += _side_by_side("", [_cell(character, _dots_of(character), True, dots) for character in some])
    return lines


def _cell(name: str, dots: Dots, named: bool, drawn: bool) -> list[str]:
    """One entry of a chart in a terminal: one line, or two with dots; all entries are of the same width."""
    name += " " * (2 * named - cell_len(name))
    if not drawn:
        return [name]
    top, bottom = braille(np.pad(dots, ((0, 0), (0, 1))).tolist())
    return [name + top, "  " * named + bottom]


def _side_by_side(head: str, cells: list[list[str]]) -> list[str]:
    lines = [" ".join(parts) for parts in zip(*cells, strict=True)]
    return [(head if number == 0 else " " * len(head)) + line.rstrip(" ") for number, line in enumerate(lines)]


def _dots_of(character: str) -> Dots:
    rows = np.frombuffer(drawing_of(character) or bytes(8), dtype=np.uint8)
    return np.unpackbits(rows[:, None], axis=1)[:, 3:].astype(bool)


def _title(rom: Rom) -> str:
    return f"ROM {rom.name}" + ("" if rom.dots else ", its characters in Lumek's own drawings")


def _meaning(rom: Rom, code: int) -> str:
    """What a code means: the number of a slot, a character, or NOTHING where it is not known."""
    return str(code % 8) if code < FIRST else rom.character(code) or NOTHING


def sheet(width: int, height: int, title: str) -> tuple[Image.Image, ImageDraw.ImageDraw]:
    """An empty chart with room for so much below its title."""
    image = Image.new("RGB", (2 * EDGE + width, 2 * EDGE + TITLE + height), PAPER)
    draw = ImageDraw.Draw(image)
    draw.text((EDGE, EDGE), title, INK, font(20))
    return image, draw


def paint(draw: ImageDraw.ImageDraw, dots: Dots, at: tuple[int, int], pitch: int, glass: Colour, lit: Colour) -> None:
    """The dots of one character, its glass behind them."""
    left, top = at
    rows, columns = dots.shape
    draw.rectangle((left - 1, top - 1, left + columns * pitch - 1, top + rows * pitch - 1), glass)
    for row, column in np.argwhere(dots):
        x, y = left + int(column) * pitch, top + int(row) * pitch
        draw.rectangle((x, y, x + pitch - 2, y + pitch - 2), lit)


@lru_cache
def font(size: int) -> ImageFont.FreeTypeFont | ImageFont.ImageFont:
    """A normal font: one that has most characters, of the system or of matplotlib, or else Pillow's own."""
    package = find_spec("matplotlib")  # without loading it
    own = Path(package.origin or "").parent / "mpl-data/fonts/ttf/DejaVuSans.ttf" if package else Path()
    for file in (str(own), *FONTS):
        with suppress(OSError):
            return ImageFont.truetype(file, size)
    return ImageFont.load_default(size)


def _write(draw: ImageDraw.ImageDraw, text: str, at: tuple[int, int]) -> None:
    """A character in the normal font, or words for it where that lacks it: then it is drawn as what no font has."""
    usual = font(17)
    if bytes(usual.getmask("\U0010ffff")) not in [bytes(usual.getmask(character)) for character in text]:
        draw.text(at, text, INK, usual)
    else:
        draw.text(at, words_for(text), FAINT, font(9), spacing=1)


def words_for(text: str) -> str:
    """What a code draws, in a few letters on two lines: Unicode names without script and kind."""
    words: list[str] = []
    for character in text:
        name = name_of(character, f"{ord(character):04X}").lower()
        own = [word for word in re.split(r"[ -]", name) if word not in KINDS] or name.split()[-1:]
        words += own if len(text) == 1 else own[-1:]
    return "\n".join([word[:MOST_LETTERS] for word in words[-2:]])
