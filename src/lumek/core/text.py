"""Text cut into cells: what a reader sees as one character fills one cell, however many code points it takes."""

from lumek._harmless import quoted
from lumek.errors import CharacterError

TYPE_CHECKING = False
if TYPE_CHECKING:
    from typing import Any

SIDES = "left", "centre", "right"

LINE_BREAKS = "\r\u2028\u2029"
"""Line breaks besides the usual one."""

FIRST_MARK = "\u0300"
"""Below it no character joins another."""

LONGEST = 4000
"""Code points of a text that are laid out, of which the largest panel shows 160 cells. What comes after is left out."""


def lines_of(text: str) -> list[list[str]]:
    """The cells of a text, line by line. Composed characters are written as such (Unicode's NFC).

    A combining sequence, an emoji with its variation selector, skin tone or joined emoji, and a flag are one cell;
    invisible characters belong to the cell before them, and show nothing where there is none. A cell has at most 16
    code points, and a text 4000: what is beyond is left out. Raises CharacterError for a control character other than
    a line break.
    """
    if len(text) == 1 and " " <= text < "\x7f":  # the usual cases, quickly
        return [[text]]
    if text and len(text) <= LONGEST and min(text) >= " " and max(text) < "\x7f":
        return [list(text)]
    text = text[:LONGEST].replace("\r\n", "\n")
    for character in LINE_BREAKS:
        if character in text:
            text = text.replace(character, "\n")
    return [_cells(line) for line in text.split("\n")]


def cells_of(text: str) -> list[str]:
    """The cells of one line of text. Raises CharacterError for a control character, line breaks included."""
    for character in "\n" + LINE_BREAKS:
        if character in text:
            _check(character, text)
    return _cells(text)


def bare(cell: str) -> str:
    """A cell's characters without those that change no drawing: variation selectors, skin tones, invisible ones."""
    if len(cell) == 1:
        return cell
    from lumek.core.clusters import is_invisible, is_tone

    return "".join([one for one in cell if not is_invisible(one) and not is_tone(one)]) or cell


def aligned(line: "list[Any]", columns: int, side: str) -> "list[Any]":
    """A line with blanks around it, so that it fills its row."""
    left = {"left": 0, "centre": (columns - len(line)) // 2, "right": columns - len(line)}[side]
    return [" "] * left + line + [" "] * (columns - len(line) - left)


def _cells(line: str) -> list[str]:
    if not line or (min(line) >= " " and max(line) < "\x7f"):
        return list(line)
    for character in line:
        if character < " " or "\x7f" <= character < "\xa0":
            _check(character, line)
    if max(line) < FIRST_MARK and "\xad" not in line:
        return list(line)
    from lumek.core.clusters import joined  # large, and not needed by most programs

    return joined(line)


def _check(character: str, line: str) -> None:
    what = "a line break" if character in "\n" + LINE_BREAKS else "a control character"
    raise CharacterError(
        f"{what} (U+{ord(character):04X}) cannot be shown in a cell: character {line.index(character)} of "
        f"{quoted(line)}"
    )
