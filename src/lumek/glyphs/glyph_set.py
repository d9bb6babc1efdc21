"""Several glyphs with their names, the characters that they draw, and the blocks that they make together."""

import re
from collections.abc import Iterator, Mapping, Sequence
from typing import NamedTuple

from lumek._harmless import quoted
from lumek.core.block import Block
from lumek.core.glyph import ROWS, Glyph
from lumek.core.text import bare, cells_of
from lumek.errors import CharacterError, GlyphError

MOST = 4096
"""Glyphs of a set."""

NAME = re.compile(r"[A-Za-z0-9_][A-Za-z0-9_.-]{0,39}")

PLACES = "".join(map(chr, [*range(0x2460, 0x2474), *range(0x3251, 0x3260), *range(0x32B1, 0x32C0)]))
"""① to ㊿: what a glyph draws that has no character, by its place in the set."""


class Entry(NamedTuple):
    """A glyph of a set, with its name and the character that it draws, if that is said."""

    name: str
    glyph: Glyph
    character: str | None = None


class GlyphSet(Mapping[str, Glyph]):
    """Glyphs by name, in an order. It never changes.

    glyphs: {name: glyph}; all of the same size, 5x8 or 5x10 dots. A name is 1 to 40 letters, digits, '_', '-' or '.'.
    characters: {name: character} of those that draw one.
    blocks: {name of a block: rows of names of glyphs}, for pictures of several cells.
    Raises GlyphError for what is not possible.

    >>> from lumek.glyphs import GlyphSet
    >>> hive = GlyphSet({"full": Glyph([31] * 8)}, {"full": "⬢"})
    >>> panel.glyphs.update(hive)
    >>> panel[0, 0:6] = ["Comb ", hive["full"]]
    """

    def __init__(
        self,
        glyphs: Mapping[str, Glyph],
        characters: Mapping[str, str] | None = None,
        blocks: Mapping[str, Sequence[Sequence[str]]] | None = None,
    ) -> None:
        if not isinstance(glyphs, Mapping):
            raise GlyphError(f"a set is made of {{name: Glyph}}, not of {quoted(glyphs)}")
        if len(glyphs) > MOST:
            raise GlyphError(f"a set has at most {MOST} glyphs, not {len(glyphs)}")
        given = dict(characters or {})
        self._entries: dict[str, Entry] = {}
        for name, glyph in glyphs.items():
            _check_name("glyph", name)
            if not isinstance(glyph, Glyph):
                raise GlyphError(f"glyph {name}: a set has glyphs, as Glyph('''...'''), not {quoted(glyph)}")
            self._entries[name] = Entry(name, glyph, _character(name, given.pop(name, None)))
        if given:
            raise GlyphError(f"there is no glyph {quoted(next(iter(given)))} to draw a character")
        if len({len(glyph.rows) for glyph in glyphs.values()}) > 1:
            raise GlyphError("a set has glyphs of 8 rows or of 10 rows, not both")
        drawn: dict[str, str] = {}
        for name, _, character in self._entries.values():
            if character is not None and drawn.setdefault(character, name) != name:
                raise GlyphError(f"glyphs {drawn[character]} and {name} both draw {quoted(character)}")
        self.blocks: dict[str, list[list[str]]] = {}
        for name, rows in (blocks or {}).items():
            self._add_block(name, [list(row) for row in rows])

    def _add_block(self, name: str, rows: list[list[str]]) -> None:
        _check_name("block", name)
        if not rows or not rows[0] or any(len(row) != len(rows[0]) for row in rows):
            raise GlyphError(f"block {name}: its rows have as many names each, and one at least")
        if missing := [one for row in rows for one in row if one not in self._entries]:
            raise GlyphError(f"block {name}: there is no glyph {quoted(missing[0])} in the set")
        if self.rows != ROWS:
            raise GlyphError(f"block {name}: glyphs of a block have {ROWS} rows")
        self.blocks[name] = rows

    def __getitem__(self, name: str) -> Glyph:
        return self._entries[name].glyph

    def __iter__(self) -> Iterator[str]:
        return iter(self._entries)

    def __len__(self) -> int:
        return len(self._entries)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, GlyphSet) and (self.entries, self.blocks) == (other.entries, other.blocks)

    def __repr__(self) -> str:
        names = ", ".join([f"{one.name} {one.character}" if one.character else one.name for one in self.entries[:8]])
        return f"<GlyphSet of {len(self)}: {names}{', ...' if len(self) > 8 else ''}>"

    @property
    def entries(self) -> list[Entry]:
        """Its glyphs with their names and characters, in order."""
        return list(self._entries.values())

    @property
    def rows(self) -> int:
        """Rows of dots of each glyph: 8, or 10 for the larger font."""
        return len(self.entries[0].glyph.rows) if self._entries else ROWS

    @property
    def characters(self) -> dict[str, str]:
        """{name: character} of the glyphs that draw one."""
        return {one.name: one.character for one in self.entries if one.character is not None}

    @property
    def drawings(self) -> dict[str, Glyph]:
        """{character: glyph}, as `panel.glyphs.update` takes it.

        A glyph without a character draws ① to ㊿, by its place in the set.
        """
        own = set(self.characters.values())
        drawn = {}
        for place, (_, glyph, character) in enumerate(self.entries):
            instead = PLACES[place : place + 1]
            if character is not None:
                drawn[character] = glyph
            elif instead and instead not in own:
                drawn[instead] = glyph
        return drawn

    def block(self, name: str) -> Block:
        """A picture of several cells, to be assigned to a place. Raises GlyphError when there is none of that name."""
        if name not in self.blocks:
            raise GlyphError(f"there is no block {quoted(name)}: there are {', '.join(self.blocks) or 'none'}")
        return Block([[self[one] for one in row] for row in self.blocks[name]])

    def drawing(self, characters: str) -> "GlyphSet":
        """The same, with these characters for its first glyphs, in order. Raises GlyphError for too many of them."""
        cells = [bare(cell) for cell in cells_of(characters)]
        if len(cells) > len(self):
            raise GlyphError(f"{len(cells)} characters are too many for {len(self)} glyphs")
        return GlyphSet(self, self.characters | dict(zip(self, cells, strict=False)), self.blocks)

    def only(self, names: Sequence[str]) -> "GlyphSet":
        """The glyphs of these names, in that order, with the blocks that are still whole. Raises GlyphError."""
        if missing := [name for name in names if name not in self]:
            raise GlyphError(f"there is no glyph {quoted(missing[0])} in the set: there are {', '.join(self)}")
        characters = self.characters
        return GlyphSet(
            {name: self[name] for name in names},
            {name: characters[name] for name in names if name in characters},
            {name: rows for name, rows in self.blocks.items() if all(one in names for row in rows for one in row)},
        )


def named(glyphs: Sequence[tuple[str | None, Glyph, str | None]], stem: str = "glyph") -> GlyphSet:
    """A set of glyphs, some of which have no name yet: those get STEM_1, STEM_2, or STEM where there is only one.

    Raises GlyphError for a name that comes twice.
    """
    made: dict[str, Glyph] = {}
    characters: dict[str, str] = {}
    taken = {name for name, _, _ in glyphs if name is not None}
    for number, (name, glyph, character) in enumerate(glyphs, 1):
        if name is None:
            name = stem if len(glyphs) == 1 else f"{stem}_{number}"
            while name in taken or name in made:
                name += "_"
        if name in made:
            raise GlyphError(f"there are two glyphs {quoted(name)}")
        made[name] = glyph
        if character is not None:
            characters[name] = character
    return GlyphSet(made, characters)


def merged(sets: Sequence[GlyphSet]) -> GlyphSet:
    """Several sets as one. A name that comes again gets a number; a character stays with the first that draws it."""
    glyphs: dict[str, Glyph] = {}
    characters: dict[str, str] = {}
    blocks: dict[str, list[list[str]]] = {}
    for one in sets:
        new: dict[str, str] = {}
        for name, glyph, character in one.entries:
            new[name], number = name, 2
            while new[name] in glyphs:
                new[name], number = f"{name[:36]}_{number}", number + 1
            glyphs[new[name]] = glyph
            if character is not None and character not in characters.values():
                characters[new[name]] = character
        blocks |= {name: [[new[part] for part in row] for row in rows] for name, rows in one.blocks.items()}
    return GlyphSet(glyphs, characters, blocks)


def as_name(text: str) -> str:
    """A name that a glyph can have, from any text; "glyph" when nothing of it is left."""
    return re.sub(r"[^A-Za-z0-9_]+", "_", text).strip("_")[:40].strip("_") or "glyph"


def identifier(text: str) -> str:
    """A name that a variable can have, from any text."""
    name = as_name(text)
    return f"_{name}" if name[0].isdigit() else name


def _check_name(what: str, name: str) -> None:
    if not isinstance(name, str) or not NAME.fullmatch(name):
        raise GlyphError(f"the name of a {what} is 1 to 40 letters, digits, '_', '-' or '.', not {quoted(name)}")


def _character(name: str, character: str | None) -> str | None:
    if character is None:
        return None
    try:
        cells = cells_of(character) if isinstance(character, str) else []
    except CharacterError as problem:
        raise GlyphError(f"glyph {name}: {problem}") from None
    if len(cells) != 1 or cells[0] == " ":
        raise GlyphError(f"glyph {name} draws one character, such as '🐝', not {quoted(character)}")
    return bare(cells[0])
