"""How many slots fields may need at once, in the worst case.

Each field may show a number of its drawings at a time (see `Field.groups`), and those that two fields share take one
slot. The worst case is therefore a choice of drawings, each for one field that may show it: a maximum matching.
"""

from collections.abc import Callable, Hashable, Sequence

from lumek.core.glyph import Glyph
from lumek.fields.field import Field

Drawer = Callable[[str | Glyph], bytes | None]
"""Tells the drawing that a content takes a slot for, or None when the ROM has it."""


def demand(field: Field, rows: int, columns: int, drawn: Drawer) -> tuple[set[Hashable], int]:
    """The drawings that a field may show in a place, and how many of them at once."""
    pool: set[Hashable] = set()
    most = 0
    for alternative in field.groups(rows, columns):
        at_once = 0
        for contents, count in alternative:
            if contents is None:
                pool |= {(id(field), number) for number in range(count)}
                at_once += count
            else:
                needed = {drawing for content in contents if (drawing := drawn(content)) is not None}
                pool |= needed
                at_once += min(count, len(needed))
        most = max(most, at_once)
    return pool, min(most, len(pool))


def worst(demands: Sequence[tuple[set[Hashable], int]]) -> int:
    """The most different drawings that can be on the glass at once."""
    taker: dict[Hashable, int] = {}

    def takes(number: int, tried: set[Hashable]) -> bool:
        """Whether a field can show one drawing more, others changing theirs."""
        for drawing in demands[number][0] - tried:
            tried.add(drawing)
            if drawing not in taker or takes(taker[drawing], tried):
                taker[drawing] = number
                return True
        return False

    return sum(takes(number, set()) for number, (_, most) in enumerate(demands) for _ in range(most))
