"""Text from outside (a broker, a file, a web page, a sensor) on its way to a terminal, a log or an error.

This is the one place through which it goes. A terminal obeys control characters, and marks of direction let a line read
otherwise than it is; so controls are written as escapes, marks of direction are left out, and the length is bounded.
Every `LumekError` and every notice goes through here by itself. Source of the marks: Unicode Standard Annex 9, table 2.
"""

TYPE_CHECKING = False
if TYPE_CHECKING:
    from typing import Any

LONGEST = 2000
"""Characters of an error or a notice."""

LONGEST_LINE = 200
"""Characters of what is shown of a message, a name or a cause in a line."""

DIRECTIONS = "\u061c\u200e\u200f\u202a\u202b\u202c\u202d\u202e\u2066\u2067\u2068\u2069"

ESCAPES = {"\n": "\\n", "\r": "\\r", "\t": "\\t"}


def harmless(text: str, longest: int = LONGEST) -> str:
    """The text on one line, for people: at most `longest` characters, then escapes for what a terminal would obey."""
    if len(text) > longest:
        text = text[: longest - 3] + "..."
    if not text or (min(text) >= " " and max(text) < "\x7f"):
        return text
    return "".join([_written(character) for character in text])


def quoted(value: "Any", longest: int = 60) -> str:
    """A value as Python writes it, for an error: at most `longest` characters, for any value."""
    if isinstance(value, (str, bytes, bytearray)) and len(value) > longest:
        value = value[:longest]
    try:
        text = repr(value)
    except Exception:  # a number of thousands of digits, lists within themselves, a class of somebody's own
        text = f"<{type(value).__name__}>"
    return harmless(text, longest)


def _written(character: str) -> str:
    code = ord(character)
    if character in DIRECTIONS:
        return ""
    if code < 0x20 or 0x7F <= code < 0xA0:
        return ESCAPES.get(character, f"\\x{code:02x}")
    if 0x2028 <= code <= 0x2029 or 0xD800 <= code < 0xE000:
        return f"\\u{code:04x}"
    return character
