"""Text that scrolls up through a panel, as in a terminal."""

from lumek.core.text import cells_of
from lumek.messages.plain import CONTROLS, SEQUENCES

TAB = 4
"""Columns from one tab stop to the next: a panel has few."""

LONGEST_SEQUENCE = 200
"""Characters of an escape sequence whose end has not come yet; what is longer is none."""

SIGNS = "\n\r\b\t\f"


class Scroll:
    """Rows that lines are added to at the bottom.

    A line feed begins a new line, once something follows: so the last line is at the bottom of the panel, and no row is
    lost. A carriage return goes back to the beginning of the line, a backspace by one cell, a tab to the next fourth
    column, and a form feed clears. Escape sequences and other control characters are left out.

    rows, columns: of the panel.
    """

    def __init__(self, rows: int, columns: int) -> None:
        self._most, self._columns = rows, columns
        self._lines: list[list[str]] = [[]]
        self._at = 0
        self._breaks = False
        self._begun = ""

    def feed(self, text: str) -> None:
        """Take in more text, which may begin and end anywhere."""
        text = self._begun + text
        self._begun = ""
        start = text.rfind("\x1b")
        if start >= 0 and len(text) - start < LONGEST_SEQUENCE:
            found = SEQUENCES.match(text, start)
            if found is not None and found.end() == len(text) and not _is_whole(text[start:]):
                text, self._begun = text[:start], text[start:]
        text = SEQUENCES.sub("", text.replace("\r\n", "\n"))
        for sign in SIGNS:
            text = text.replace(sign, f"\0{sign}\0")
        for part in text.split("\0"):
            if part and part in SIGNS:
                self._obey(part)
            elif part := CONTROLS.sub("", part):
                for cell in cells_of(part):
                    self._put(cell)

    def _obey(self, sign: str) -> None:
        if sign == "\f":
            self._lines, self._at, self._breaks = [[]], 0, False
        elif sign == "\n":
            if self._breaks:
                self._break()
            self._breaks = True
        elif sign == "\r":
            self._at = 0
        elif sign == "\b":
            self._at = max(0, min(self._at, self._columns - 1) - 1)
        else:
            for _ in range(TAB - self._at % TAB):
                self._put(" ")

    def _put(self, cell: str) -> None:
        if self._breaks or self._at >= self._columns:
            self._break()
        line = self._lines[-1]
        line[self._at : self._at + 1] = [cell]
        self._at += 1

    def _break(self) -> None:
        self._lines = [*self._lines, []][-self._most :]
        self._at, self._breaks = 0, False

    @property
    def text(self) -> str:
        """What is seen, a line for each row."""
        return "\n".join(map("".join, self._lines))


def _is_whole(sequence: str) -> bool:
    """Whether an escape sequence at the end of a text has its own end."""
    if sequence[1:2] in ("", "P", "X", "^", "_", "]"):
        return sequence.endswith(("\x07", "\x1b\\"))
    return "\x30" <= sequence[-1] <= "\x7e" if sequence[1] != "[" else len(sequence) > 2 and sequence[-1] >= "@"
