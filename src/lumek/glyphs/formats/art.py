"""Text art: a heading with name and character, then the rows.

    bee 🐝:
    .....
    .#.#.
    ...

    logo = logo_1 logo_2 / logo_3 logo_4      (a block)

Lines that begin with a semicolon are comments. Rows may have blanks between dots, and several glyphs side by side;
lit dots may also be written 1, X, █, ■ or ●, and unlit ones 0, -, _, ·, □ or ○.
"""

import re

from lumek._harmless import quoted
from lumek.core.glyph import COLUMNS, LARGE_ROWS, ROWS, Glyph
from lumek.errors import GlyphError
from lumek.glyphs.formats import Options, decoded
from lumek.glyphs.formats.entries import CODES, Parsed, collected, from_code_points
from lumek.glyphs.glyph_set import GlyphSet

DOTS = str.maketrans("1Xx█■●0-_·□○", "######......")
HEADING = re.compile(r"([A-Za-z0-9_][A-Za-z0-9_.-]{0,39})(?:\s+(\S.*?))?\s*:")
BLOCK = re.compile(r"([A-Za-z0-9_][A-Za-z0-9_.-]{0,39})\s*=\s*(.+)")


def read(data: bytes, source: str, format: str) -> GlyphSet:
    """The glyphs of text art. Raises GlyphError, which names the line."""
    found: list[Parsed] = []
    blocks: dict[str, list[list[str]]] = {}
    heading: tuple[str, str | None] | None = None
    rows: list[tuple[int, list[str]]] = []
    for number, line in enumerate([*decoded(data, source).split("\n"), ""], 1):
        line = line.strip().strip("\"',")
        where = f"{source}: line {number}"
        titled = HEADING.fullmatch(line)
        block = BLOCK.fullmatch(line)
        if line.startswith(";"):
            continue
        if rows and (titled or block or not line):
            found += _glyphs(rows, heading, source)
            rows, heading = [], None
        if titled:
            heading = _heading(titled[1], titled[2], where)
        elif block:
            blocks[block[1]] = [row.split() for row in block[2].split("/")]
        elif line:
            rows.append((number, dots_of_line(line, where)))
    wanted = f"glyph: write {ROWS} lines of {COLUMNS} dots, '#' lit and '.' unlit"
    return collected(found, source, wanted, blocks)


def write(glyphs: GlyphSet, options: Options, format: str) -> bytes:
    """Text art of a set."""
    parts = [
        f"{name}{'' if character is None else f' {character}'}:\n{glyph.art}\n"
        for name, glyph, character in glyphs.entries
    ]
    blocks = [f"{name} = {' / '.join([' '.join(row) for row in rows])}\n" for name, rows in glyphs.blocks.items()]
    return "\n".join([*parts, *(["".join(blocks)] if blocks else [])]).encode()


def is_art(text: str) -> bool:
    """Whether text has rows of dots, and is not a list of numbers."""
    lines = [line.strip() for line in text.split("\n")]
    rows = [line for line in lines if line and not line.startswith(";") and not HEADING.fullmatch(line)]
    return bool(rows) and any(re.fullmatch(r"[#.\s]+", line) or re.search("[█■●·□○]", line) for line in rows)


def dots_of_line(line: str, where: str) -> list[str]:
    """The rows of glyphs side by side in a line, as '#' and '.'. Raises GlyphError."""
    words = line.translate(DOTS).split()
    if all(len(word) == 1 for word in words):
        words = ["".join(words)]
    if any(len(word) != COLUMNS or word.strip("#.") for word in words):
        raise GlyphError(
            f"{where} is {quoted(line)}: write {COLUMNS} dots, '#' lit and '.' unlit, or a heading such as 'bee 🐝:'"
        )
    return words


def _glyphs(rows: list[tuple[int, list[str]]], heading: tuple[str, str | None] | None, source: str) -> list[Parsed]:
    """The glyphs of lines without a blank one between them."""
    first = rows[0][0]
    across = len(rows[0][1])
    name, character = heading or (None, None)
    for number, words in rows:
        if len(words) != across:
            raise GlyphError(f"{source}: line {number} has {len(words)} glyphs side by side, and line {first} {across}")
    high = LARGE_ROWS if len(rows) == LARGE_ROWS else ROWS
    if len(rows) % high:
        whose = f" of {name}" if name else ""
        raise GlyphError(f"{source}: the glyph{whose} from line {first} on has {len(rows)} rows, not {ROWS}")
    made = [
        Glyph("\n".join([words[place] for _, words in rows[top : top + high]]))
        for top in range(0, len(rows), high)
        for place in range(across)
    ]
    if len(made) > 1 and name is not None:
        raise GlyphError(f"{source}: {quoted(name)} before line {first} is the name of one glyph, not of {len(made)}")
    return [(name, glyph, character) for glyph in made]


def _heading(name: str, character: str | None, where: str) -> tuple[str, str | None]:
    if character is not None and re.fullmatch(CODES, character):
        try:
            return name, from_code_points(character)
        except (ValueError, OverflowError):
            raise GlyphError(f"{where}: {character} is not a character") from None
    return name, character
