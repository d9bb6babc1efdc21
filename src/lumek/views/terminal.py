"""The simulated panel in a terminal: its dots, or its text where they do not fit.

A panel is drawn in one of these ways, the first that fits; several are drawn alike, in rows, so that all are seen:

| way | a cell takes | needs |
|---|---|---|
| dots | 6 columns and 4 1/2 lines: each character is two dots, one above the other | UTF-8 |
| Braille | 3 columns and 2 1/4 lines: each character is eight dots | UTF-8 |
| text | a character | nothing |

Where not even their text fits, panels take turns.
"""

from collections.abc import Sequence
from io import StringIO
from typing import TYPE_CHECKING
from unicodedata import name as name_of

from rich import box
from rich.cells import cell_len
from rich.console import Console, Group, RenderableType
from rich.panel import Panel as Frame
from rich.text import Text

from lumek._harmless import harmless
from lumek.core.cells import PICTURED
from lumek.core.glyph import COLUMNS
from lumek.core.slots import FIRST
from lumek.core.text import cells_of
from lumek.twin.dots import Drawing
from lumek.twin.module import UNKNOWN, Twin
from lumek.views.colours import Colour, colours

if TYPE_CHECKING:
    from lumek.panel import Panel

# Weights of the 2x4 dots of a Braille character above U+2800, row by row (Unicode, "Braille Patterns").
BRAILLE = ((0x01, 0x08), (0x02, 0x10), (0x04, 0x20), (0x40, 0x80))
QUARTERS = " ▘▝▀▖▌▞▛▗▚▐▜▄▙▟█"
"""By the quarters that are lit: the upper left one counts 1, the upper right one 2, the lower ones 4 and 8."""

LIT = 1 / 8
"""A quarter of which so much is lit is shown as lit."""

SHADES = ".:=#"
"""Without UTF-8: a drawing, by how many quarters of its dots are lit."""

SIGNS = "@&%$*+!^~<>"
"""Without UTF-8: characters that the terminal lacks, in the order in which they are met; a legend names them."""

SHADED = 0xE000
"""Before the shades have their sign, they are characters from here on (of the private use area)."""

DOTS = [[number >> at & 1 for at in range(COLUMNS - 1, -1, -1)] + [0] for number in range(32)]
"""The dots of a row of a cell, and the gap after it."""

Image = Sequence[Sequence[int]]
"""Rows of dots, 1 for a lit one."""

FRAME, FRAME_LINES = 4, 2
"""Columns and lines that the frame takes."""

GAP = 1
"""Dots between two rows of cells, as on the glass, so that letters do not touch."""

TURN_S = 4.0
"""How long panels that take turns are seen."""


def terminal_view(
    twin: Twin, console: Console, scheme: str = "meadow", written: Sequence[str] = (), width: int | None = None
) -> RenderableType:
    """What the panel shows, to print on this console, in the colours of the scheme.

    The largest way that fits; the text, too, when the console is not a terminal or does not speak UTF-8.
    written: the text, row by row, that replaces a drawing from a slot.
    width: columns that it may take, all that the console has by default. On a console narrower than that the rows are
        folded, so that nothing is lost.
    """
    room = console.width if width is None else width
    ways = [way for way in ways_of(console) if size_of(twin, way)[0] <= room]
    high = [way for way in ways if size_of(twin, way)[1] < console.height or way != "dots"]
    return _drawn(twin, console, scheme, written, (high or ["text"])[0])


def virtual_console(width: int, height: int) -> Console:
    """A console for views that another program puts on a terminal, which shows colours and UTF-8."""
    return Console(width=width, height=height, force_terminal=True, color_system="truecolor", file=StringIO())


def terminal_views(
    panels: "Sequence[Panel]",
    console: Console,
    scheme: str = "meadow",
    seconds: float | None = None,
    spare: int = 0,
    titles: Sequence[str] = (),
) -> RenderableType:
    """Simulated panels in rows, in the largest way in which all of them fit.

    seconds: since any moment, for a view that stays in its place: panels that fit in no way take turns in it, four
        seconds each. Without it all are printed.
    spare: lines of the console that are for something else.
    titles: of the panels, in their frames.
    """
    named = dict(zip(map(id, panels), titles, strict=False))
    whole = console.height - spare
    for way in ways_of(console):
        lines = _rows(panels, way, console.width)
        wide = max(size_of(panel.twin, way)[0] for panel in panels)
        high = sum(max(size_of(panel.twin, way)[1] for panel in line) for line in lines)
        if wide <= console.width and high <= whole:
            break
    pages: list[list[Sequence[Panel]]] = [[]]
    left = whole
    left -= high > whole  # a line that says which page it is
    for line in lines:
        high = max(size_of(panel.twin, way)[1] for panel in line)
        if high > left and pages[-1] and seconds is not None:
            pages.append([])
            left = whole - 1
        pages[-1].append(line)
        left -= high
    turn = int((seconds or 0.0) / TURN_S) % len(pages)
    shown = [
        _beside([_drawn(one.twin, console, scheme, one.rows, way, named.get(id(one), "")) for one in line])
        for line in pages[turn]
    ]
    return Group(*shown, *([Text(f"panels, page {turn + 1} of {len(pages)}", "dim")] if len(pages) > 1 else []))


def _rows(panels: "Sequence[Panel]", way: str, width: int) -> "list[Sequence[Panel]]":
    """Panels in rows that are no wider than a console."""
    rows: list[list[Panel]] = []
    left = 0
    for panel in panels:
        wide = size_of(panel.twin, way)[0]
        if rows and wide < left:
            rows[-1].append(panel)
            left -= wide + 1
        else:
            rows.append([panel])
            left = width - wide
    return [*rows]


def _beside(views: Sequence[RenderableType]) -> RenderableType:
    """Views side by side."""
    if len(views) == 1:
        return views[0]
    from rich.table import Table  # needed only by several panels

    grid = Table.grid(padding=(0, 1, 0, 0))
    grid.add_row(*views)
    return grid


def ways_of(console: Console) -> list[str]:
    """The ways that a console can show, the largest first."""
    return ["dots", "braille", "text"] if draws_dots(console) else ["text"]


def size_of(twin: Twin, way: str) -> tuple[int, int]:
    """Columns and lines that a panel takes, with its frame."""
    rows, columns = len(twin.rows), len(twin.rows[0])
    if way == "text":
        return columns + FRAME, rows + FRAME_LINES
    high = rows * twin.dot_rows + (rows - 1) * GAP
    wide = columns * (COLUMNS + 1)
    return (wide + FRAME, -(-high // 2) + FRAME_LINES) if way == "dots" else (
        -(-wide // 2) + FRAME, -(-high // 4) + FRAME_LINES)  # fmt: skip


def draws_dots(console: Console) -> bool:
    """Whether a console can show dots: it is a terminal that speaks UTF-8."""
    return console.is_terminal and console.encoding == "utf-8"


def _drawn(
    twin: Twin, console: Console, scheme: str, written: Sequence[str], way: str, title: str = ""
) -> RenderableType:
    """A panel, drawn in a way."""
    legend: list[str] = []
    if way == "dots":
        lines = half_blocks(_image(twin, 2))
    elif way == "braille":
        lines = braille(_image(twin, 4))
    else:
        plain = "utf" not in console.encoding
        lines = _named(twin, written, plain) if written or plain else twin.rows
        if plain:
            lines, legend = _in_ascii(lines)
    style = _style(twin, console, scheme, way)
    if console.width < max(map(cell_len, lines)) + FRAME:
        above = [harmless(title, console.width)] if title else []
        return Text("\n".join([*above, *lines, *legend]), style=style, overflow="fold")
    text = Text("\n".join(lines), style=style, no_wrap=True)
    named = Text(harmless(title, len(lines[0]) - 2), style=style) if title else None
    frame = Frame(text, box=box.ROUNDED, expand=False, style=style, border_style=style, title=named, title_align="left")
    return Group(frame, *[Text(line) for line in legend]) if legend else frame


def _style(twin: Twin, console: Console, scheme: str, way: str) -> str:
    """The colours of a panel; those of the terminal itself where it has too few, which would be glaring."""
    glass, lit, _ = colours(twin, scheme)
    if console.color_system != "truecolor":
        return "none" if any(twin.glow) else "dim"
    if way == "braille":  # its dots are small: bright ones on a dark ground can be read
        bright = max(glass, lit, key=sum)
        red, green, blue = (value // 9 for value in bright)
        return f"bold {hexadecimal(bright)} on {hexadecimal((red, green, blue))}"
    return f"{hexadecimal(lit)} on {hexadecimal(glass)}"


def _named(twin: Twin, written: Sequence[str], plain: bool) -> list[str]:
    """The text on the glass, with what was written where a slot shows; `plain` for a terminal without UTF-8."""
    rows: list[str] = []
    names = map(cells_of, written or twin.rows)
    drawn = twin.drawn
    for text, codes, own in zip(twin.rows, twin.cells, names, strict=True):
        cells = zip(cells_of(text), codes, own, drawn[len(rows)], strict=True)
        rows.append("".join([_sign(name, drawing, plain) if code < FIRST and seen == UNKNOWN else seen
                             for seen, code, name, drawing in cells]))  # fmt: skip
    return rows


def _sign(name: str, drawing: Drawing, plain: bool) -> str:
    """What replaces a drawing in text: its character, or the four quarters of it that are mostly lit."""
    if name not in (PICTURED, UNKNOWN):
        return harmless(name)
    if plain:
        share = sum(row.bit_count() for row in drawing) / (COLUMNS * len(drawing))
        return chr(SHADED + min(len(SHADES) - 1, int(share * len(SHADES)))) if share else " "
    halves = (drawing[:4], drawing[4:])
    lit = [sum((row & side).bit_count() for row in half) / (2 * len(half)) >= LIT
           for half in halves for side in (0b11000, 0b00011)]  # fmt: skip
    return QUARTERS[sum(1 << at for at, quarter in enumerate(lit) if quarter)]


def _in_ascii(lines: Sequence[str]) -> tuple[list[str], list[str]]:
    """Rows without what ASCII lacks, and a legend of the signs that replace it."""
    shades = {chr(SHADED + place): shade for place, shade in enumerate(SHADES)} | {"█": SHADES[-1]}
    cells = [cells_of(line) for line in lines]
    foreign = dict.fromkeys(cell for line in cells for cell in line if not cell.isascii() and cell not in shades)
    free = [sign for sign in SIGNS if not any(sign in line for line in lines)]
    signs = dict(zip(foreign, free, strict=False))
    rows = [
        "".join([cell if cell.isascii() else {**shades, **signs}.get(cell, "?") for cell in line]) for line in cells
    ]
    named = [f"{sign} {name_of(cell[0], 'a character').lower()}" for cell, sign in signs.items()]
    if any(cell in shades for line in cells for cell in line):
        named.append(f"{' '.join(SHADES)} drawings, by how much of them is lit")
    return rows, [", ".join(named)] if named else []


def _image(twin: Twin, step: int) -> Image:
    """All dots as one picture, with gaps between the cells; its height is a multiple of the step."""
    image: list[list[int]] = []
    for cells in twin.drawn:
        for row in zip(*cells, strict=True):
            image.append([dot for number in row for dot in DOTS[number]])
        image += [[0] * len(image[-1])] * GAP
    del image[-GAP:]
    return [*image, *[[0] * len(image[0])] * (-len(image) % step)]


def half_blocks(image: Image) -> list[str]:
    """Lines of characters that are two dots each, one above the other, for an even number of rows of dots."""
    pairs = zip(image[0::2], image[1::2], strict=True)
    return ["".join([" ▀▄█"[a + 2 * b] for a, b in zip(upper, lower, strict=True)]) for upper, lower in pairs]


def braille(image: Image) -> list[str]:
    """Lines of Braille characters for rows of dots, multiples of 4 of an even number of them."""
    lines = []
    for at in range(0, len(image), 4):
        codes = [0x2800] * (len(image[at]) // 2)
        for row, weights in zip(image[at : at + 4], BRAILLE, strict=True):
            for place, dot in enumerate(row):
                if dot:
                    codes[place // 2] += weights[place % 2]
        lines.append("".join(map(chr, codes)))
    return lines


def hexadecimal(colour: Colour) -> str:
    """A colour as "#rrggbb"."""
    return "#{:02x}{:02x}{:02x}".format(*colour)
