"""The drawings of a panel's characters: those that a program gives, and those that Lumek brings."""

from lumek._harmless import quoted
from lumek.core.glyph import Glyph
from lumek.core.text import bare, cells_of
from lumek.core.values import is_whole
from lumek.errors import CharacterError, GlyphError, NoGlyphError, SettingError

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterator, Mapping
    from typing import Any

    from lumek.core.cells import Cells
    from lumek.glyphs.glyph_set import GlyphSet
    from lumek.panel import Panel
    from lumek.protocols import Content


class Glyphs:
    """The glyphs of a panel, by character: `panel.glyphs["🐝"] = Glyph(...)` makes one the drawing of that character.

    From then on every cell with the character shows it instead of what the ROM or Lumek has for it. Another one changes
    all these cells at once, and `del panel.glyphs["🐝"]` gives the character its own
    drawing back. Iterating and `len` concern the glyphs that were given.
    """

    def __init__(self, panel: "Panel", cells: "Cells") -> None:
        self._panel = panel
        self._cells = cells

    def __setitem__(self, character: str, glyph: Glyph) -> None:
        """Give a character a drawing.

        Raises GlyphError for anything but a glyph, CharacterError for anything but one character.
        """
        if not isinstance(glyph, Glyph):
            raise GlyphError(f"the drawing of a character is a Glyph, such as Glyph('''...'''), not {quoted(glyph)}")
        panel = self._panel
        with panel._lock:
            panel._check_open()
            self._cells.fitting(glyph)
            self._cells.draw(_one(character), glyph)
            panel._flush()

    def update(self, glyphs: "Mapping[str, Glyph] | GlyphSet") -> None:
        """Give several characters their drawings at once.

        glyphs: {character: glyph}, or a set of glyphs (see `lumek.glyphs`).
        Raises GlyphError and CharacterError as for a single one.
        """
        drawings: Any = getattr(glyphs, "drawings", glyphs)
        if not hasattr(drawings, "items"):
            raise GlyphError(f"several glyphs are a set, or a dict of character and Glyph, not {quoted(glyphs)}")
        with self._panel.together():
            for character, glyph in drawings.items():
                self[character] = glyph

    def __delitem__(self, character: str) -> None:
        """Take back the drawing that was given to a character. Raises NoGlyphError when none was."""
        with self._panel.together():
            if _one(character) not in self._cells.glyphs:
                raise NoGlyphError(f"no glyph was given to {quoted(character)}: there are {self._names()}")
            self._cells.draw(_one(character), None)

    def __getitem__(self, character: str) -> Glyph:
        """The drawing that a character would get, were it not in the ROM. Raises NoGlyphError when there is none."""
        given = self._cells.glyphs.get(_one(character))
        if given is not None:
            return given
        from lumek.core.bundled import drawing_of

        rows = drawing_of(_one(character))
        if rows is None:
            raise NoGlyphError(
                f"there is no drawing of {quoted(character)}: panel.glyphs[{quoted(character)}] = Glyph(...) adds one"
            )
        return Glyph(rows)

    def __contains__(self, character: object) -> bool:
        try:
            return _one(character) in self._cells.glyphs
        except CharacterError:
            return False

    def __iter__(self) -> "Iterator[str]":
        return iter(list(self._cells.glyphs))

    def __len__(self) -> int:
        return len(self._cells.glyphs)

    def __repr__(self) -> str:
        return f"<Glyphs of the program: {self._names()}>"

    def prefer(self, character: str, level: int = 1) -> None:
        """State who gets a slot when more than eight drawings are to be shown: the highest level first.

        level: 0 is usual; a negative one gives way to all others. At the same level, what is shown keeps its slot.
        Raises SettingError for anything but a whole number.
        """
        if not is_whole(level):
            raise SettingError(
                f"a level of preference is a whole number, not {quoted(level)}: 0 is usual, 1 comes before it"
            )
        with self._panel.together():
            self._cells.rank(_one(character), -int(level))

    def rows_of(self, content: "Content") -> bytes | None:
        """The drawing, 8 rows, that takes a slot while a content is shown; None when none does."""
        return self._cells.rows_of(content)

    def _names(self) -> str:
        return ", ".join(sorted(self._cells.glyphs)) or "none"


def _one(character: object) -> str:
    """The one character that a glyph is for."""
    cells = cells_of(character) if isinstance(character, str) else []
    if len(cells) != 1:
        raise CharacterError(f"a glyph is the drawing of one character, such as '🐝', not of {quoted(character)}")
    return bare(cells[0])
