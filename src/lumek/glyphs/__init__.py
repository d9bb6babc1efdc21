"""Sets of glyphs: files of them in many formats, those that Lumek brings, and pictures of several cells.

>>> from lumek.glyphs import load, search, shipped
>>> panel.glyphs.update(shipped("weather"))
>>> [one.character for one in search("honey")]
['🍯', '🐝']

What is named here loads when it is used.
"""

from importlib import import_module
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from lumek.core.block import Block
    from lumek.glyphs.files import load, save
    from lumek.glyphs.finding import SETS, Match, find, search, shipped
    from lumek.glyphs.formats import what_is_lost
    from lumek.glyphs.glyph_set import Entry, GlyphSet
    from lumek.glyphs.tracing import Trace, trace

__all__ = [
    "SETS",
    "Block",
    "Entry",
    "GlyphSet",
    "Match",
    "Trace",
    "find",
    "load",
    "save",
    "search",
    "shipped",
    "trace",
    "what_is_lost",
]  # fmt: skip

_LATER = {
    "core.block": ("Block",), "glyphs.files": ("load", "save"), "glyphs.formats": ("what_is_lost",),
    "glyphs.glyph_set": ("Entry", "GlyphSet"),
    "glyphs.finding": ("SETS", "Match", "find", "search", "shipped"), "glyphs.tracing": ("Trace", "trace"),
}  # fmt: skip
"""Module: its names here."""


def __getattr__(name: str) -> Any:
    for module, names in _LATER.items():
        if name in names:
            return getattr(import_module(f"lumek.{module}"), name)
    raise AttributeError(f"module 'lumek.glyphs' has no attribute {name!r}")
