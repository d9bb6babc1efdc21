"""What readers find: glyphs with names and characters, and the comments that have these, as "bee U+1F41D"."""

import re
from collections.abc import Mapping, Sequence

from lumek.core.glyph import Glyph
from lumek.errors import GlyphError
from lumek.glyphs.glyph_set import GlyphSet, named

Parsed = tuple[str | None, Glyph, str | None]
"""A glyph with its name and character, as far as they are there."""

CODES = r"U\+[0-9A-Fa-f]{4,6}(?:\+[0-9A-Fa-f]{4,6})*"
"""A character of one or more code points: U+0065+0301."""

NOTE = re.compile(rf"\s*([A-Za-z0-9_.-]{{1,40}})(?:\s+({CODES}))?\s*")
"""What a comment beside a glyph says of it: its name, and the character that it draws."""


def collected(
    found: Sequence[Parsed], source: str, wanted: str, blocks: Mapping[str, Sequence[Sequence[str]]] | None = None
) -> GlyphSet:
    """The set of what was found. Raises GlyphError, also for nothing; `wanted` says what there should be."""
    if not found:
        raise GlyphError(f"{source} has no {wanted}")
    try:
        some = named(found)
        return GlyphSet(some, some.characters, blocks)
    except GlyphError as problem:
        raise GlyphError(f"{source}: {problem}") from None


def code_points(character: str) -> str:
    """A character as its code points: U+1F41D, or U+0065+0301 for several."""
    return "U+" + "+".join([f"{ord(one):04X}" for one in character])


def from_code_points(text: str) -> str:
    """The inverse of `code_points`. Raises ValueError for what is not a code point."""
    return "".join([chr(int(part, 16)) for part in text[2:].split("+")])


def note(name: str, character: str | None) -> str:
    """The comment beside a glyph."""
    return name if character is None else f"{name} {code_points(character)}"


def noted(comment: str) -> tuple[str, str | None] | None:
    """Name and character of such a comment; None for any other."""
    found = NOTE.fullmatch(comment)
    if not found:
        return None
    try:
        return found[1], None if found[2] is None else from_code_points(found[2])
    except (ValueError, OverflowError):
        return None
