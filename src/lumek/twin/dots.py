"""The dots that each character code of a ROM shows."""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from lumek.roms.rom import FIRST, Rom

ROWS, COLUMNS = 8, 5

TALL_ROWS, TALL_BYTES = 11, 16
"""Rows of a cell in the larger font, the last for the cursor; and bytes of CGRAM for each of its four glyphs."""

FULL = 0xFF
"""The code that is a full block in every known ROM."""


def patterns(rom: Rom, cgram: bytes, tall: bool = False) -> NDArray[np.bool_]:
    """The dots of all 256 codes, booleans of shape (256, 8 or 11, 5), with the glyphs in CGRAM.

    cgram: 64 bytes, eight for each of the codes 0 to 7, of which the lower five bits count; 8 to 15 repeat them. A ROM
        whose dots are not known is drawn with Lumek's own drawings; a code that has none of these shows nothing.
    tall: in the larger font, 5x10 dots and a line for the cursor. Two codes share a glyph of 16 bytes; what the ROM
        draws is drawn with 8 rows, as its letters with 10 are not known, except a full block.
    Source: HD44780U data sheet, "Character generator RAM", table 6.
    """
    drawn = rom_patterns(rom)
    dots = np.zeros((256, TALL_ROWS if tall else ROWS, COLUMNS), dtype=bool)
    dots[:, :ROWS] = drawn
    each = TALL_BYTES if tall else ROWS
    rows = np.frombuffer(cgram, dtype=np.uint8).reshape(-1, each)
    glyphs = (rows[:, :, None] >> np.arange(COLUMNS - 1, -1, -1) & 1).astype(bool)[:, : dots.shape[1]]
    dots[0:8] = dots[8:16] = np.repeat(glyphs, 2, axis=0) if tall else glyphs
    if tall and drawn[FULL].all():
        dots[FULL, : TALL_ROWS - 1] = True
    return dots


@lru_cache
def rom_patterns(rom: Rom) -> NDArray[np.bool_]:
    """The dots of all 256 codes without glyphs, booleans of shape (256, 8, 5)."""
    dots = np.zeros((256, ROWS, COLUMNS), dtype=bool)
    table = np.frombuffer(rom.drawings(), dtype=np.uint8)
    dots[FIRST:] = np.unpackbits(table).reshape(-1, ROWS, COLUMNS)
    return dots
