"""What is drawn, on a panel: within a row of text, and the set below it."""

from lumek.core.slots import COUNT
from lumek.core.text import cells_of
from lumek.glyphs.sketch import Sketch
from lumek.panel import Panel

PLACE = "{}"
"""Where the glyph is in the row of text."""


def show_on(panel: Panel, sketch: Sketch, text: str, turn: int | None = None) -> None:
    """Show the picture that is drawn within a row of text on a panel, which may be a real one.

    text: in which {} is the picture.
    turn: the number of a glyph of the set, around and around, that is shown instead.
    Raises what the panel raises.
    """
    before, _, after = text.partition(PLACE)
    glyphs, block = sketch.glyphs, sketch.block
    singles = list(glyphs.values())
    with panel.together():
        panel[:] = ""
        left = min(len(cells_of(before)), panel.shape[1] - 1)
        if turn is not None or block is None:
            shown = glyphs[sketch.state.name] if turn is None else singles[turn % len(singles)]
            panel[0] = [before, shown, after]
            if panel.shape[0] > 1:  # the set, as far as the slots go
                panel[1] = singles[: COUNT if shown in singles[:COUNT] else COUNT - 1]
            return
        rows = min(block.shape[0], panel.shape[0])
        wide = min(block.shape[1], panel.shape[1] - left)
        panel[0, 0:left] = before
        panel[0:rows, left : left + wide] = block
        if left + wide < panel.shape[1]:
            panel[0, left + wide :] = after
