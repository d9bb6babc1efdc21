"""Reading and writing glyph sets."""

from pathlib import Path

from lumek._files import read_bytes, replacing
from lumek.errors import GlyphError
from lumek.glyphs.formats import Options, format_of, reader, writer
from lumek.glyphs.formats.art import is_art
from lumek.glyphs.glyph_set import GlyphSet

MOST_BYTES = 2_000_000
"""Of a file."""


def load(path: str | Path, format: str | None = None) -> GlyphSet:
    """The glyphs of a file.

    path: text art, a TOML or JSON set, a BDF font, a PNG of cells, or a program with arrays, in C or Python.
    format: one of 'art', 'toml', 'json', 'bdf', 'png', 'c', 'python', 'micropython', 'hex', 'binary' and 'decimal';
        default: by the ending. A .txt may be art or numbers.
    Raises GlyphError, one line that names line or glyph, for what cannot be read.
    """
    try:
        data = read_bytes(path, MOST_BYTES)
    except OSError as problem:
        raise GlyphError(f"{path} cannot be read: {problem.strerror or problem}") from None
    return read(data, str(path), _format(path) if format is None else format)


def read(data: bytes, source: str, format: str | None = None) -> GlyphSet:
    """The glyphs of the content of a file; `source` names it in errors. Without a format it is art or numbers."""
    if format is None:
        format = "art" if is_art(data[:MOST_BYTES].decode("utf-8", "replace")) else "c"
    return reader(format_of(source, format))(data, source, format)


def save(
    glyphs: GlyphSet,
    path: str | Path,
    format: str | None = None,
    *,
    name: str | None = None,
    attribute: str = "",
    dot: int = 8,
) -> None:
    """Write a set into a file, which takes the place of an old one when it is whole.

    format: as for `load`; default: by the ending.
    name: of the array or dict in a program; default: that of the file.
    attribute: that keeps an array of C in flash memory, as 'PROGMEM'.
    dot: pixels of a dot in a PNG, 1 to 64.
    Raises GlyphError for what is not possible, OSError when the file cannot be written.
    """
    format = format_of(path, format)
    data = written(glyphs, format, Options(Path(path).stem if name is None else name, attribute, dot))
    with replacing(path) as beside:
        beside.write_bytes(data)


def written(glyphs: GlyphSet, format: str, options: Options) -> bytes:
    """The content of a file in a format. Raises GlyphError."""
    return writer(format)(glyphs, options, format)


def _format(path: str | Path) -> str | None:
    """The format of a file by its ending; None for a text that may be art or numbers."""
    return None if Path(path).suffix.lower() in ("", ".txt") else format_of(path)
