"""Which code points make one character of print together. Loaded with the first text that may hold such.

Source: Unicode Standard Annex 29, "Grapheme cluster boundaries", rules GB9, GB9a, GB11, GB12 and GB13. Differs:
an invisible character belongs to the cell before it, and the half-width voice marks of katakana have one of their own.
"""

try:
    from unicodedata import category, normalize
except ImportError:  # MicroPython
    from lumek.core.composing import category, normalize

JOINER = "\u200d"

MOST = 16
"""Code points of a cell: more than any letter with its marks, flag or joined emoji has. More are left out."""


def joined(line: str) -> list[str]:
    """The cells of a line of text without control characters, composed (NFC)."""
    cells: list[str] = []
    before = ""  # invisible characters at the beginning
    for character in normalize("NFC", line if len(line) <= MOST else _thinned(line)):
        if cells and (_extends(character) or _follows(cells[-1], character)):
            if len(cells[-1]) < MOST:
                cells[-1] += character
        elif is_invisible(character):
            before = before + character if len(before) < MOST else before
        else:
            cells.append(before + character)
            before = ""
    return cells


def _thinned(line: str) -> str:
    """The line with a bounded number of marks in a row: the time to sort them grows with their square."""
    kept, marks = [], 0
    for character in line:
        marks = marks + 1 if _extends(character) else 0
        if marks < MOST:
            kept.append(character)
    return "".join(kept)


def is_invisible(character: str) -> bool:
    """Whether a character draws nothing by itself: variation selectors, joiners, marks of direction and the like."""
    return (
        "\ufe00" <= character <= "\ufe0f"
        or "\u200b" <= character <= "\u200f"
        or "\u2060" <= character <= "\u206f"
        or "\u202a" <= character <= "\u202e"
        or character in "\xad\u061c\u180e\ufeff"
        or "\U000e0000" <= character <= "\U000e0fff"
    )


def is_tone(character: str) -> bool:
    """Whether a character gives the emoji before it a colour of skin."""
    return "\U0001f3fb" <= character <= "\U0001f3ff"


def _extends(character: str) -> bool:
    if is_invisible(character):
        return True
    return character >= "\u0300" and (category(character)[0] == "M" or is_tone(character))


def _follows(cell: str, character: str) -> bool:
    """Whether a character that extends nothing belongs to the cell before it all the same: emoji and flags."""
    if cell[-1] == JOINER:
        return _is_pictorial(character) and _is_pictorial(cell[0])
    return _is_indicator(character) and len(cell) == 1 and _is_indicator(cell)


def _is_indicator(character: str) -> bool:
    return "\U0001f1e6" <= character <= "\U0001f1ff"


def _is_pictorial(character: str) -> bool:
    return "\U0001f000" <= character <= "\U0001faff" or "\u2190" <= character <= "\u2bff"
