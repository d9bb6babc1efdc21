"""The codes that every ROM has in common, and the eight slots for drawings: who gets one.

Source: HD44780U data sheet, tables 4 and 5, and "Character generator RAM".
"""

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterable

COUNT = 8
"""Slots in CGRAM, eight rows each. The codes 0 to 7 show them, and 8 to 15 show them again."""

FIRST = 0x10
"""The first code that the ROM draws."""

BLANK = 0x20
"""The code of a cell without a dark dot."""

REPLACEMENT = "?"
"""What a cell shows for a character that has no code, no drawing and no similar letter."""


class Slots:
    """Which drawing each slot of one controller holds.

    A drawing that stays wanted keeps its slot. For another the slot is taken that has been unused longest, and a
    drawing that is still in an unused slot comes back without being sent again.

    codes: those that show the slots, by which these are known: all below COUNT, or in the larger font every other.
    """

    def __init__(self, codes: "Iterable[int]" = range(COUNT)) -> None:
        self._held: list[bytes | None] = [None] * COUNT
        self._unused_longest = list(codes)
        self.in_use: list[int] = []
        """The slots whose drawing is on the panel."""

    def redraw(self, rows: bytes, other: bytes) -> None:
        """Let another drawing have the slot of this one, if there is one and the other has none."""
        if rows in self._held and other not in self._held:
            self._held[self._held.index(rows)] = other

    def give(self, wanted: list[bytes]) -> dict[bytes, int]:
        """The slot of each drawing; at most eight different ones are wanted, and the rest is unused from now on."""
        places = {rows: slot for slot, rows in enumerate(self._held) if rows in wanted}
        free = [slot for slot in self._unused_longest if slot not in places.values()]
        for rows in wanted:
            if rows not in places:
                places[rows] = free.pop(0)
                self._held[places[rows]] = rows
        self.in_use = sorted(places.values())
        self._unused_longest = [slot for slot in self._unused_longest if slot not in self.in_use] + self.in_use
        return places

    def drawings(self) -> list[bytes | None]:
        """What each slot must hold, None for the unused."""
        return [rows if slot in self.in_use else None for slot, rows in enumerate(self._held)]
