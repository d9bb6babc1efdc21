"""What is drawn on, the list of what there is to draw, and the keys."""

from typing import ClassVar

import numpy as np
from textual import events
from textual.binding import Binding
from textual.content import Content
from textual.geometry import Region, Size
from textual.message import Message
from textual.widget import Widget
from textual.widgets import Static

from lumek.core.glyph import COLUMNS, ROWS, Glyph
from lumek.glyphs.sketch import Sketch
from lumek.views.colours import Scheme, mixed
from lumek.views.terminal import braille, hexadecimal

ENTRY = 2
"""Lines of a glyph in the list."""

LARGEST = 3
"""Lines of a dot, at most."""

SHADE = 0.12
"""How far the second shade is from the first to the other colour."""

KEYS = (
    ("up,down,left,right", "", "cursor"), ("space", "dot('toggle')", "dot"), ("r", "dot('fill_row')", "row"),
    ("c", "dot('fill_column')", "column"), ("m", "do('mirror')", "mirror"), ("o", "do('upend')", "upend"),
    ("i", "do('invert')", "invert"), ("t", "do('turn')", "turn"), ("x", "do('clear')", "clear"),
    ("shift+arrows", "", "shift"), ("u", "do('undo')", "undo"), ("U", "do('redo')", "redo"),
    ("k", "do('keep')", "copy"), ("v", "do('paste')", "paste"), ("tab", "next(1)", "next"),
    ("shift+tab", "next(-1)", "previous"), ("n", "add(False)", "new"), ("d", "add(True)", "duplicate"),
    ("D", "do('remove')", "delete"), ("b", "ask_block", "block"), ("e", "ask_name", "name"), ("w", "ask_text", "text"),
    ("a", "animate", "animate"), ("s", "save", "save"), ("S", "ask_file", "save as"), ("q", "quit", "quit"),
)  # fmt: skip
"""Key, action, and what the line of keys says of it. What `do` does are methods of a sketch."""

STEPS = {"up": (-1, 0), "down": (1, 0), "left": (0, -1), "right": (0, 1)}


class DotCanvas(Widget, can_focus=True):
    """The picture, two columns for a dot or more where there is room, and the values of its rows."""

    DEFAULT_CSS = "DotCanvas { width: auto; height: auto; }"
    BINDINGS: ClassVar = [
        *[Binding(key, f"app.{action}", words) for key, action, words in KEYS if action],
        *[Binding(key, f"app.go({step[0]}, {step[1]})", "cursor") for key, step in STEPS.items()],
        *[Binding(f"shift+{key}", f"app.shift({step[1]}, {step[0]})", "shift") for key, step in STEPS.items()],
    ]

    class Drawn(Message):
        """Dots were drawn with the mouse."""

    def __init__(self, sketch: Sketch, scheme: Scheme) -> None:
        super().__init__()
        self.sketch = sketch
        self.cursor = (0, 0)
        # Two shades of lit and of unlit dots, as on a chess board, so that each can be seen by itself.
        self._lit = [hexadecimal(scheme.lit), hexadecimal(mixed(scheme.lit, scheme.glass, SHADE))]
        self._unlit = [hexadecimal(scheme.glass), hexadecimal(mixed(scheme.glass, scheme.lit, SHADE))]
        self._pen: bool | None = None
        self.scale = 1
        """Lines of a dot, and half its columns."""

    def get_content_width(self, container: Size, viewport: Size) -> int:
        """Columns that it takes, in the largest scale that fits."""
        block, dots = self.sketch.block, self.sketch.dots
        values = 10 if block is None else 1 + 3 * block.shape[1]
        self.scale = LARGEST
        while self.scale > 1 and (
            2 * len(dots[0]) * self.scale + values > container.width or len(dots) * self.scale > container.height
        ):
            self.scale -= 1
        return 2 * len(dots[0]) * self.scale + values

    def get_content_height(self, container: Size, viewport: Size, width: int) -> int:
        """Lines that it takes."""
        return len(self.sketch.dots) * self.scale

    def region_of(self, row: int, column: int) -> Region:
        """Where a dot is."""
        return Region(2 * column * self.scale, row * self.scale, 2 * self.scale, self.scale)

    def render(self) -> Content:
        """The picture."""
        dots = self.sketch.dots
        parts: list[str | tuple[str, str]] = []
        blank, mark = "  " * self.scale, f"[{' ' * (2 * self.scale - 2)}]"
        for row, line in enumerate(dots):
            for part in range(self.scale):
                for column, dot in enumerate(line):
                    here = mark if (row, column) == self.cursor else blank
                    lit, unlit = self._lit[(row + column) % 2], self._unlit[(row + column) % 2]
                    if not self.sketch.is_dot(row, column):
                        parts.append(blank)
                    else:
                        parts.append((here, f"{unlit} on {lit}" if dot else f"{lit} on {unlit}"))
                parts.append(f" {self._values(row)}\n" if part == self.scale // 2 else "\n")
        return Content.assemble(*parts)

    def _values(self, row: int) -> str:
        """The values of a row of dots: of a glyph in two forms, of a block for each cell."""
        block = self.sketch.block
        if block is None:
            number = self.sketch.glyphs[self.sketch.state.name].numbers[row]
            return f"0x{number:02X} {number:2}"
        if row % (ROWS + 1) == ROWS:
            return ""
        cells = block.cells[row // (ROWS + 1)]
        return " ".join([f"{glyph.numbers[row % (ROWS + 1)]:02X}" for glyph in cells])

    def place_of(self, event: events.MouseEvent) -> tuple[int, int]:
        """The row and column of the dot under the mouse."""
        return event.y // self.scale, event.x // (2 * self.scale)

    def on_mouse_down(self, event: events.MouseDown) -> None:
        """Begin to draw, with what the first dot is not."""
        row, column = self.place_of(event)
        if self.sketch.is_dot(row, column):
            self.focus()
            self.capture_mouse()
            self._pen = not self.sketch.dots[row][column]
            self._draw(row, column, False)

    def on_mouse_move(self, event: events.MouseMove) -> None:
        """Go on drawing."""
        if self._pen is not None:
            row, column = self.place_of(event)
            first, left = self.cursor
            steps = max(abs(row - first), abs(column - left))
            for step in range(1, steps + 1):  # a fast mouse leaves dots out
                self._draw(
                    first + round((row - first) * step / steps), left + round((column - left) * step / steps), True
                )

    def on_mouse_up(self, event: events.MouseUp) -> None:
        """Draw no more."""
        self._pen = None
        self.release_mouse()

    def _draw(self, row: int, column: int, same: bool) -> None:
        if self.sketch.is_dot(row, column):
            self.cursor = row, column
            self.sketch.put(row, column, bool(self._pen), same)
            self.post_message(self.Drawn())


class GlyphList(Static):
    """The glyphs and blocks of the set, one below the other; a click goes to one."""

    class Chosen(Message):
        """The one of this number was clicked at."""

        def __init__(self, place: int) -> None:
            super().__init__()
            self.place = place

    def list(self, sketch: Sketch, layout: bool) -> None:
        """Show what the sketch has, in another size than before when `layout`."""
        lines: list[str] = []
        for name, is_block in sketch.places:
            here = ">" if (name, is_block) == (sketch.state.name, sketch.state.is_block) else " "
            if is_block:
                rows = sketch.glyphs.blocks[name]
                lines += [f"{here} {name[:20]}", f"  block of {len(rows[0])}x{len(rows)} cells"]
            else:
                top, bottom = small(sketch.glyphs[name])
                draws = sketch.glyphs.characters.get(name, "")
                lines += [f"{here} {top} {name[:18]} {draws}".rstrip(), f"  {bottom}"]
        self.update("\n".join(lines), layout=layout)

    def on_click(self, event: events.Click) -> None:
        """Choose the glyph under the mouse."""
        self.post_message(self.Chosen(event.y // ENTRY))


def small(glyph: Glyph) -> list[str]:
    """A glyph in two lines of Braille."""
    dots = np.array(glyph.dots, dtype=bool)
    return braille(np.pad(dots, ((0, -len(dots) % 4), (0, -COLUMNS % 2))).tolist())[:ENTRY]
