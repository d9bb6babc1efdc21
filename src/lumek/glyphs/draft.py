"""A set that is drawn and not saved yet, kept beside its file, so that a crash loses nothing."""

from contextlib import suppress
from pathlib import Path

from lumek._files import replacing
from lumek.errors import GlyphError
from lumek.glyphs.files import load, written
from lumek.glyphs.formats import Options
from lumek.glyphs.glyph_set import GlyphSet


class Draft:
    """The draft of a file: `.NAME.draft` beside it, as JSON.

    path: the file, which need not exist.
    """

    def __init__(self, path: Path) -> None:
        self.path = path.with_name(f".{path.name}.draft")

    def found(self) -> GlyphSet | None:
        """What a program that crashed has left; None when there is nothing, or nothing that can be read."""
        with suppress(GlyphError):
            return load(self.path, "json")
        return None

    def keep(self, glyphs: GlyphSet) -> None:
        """Keep a set. Raises OSError."""
        with replacing(self.path) as beside:
            beside.write_bytes(written(glyphs, "json", Options()))

    def forget(self) -> None:
        """Take it away."""
        with suppress(OSError):
            self.path.unlink()
