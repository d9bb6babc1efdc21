"""Glyphs and blocks within a row of text, on any panel."""

from collections.abc import Sequence
from typing import TYPE_CHECKING

from lumek.core.block import Block
from lumek.core.glyph import Glyph
from lumek.core.text import cells_of

if TYPE_CHECKING:
    from lumek.panel import Panel

PLACE = "{}"
"""Where they are in the text."""


def show_within(panel: "Panel", text: str, pictures: Sequence[Glyph | Block]) -> None:
    """Show glyphs side by side, and blocks with a blank cell between them, within a row of text; cut at the edges.

    text: in which {} is replaced by them.
    Raises what the panel raises.
    """
    before, _, after = text.partition(PLACE)
    parts = [one if isinstance(one, Block) else Block([[one]]) for one in pictures]
    with panel.together():
        panel[:] = ""
        left, right = len(cells_of(before)), panel.shape[1]
        panel[0, 0 : min(left, right)] = before
        for number, block in enumerate(parts):
            if number and isinstance(pictures[number], Block):
                left += 1
            high, wide = block.shape
            if left < right:
                panel[0 : min(high, panel.shape[0]), left : min(left + wide, right)] = block
            left += wide
        if left < right:
            panel[0, left:] = after
