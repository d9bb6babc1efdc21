"""Write src/lumek/core/tables/decompositions.py from Python's own Unicode tables.

Run it in a checkout: python tools/make_decompositions.py
"""

import unicodedata
from pathlib import Path

OUT = Path(__file__).parent.parent / "src/lumek/core/tables/decompositions.py"
SCRIPTS = "GREEK", "CYRILLIC", "KATAKANA", "HIRAGANA"
LONGEST_GAP = 3
SOLIDUS = "\N{COMBINING LONG SOLIDUS OVERLAY}"


def plain(character: str) -> str:
    """The one character that is left of another without its marks, or nothing."""
    if unicodedata.category(character) == "Zs":
        return " " if character != " " == unicodedata.normalize("NFKD", character) else ""
    parts = unicodedata.normalize("NFKD", character)
    letters = [c for c in parts if not unicodedata.combining(c)]
    if SOLIDUS in parts and not any(letter.isalpha() for letter in letters):
        return ""  # a sign that is struck through means the opposite
    if len(letters) != 1 or letters[0] in (character, " "):
        return ""
    letter = letters[0]
    kept = letter.isascii() or letter in "→←↑↓≤≥βÆØæøΣΠ" or unicodedata.name(letter, "").startswith(SCRIPTS)
    return letter if kept else ""


def runs() -> list[tuple[int, str]]:
    """(first code, letters from there on), with NUL for a code in a gap."""
    found: list[tuple[int, str]] = []
    for code in range(0x80, 0x20000):
        letter = "" if 0xD800 <= code < 0xE000 else plain(chr(code))
        if not letter:
            continue
        if found and code - found[-1][0] - len(found[-1][1]) <= LONGEST_GAP:
            first, letters = found[-1]
            found[-1] = first, letters.ljust(code - first, "\0") + letter
        else:
            found.append((code, letter))
    return found


def literal(letters: str) -> str:
    """A double-quoted string."""
    return '"' + letters.replace("\\", "\\\\").replace('"', '\\"').replace("\0", "\\x00") + '"'


lines = "".join(f"    (0x{first:04X}, {literal(letters)}),\n" for first, letters in runs())
OUT.write_text(
    f'''"""Letters without their marks, from Unicode {unicodedata.unidata_version}.

Made by tools/make_decompositions.py; do not edit.
"""

# (first code, what is left of each character from there on), NUL where nothing is.
RUNS = (
{lines})
''',
    encoding="utf-8",
)
