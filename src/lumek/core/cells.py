"""What a program has written: the text of every cell, and the codes that show it.

Cells beside the glass count, too, since a slide brings them in. Text and codes are kept by controller and index (see
`geometry`); rows and columns are places on the glass as the picture stands now.
"""

from lumek.core.geometry import MEMORY, Geometry
from lumek.core.plan import BLANKS
from lumek.core.rom import BLANK, Rom

UNKNOWN = "\ufffd"
"""Stands for a code that draws no known character."""


class Cells:
    """The cells of a panel of this geometry with this ROM.

    codes: for each controller its 80 bytes by index. shift: columns by which the picture stands to the right.
    """

    def __init__(self, geometry: Geometry, rom: Rom) -> None:
        self._geometry = geometry
        self._rom = rom
        self.codes = [bytearray(BLANKS) for _ in range(geometry.controllers)]
        self._text = [[" "] * MEMORY for _ in self.codes]
        self.slide_to(0)

    def slide_to(self, shift: int) -> None:
        """Let the picture stand so many columns to the right."""
        self.shift = shift % self._geometry.ring
        self._grid = self._geometry.grid(self.shift)

    def blank(self) -> None:
        """Blank all cells."""
        for text, codes in zip(self._text, self.codes):  # noqa: B905  MicroPython's zip has no strict
            text[:] = [" "] * MEMORY
            codes[:] = BLANKS

    def index(self, row: int, column: int) -> int:
        """The index behind a cell."""
        return self._grid[row][column]

    def text(self, rows: range, columns: range) -> list[str]:
        """What was written, row by row."""
        lines = []
        for row in rows:
            text, indexes = self._text[self._geometry.controller_of(row)], self._grid[row]
            lines.append("".join([text[indexes[column]] for column in columns]))
        return lines

    def fill(self, rows: range, columns: range, lines: list[str]) -> None:
        """Write a line in each row: cut at the edge, blank after its end."""
        find = self._rom.find
        for number, row in enumerate(rows):
            controller = self._geometry.controller_of(row)
            indexes, text, codes = self._grid[row], self._text[controller], self.codes[controller]
            line = lines[number] if number < len(lines) else ""
            for place, column in enumerate(columns):
                index = indexes[column]
                if place < len(line):
                    text[index] = line[place]
                    codes[index] = find(line[place])[0]
                else:
                    text[index] = " "
                    codes[index] = BLANK

    def compromises(self) -> dict[tuple[int, int], tuple[str, str]]:
        """{(row, column): (written, shown)} of the cells whose character the ROM lacks."""
        found = {}
        for row, line in enumerate(self.text(range(self._geometry.rows), range(self._geometry.columns))):
            for column, written in enumerate(line):
                shown = self._rom.find(written)[1]
                if shown != written:
                    found[row, column] = (written, shown)
        return found

    def drawn(self, memory: list[bytes]) -> list[str]:
        """The characters, row by row, that these codes of each controller draw; UNKNOWN where none is known."""
        character = self._rom.character
        rows = []
        for row, indexes in enumerate(self._grid):
            codes = memory[self._geometry.controller_of(row)]
            rows.append("".join([character(codes[index]) or UNKNOWN for index in indexes]))
        return rows
