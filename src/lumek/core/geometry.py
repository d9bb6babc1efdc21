"""Where rows and columns lie in the controller's memory: every row address is in this file.

Inside Lumek a cell is known by its *index*: its place in the order in which the address counter walks
through the 80 bytes of DDRAM. With two lines indexes 0-39 are the addresses 0x00-0x27 and 40-79 are
0x40-0x67; with one line an index is the address. The counter steps from 79 to 0, so the next cell is always
index + 1 modulo 80. A panel with two controllers has such a memory in each: its upper rows are in the first, its
lower rows in the second, and indexes are those of a row's own controller.
Source: HD44780U data sheet, "Display data RAM (DDRAM)"; module sheets for four rows.
"""

from lumek._harmless import quoted
from lumek.core.values import is_whole
from lumek.errors import PlaceError, SettingError, SizeError

MEMORY = 80
"""Bytes of DDRAM of a controller."""

CGRAM = 64
"""Bytes of its CGRAM."""

# size: columns, logical lines, and for each row the addresses at which its equal parts start.
SIZES = {
    "8x1": (8, 1, ((0x00,),)),
    "16x1": (16, 1, ((0x00,),)),
    "8+8x1": (16, 2, ((0x00, 0x40),)),
    "20x1": (20, 1, ((0x00,),)),
    "8x2": (8, 2, ((0x00,), (0x40,))),
    "16x2": (16, 2, ((0x00,), (0x40,))),
    "20x2": (20, 2, ((0x00,), (0x40,))),
    "24x2": (24, 2, ((0x00,), (0x40,))),
    "40x2": (40, 2, ((0x00,), (0x40,))),
    "16x4": (16, 2, ((0x00,), (0x40,), (0x10,), (0x50,))),
    "20x4": (20, 2, ((0x00,), (0x40,), (0x14,), (0x54,))),
    "40x4": (40, 2, ((0x00,), (0x40,), (0x00,), (0x40,))),
}
"""The sizes there are. "8+8x1" is the kind of 16x1 module whose right half is the controller's second line."""

FONTS = {"5x8": (8, range(8)), "5x10": (10, range(0, 8, 2))}
"""Font: rows of dots of a cell, and the codes that show the slots of CGRAM: the larger one has half as many."""

CONTROLLERS = {"40x4": 2}
"""The sizes that take more than one controller."""


class Geometry:
    """The cells of one size of panel.

    size: "columns x rows" as in "20x4"; a wrong one raises SizeError, which lists the sizes there are.
    font: "5x8" or, on one line of characters, "5x10"; SettingError else.
    """

    def __init__(self, size: str, font: str = "5x8") -> None:
        if not isinstance(size, str) or size not in SIZES:
            raise SizeError(f"there is no {quoted(size)} panel{_hint(size)}: sizes are {_sizes()}")
        self.size = size
        self.columns, self.lines, starts = SIZES[size]
        self.rows = len(starts)
        if not isinstance(font, str) or font not in FONTS or (font != "5x8" and self.lines != 1):
            raise SettingError(
                f"a {size} panel has no font {quoted(font)}: fonts are '5x8', and '5x10' on 8x1, 16x1 and 20x1"
            )
        self.tall = font != "5x8"
        """Whether the controller is to be set to its larger font."""
        self.glyph_rows, self.slots = FONTS[font]
        self.controllers = CONTROLLERS.get(size, 1)
        self.ring = MEMORY // self.lines
        """Cells in one line of DDRAM, through which a display shift turns."""
        self._starts = [[self.index_of(address) for address in row] for row in starts]

    def index_of(self, address: int) -> int:
        """The index of a DDRAM address: 0x40 is 40 on two lines."""
        return address - 0x18 if self.lines == 2 and address >= 0x40 else address

    def address_of(self, index: int) -> int:
        """The DDRAM address of an index: the inverse of `index_of`."""
        return index + 0x18 if self.lines == 2 and index >= 40 else index

    def grid(self, shift: int = 0) -> list[list[int]]:
        """The index behind each cell, row by row, when the picture is shifted `shift` columns to the right."""
        grid = []
        for starts in self._starts:
            part = self.columns // len(starts)
            row = []
            for start in starts:
                line = start // self.ring * self.ring
                row += [line + (start - line + column - shift) % self.ring for column in range(part)]
            grid.append(row)
        return grid

    def controller_of(self, row: int) -> int:
        """The number of the controller that shows a row: 0, or 1 for the lower half of a panel with two."""
        return row * self.controllers // self.rows

    def row(self, number: int) -> int:
        """The row counted from 0, given from 0 or, negative, from the end. Raises PlaceError outside."""
        return self._counted("row", number, self.rows)

    def column(self, number: int) -> int:
        """The column counted from 0, given from 0 or, negative, from the end. Raises PlaceError outside."""
        return self._counted("column", number, self.columns)

    def span(self, what: str, key: "int | slice") -> range:
        """The rows or columns (`what` says which) that an index or slice means. Raises PlaceError outside."""
        count = self.rows if what == "row" else self.columns
        if type(key) is int and -count <= key < count:  # the usual case, quickly
            return range(key % count, key % count + 1)
        if type(key) is slice and key.step is None:
            first, past = key.start, key.stop
            if type(first) is type(past) is int and 0 <= first <= past <= count:
                return range(first, past)
        if not isinstance(key, slice):
            first = self._counted(what, key, count)
            return range(first, first + 1)
        if key.step not in (None, 1):
            raise PlaceError(f"{what}s go one by one: a step of {quoted(key.step)} is not possible")
        bounds = [0, count]
        for which, bound in enumerate((key.start, key.stop)):
            if bound is not None:
                if not is_whole(bound) or not -count <= bound <= count:
                    raise PlaceError(
                        f"{what}s {_written(key)} are not on {self._name()} "
                        f"({_listed(what, count)}; a slice ends at {count} at most)"
                    )
                bounds[which] = int(bound) + count if bound < 0 else int(bound)
        return range(bounds[0], max(bounds))

    def _counted(self, what: str, number: int, count: int) -> int:
        if not is_whole(number):
            raise PlaceError(f"a {what} is a whole number or a slice, not {quoted(number)}")
        if not -count <= number < count:
            raise PlaceError(f"{what} {number} does not exist on {self._name()} ({_listed(what, count)})")
        return int(number) + count if number < 0 else int(number)

    def _name(self) -> str:
        return f"{'an' if self.size[0] == '8' else 'a'} {self.size} panel"


def _hint(size: object) -> str:
    """What may be meant by a size that does not exist."""
    turned = "x".join(reversed(size.split("x"))) if isinstance(size, str) else ""
    return f" (columns come first: {turned})" if turned in SIZES else " (columns x rows)"


def _sizes() -> str:
    return ", ".join(sorted(SIZES, key=lambda one: (len(SIZES[one][2]), SIZES[one][0], one)))


def _listed(what: str, count: int) -> str:
    if count == 1:
        return f"its only {what} is 0"
    return f"{what}s are 0 {'and' if count == 2 else 'to'} {count - 1}"


def _written(key: slice) -> str:
    return f"{'' if key.start is None else key.start}:{'' if key.stop is None else key.stop}"
