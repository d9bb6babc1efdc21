"""Character ROMs: which code draws which character, and the nearest one for a character that a ROM lacks.

A ROM is a table of data; `rom_a00` and `rom_a02` are the two of the data sheet.
"""

from lumek.errors import SettingError

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

REPLACEMENT = "?"
"""What stands where a ROM has neither a character nor a letter near it; a blank where it lacks this, too."""

BLANK = 0x20
"""The code of a cell without a dark dot, in every ROM."""


class Rom:
    """One character ROM.

    name: what the maker calls it.
    runs: {first code: characters from there on}, as one string or a sequence of strings; a code that no run names is
        unknown. Of two codes for a character the lower is written.
    twins: further characters, in the same form, that look the same as the ones in `runs`.
    """

    def __init__(
        self, name: str, runs: "Mapping[int, Sequence[str]]", twins: "Mapping[int, Sequence[str]] | None" = None
    ) -> None:
        self.name = name
        # Runs are searched and results kept: tables of all characters would fill a microcontroller's memory.
        self._runs = sorted(runs.items())
        self._twins = sorted((twins or {}).items())
        self._found: dict[str, tuple[int, str]] = {}

    def __repr__(self) -> str:
        return f"<ROM {self.name}>"

    def character(self, code: int) -> str | None:
        """The character that a code draws, or None where the table does not know."""
        for first, run in self._runs:
            if first <= code < first + len(run):
                return run[code - first]
        return None

    def code(self, character: str) -> int | None:
        """The code that draws exactly this character, or None when the ROM lacks it."""
        code, shown = self.find(character)
        return code if shown == character else None

    def find(self, character: str) -> tuple[int, str]:
        """The code to write for a character, and the character that it stands for on the panel.

        The second differs from the first only when the ROM lacks the character: it is then the nearest
        plain letter (Unicode decomposition without its marks, or a look-alike), else REPLACEMENT.
        """
        found = self._found.get(character)
        if found is None:
            found = self._found[character] = self._search(character)
        return found

    def _search(self, character: str) -> tuple[int, str]:
        code = self._drawn(character)
        if code is not None:
            return code, character
        from lumek.core.letters import SAME_SHAPE, nearest_letters  # large, and not needed by most programs

        same = SAME_SHAPE.get(character)
        for letter in nearest_letters(character):
            code = self._drawn(letter)
            if code is not None:
                return code, character if letter == same else letter
        code = self._drawn(REPLACEMENT)
        return (BLANK, " ") if code is None else (code, REPLACEMENT)

    def _drawn(self, character: str) -> int | None:
        """The code of a character that stands in the tables."""
        for first, run in self._runs + self._twins:
            if character in run and (len(character) == 1 or not isinstance(run, str)):
                return first + run.index(character)
        return None


def rom_named(name: "str | Rom") -> Rom:
    """The ROM of that name. Raises SettingError, which lists the names there are."""
    if isinstance(name, Rom):
        return name
    if name == "A00":
        from lumek.core.rom_a00 import A00

        return A00
    if name == "A02":
        from lumek.core.rom_a02 import A02

        return A02
    raise SettingError(f"there is no ROM {name!r}: ROMs are A00 (Japanese) and A02 (European)")
