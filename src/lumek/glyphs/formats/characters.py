"""Characters written as code points, "U+1F41D", where text of any language cannot be."""

import re

CODES = r"U\+[0-9A-Fa-f]{4,6}(?:\+[0-9A-Fa-f]{4,6})*"
"""A character of one or more code points: U+0065+0301."""

NOTE = re.compile(rf"\s*([A-Za-z0-9_.-]{{1,40}})(?:\s+({CODES}))?\s*")
"""What a comment beside a glyph says of it: its name, and the character that it draws."""


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
