"""The simulated panel in a terminal: its dots as Braille characters, or its text where they do not fit."""

import numpy as np
from rich import box
from rich.console import Console
from rich.panel import Panel as Frame
from rich.text import Text

from lumek.twin.module import Twin
from lumek.twin.picture import Colour, scheme_named

# Weights of the 2x4 dots of a Braille character above U+2800, row by row (Unicode, "Braille Patterns").
BRAILLE = np.array([[0x01, 0x08], [0x02, 0x10], [0x04, 0x20], [0x40, 0x80]])
FRAME = 4


def terminal_view(twin: Twin, console: Console, scheme: str = "meadow") -> Frame:
    """What the panel shows, to print on this console.

    Three Braille characters a cell across and two down, in the colours of the scheme; as text when the console is
    no terminal, does not speak UTF-8, or is narrower than that (20 columns take 64 characters).
    """
    colours = scheme_named(scheme)
    lines = _dot_lines(twin)
    if not console.is_terminal or console.encoding != "utf-8" or console.width < len(lines[0]) + FRAME:
        lines = twin.rows
    glass, lit = (colours.glass, colours.lit) if twin.backlight else (colours.dark_glass, colours.dark_lit)
    style = f"{_hex(lit)} on {_hex(glass)}"
    text = Text("\n".join(lines), style=style, no_wrap=True)
    return Frame(text, box=box.ROUNDED, expand=False, style=style, border_style=style)


def _dot_lines(twin: Twin) -> list[str]:
    dots = np.pad(twin.dots(), ((0, 0), (0, 0), (0, 0), (0, 1)))
    rows, columns, high, wide = dots.shape
    image = dots.transpose(0, 2, 1, 3).reshape(rows * high // 4, 4, columns * wide // 2, 2)
    codes = 0x2800 + np.einsum("yaxb,ab->yx", image, BRAILLE)
    return ["".join(map(chr, line)) for line in codes]


def _hex(colour: Colour) -> str:
    return "#{:02x}{:02x}{:02x}".format(*colour)
