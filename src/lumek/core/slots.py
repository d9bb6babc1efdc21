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


PATIENCE = 64
"""Changes of drawings after which a slot that nobody used is taken for another, before one that was in use just now."""


class Slots:
    """Which drawing each slot of one controller holds.

    A drawing that stays wanted keeps its slot, and one that is still in an unused slot comes back without being sent
    again. Another takes a slot that never held one. When there is none left it is drawn in place, over the drawing that
    its cells show, if nobody wants that any more: just the rows that differ are sent then, and no cell. A glyph of
    eight pictures therefore keeps all of them, and a trend, whose drawings do not come back, does not drive them out.
    What was not used for long, and what is in use nowhere, goes first.

    codes: those that show the slots, by which these are known: all below COUNT, or in the larger font every other.
    """

    def __init__(self, codes: "Iterable[int]" = range(COUNT)) -> None:
        self._held: list[bytes | None] = [None] * COUNT
        self._codes = list(codes)
        self._used = [0] * COUNT
        self._now = 0
        self.in_use: list[int] = []
        """The slots whose drawing is on the panel."""

    def redraw(self, rows: bytes, other: bytes) -> None:
        """Let another drawing have the slot of this one, if there is one and the other has none."""
        if rows in self._held and other not in self._held:
            self._held[self._held.index(rows)] = other

    def give(self, wanted: "list[tuple[bytes, int]]") -> dict[bytes, int]:
        """The slot of each drawing; the rest is unused from now on.

        wanted: at most as many different drawings as there are slots, each with the slot that its cells show now, or a
            number below 0.
        """
        places: dict[bytes, int] = {}
        new = []
        for rows, before in wanted:
            if rows in self._held:
                places[rows] = self._held.index(rows)
            else:
                new.append((rows, before))
        if new:
            self._now += 1
            taken = list(places.values())
            self._place(new, [slot for slot in self._codes if slot not in taken], places)
        self.in_use = sorted(places.values())
        for slot in self.in_use:
            self._used[slot] = self._now
        return places

    def _place(self, new: "list[tuple[bytes, int]]", free: list[int], places: dict[bytes, int]) -> None:
        """Give new drawings some of these slots."""
        held, used, now = self._held, self._used, self._now
        spare = [slot for slot in free if held[slot] is None or now - used[slot] > PATIENCE]
        rest: list[bytes] = []
        for rows, before in new:
            if len(spare) <= len(rest) and before in free:
                free.remove(before)
                places[rows] = before
            else:
                rest.append(rows)
        if rest:
            free.sort(key=lambda slot: (slot not in spare, used[slot], slot))  # MicroPython does not sort stably
            for rows, slot in zip(rest, sorted(free[: len(rest)])):  # noqa: B905  MicroPython
                places[rows] = slot
        for rows, _ in new:
            held[places[rows]] = rows

    def drawings(self) -> list[bytes | None]:
        """What each slot must hold, None for the unused."""
        return [rows if slot in self.in_use else None for slot, rows in enumerate(self._held)]
