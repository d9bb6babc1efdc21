"""Faces that were sent from elsewhere: what they may say, and what stays as the host's own file says."""

from dataclasses import replace

from lumek._harmless import quoted
from lumek.config.tables import MOST_BYTES, Tables
from lumek.errors import CheckError, FaceError, LumekError
from lumek.faces.face_file import FaceFile
from lumek.faces.file import faces_in, glyphs_in, light_in, probes_in
from lumek.faces.mistakes import refuse_mistakes
from lumek.faces.model import DeckTable
from lumek.faces.needs import shortfalls
from lumek.glyphs.finding import SETS

SOURCE = "the received faces"

TABLES = ("deck", "faces", "probes", "glyphs", "light")

OURS = ("hookup", "size", "rom")
"""Keys of [deck] that are about the panel."""


def with_faces(own: FaceFile, content: bytes) -> FaceFile:
    """The panels, sources and messages of a file with other faces, as somebody may send them.

    content: a face file with [faces], and with [deck], [probes], [glyphs] and [light], each of which replaces that of
        the own file. What they cannot say is which files and hosts are read: a probe comes from a source of the own
        file, and glyphs from the sets that Lumek brings.
    Raises FaceError, in a line that names table and key, and CheckError for what this host lacks, as
    `lumek run --check` does.
    """
    if len(content) > MOST_BYTES:
        raise FaceError(f"{SOURCE} have {len(content)} bytes, of {MOST_BYTES} at most")
    try:
        text = content.decode().replace("\r\n", "\n")
    except UnicodeDecodeError:
        raise FaceError(f"{SOURCE} are not text in UTF-8, as a TOML file is") from None
    try:
        made = _made(own, Tables(text, SOURCE, "face file", FaceError))
        refuse_mistakes(made)
        panels = made.attach(twin=True)
        try:
            made.decks({name: [panel] for name, panel in panels.items()})
        finally:
            for panel in panels.values():
                panel.close()
    except LumekError as problem:
        raise FaceError(str(problem).replace(str(own.path), SOURCE, 1)) from None
    if made.panels != own.panels:
        raise FaceError(f"{SOURCE} are for the panels {quoted(made.panels)}; this host has {quoted(own.panels)}")
    if missing := [line for line in shortfalls(made) if line not in shortfalls(own)]:
        raise CheckError(f"{SOURCE} need something that this host lacks: {missing[0]}")
    return made


def _made(own: FaceFile, tables: Tables) -> FaceFile:
    tables.refuse_unknown(TABLES)
    raw = tables.raw
    for key in OURS:
        if key in raw.get("deck", {}):
            raise FaceError(f"{SOURCE}: [deck] {key} belongs to the host's own file; drop it")
    sets = raw.get("glyphs", {}).get("sets", [])
    for name in sets if isinstance(sets, list) else ():
        if name not in SETS:
            raise FaceError(f"{SOURCE}: [glyphs] sets = {quoted(name)} is not possible: there are {', '.join(SETS)}")
    deck = own.deck
    if "deck" in raw:
        kept = {key: getattr(own.deck, key) for key in OURS}
        deck = tables.checked(DeckTable, raw["deck"], "deck", "deck.").model_copy(update=kept)
    return replace(
        own, faces=faces_in(tables), deck=deck,
        probes=probes_in(tables) if "probes" in raw else own.probes,
        glyphs=dict(glyphs_in(tables, own.path)) if "glyphs" in raw else own.glyphs,
        light=light_in(tables) if "light" in raw else own.light,
    )  # fmt: skip
