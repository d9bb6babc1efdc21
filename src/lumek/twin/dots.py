"""The dots that each character code of a ROM shows."""

from functools import lru_cache
from typing import TYPE_CHECKING

from lumek.roms.rom import FIRST, Rom

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

ROWS, COLUMNS = 8, 5

TALL_ROWS, TALL_BYTES = 11, 16
"""Rows of a cell in the larger font, the last for the cursor; and bytes of CGRAM for each of its four glyphs."""

FULL = 0xFF
"""The code that is a full block in every known ROM."""

FULL_ROW = 0x1F

Drawing = tuple[int, ...]
"""The dark dots of a cell: a number for each row, the leftmost dot counting 16."""


def drawings(rom: Rom, cgram: bytes, tall: bool = False) -> list[Drawing]:
    """What each of the 256 codes draws, 8 or 11 rows, with the glyphs in CGRAM.

    cgram: 64 bytes, eight for each of the codes 0 to 7, of which the lower five bits count; 8 to 15 repeat them. A ROM
        whose dots are not known is drawn with Lumek's own drawings; a code that has none of these shows nothing.
    tall: in the larger font, 5x10 dots and a line for the cursor. Two codes share a glyph of 16 bytes; what the ROM
        draws is drawn with 8 rows, as its letters with 10 are not known, except a full block.
    Source: HD44780U data sheet, "Character generator RAM", table 6.
    """
    found = [*rom_drawings(rom)]
    if tall:
        below = (0,) * (TALL_ROWS - ROWS)
        found = [drawing + below for drawing in found]
        if found[FULL][:ROWS] == (FULL_ROW,) * ROWS:
            found[FULL] = (FULL_ROW,) * (TALL_ROWS - 1) + (0,)
    for code in range(8):
        first = code // 2 * TALL_BYTES if tall else code * ROWS
        rows = cgram[first : first + (TALL_ROWS if tall else ROWS)]
        found[code] = found[code + 8] = tuple([row & FULL_ROW for row in rows])
    return found


@lru_cache
def rom_drawings(rom: Rom) -> list[Drawing]:
    """What each of the 256 codes draws without glyphs, 8 rows."""
    data = rom.drawings()
    found: list[Drawing] = [(0,) * ROWS] * FIRST
    for at in range(0, len(data), COLUMNS):
        bits = int.from_bytes(data[at : at + COLUMNS], "big")
        found.append(tuple([bits >> shift & FULL_ROW for shift in range(35, -1, -5)]))
    return found


def as_dots(drawn: "list[Drawing] | list[list[Drawing]]") -> "NDArray[np.bool_]":
    """Drawings as booleans, of one more dimension: the five dots of each row."""
    import numpy as np

    rows = np.array(drawn, dtype=np.uint8)
    return (rows[..., None] >> np.arange(COLUMNS - 1, -1, -1, dtype=np.uint8) & 1).astype(bool)


def patterns(rom: Rom, cgram: bytes, tall: bool = False) -> "NDArray[np.bool_]":
    """The dots of all 256 codes, booleans of shape (256, 8 or 11, 5); see `drawings`."""
    return as_dots(drawings(rom, cgram, tall))


@lru_cache
def rom_patterns(rom: Rom) -> "NDArray[np.bool_]":
    """The dots of all 256 codes without glyphs, booleans of shape (256, 8, 5)."""
    return as_dots(rom_drawings(rom))
