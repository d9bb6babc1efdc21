"""The dots that each character code of a ROM shows.

The drawings in dots_ascii.txt, dots_a00.txt and dots_a02.txt are our own, made to look like the figures of the
HD44780U data sheet (tables 4 and 5). Each block of a file is a line of codes in hexadecimal and, under each code,
eight rows of five dots: '#' dark, '.' clear. A code that no file has shows nothing.
"""

from functools import lru_cache
from importlib.resources import files

import numpy as np
from numpy.typing import NDArray

from lumek.core.rom import Rom

ROWS, COLUMNS = 8, 5
FILES = {"A00": ("dots_ascii.txt", "dots_a00.txt"), "A02": ("dots_ascii.txt", "dots_a02.txt")}


def patterns(rom: Rom, cgram: bytes) -> NDArray[np.bool_]:
    """The dots of all 256 codes, booleans of shape (256, 8, 5), with the glyphs that stand in CGRAM.

    cgram: 64 bytes, eight for each of the codes 0 to 7, of which the lower five bits count; 8 to 15 repeat them.
    """
    dots = _rom_patterns(rom.name).copy()
    rows = np.frombuffer(cgram, dtype=np.uint8).reshape(8, ROWS)
    glyphs = (rows[:, :, None] >> np.arange(COLUMNS - 1, -1, -1) & 1).astype(bool)
    dots[0:8] = dots[8:16] = glyphs
    return dots


@lru_cache
def _rom_patterns(name: str) -> NDArray[np.bool_]:
    dots = np.zeros((256, ROWS, COLUMNS), dtype=bool)
    for file in FILES[name]:
        lines = (files("lumek.twin") / file).read_text(encoding="ascii").splitlines()
        for start in range(0, len(lines), ROWS + 2):
            codes = [int(code, 16) for code in lines[start].split()]
            block = [line.split() for line in lines[start + 1 : start + 1 + ROWS]]
            for place, code in enumerate(codes):
                dots[code] = [[dot == "#" for dot in row[place]] for row in block]
    return dots
