"""The drawings that Lumek brings: 8 rows of 5 dots for characters that a ROM may lack.

They are packed; see `glyph`.
"""

from lumek.core.glyph import PACKED, unpacked
from lumek.core.similar import same_shape

MOST_MARKS = 3

# What a mark adds to a letter: the two rows above a small one, and the last row.
_MARKS = {
    "\u0300": (8, 4, 0), "\u0301": (2, 4, 0), "\u0302": (4, 10, 0), "\u0303": (13, 18, 0), "\u0304": (14, 0, 0),
    "\u0306": (17, 14, 0), "\u0307": (4, 0, 0), "\u0308": (10, 0, 0), "\u030a": (14, 10, 0), "\u030b": (5, 10, 0),
    "\u030c": (10, 4, 0), "\u0323": (0, 0, 4), "\u0326": (0, 0, 8), "\u0327": (0, 0, 12), "\u0328": (0, 0, 3),
    "\u0331": (0, 0, 14),
}  # fmt: skip


def drawing_of(character: str) -> bytes | None:
    """The eight rows of a character's drawing, as CGRAM takes them, or None when there is none.

    A letter whose drawing leaves the rows of its marks free is drawn with them.
    """
    if len(character) > MOST_MARKS + 1:
        return None  # three rows leave no room for more
    if len(character) > 1:
        return _marked(character[:-1], character[-1])
    packed = _packed(character)
    if packed is None:
        shape = same_shape(character)
        packed = _packed(shape) if shape else None
    return _composed(character) if packed is None else unpacked(packed)


def characters_drawn() -> str:
    """The characters that have a drawing of their own, in the order of their code points."""
    from lumek.core.tables.drawings import DRAWINGS

    return "".join([characters for characters, _ in DRAWINGS])


def _packed(character: str) -> bytes | None:
    """A drawing as it is in the table, or None."""
    from lumek.core.tables.drawings import DRAWINGS  # large

    for characters, dots in DRAWINGS:
        at = characters.find(character)
        if at >= 0:
            return dots[PACKED * at : PACKED * at + PACKED]
    return None


def _composed(character: str) -> bytes | None:
    """The drawing of a letter that is made of another and a mark."""
    from lumek.core.tables.compositions import PAIRS  # large, and not needed by most programs

    for mark, (letters, made) in PAIRS.items():
        at = made.find(character)
        if at >= 0:
            return _marked(letters[at], mark)
    return None


def _marked(letter: str, mark: str) -> bytes | None:
    """The drawing of a letter with a mark."""
    adds = _MARKS.get(mark)
    rows = drawing_of(letter) if adds else None
    if not adds or not rows or not letter.isalpha():
        return None
    marked = bytearray(rows)
    for row, dots in zip((0, 1, 7), adds):  # noqa: B905  MicroPython's zip has no strict
        if dots and marked[row]:
            return None
        marked[row] |= dots
    return bytes(marked)
