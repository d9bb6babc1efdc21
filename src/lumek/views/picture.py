"""A picture of the simulated panel as a person would see it."""

from collections.abc import Sequence
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw

from lumek._files import replacing
from lumek.twin.dots import COLUMNS
from lumek.twin.module import Twin
from lumek.views.colours import colours

DOT, DOT_GAP = 6, 1
CELL_GAP = 8
MARGIN = 26
BEZEL = 34
BOARD = 22

GLASS, UNLIT, LIT, GREEN, GOLD, WHITE, BLACK = range(7)
BOARD_COLOURS = (22, 84, 58), (205, 184, 120), (240, 240, 236), (24, 25, 27)
"""The colours of the palette of a panel: of its glass three, of its board four."""

WIDEST = 1600
"""Pixels of a picture of several panels."""

BETWEEN = (236, 236, 232)
"""The colour of the table on which several panels lie."""


def picture(twin: Twin, scheme: str = "meadow") -> Image.Image:
    """An RGB image of the panel, about 1100 pixels wide for 20 columns: board, bezel, glass, cells and dots."""
    return indexed(twin, scheme).convert("RGB")


def indexed(twin: Twin, scheme: str = "meadow", dot: int = DOT) -> Image.Image:
    """The same as an image with a palette of seven colours.

    dot: the size of a dot in pixels; all else is in proportion.
    """
    glass, lit, unlit = colours(twin, scheme)
    face = _face(twin.dots(), dot)
    height, width = face.shape
    edges = _edges(dot)
    edge, bezel, board = sum(edges), *edges[1:]
    image = Image.new("P", (width + 2 * edge, height + 2 * edge), GREEN)
    image.putpalette([part for colour in (glass, unlit, lit, *BOARD_COLOURS) for part in colour])
    draw = ImageDraw.Draw(image)
    right, bottom = image.width - 1, image.height - 1
    hole = board // 2
    for x in (hole, right - hole):
        for y in (hole, bottom - hole):
            for size, ink in ((7, GOLD), (4, WHITE)):
                size = size * dot // DOT
                draw.ellipse((x - size, y - size, x + size, y + size), fill=ink)
    draw.rectangle((board, board, right - board, bottom - board), fill=BLACK)
    inner = board + bezel
    draw.rounded_rectangle((inner, inner, right - inner, bottom - inner), radius=8 * dot // DOT, fill=GLASS)
    image.paste(Image.fromarray(face), (edge, edge))
    return image


def width_of(twin: Twin, dot: int) -> int:
    """The width of a picture with dots of that size."""
    gap, cell_gap = _gaps(dot)
    return len(twin.cells[0]) * (COLUMNS * (dot + gap) + cell_gap) - cell_gap + 2 * sum(_edges(dot))


def pictures(twins: Sequence[Twin], scheme: str = "meadow") -> Image.Image:
    """An RGB image of several panels, two side by side, of at most 1600 pixels' width.

    A panel that is at most half as wide as the widest is drawn twice as large, so that it can be read, too.
    """
    images = [picture(twin, scheme) for twin in twins]
    widest = max(image.width for image in images)
    images = [image if 2 * image.width > widest * 1.01 else image.resize((2 * image.width, 2 * image.height),
                                                                         Image.Resampling.NEAREST)
              for image in images]  # fmt: skip
    pairs = [images[at : at + 2] for at in range(0, len(images), 2)]
    lefts = max(pair[0].width for pair in pairs)
    wide = max(lefts + pair[1].width if len(pair) > 1 else pair[0].width for pair in pairs)
    image = Image.new("RGB", (wide, sum(max(one.height for one in pair) for pair in pairs)), BETWEEN)
    top = 0
    for pair in pairs:
        for left, one in zip((0, lefts), pair, strict=False):
            image.paste(one, (left, top))
        top += max(one.height for one in pair)
    if wide > WIDEST and len(images) > 1:
        image = image.resize((WIDEST, round(image.height * WIDEST / wide)), Image.Resampling.LANCZOS)
    return image


def save_picture(twin: Twin, path: str | Path, scheme: str = "meadow") -> None:
    """Write a PNG of the panel. Raises OSError when the file cannot be written; an old one stays as it was then."""
    with replacing(path) as beside:
        picture(twin, scheme).save(beside, format="PNG")


def _face(dots: NDArray[np.bool_], dot: int) -> NDArray[np.uint8]:
    """The pixels of all cells, shape (height, width), as numbers of colours."""
    rows, columns, high, wide = dots.shape
    gap, cell_gap = _gaps(dot)
    # One number for each dot, and one more row and column of glass in each cell, from which all gaps are taken.
    small = np.full((rows, high + 1, columns, wide + 1), GLASS, dtype=np.uint8)
    small[:, :high, :, :wide] = np.where(dots, LIT, UNLIT).transpose(0, 2, 1, 3)
    places = [_places(*size, dot, gap, cell_gap) for size in ((rows, high), (columns, wide))]
    return small.reshape(rows * (high + 1), -1)[np.ix_(*places)]


def _edges(dot: int) -> tuple[int, int, int]:
    """Pixels of glass around the cells, of the bezel, and of the board."""
    return max(1, MARGIN * dot // DOT), max(1, BEZEL * dot // DOT), max(1, BOARD * dot // DOT)


def _gaps(dot: int) -> tuple[int, int]:
    """Pixels between dots, and between cells beyond that."""
    return max(1, DOT_GAP * dot // DOT), max(1, CELL_GAP * dot // DOT)


def _places(cells: int, dots: int, dot: int, gap: int, cell_gap: int) -> NDArray[np.int64]:
    """For each pixel along a side the number of its dot; that after the last of a cell is a gap."""
    one = [place for number in range(dots) for place in [number] * dot + [dots] * gap] + [dots] * cell_gap
    return np.array([cell * (dots + 1) + place for cell in range(cells) for place in one][:-cell_gap])
