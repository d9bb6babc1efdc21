"""From a picture to dots: how much of each dot's square a shape covers decides whether it is lit.

1. *Dark and light* are parted by the grey between them (Otsu 1979). A pixel between the means of both counts in part,
   so that smooth edges do. The shape is the one of the two that the edge of the picture is not.
2. *The shape is cut out*, with what is around it left away, and scaled into the cells, its proportions kept; or the
   whole picture is the cells. On the glass there is a gap between cells: its strips of the picture are not seen.
3. *Coverage* of each dot is the mean over its square, computed exactly from sums over the whole picture.
4. *The threshold* that is found lights as much area as the shape has: the dots in order of their coverage, until
   their number is the sum of all coverages. Dots of the same coverage are lit together, so symmetry stays.
"""

from pathlib import Path
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from lumek._files import read_bytes
from lumek._harmless import quoted
from lumek.core.block import GAP, Block
from lumek.core.glyph import COLUMNS, ROWS
from lumek.core.values import is_whole
from lumek.errors import GlyphError
from lumek.glyphs.formats.cell_sheet import in_grey, opened, threshold
from lumek.glyphs.glyph_set import PLACES, GlyphSet

MOST_BYTES = 50_000_000
MOST_PIXELS = 50_000_000
"""Of a picture: what the cameras of phones make."""

WORKED = 1024
"""Pixels of the longer side that are worked on; a cell has at most 5 dots across."""

MOST_ACROSS, MOST_DOWN = 4, 2
"""Cells of a block: eight, for as many as there are slots."""

FITS = "whole", "stretched", "framed"

LOWEST, HIGHEST = 0.2, 0.8
"""Between these the threshold is found: coverage of less is an accident, of more is a dot."""

SHAPE = 0.5
"""What a pixel must have of the shape to be cut out with it."""

Values = NDArray[np.float64]


class Trace(NamedTuple):
    """What a picture became.

    block: the cells.
    threshold: the coverage from which on a dot is lit, 0 to 1.
    inverted: whether the shape is lighter than what is around it.
    """

    block: Block
    threshold: float
    inverted: bool

    def named(self, name: str = "glyph") -> GlyphSet:
        """A set of its cells, which draw ① to ⑧, row by row; several are a block of that name."""
        rows, columns = self.block.shape
        flat = [glyph for row in self.block.cells for glyph in row]
        names = [name] if len(flat) == 1 else [f"{name}_{number}" for number in range(1, len(flat) + 1)]
        lines = [names[row * columns : (row + 1) * columns] for row in range(rows)]
        return GlyphSet(
            dict(zip(names, flat, strict=True)), dict(zip(names, PLACES, strict=False)),
            {name: lines} if len(flat) > 1 else None,
        )  # fmt: skip


def trace(
    picture: "str | Path | Image.Image",
    columns: int = 1,
    rows: int = 1,
    *,
    threshold: float | None = None,
    gaps: bool = True,
    inverted: bool | None = None,
    fit: str = "whole",
) -> Trace:
    """Cut a picture into one glyph, or into a block of cells.

    picture: a file, or a Pillow image, of at most 50 megapixels.
    columns, rows: cells of the block, 1 to 4 and 1 or 2.
    threshold: the coverage, above 0 and up to 1, from which on a dot is lit; default: found.
    gaps: whether the block has gaps of a dot between its cells, as the glass has.
    inverted: whether the shape is lighter than what is around it; default: found.
    fit: 'whole' keeps the proportions of the shape, 'stretched' fills the cells with it, and 'framed' takes the picture
        with all that is around the shape.
    Raises GlyphError for what is not possible.
    """
    if not is_whole(columns) or not is_whole(rows) or not 1 <= columns <= MOST_ACROSS or not 1 <= rows <= MOST_DOWN:
        raise GlyphError(
            f"a picture becomes 1 to {MOST_ACROSS} cells across and 1 or {MOST_DOWN} down, "
            f"not {quoted(columns)}x{quoted(rows)}"
        )
    if threshold is not None and not (isinstance(threshold, int | float) and 0 < threshold <= 1):
        raise GlyphError(f"a threshold of coverage is above 0 and up to 1, not {quoted(threshold)}")
    if fit not in FITS:
        raise GlyphError(f"a shape fits {', '.join(map(repr, FITS))}, not {quoted(fit)}")
    shape, inverted = _shape(_grey(picture), inverted)
    gap = GAP if gaps else 0
    high, wide = rows * (ROWS + gap) - gap, columns * (COLUMNS + gap) - gap
    covered = _coverage(shape if fit == "framed" else _cut_out(shape), high, wide, fit == "whole")
    keep_rows = np.arange(high) % (ROWS + gap) < ROWS
    keep_columns = np.arange(wide) % (COLUMNS + gap) < COLUMNS
    covered = covered[np.ix_(keep_rows, keep_columns)]
    level = _found(covered) if threshold is None else float(threshold)
    lit = covered >= level - 1e-9
    return Trace(Block(lit.astype(int).tolist()), level, inverted)


def block_size(text: str) -> tuple[int, int]:
    """Columns and rows of a block written as "2x1". Raises GlyphError for what cannot be."""
    columns, _, rows = text.strip().lower().partition("x")
    if columns.isdecimal() and rows.isdecimal() and len(text) < 9:
        size = int(columns), int(rows)
        if 1 <= size[0] <= MOST_ACROSS and 1 <= size[1] <= MOST_DOWN:
            return size
    raise GlyphError(f"{quoted(text)} is not a block: write it as 2x1, at most {MOST_ACROSS}x{MOST_DOWN} cells")


def _grey(picture: "str | Path | Image.Image") -> Values:
    """A picture in shades of grey, as an array, at most WORKED pixels wide and high."""
    if isinstance(picture, Image.Image):
        image = in_grey(picture, "the picture", MOST_PIXELS)
    else:
        try:
            data = read_bytes(picture, MOST_BYTES)
        except OSError as problem:
            raise GlyphError(f"{picture} cannot be read: {problem.strerror or problem}") from None
        image, _ = opened(data, str(picture), MOST_PIXELS)
    if max(image.size) > WORKED:
        image.thumbnail((WORKED, WORKED), Image.Resampling.BOX)
    return np.asarray(image, dtype=np.float64)


def _shape(grey: Values, inverted: bool | None) -> tuple[Values, bool]:
    """How much of each pixel is of the shape, 0 to 1; and whether that is the lighter part."""
    if grey.min() == grey.max():
        raise GlyphError("the picture has one colour: there is no shape in it")
    level = threshold_of(grey)
    dark, light = grey[grey < level].mean(), grey[grey >= level].mean()
    darkness = np.clip((light - grey) / (light - dark), 0, 1)
    if inverted is None:
        edge = np.concatenate([darkness[0], darkness[-1], darkness[:, 0], darkness[:, -1]])
        inverted = bool(edge.mean() > 0.5)
    return (1 - darkness if inverted else darkness), inverted


def threshold_of(grey: Values) -> float:
    """The grey between dark and light."""
    return threshold(np.round(grey).astype(np.uint8))


def _cut_out(shape: Values) -> Values:
    """The rectangle that has the shape in it."""
    down, across = (shape >= SHAPE).any(axis=1), (shape >= SHAPE).any(axis=0)
    if not down.any():
        return shape
    top, bottom = np.flatnonzero(down)[[0, -1]]
    left, right = np.flatnonzero(across)[[0, -1]]
    return shape[top : bottom + 1, left : right + 1]


def _coverage(shape: Values, high: int, wide: int, whole: bool) -> Values:
    """The mean over each square of a shape that is scaled to `high` times `wide` squares.

    whole: keep its proportions: it then fills the whole number of squares that comes nearest, in the middle.
    """
    rows, columns = shape.shape
    pitch = max(rows / high, columns / wide)
    down = min(high, max(1, round(rows / pitch))) if whole else high
    across = min(wide, max(1, round(columns / pitch))) if whole else wide
    sums = np.pad(shape.cumsum(axis=0).cumsum(axis=1), ((1, 0), (1, 0)))
    ys, xs = np.linspace(0, rows, down + 1), np.linspace(0, columns, across + 1)
    at_rows = np.array([np.interp(ys, np.arange(rows + 1), column) for column in sums.T]).T
    corners = np.array([np.interp(xs, np.arange(columns + 1), row) for row in at_rows])
    covered: Values = np.zeros((high, wide))
    top, left = (high - down) // 2, (wide - across) // 2
    means = np.diff(np.diff(corners, axis=0), axis=1) * down * across / (rows * columns)
    covered[top : top + down, left : left + across] = means
    return covered


def _found(covered: Values) -> float:
    """The threshold that lights as much area as is covered."""
    order = np.sort(np.clip(covered.ravel(), 0, 1))[::-1]
    count = round(float(order.sum()))
    if count == 0:
        return float(np.clip(order[0], LOWEST, HIGHEST))
    last = order[count - 1]
    after = order[order < last - 1e-6]
    between = (last + after[0]) / 2 if len(after) else last / 2
    return float(np.clip(between, LOWEST, HIGHEST))
