"""Where glyphs come from by name: Lumek's own drawings, the sets that it brings, files, and text on a command line."""

import re
from functools import cache
from importlib.resources import files
from pathlib import Path
from typing import NamedTuple
from unicodedata import name as name_of

from lumek._harmless import quoted
from lumek.core.bundled import characters_drawn, drawing_of
from lumek.core.glyph import Glyph
from lumek.core.text import bare, cells_of
from lumek.errors import CharacterError, GlyphError, NoGlyphError
from lumek.glyphs.files import load, read
from lumek.glyphs.glyph_set import GlyphSet, as_name

SETS = ("apiary", "arrows", "battery", "faces", "signal", "weather")
"""The sets that Lumek brings."""

FOLDER = "sets"

LONGEST_WORD = 200

ART = re.compile(r"[#.█●■·□○X\s/]{30,}")
NUMBERS = re.compile(r"(?=.*\d)[\d\s,xXa-fA-F{}\[\]();uUlL]{8,}", re.DOTALL)
"""What text on a command line is when it is a drawing."""


class Match(NamedTuple):
    """What a search finds: a character, its drawing, the Unicode name, and the set that it is from ("" for none)."""

    character: str
    glyph: Glyph
    name: str
    of: str = ""


@cache
def shipped(name: str) -> GlyphSet:
    """A set that Lumek brings: 'apiary', 'arrows', 'battery', 'faces', 'signal' or 'weather'. Raises NoGlyphError."""
    if name not in SETS:
        raise NoGlyphError(f"Lumek brings no set {quoted(name)}: sets are {', '.join(SETS)}")
    file = files("lumek") / "glyphs" / FOLDER / f"{name}.txt"
    return read(file.read_bytes(), f"{name}.txt", "art")


def search(words: str) -> list[Match]:
    """The drawings whose Unicode name, or name in a shipped set, has all these words, whole or begun.

    words: as "honey", or "arrow up".
    """
    wanted = words[:LONGEST_WORD].lower().split()
    known = [Match(one, Glyph(drawing_of(one) or bytes(8)), name_of(one, "").lower()) for one in characters_drawn()]
    for name in SETS:
        entries = shipped(name).entries
        known += [Match(character or "", glyph, f"{own} {name_of(character[0], '').lower() if character else ''}", name)
                  for own, glyph, character in entries]  # fmt: skip
    found: dict[tuple[str, Glyph], Match] = {}
    for one in known:
        parts = one.name.replace("-", " ").replace("_", " ").split()
        if wanted and all(any(part.startswith(word) for part in parts) for word in wanted):
            found.setdefault((one.character, one.glyph), one)
    return list(found.values())


def set_named(name: str | Path, folder: Path | None = None) -> GlyphSet:
    """The set of a file or, by its name, one that Lumek brings.

    folder: from which the path of a file is taken; default: the current one.
    Raises GlyphError.
    """
    path = Path(name) if folder is None else folder / name
    if name in SETS and not _is_file(path):
        return shipped(str(name))
    if not _is_file(path):
        raise GlyphError(f"there is no file {quoted(str(path))}, and no set of that name: sets are {', '.join(SETS)}")
    return load(path)


def find(what: str | Path) -> GlyphSet:
    """The glyphs that a file, the name of a shipped set, a character with a drawing, text art or numbers mean.

    Raises NoGlyphError when it is nothing of these, and what reading raises.
    """
    path = Path(what)
    if isinstance(what, Path) or _is_file(path):
        return load(path)
    if what in SETS:
        return shipped(what)
    try:
        cells = cells_of(what)
    except CharacterError:
        cells = []
    if len(cells) == 1 and (rows := drawing_of(bare(cells[0]))):
        return GlyphSet({_name(cells[0]): Glyph(rows)}, {_name(cells[0]): cells[0]})
    art = what.replace("/", "\n")
    lines = "\n".join(art.split()) if {*art} <= set("#.\n ") else art
    if ART.fullmatch(what) or NUMBERS.fullmatch(what):
        return read(lines.encode(), "the drawing")
    why = f"{quoted(what)} is not a drawing"
    if path.suffix:
        why = f"there is no file {quoted(what)}"
    elif len(cells) == 1:
        why = f"Lumek has no drawing of {quoted(what)}"
    raise NoGlyphError(
        f"{why}: give a character that Lumek draws, a file, a set ({', '.join(SETS)}), or eight rows as '.....' and "
        "'.#.#.'"
    )


def _is_file(path: Path) -> bool:
    try:
        return path.is_file()
    except (OSError, ValueError):  # text that no path can be
        return False


def _name(character: str) -> str:
    return as_name(name_of(bare(character)[0], "").lower())
