"""What is drawn, on a panel: within a row of text, and the set below it."""

from lumek.core.slots import COUNT
from lumek.glyphs.sketch import Sketch
from lumek.glyphs.within import show_within
from lumek.panel import Panel


def show_on(panel: Panel, sketch: Sketch, text: str, turn: int | None = None) -> None:
    """Show the picture that is drawn within a row of text on a panel, which may be a real one.

    text: in which {} is the picture.
    turn: the number of a glyph of the set, around and around, that is shown instead.
    Raises what the panel raises.
    """
    glyphs, block = sketch.glyphs, sketch.block
    singles = list(glyphs.values())
    shown = singles[turn % len(singles)] if turn is not None else block or glyphs[sketch.state.name]
    with panel.together():
        show_within(panel, text, [shown])
        if panel.shape[0] > 1 and shown is not block:  # the set, as far as the slots go
            panel[1] = singles[: COUNT if shown in singles[:COUNT] else COUNT - 1]
