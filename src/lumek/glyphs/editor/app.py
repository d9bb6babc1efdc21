"""The editor: which key does what, and what is seen."""

from collections.abc import Callable
from pathlib import Path
from textwrap import fill

from textual import events
from textual.app import App, ComposeResult
from textual.containers import Horizontal, VerticalScroll
from textual.geometry import Region
from textual.widgets import Input, Static

from lumek._harmless import harmless
from lumek.core.glyph import ROWS
from lumek.core.slots import COUNT
from lumek.core.text import cells_of
from lumek.errors import GlyphError, LumekError
from lumek.glyphs.draft import Draft
from lumek.glyphs.editor.dot_canvas import ENTRY, KEYS, DotCanvas, GlyphList
from lumek.glyphs.editor.preview import show_on
from lumek.glyphs.files import save
from lumek.glyphs.formats import format_of, what_is_lost
from lumek.glyphs.glyph_set import GlyphSet
from lumek.glyphs.sketch import Sketch
from lumek.glyphs.tracing import block_size
from lumek.glyphs.within import PLACE
from lumek.panel import Panel
from lumek.views.colours import scheme_named
from lumek.views.terminal import terminal_view, virtual_console

ANIMATED_S = 0.3
"""From glyph to glyph while the set is shown as an animation."""

SAYS = {"keep": "copied; v pastes it", "undo": "undone", "redo": "redone"}


class Editor(App[None]):
    """The editor of a file.

    path: the file, which need not exist.
    glyphs: what is in it.
    seen: a simulated panel, which shows the glyph within a row of text.
    real: a panel that shows the same, if there is one.
    within: the row of text, in which {} is the glyph.
    format: of the file; default: by its ending.
    """

    CSS = """
    #title { height: 1; background: $primary-background; color: $text; }
    #work { height: 1fr; }
    #drawing { width: 1fr; padding: 0 1; }
    #list { width: 30; }
    #preview { height: auto; }
    #keys { height: auto; color: $text-muted; }
    #prompt { dock: bottom; display: none; border: none; height: 1; padding: 0; }
    """
    ENABLE_COMMAND_PALETTE = False

    def __init__(
        self, path: Path, glyphs: GlyphSet, seen: Panel, real: Panel | None = None, *, within: str = "Hive {} 41.4 kg",
        format: str | None = None, scheme: str = "meadow",
    ) -> None:  # fmt: skip
        super().__init__()
        self.path, self.format, self.scheme = path, format, scheme
        self.sketch = Sketch(glyphs)
        self.draft = Draft(path)
        self.saved = self.sketch.glyphs
        self.seen, self.real = seen, real
        self.text = within
        self.message = ""
        self._then: Callable[[str], str | None] | None = None
        self._shown = self._leaving = False
        self._sizes: tuple[object, ...] = ()
        self.turn: int | None = None
        left = self.draft.found()
        if left is not None and left != self.saved:
            self.sketch.replace(left)
            self.message = "unsaved changes restored; u undoes them"

    def compose(self) -> ComposeResult:
        """The parts of the screen."""
        yield Static(id="title", markup=False)
        with Horizontal(id="work"):
            with VerticalScroll(id="drawing", can_focus=False):
                yield DotCanvas(self.sketch, scheme_named(self.scheme))
            with VerticalScroll(id="list", can_focus=False):
                yield GlyphList(id="glyphs", markup=False)
        yield Static(id="preview")
        yield Static(id="keys", markup=False)
        yield Input(id="prompt")

    def on_mount(self) -> None:
        """Show everything for the first time."""
        self._shown = True
        self.query_one(DotCanvas).focus()
        self.set_interval(ANIMATED_S, self._next_turn)
        self.changed(self.message)

    def on_dot_canvas_drawn(self) -> None:
        """Take what the mouse drew."""
        self.changed()

    def on_glyph_list_chosen(self, message: GlyphList.Chosen) -> None:
        """Go to what was clicked at."""
        if message.place < len(self.sketch.places):
            self._do(lambda: self.sketch.choose(message.place))

    def on_resize(self) -> None:
        """Show the row of text as large as fits."""
        self._show()

    def changed(self, message: str = "") -> None:
        """Show what there is now, and keep it."""
        self.message = message
        try:
            if self.sketch.glyphs == self.saved:
                self.draft.forget()
            else:
                self.draft.keep(self.sketch.glyphs)
        except OSError as problem:
            self.message = f"changes would not survive a crash: {problem.strerror or problem}"
        canvas = self.query_one(DotCanvas)
        dots = self.sketch.dots
        canvas.cursor = min(canvas.cursor[0], len(dots) - 1), min(canvas.cursor[1], len(dots[0]) - 1)
        self._show()

    def _show(self) -> None:
        """Bring everything up to date. Parts are laid out again only when one of them has another size."""
        glyphs, (_, name, is_block) = self.sketch.glyphs, self.sketch.state
        if not self._shown:
            return
        sizes = (self.size, len(self.sketch.places), len(self.sketch.dots), len(self.sketch.dots[0]))
        moved, self._sizes = sizes != self._sizes, sizes
        self.query_one(DotCanvas).refresh(layout=moved)
        draws = "" if is_block else glyphs.characters.get(name, "")
        unsaved = "" if glyphs == self.saved else " (not saved)"
        needed = {rows for glyph in glyphs.values() if (rows := self.seen.glyphs.rows_of(glyph)) is not None} if (
            glyphs.rows == ROWS) else set()  # fmt: skip
        title = f"{self.path.name}{unsaved}: {name} {draws}".rstrip() + f" | {_slots(len(needed))}"
        self.query_one(GlyphList).list(self.sketch, layout=moved)
        place = self.sketch.places.index((name, is_block))
        self.query_one("#list").scroll_to_region(Region(0, ENTRY * place, 1, ENTRY), animate=False)
        for panel in (self.seen, self.real):
            if panel is not None and glyphs.rows == ROWS:
                try:
                    show_on(panel, self.sketch, self.text, self.turn)
                except LumekError as problem:  # a panel that is away comes back with the next change
                    self.message = str(problem)
        title += f" | {self.message}" if self.message else ""
        self.query_one("#title", Static).update(harmless(title), layout=False)
        console = virtual_console(self.size.width, max(3, self.size.height - ROWS - 8))
        self.query_one("#preview", Static).update(
            terminal_view(self.seen.twin, console, self.scheme, self.seen.rows), layout=moved
        )
        if moved:
            self._show_keys()

    def _show_keys(self) -> None:
        """List the keys, wrapped between them."""
        words = [f"{key.replace('up,down,left,right', 'arrows')} {what}" for key, _, what in KEYS]
        keys = fill(" · ".join([word.replace(" ", "\xa0") for word in words]), max(20, self.size.width))
        self.query_one("#keys", Static).update(keys.replace("\xa0", " "))

    def _next_turn(self) -> None:
        if self.turn is not None:
            self.turn += 1
            self._show()

    # What the keys do.

    def action_go(self, down: int, right: int) -> None:
        """Move the cursor, around the edges, over what is between cells."""
        canvas, dots = self.query_one(DotCanvas), self.sketch.dots
        row, column = canvas.cursor
        while True:
            row, column = (row + down) % len(dots), (column + right) % len(dots[0])
            if self.sketch.is_dot(row, column):
                break
        canvas.cursor = row, column
        canvas.refresh()
        self.query_one("#drawing").scroll_to_region(canvas.region_of(row, column), animate=False)

    def action_dot(self, what: str) -> None:
        """Change the dot under the cursor, or its row or column."""
        row, column = self.query_one(DotCanvas).cursor
        places = {"toggle": (row, column), "fill_row": (row,), "fill_column": (column,)}
        self._do(lambda: getattr(self.sketch, what)(*places[what]))

    def action_do(self, what: str) -> None:
        """Do what a method of the sketch does."""
        self._do(getattr(self.sketch, what), SAYS.get(what, ""))

    def action_shift(self, right: int, down: int) -> None:
        """Move all dots."""
        self._do(lambda: self.sketch.shift(right, down))

    def action_next(self, by: int) -> None:
        """Go to another glyph or block."""
        self._do(lambda: self.sketch.move(by))

    def action_add(self, copy: bool) -> None:
        """Add a glyph."""
        self._do(lambda: self.sketch.add(copy))

    def action_animate(self) -> None:
        """Show the glyphs of the set in turn, or no more."""
        self.turn = 0 if self.turn is None else None
        self._show()

    def action_ask_block(self) -> None:
        """Add a block."""

        self.ask("block of cells, as 2x1, at most 4x2", "2x1", lambda text: self.sketch.add_block(*block_size(text)))

    def action_ask_name(self) -> None:
        """Give the glyph a name and a character."""
        _, name, is_block = self.sketch.state
        draws = "" if is_block else self.sketch.glyphs.characters.get(name, "")

        def rename(text: str) -> None:
            words = text.split(None, 1)
            if not words:
                raise GlyphError("give a name: letters, digits, '_', '-' or '.'")
            self.sketch.rename(words[0], words[1].strip() if len(words) > 1 else None)

        self.ask("name" if is_block else "name and character, as: bee 🐝", f"{name} {draws}".rstrip(), rename)

    def action_ask_text(self) -> None:
        """Change the row of text."""

        def write(text: str) -> None:
            if PLACE not in text:
                raise GlyphError("put {} where the glyph belongs")
            cells_of(text)
            self.text = text

        self.ask("row of text, with {} for the glyph", self.text, write)

    def action_ask_file(self) -> None:
        """Save into another file."""

        def save_as(text: str) -> str:
            said = self._save(Path(text), None)
            self.draft.forget()
            self.path, self.format, self.draft = Path(text), None, Draft(Path(text))
            return said

        self.ask("save as", str(self.path), save_as)

    def action_save(self) -> None:
        """Save into the file."""
        self._do(lambda: self._save(self.path, self.format))

    def _save(self, path: Path, format: str | None) -> str:
        """Save into a file, and say what that cannot hold. Raises GlyphError when it cannot be written."""
        glyphs = self.sketch.glyphs
        lost = what_is_lost(glyphs, format_of(path, format))
        try:
            save(glyphs, path, format)
        except OSError as problem:
            raise GlyphError(f"not saved: {problem.strerror or problem}") from None
        self.saved = glyphs
        return "; ".join(["saved", *lost])

    async def action_quit(self) -> None:
        """Leave, or ask first what becomes of changes."""
        if self.sketch.glyphs == self.saved:
            self.exit()
            return
        self._leaving = True
        self.message = "unsaved changes: s saves and quits, d discards them, Esc stays"
        self._show()

    def ask(self, what: str, value: str, then: Callable[[str], str | None]) -> None:
        """Let the user write a line; `then` takes it."""
        prompt = self.query_one("#prompt", Input)
        prompt.placeholder, prompt.value = what, value
        self._then = then
        prompt.display = True
        prompt.focus()
        self.message = f"{what}; Enter accepts, Esc cancels"
        self._show()

    def on_input_submitted(self, event: Input.Submitted) -> None:
        """Take the line."""
        then = self._then
        self._close_prompt()
        if then is not None:
            self._do(lambda: then(event.value))

    def on_key(self, event: events.Key) -> None:
        """Esc leaves a question; a key answers what becomes of changes."""
        if event.key == "escape" and self._then is not None:
            self._close_prompt()
            self.changed()

    def check_action(self, action: str, parameters: tuple[object, ...]) -> bool | None:
        """While it asks what becomes of changes, keys mean nothing else."""
        return not self._leaving or action == "quit"

    async def on_event(self, event: events.Event) -> None:
        """Answer whether to leave, before anything else."""
        if self._leaving and isinstance(event, events.Key):
            self._leaving = False
            if event.key == "d":
                self.draft.forget()
                self.exit()
            elif event.key == "s":
                self.action_save()
                if self.saved == self.sketch.glyphs:
                    self.exit()
            else:
                self.changed()
            return
        await super().on_event(event)

    def _close_prompt(self) -> None:
        prompt = self.query_one("#prompt", Input)
        prompt.display, self._then = False, None
        self.query_one(DotCanvas).focus()

    def _do(self, act: Callable[[], object], said: str = "") -> None:
        """Do something, and show what came of it or why it cannot be."""
        try:
            came = act()
            said = "nothing left to undo or redo" if came is False else came if isinstance(came, str) else said
        except LumekError as problem:
            said = str(problem)
        self.changed(said)


def _slots(needed: int) -> str:
    return f"{needed} of {COUNT} slots" if needed <= COUNT else f"{needed} drawings for {COUNT} slots"
