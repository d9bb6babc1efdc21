"""TOML sets, and the same in JSON.

    [glyphs.bee]
    character = "🐝"
    dots = '''
    .....
    .#.#.
    ...'''

    [blocks]
    logo = [["logo_1", "logo_2"], ["logo_3", "logo_4"]]

Instead of dots a glyph may have rows = [0, 10, ...]. JSON may also be a list of lists of numbers alone.
"""

import json
from typing import ClassVar

from pydantic import Field

from lumek._harmless import quoted
from lumek.config.tables import Table, Tables
from lumek.core.glyph import Glyph
from lumek.errors import GlyphError
from lumek.glyphs.formats import Options, decoded
from lumek.glyphs.formats.entries import Parsed, collected
from lumek.glyphs.glyph_set import GlyphSet

FILE = "glyph set"


class GlyphTable(Table):
    """[glyphs.NAME]."""

    character: str | None = Field(None, description="the character that it draws, as '🐝'")
    dots: str | None = Field(None, description="text of '#' and '.', a line for each row")
    rows: list[int] | None = Field(None, description="8 numbers from 0 to 31, the leftmost dot counting 16")


class SetTable(Table):
    """The whole file."""

    own_tables: ClassVar[tuple[str, ...]] = ("glyphs", "blocks")
    glyphs: dict[str, GlyphTable] = Field(description="a table of glyphs, [glyphs.NAME]")
    blocks: dict[str, list[list[str]]] = Field({}, description="a table of NAME = rows of names of glyphs")


def read(data: bytes, source: str, format: str) -> GlyphSet:
    """The set of a TOML or JSON file. Raises GlyphError, which names the glyph."""
    tables = Tables(decoded(data, source), source, FILE, GlyphError, json=format == "json")
    if isinstance(tables.raw, list):
        return collected([(None, _of(source, str(number), rows), None) for number, rows in enumerate(tables.raw, 1)],
                         source, "list of rows")  # fmt: skip
    if not isinstance(tables.raw, dict):
        raise GlyphError(f"{source} is {quoted(tables.raw)}: a set is a table with 'glyphs', or a list of rows")
    said = tables.checked(SetTable, tables.raw, "", "")
    found: list[Parsed] = []
    for name, table in said.glyphs.items():
        if (table.dots is None) == (table.rows is None):
            raise GlyphError(f"{source}: glyph {quoted(name)} has either dots or rows")
        drawing = table.dots if table.dots is not None else table.rows
        found.append((name, _of(source, name, drawing), table.character))
    return collected(found, source, "glyph", said.blocks)


def write(glyphs: GlyphSet, options: Options, format: str) -> bytes:
    """A TOML or JSON file of a set."""
    if format == "json":
        return (json.dumps(tables_of(glyphs), indent=2, ensure_ascii=False) + "\n").encode()
    parts = []
    for name, glyph, character in glyphs.entries:
        draws = "" if character is None else f"character = {json.dumps(character, ensure_ascii=False)}\n"
        parts.append(f"[glyphs.{_key(name)}]\n{draws}dots = '''\n{glyph.art}'''\n")
    if glyphs.blocks:
        lines = [f"{_key(name)} = {json.dumps(rows)}\n" for name, rows in glyphs.blocks.items()]
        parts.append("[blocks]\n" + "".join(lines))
    return "\n".join(parts or ["[glyphs]\n"]).encode()


def tables_of(glyphs: GlyphSet) -> dict[str, object]:
    """The tables of a set, as JSON has them."""
    made: dict[str, object] = {
        "glyphs": {
            name: {**({} if character is None else {"character": character}), "rows": list(glyph.numbers)}
            for name, glyph, character in glyphs.entries
        }
    }
    return made | ({"blocks": glyphs.blocks} if glyphs.blocks else {})


def _key(name: str) -> str:
    return f'"{name}"' if "." in name else name


def _of(source: str, name: str, drawing: object) -> Glyph:
    try:
        if not isinstance(drawing, (str, list)):
            raise GlyphError(f"a drawing is text of '#' and '.', or a list of 8 numbers, not {quoted(drawing)}")
        return Glyph(drawing)
    except GlyphError as problem:
        raise GlyphError(f"{source}: glyph {name}: {problem}") from None
