"""A picture of the simulated panel as a person would see it."""

from collections.abc import Sequence
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw

from lumek._files import replacing
from lumek.twin.module import Twin
from lumek.views.colours import Colour, colours

DOT, DOT_GAP = 6, 1
CELL_GAP = 8
MARGIN = 26
BEZEL = 34
BOARD = 22

WIDEST = 1600
"""Pixels of a picture of several panels."""

BETWEEN = (236, 236, 232)
"""The colour of the table on which several panels lie."""


def picture(twin: Twin, scheme: str = "meadow") -> Image.Image:
    """An RGB image of the panel, about 1100 pixels wide for 20 columns: board, bezel, glass, cells and dots."""
    glass, lit, unlit = colours(twin, scheme)
    face = _face(twin.dots(), glass, lit, unlit)
    height, width = face.shape[:2]
    edge = MARGIN + BEZEL + BOARD
    image = Image.new("RGB", (width + 2 * edge, height + 2 * edge), (22, 84, 58))
    draw = ImageDraw.Draw(image)
    right, bottom = image.width - 1, image.height - 1
    hole = BOARD // 2
    for x in (hole, right - hole):
        for y in (hole, bottom - hole):
            draw.ellipse((x - 7, y - 7, x + 7, y + 7), fill=(205, 184, 120))
            draw.ellipse((x - 4, y - 4, x + 4, y + 4), fill=(240, 240, 236))
    draw.rectangle((BOARD, BOARD, right - BOARD, bottom - BOARD), fill=(24, 25, 27))
    inner = BOARD + BEZEL
    draw.rounded_rectangle((inner, inner, right - inner, bottom - inner), radius=8, fill=glass)
    image.paste(Image.fromarray(face), (edge, edge))
    return image


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


def _face(dots: NDArray[np.bool_], glass: Colour, lit: Colour, unlit: Colour) -> NDArray[np.uint8]:
    """The pixels of all cells, shape (height, width, 3)."""
    rows, columns, high, wide = dots.shape
    pitch = DOT + DOT_GAP
    cell_height, cell_width = high * pitch + CELL_GAP, wide * pitch + CELL_GAP
    face = np.empty((rows * cell_height - CELL_GAP, columns * cell_width - CELL_GAP, 3), dtype=np.uint8)
    face[:] = glass
    shades = np.where(dots[..., None], np.array(lit), np.array(unlit)).astype(np.uint8)
    for row in range(rows):
        for column in range(columns):
            block = np.empty((high * pitch, wide * pitch, 3), dtype=np.uint8)
            block[:] = glass
            for y in range(DOT):
                for x in range(DOT):
                    block[y::pitch, x::pitch] = shades[row, column]
            top, left = row * cell_height, column * cell_width
            face[top : top + high * pitch, left : left + wide * pitch] = block
    return face
