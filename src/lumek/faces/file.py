"""Faces, probes and deck from a TOML file: from tables to a show, or to one error that names the mistake.

[probes]
weight = { source = "day", column = "weight_kg", unit = "kg" }

[faces.hive]
text = "Weight"
fields = [{ kind = "bar", of = "weight", row = 1, low = 30, high = 50 }]
"""

from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Any

from lumek._harmless import quoted
from lumek.config.secrets import with_secrets
from lumek.config.tables import Tables, file_text, in_file
from lumek.core.glyph import Glyph
from lumek.errors import FaceError, GlyphError
from lumek.faces.face_file import FaceFile
from lumek.faces.mistakes import refuse_mistakes
from lumek.faces.model import DeckTable, FaceTable, LightTable, LogTable
from lumek.faces.probe_tables import PROBE_TABLE, ProbeTable, source_table
from lumek.glyphs.finding import set_named
from lumek.hookup.file import FACE_TABLES, Hookup, parse
from lumek.hookup.file import read as read_hookup
from lumek.hookup.model import ModuleTable

if TYPE_CHECKING:
    from lumek.messages.tables import MessagesFile

FILE = "face file"
SETS_KEY = "sets"
HOOKUP_TABLES = ("panel", "panels", *ModuleTable.own_tables, "host")


def read(file: str | Path, hookup: str | Path | None = None) -> FaceFile:
    """Read a face file.

    hookup: a hookup file to use, whatever the face file says of it.
    Raises FaceError, one line that names file, table and key, for what cannot be; HookupError for a hookup that cannot
    be.
    """
    path = Path(file)
    text = file_text(path, FILE, "docs/faces.md says how one is written", FaceError)
    tables = Tables(text, str(path), FILE, FaceError)
    raw = tables.raw
    tables.refuse_unknown([*FACE_TABLES, *HOOKUP_TABLES])
    deck = tables.checked(DeckTable, raw.get("deck", {}), "deck", "deck.")
    found: Hookup | None = None
    if hookup is not None or deck.hookup is not None:
        found = read_hookup(hookup if hookup is not None else path.parent / str(deck.hookup))
    elif any(name in raw for name in HOOKUP_TABLES):
        found = parse(text, str(path))
    made = FaceFile(
        path,
        deck,
        faces_in(tables),
        probes_in(tables),
        {name: tables.checked(source_table(table), table, f"sources.{name}", f"sources.{name}.")
         for name, table in _sources(raw.get("sources", {}), path)},
        dict(glyphs_in(tables, path)),
        found,
        light_in(tables),
        tables.checked(LogTable, raw.get("log", {}), "log", "log."),
        _messages(tables, path) if "messages" in raw or "broker" in raw else None,
    )  # fmt: skip
    refuse_mistakes(made)
    return made


def faces_in(tables: Tables) -> dict[str, FaceTable]:
    """The faces of a file. Raises FaceError, also when there is none."""
    faces = tables.raw.get("faces")
    if not faces:
        raise FaceError(f"{tables.source} has no face: give it a table [faces.NAME], as [faces.hive]")
    return {name: tables.checked(FaceTable, table, f"faces.{name}", f"faces.{name}.") for name, table in faces.items()}


def probes_in(tables: Tables) -> dict[str, ProbeTable]:
    """The probes of a file. Raises FaceError."""
    return {name: tables.checked(PROBE_TABLE, table, f"probes.{name}", f"probes.{name}.")
            for name, table in tables.raw.get("probes", {}).items()}  # fmt: skip


def light_in(tables: Tables) -> LightTable | None:
    """What the backlights do, if a file says that. Raises FaceError."""
    return tables.checked(LightTable, tables.raw["light"], "light", "light.") if "light" in tables.raw else None


def _messages(tables: Tables, path: Path) -> "MessagesFile":
    """The tables of messages."""
    from lumek.messages.tables import read_messages  # large, and not needed by most files

    return read_messages(tables, path)


def _sources(tables: Mapping[str, Any], path: Path) -> Iterator[tuple[str, Any]]:
    """The tables of sources, with their secrets."""
    for name, table in tables.items():
        filled = with_secrets(table, path.parent, f"{path}: [sources.{name}]", FaceError)
        yield name, {**filled, "private": True} if isinstance(table, Mapping) and "url_from" in table else filled


def glyphs_in(tables: Tables, path: Path) -> Iterator[tuple[str, Glyph]]:
    """The drawings of characters: those of sets, then those of the table itself. Raises FaceError."""
    table = tables.raw.get("glyphs", {})
    sets = table.get(SETS_KEY, [])
    if not isinstance(sets, list) or not all(isinstance(name, str) for name in sets):
        raise FaceError(
            f"{path}: [glyphs] sets = {in_file('sets', sets)} is not possible: it is a list of files and of names of "
            "shipped sets"
        )
    for name in sets:
        try:
            yield from set_named(name, path.parent).drawings.items()
        except GlyphError as problem:
            raise FaceError(f"{path}: [glyphs] sets: {problem}") from None
    for character, drawing in table.items():
        if character == SETS_KEY:
            continue
        try:
            if not isinstance(drawing, (str, list)):
                raise GlyphError("a drawing is text of '#' and '.', or a list of 8 numbers")
            yield character, Glyph(drawing)
        except GlyphError as problem:
            shown = in_file("", drawing)
            raise FaceError(f"{path}: [glyphs] {quoted(character)} = {shown} is not possible: {problem}") from None
