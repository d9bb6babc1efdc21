"""The formats of glyph sets: one table, and the words for what a format cannot hold."""

from collections.abc import Callable
from importlib import import_module
from pathlib import Path
from typing import NamedTuple

from lumek._harmless import quoted
from lumek.errors import GlyphError
from lumek.glyphs.glyph_set import GlyphSet


class Options(NamedTuple):
    """How a set is written.

    name: of the array or table, for programs.
    attribute: that puts a C array into flash memory, as PROGMEM.
    dot: pixels of a dot in a picture, 1 to 64.
    """

    name: str = "glyphs"
    attribute: str = ""
    dot: int = 8


class Format(NamedTuple):
    """A format.

    module: in which `read` and `write` are.
    endings: of its files.
    what: it in words.
    blocks: whether it holds which glyphs make a block.
    """

    module: str
    endings: tuple[str, ...]
    what: str
    blocks: bool = False


FORMATS = {
    "art": Format("art", (".txt", ".art"), "text art, '#' and '.'", True),
    "toml": Format("set_tables", (".toml",), "a TOML set", True),
    "json": Format("set_tables", (".json",), "JSON", True),
    "bdf": Format("bdf", (".bdf",), "a BDF font"),
    "png": Format("cell_sheet", (".png",), "a picture of the cells", True),
    "c": Format("number_lists", (".h", ".c", ".hpp", ".cpp", ".ino"), "a C array with a header guard"),
    "python": Format("literals", (".py",), "a Python dict of numbers"),
    "micropython": Format("literals", (), "a Python dict of bytes, for MicroPython"),
    "hex": Format("number_lists", (), "hexadecimal numbers, a line for each glyph"),
    "binary": Format("number_lists", (), "binary numbers, a line for each glyph"),
    "decimal": Format("number_lists", (), "decimal numbers, a line for each glyph"),
}
"""Name -> format."""

Reader = Callable[[bytes, str, str], GlyphSet]
Writer = Callable[[GlyphSet, Options, str], bytes]


def reader(format: str) -> Reader:
    """The function (data, source for errors, format) -> set."""
    function: Reader = import_module(f"{__name__}.{FORMATS[format].module}").read
    return function


def writer(format: str) -> Writer:
    """The function (set, options, format) -> data."""
    function: Writer = import_module(f"{__name__}.{FORMATS[format].module}").write
    return function


def format_of(path: str | Path, format: str | None = None) -> str:
    """The format that is named or, without a name, the one of a file's ending. Raises GlyphError."""
    if format is not None:
        if format not in FORMATS:
            raise GlyphError(f"there is no format {quoted(format)}: formats are {', '.join(FORMATS)}")
        return format
    ending = Path(path).suffix.lower()
    for name, one in FORMATS.items():
        if ending in one.endings:
            return name
    endings = " ".join(ending for one in FORMATS.values() for ending in one.endings)
    raise GlyphError(f"{path} has no known ending: endings are {endings}")


def what_is_lost(glyphs: GlyphSet, format: str) -> list[str]:
    """What a format cannot hold of a set, each in a few words: blocks, characters of several code points.

    Raises GlyphError for a format that does not exist.
    """
    format = format_of("", format)
    said = []
    if glyphs.blocks and not FORMATS[format].blocks:
        said.append(f"{format} holds no blocks: {', '.join(glyphs.blocks)} left out")
    long = [name for name, character in glyphs.characters.items() if len(character) > 1]
    if format == "bdf" and long:
        said.append(f"bdf holds characters of one code point: those of {', '.join(long)} left out")
    return said


def decoded(data: bytes, source: str) -> str:
    """The text of a file, with one kind of line end. Raises GlyphError for what is not UTF-8."""
    try:
        return data.decode("utf-8-sig").replace("\r\n", "\n").replace("\r", "\n")
    except UnicodeDecodeError:
        raise GlyphError(f"{source} is not text in UTF-8") from None
