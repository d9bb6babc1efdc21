"""The dots that each character code of a ROM shows."""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from lumek.roms.rom import FIRST, Rom

ROWS, COLUMNS = 8, 5


def patterns(rom: Rom, cgram: bytes) -> NDArray[np.bool_]:
    """The dots of all 256 codes, booleans of shape (256, 8, 5), with the glyphs in CGRAM.

    cgram: 64 bytes, eight for each of the codes 0 to 7, of which the lower five bits count; 8 to 15 repeat them. A ROM
        whose dots are not known is drawn with Lumek's own drawings; a code that has none of these shows nothing.
    """
    dots = rom_patterns(rom).copy()
    rows = np.frombuffer(cgram, dtype=np.uint8).reshape(8, ROWS)
    glyphs = (rows[:, :, None] >> np.arange(COLUMNS - 1, -1, -1) & 1).astype(bool)
    dots[0:8] = dots[8:16] = glyphs
    return dots


@lru_cache
def rom_patterns(rom: Rom) -> NDArray[np.bool_]:
    """The dots of all 256 codes without glyphs, booleans of shape (256, 8, 5)."""
    dots = np.zeros((256, ROWS, COLUMNS), dtype=bool)
    table = np.frombuffer(rom.drawings(), dtype=np.uint8)
    dots[FIRST:] = np.unpackbits(table).reshape(-1, ROWS, COLUMNS)
    return dots
