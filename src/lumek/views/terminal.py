"""The simulated panel in a terminal: its dots, or its text where they do not fit."""

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray
from rich import box
from rich.cells import cell_len
from rich.console import Console, Group, RenderableType
from rich.panel import Panel as Frame
from rich.table import Table
from rich.text import Text

from lumek._harmless import harmless
from lumek.core.cells import PICTURED
from lumek.core.glyph import COLUMNS, ROWS
from lumek.core.slots import FIRST
from lumek.core.text import cells_of
from lumek.twin.module import UNKNOWN, Twin
from lumek.views.picture import Colour, colours

if TYPE_CHECKING:
    from lumek.panel import Panel

# Weights of the 2x4 dots of a Braille character above U+2800, row by row (Unicode, "Braille Patterns").
BRAILLE = np.array([[0x01, 0x08], [0x02, 0x10], [0x04, 0x20], [0x40, 0x80]])
QUARTERS = " ▘▝▀▖▌▞▛▗▚▐▜▄▙▟█"
"""By the quarters that are lit: the upper left one counts 1, the upper right one 2, the lower ones 4 and 8."""

LIT = 1 / 8
"""A quarter of which so much is lit is shown as lit."""

FRAME = 4
"""Columns that the frame takes; and rows, with a line below it."""


def terminal_view(
    twin: Twin, console: Console, scheme: str = "meadow", written: Sequence[str] = (), width: int | None = None
) -> Frame | Text:
    """What the panel shows, to print on this console, in the colours of the scheme.

    The largest that fits: every dot as half a character (20 columns take 124 characters), every eight dots as one
    Braille character (64), or the text (24). The text, too, when the console is not a terminal or does not speak UTF-8.
    written: the text, row by row, that replaces a drawing from a slot.
    width: columns that it may take, all that the console has by default. On a console narrower than that the rows are
        folded, so that nothing is lost.
    """
    glass, lit, _ = colours(twin, scheme)
    room = (width or console.width) - FRAME if draws_dots(console) else 0
    image = _image(twin)
    if image.shape[1] <= room and image.shape[0] // 2 + FRAME <= console.height:
        lines = _half_blocks(image)
    elif image.shape[1] / 2 <= room:
        lines = braille(image)
    else:
        lines = _named(twin, written) if written else twin.rows
    style = f"{_hex(lit)} on {_hex(glass)}"
    if console.width < max(map(cell_len, lines)) + FRAME:
        return Text("\n".join(lines), style=style, overflow="fold")
    text = Text("\n".join(lines), style=style, no_wrap=True)
    return Frame(text, box=box.ROUNDED, expand=False, style=style, border_style=style)


def terminal_views(panels: "Sequence[Panel]", console: Console, scheme: str = "meadow") -> RenderableType:
    """Simulated panels side by side, or one below the other where that shows more: every dot, or anything at all."""
    wide = [panel.shape[1] * (COLUMNS + 1) + FRAME for panel in panels]
    small = [panel.shape[1] * (COLUMNS + 1) // 2 + FRAME for panel in panels]
    high = sum(panel.shape[0] * ROWS // 2 + FRAME for panel in panels)
    beside = draws_dots(console) and sum(wide) + len(wide) - 1 <= console.width
    below = not beside and max(wide) <= console.width and high <= console.height
    if len(panels) > 1 and not beside and not below:
        beside, wide = draws_dots(console) and sum(small) + len(small) - 1 <= console.width, small
    views = [terminal_view(panel.twin, console, scheme, panel.rows, min(width, console.width))
             for panel, width in zip(panels, wide, strict=True)]  # fmt: skip
    if not beside:
        return Group(*views)
    grid = Table.grid(padding=(0, 1, 0, 0))
    grid.add_row(*views)
    return grid


def draws_dots(console: Console) -> bool:
    """Whether a console can show dots: it is a terminal that speaks UTF-8."""
    return console.is_terminal and console.encoding == "utf-8"


def _named(twin: Twin, written: Sequence[str]) -> list[str]:
    """The text on the glass, with what was written where a slot shows."""
    rows: list[str] = []
    for text, codes, names in zip(twin.rows, twin.cells, map(cells_of, written), strict=True):
        cells = zip(cells_of(text), codes, names, twin.dots()[len(rows)], strict=True)
        rows.append("".join([_sign(name, dots) if code < FIRST and seen == UNKNOWN else seen
                             for seen, code, name, dots in cells]))  # fmt: skip
    return rows


def _sign(name: str, dots: NDArray[np.bool_]) -> str:
    """What replaces a drawing in text: its character, or the four quarters of it that are mostly lit."""
    if name != PICTURED:
        return harmless(name)
    halves = (dots[:4], dots[4:])
    lit = [half[:, side].mean() >= LIT for half in halves for side in (slice(0, 2), slice(3, 5))]
    return QUARTERS[sum(1 << at for at, quarter in enumerate(lit) if quarter)]


def _image(twin: Twin) -> NDArray[np.bool_]:
    """All dots as one picture: eight by six for a cell, its gap included."""
    dots = np.pad(twin.dots(), ((0, 0), (0, 0), (0, 0), (0, 1)))
    rows, columns, high, wide = dots.shape
    return dots.transpose(0, 2, 1, 3).reshape(rows * high, columns * wide)


def _half_blocks(image: NDArray[np.bool_]) -> list[str]:
    upper, lower = image[0::2].astype(int), image[1::2].astype(int)
    return ["".join([" ▀▄█"[dots] for dots in line]) for line in upper + 2 * lower]


def braille(image: NDArray[np.bool_]) -> list[str]:
    """Lines of Braille characters for dots of shape (rows, columns), multiples of 4 and 2."""
    high, wide = image.shape
    codes = 0x2800 + np.einsum("yaxb,ab->yx", image.reshape(high // 4, 4, wide // 2, 2), BRAILLE)
    return ["".join(map(chr, line)) for line in codes]


def _hex(colour: Colour) -> str:
    return "#{:02x}{:02x}{:02x}".format(*colour)
