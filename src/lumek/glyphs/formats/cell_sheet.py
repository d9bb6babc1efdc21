"""Pictures of cells: a strip or a sheet, one dot being a square of pixels, with or without gaps between cells.

Ours have names, characters and blocks in a text chunk, and gaps of one dot. Of others these are found, in this order:

1. what is dark, by a threshold (Otsu 1979);
2. the size of a dot: the largest square that divides the picture into cells and whose squares are nearly uniform;
3. whether there are gaps: there are, if all of them are alike;
4. what is lit: what the gaps are not or, without gaps, what most corners of cells are not.
"""

import io
import json
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageOps, PngImagePlugin, UnidentifiedImageError

from lumek._harmless import quoted
from lumek.config.tables import Tables
from lumek.core.glyph import COLUMNS, LARGE_ROWS, ROWS, Glyph
from lumek.core.values import is_whole
from lumek.errors import GlyphError
from lumek.glyphs.formats import Options
from lumek.glyphs.formats.entries import collected
from lumek.glyphs.formats.set_tables import FILE, SetTable, tables_of
from lumek.glyphs.glyph_set import MOST, GlyphSet

ACROSS = 16
"""Cells in a row of a sheet of ours."""

LARGEST_DOT = 64
MOST_PIXELS = 4_000_000
KINDS = "PNG", "JPEG", "GIF", "BMP", "TIFF", "WEBP"
"""What is read as a picture: kinds that are dots, and no programs."""

CHUNK = "glyph set"
"""The keyword of the text chunk."""

UNIFORM = 0.2
"""Share of a square's pixels that may differ from the others: noise."""

MIXED = 0.05
"""Share of squares in which more of them may."""

LIGHT, DARK = 255, 0


class Grid(NamedTuple):
    """How cells lie in a picture: pixels of a dot, rows of dots of a cell, dots between cells, and how many cells."""

    dot: int
    rows: int
    gap: int
    down: int
    across: int


def read(data: bytes, source: str, format: str) -> GlyphSet:
    """The glyphs of a picture. Raises GlyphError."""
    image, said = opened(data, source)
    lit = _dark(image)
    if said is None:
        grid = _grid(lit, source)
        ground = _ground(lit, grid)
        cells = [cell ^ ground for cell in _cells(lit, grid)]
        while len(cells) > grid.across and not cells[-1].any():
            cells.pop()  # what is left of the last row of a sheet
        return collected([(None, Glyph(cell), None) for cell in cells], source, "glyph")
    return _described(lit, said, source)


def write(glyphs: GlyphSet, options: Options, format: str) -> bytes:
    """A PNG of a set: dark dots on light."""
    if not is_whole(options.dot) or not 1 <= options.dot <= LARGEST_DOT:
        raise GlyphError(f"a dot is 1 to {LARGEST_DOT} pixels, not {quoted(options.dot)}")
    if not glyphs:
        raise GlyphError("a picture has one glyph at least")
    across = min(ACROSS, len(glyphs))
    down = -(-len(glyphs) // across)
    high, wide = down * (glyphs.rows + 1) - 1, across * (COLUMNS + 1) - 1
    if high * wide * options.dot**2 > MOST_PIXELS:
        raise GlyphError(f"{len(glyphs)} glyphs with dots of {options.dot} pixels are too large a picture")
    dots = np.zeros((high, wide), dtype=bool)
    for number, glyph in enumerate(glyphs.values()):
        top, left = number // across * (glyphs.rows + 1), number % across * (COLUMNS + 1)
        dots[top : top + glyphs.rows, left : left + COLUMNS] = glyph.dots
    pixels = np.where(dots, DARK, LIGHT).astype(np.uint8).repeat(options.dot, 0).repeat(options.dot, 1)
    chunk = PngImagePlugin.PngInfo()
    tables = tables_of(glyphs)
    tables["glyphs"] = {name: {"character": one} if (one := glyphs.characters.get(name)) else {} for name in glyphs}
    chunk.add_itxt(CHUNK, json.dumps(tables, ensure_ascii=False))
    file = io.BytesIO()
    Image.fromarray(pixels).save(file, format="PNG", pnginfo=chunk, optimize=True)
    return file.getvalue()


def opened(data: bytes, source: str, most: int = MOST_PIXELS) -> tuple[Image.Image, str | None]:
    """A picture of at most `most` pixels in shades of grey, on white, and its text chunk. Raises GlyphError."""
    try:
        with Image.open(io.BytesIO(data), formats=KINDS) as image:
            grey = in_grey(image, source, most)
            chunk = image.info.get(CHUNK)
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError, Image.DecompressionBombError) as problem:
        if isinstance(problem, GlyphError):
            raise
        raise GlyphError(f"{source} is not a picture that can be read: {problem}") from None
    return grey, str(chunk) if isinstance(chunk, str) else None


def in_grey(image: Image.Image, source: str, most: int) -> Image.Image:
    """A picture in shades of grey, on white; one of a single colour by where it is seen. Raises GlyphError."""
    if image.width * image.height > most:
        raise GlyphError(f"{source} has {image.width}x{image.height} pixels, more than {most:,}: make it smaller")
    shown = ImageOps.exif_transpose(image).convert("RGBA")
    white = Image.new("RGBA", shown.size, (LIGHT, LIGHT, LIGHT, 255))
    grey = Image.alpha_composite(white, shown).convert("L")
    alpha = shown.getchannel("A")
    if np.ptp(np.asarray(grey)) == 0 and np.ptp(np.asarray(alpha)):
        return Image.eval(alpha, lambda value: LIGHT - value)
    return grey


def threshold(values: NDArray[np.uint8]) -> float:
    """The grey that parts dark from light best: the variance between both is largest.

    Source: Otsu 1979, doi:10.1109/TSMC.1979.4310076.
    """
    counts = np.bincount(values.ravel(), minlength=256).astype(float)
    below = counts.cumsum()
    above = below[-1] - below
    sums = (counts * np.arange(256)).cumsum()
    with np.errstate(divide="ignore", invalid="ignore"):
        between = below * above * (sums / below - (sums[-1] - sums) / above) ** 2
    best = np.nan_to_num(between)
    return float(np.flatnonzero(best == best.max()).mean()) + 0.5


def _dark(image: Image.Image) -> NDArray[np.bool_]:
    """The dark pixels."""
    values = np.asarray(image)
    return (
        values < threshold(values) if values.min() < values.max() else np.full(values.shape, bool(values.max() < 128))
    )


def _grid(lit: NDArray[np.bool_], source: str) -> Grid:
    """How the cells lie. Raises GlyphError."""
    high, wide = lit.shape
    fitting = False
    for dot in range(min(high, wide), 0, -1):
        if high % dot or wide % dot:
            continue
        grids = _grids(high // dot, wide // dot, dot)
        fitting = fitting or bool(grids)
        if not grids or not _is_uniform(lit, dot):
            continue
        dots = _dots(lit, dot)
        for grid in grids:
            gaps = _gaps(dots, grid)
            if grid.gap == 0 or gaps.all() or not gaps.any():
                return grid
    rows = f"{ROWS} or {LARGE_ROWS}"
    why = "its dots are not squares of equal size" if fitting else f"a cell is {COLUMNS}x{rows} dots of whole pixels"
    raise GlyphError(f"{source} has {wide}x{high} pixels, which are not cells: {why}")


def _grids(high: int, wide: int, dot: int) -> list[Grid]:
    """The ways in which a picture of this many dots is cells: with gaps first."""
    found = []
    for rows in (ROWS, LARGE_ROWS):
        for gap in (1, 0):
            down, across = (high + gap) / (rows + gap), (wide + gap) / (COLUMNS + gap)
            if down == int(down) >= 1 and across == int(across) >= 1 and down * across <= MOST:
                found.append(Grid(dot, rows, gap, int(down), int(across)))
    return found


def _squares(lit: NDArray[np.bool_], dot: int) -> NDArray[np.float64]:
    """The share of lit pixels of each square."""
    high, wide = lit.shape
    shares: NDArray[np.float64] = lit.reshape(high // dot, dot, wide // dot, dot).mean(axis=(1, 3))
    return shares


def _is_uniform(lit: NDArray[np.bool_], dot: int) -> bool:
    """Whether squares of this size are dots: of those that have the rarer colour, nearly none has much of both."""
    shares = _squares(lit, dot)
    rare = shares if shares.mean() <= 0.5 else 1 - shares
    mixed = np.minimum(shares, 1 - shares) > UNIFORM
    return bool(mixed.sum() <= MIXED * (rare > UNIFORM).sum())


def _dots(lit: NDArray[np.bool_], dot: int) -> NDArray[np.bool_]:
    return _squares(lit, dot) > 0.5


def _gaps(dots: NDArray[np.bool_], grid: Grid) -> NDArray[np.bool_]:
    """The dots between cells."""
    high, wide = grid.rows + 1, COLUMNS + 1
    return np.concatenate([dots[high - 1 :: high].ravel(), dots[:, wide - 1 :: wide].ravel()])


def _ground(dark: NDArray[np.bool_], grid: Grid) -> bool:
    """Whether what is unlit is dark: the gaps are or, without gaps, most corners of cells."""
    if grid.gap and grid.down * grid.across > 1:
        return bool(_gaps(_dots(dark, grid.dot), grid).all())
    cells = np.array(_cells(dark, grid))
    return bool(2 * cells[:, [0, 0, -1, -1], [0, -1, 0, -1]].mean() + cells.mean() > 1.5)


def _cells(lit: NDArray[np.bool_], grid: Grid) -> list[NDArray[np.bool_]]:
    dots = _dots(lit, grid.dot)
    high, wide = grid.rows + grid.gap, COLUMNS + grid.gap
    return [dots[row * high : row * high + grid.rows, column * wide : column * wide + COLUMNS]
            for row in range(grid.down) for column in range(grid.across)]  # fmt: skip


def _described(lit: NDArray[np.bool_], chunk: str, source: str) -> GlyphSet:
    """The set of a picture of ours, from its dots and what its chunk says. Raises GlyphError."""
    tables = Tables(chunk, source, FILE, GlyphError, json=True)
    said = tables.checked(SetTable, tables.raw, "", "")
    across = min(ACROSS, len(said.glyphs)) or 1
    down = -(-len(said.glyphs) // across)
    high, wide = lit.shape
    for rows in (ROWS, LARGE_ROWS):
        dot = wide // (across * (COLUMNS + 1) - 1)
        grid = Grid(dot, rows, 1, down, across)
        if dot and (down * (rows + 1) - 1, across * (COLUMNS + 1) - 1) == (high / dot, wide / dot):
            cells = _cells(lit, grid)
            break
    else:
        raise GlyphError(f"{source} was cut or scaled: its {wide}x{high} pixels are not {len(said.glyphs)} cells")
    found = [
        (name, Glyph(cell), table.character) for (name, table), cell in zip(said.glyphs.items(), cells, strict=False)
    ]
    return collected(found, source, "glyph", said.blocks)
