"""Sets of glyphs: files of them in many formats, those that Lumek brings, and pictures of several cells.

>>> from lumek.glyphs import load, search, shipped
>>> panel.glyphs.update(shipped("weather"))
>>> [one.character for one in search("honey")]
['🍯', '🐝']
"""

from lumek.core.block import Block
from lumek.glyphs.files import load, save, what_is_lost
from lumek.glyphs.finding import SETS, Found, find, search, shipped
from lumek.glyphs.glyph_set import Entry, GlyphSet
from lumek.glyphs.tracing import Trace, trace

__all__ = ["SETS", "Block", "Entry", "Found", "GlyphSet", "Trace", "find", "load", "save", "search", "shipped",
           "trace", "what_is_lost"]  # fmt: skip
