"""Character ROMs: which code draws which character, and the nearest one for a character that a ROM lacks.

A ROM is a table of data; `a00` and `a02` are the two of the data sheet.
"""

from lumek.core.glyph import packed
from lumek.core.slots import BLANK, REPLACEMENT
from lumek.core.slots import FIRST as FIRST  # the twin knows ROMs, and nothing of the core

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Mapping, Sequence
    from typing import Any

    Runs = Mapping[int, Sequence[str]]
    Characters = tuple[Runs, Runs]

FULL_BLOCK = b"\x1f" * 8
BLANK_ROWS = b"\0" * 8

OVERLAYS = "\u0334\u0335\u0336\u0337\u0338\u20d2\u20d3\u20e5\u20e6\u20eb"
"""Marks that strike through: a sign means something else with one of them, often the opposite."""

MOST_FOUND = 256
"""Results that are remembered."""


class Rom:
    """One character ROM.

    name: what the maker calls it.
    runs: {first code: characters from there on}, as one string or a sequence of strings; a code that no run names is
        unknown. Of two codes for a character the lower is written. Or a function that gives `runs` and `twins`.
    twins: further characters, in the same form, that look the same as the ones in `runs`.
    like: the ROM that has all codes that `runs` does not name.
    dots: a function that gives the dots of the codes from FIRST on, packed (see `glyph`), where they are known.
    lacks: the characters of ASCII that it lacks, where all others have the code of ASCII; None where that is not so.
    full: the code of the full block, so that its tables need not be searched for that; None where it is in them, or not
        there.
    """

    def __init__(
        self,
        name: str,
        runs: "Runs | Callable[[], Characters]",
        twins: "Runs | None" = None,
        dots: "Callable[[], bytes] | None" = None,
        like: "Rom | None" = None,
        lacks: "str | None" = None,
        full: "int | None" = None,
    ) -> None:
        self.name = name
        self._like = like
        self.dots = dots
        self._lacks = lacks
        self._full = full
        self._source = runs, twins or {}
        self._tables: list[list[tuple[int, Sequence[str]]]] = []
        self._found: dict[str, tuple[int, str]] = {}

    def __repr__(self) -> str:
        return f"<ROM {self.name}>"

    def character(self, code: int) -> str | None:
        """The character that a code draws, or None where the table does not know."""
        for first, run in self._runs_and_twins()[0]:
            if first <= code < first + len(run):
                return run[code - first]
        return self._like.character(code) if self._like else None

    def characters(self, code: int) -> list[str]:
        """All characters that are written with a code: the one that it draws, and those that look the same."""
        runs, twins = self._runs_and_twins()
        own = [run[code - first] for first, run in runs + twins if first <= code < first + len(run)]
        return own or (self._like.characters(code) if self._like else [])

    def code(self, character: str) -> int | None:
        """The code that draws exactly this character, or None when the ROM lacks it."""
        if self._lacks is not None and " " <= character <= "~" and len(character) == 1 and character not in self._lacks:
            return ord(character)
        code = self._drawn(character)
        if code is None:
            from lumek.core.similar import same_shape  # needed only by programs that go beyond their ROM

            if same_shape(character):
                return self._drawn(same_shape(character))
        return code

    def find(self, character: str) -> tuple[int, str]:
        """The code to write for a character, and the character that it draws.

        The second differs from the first only when the ROM lacks the character: it is then the nearest
        plain letter (Unicode decomposition without its marks, or a look-alike), else REPLACEMENT.
        """
        found = self._found.get(character)
        if found is None:
            if len(self._found) >= MOST_FOUND:
                self._found.clear()
            found = self._found[character] = self._search(character)
        return found

    def matching(self, rows: bytes) -> int | None:
        """The code of the ROM that draws exactly these eight rows, if it is known that one does.

        A blank and a full block are known of every ROM, other drawings only where its dots are.
        """
        if not any(rows):
            return BLANK
        if rows == FULL_BLOCK:
            return self._drawn("█") if self._full is None else self._full
        if self.dots is None:
            return None
        dots, wanted = self.dots(), packed(rows)
        at = dots.find(wanted)
        while at % len(wanted) and at > 0:
            at = dots.find(wanted, at + 1)
        return None if at < 0 else FIRST + at // len(wanted)

    def drawings(self) -> bytes:
        """The dots of the codes from FIRST on, packed (see `glyph`): its own or, where they are not known, Lumek's."""
        if self.dots is not None:
            return self.dots()
        from lumek.core.bundled import drawing_of

        rows = [drawing_of(self.character(code) or " ") for code in range(FIRST, 0x100)]
        return b"".join([packed(drawing or BLANK_ROWS) for drawing in rows])

    def _search(self, character: str) -> tuple[int, str]:
        code = self.code(character)
        if code is not None:
            return code, character
        # A letter with its marks, an emoji with others: the first says the most.
        if len(character) > 1 and (character[0].isalpha() or not any(mark in character for mark in OVERLAYS)):
            return self.find(character[0])
        from lumek.core.similar import nearest_letters

        for letter in nearest_letters(character) if len(character) == 1 else ():
            code = self._drawn(letter)
            if code is not None:
                return code, letter
        code = self._drawn(REPLACEMENT)
        return (BLANK, " ") if code is None else (code, REPLACEMENT)

    def _drawn(self, character: str) -> int | None:
        """The code of a character in the tables."""
        runs, twins = self._runs_and_twins()
        for first, run in runs + twins:
            if character in run and (len(character) == 1 or not isinstance(run, str)):
                return first + run.index(character)
        code = self._like._drawn(character) if self._like else None
        if code is not None and character in self.characters(code):
            return code
        return BLANK if character == " " else None

    def _runs_and_twins(self) -> "list[list[tuple[int, Sequence[str]]]]":
        # They are searched and results kept: tables of all characters would fill a microcontroller's memory.
        if not self._tables:
            given, twins = self._source
            runs: Any = given
            if not hasattr(runs, "items"):
                runs, twins = runs()
            self._tables = [sorted(runs.items()), sorted(twins.items())]
        return self._tables
