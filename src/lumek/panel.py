"""The panel: an array of cells that a program assigns to."""

from lumek._driver import Driver
from lumek._harmless import quoted
from lumek._lock import new_lock
from lumek._notice import notice
from lumek._settings import CURSOR_SHAPES, Settings, contrast_of
from lumek._together import Together
from lumek._upkeep import checked_retries
from lumek.core.cells import Cells
from lumek.core.geometry import Geometry
from lumek.core.instructions import SLOWEST_HZ
from lumek.core.text import cells_of, lines_of
from lumek.core.values import is_whole
from lumek.errors import ClosedError, HookupError, SettingError, UnknownSettingError
from lumek.lights.backlight import Backlight, LinkLight
from lumek.roms import rom_named

TYPE_CHECKING = not __name__  # see lumek/__init__.py
if TYPE_CHECKING:
    from collections.abc import Sequence
    from os import PathLike
    from typing import Any

    from lumek._glyphs import Glyphs
    from lumek._play import Play
    from lumek._tending import Tending
    from lumek.lights.backlight import Contrast
    from lumek.motions import Motion
    from lumek.protocols import Assignable, Channel, Closable, Content, Light, Link
    from lumek.roms.rom import Rom
    from lumek.twin import Twin

    Key = int | slice | tuple[int | slice, int | slice]


SETTINGS = (
    "backlight", "contrast", "cursor", "cursor_shape", "leftward", "refresh_every_s", "retries", "verify_every_s",
    "visible",
)  # fmt: skip
"""What can be set on a panel."""

RETRIES = 2


class Panel(Settings):
    """A character panel as an array of cells.

    Assigning text to a row, a cell, a slice or a block shows it at once and fills the rest of that place with
    blanks. Rows and columns count from 0, and from the end when negative, always as seen on the glass.

    size: "columns x rows", as in "16x2" or "20x4".
    link: the wiring, for example a `Backpack`.
    rom: the character ROM, "A00" or "A02", or the path of a ROM file (see `lumek.roms.file`).
    oscillator_hz: the controller's oscillator, 50_000 to 1_000_000. The default waits long enough for the slowest
        genuine part; see `lumek.core.instructions.Timing`.
    twin: the simulated panel at the end of the link, if there is one.
    backlight: the light, when it is not the link that switches it: an object that `offers` one of "switch",
        "brightness" and "colour" (see `lumek.lights`), or three channels for red, green and blue.
    contrast: a channel with `dim(fraction)` that feeds the contrast pin.
    owns: what is closed with the panel, by its `close()`: a port that only this panel uses.
    retries: how often a transfer that fails is repeated, 0 to 10.
    refresh_every_s: seconds after which a disturbed panel is right again by itself, 0.05 to 1000000; None for never.
        See `refresh`.
    verify_every_s: the same by reading back, where RW is wired; see `verify`.
    font: "5x8"; or "5x10" on 8x1, 16x1 and 20x1 whose glass has cells of 5x10 dots; there are four slots then.
    Raises SizeError, SettingError or HookupError for an argument that is not possible, and what the port raises:
    PortError, or its kinds BusError and NoAnswerError.

    May be used from several threads: each assignment, and each `together()` block, is one piece. A transfer that fails
    is repeated; after that its error is raised, and the next assignment synchronises the panel and shows everything
    that is wanted. So it does after an interrupt (Ctrl-C), wherever that came. Setting an attribute that a panel does
    not have raises UnknownSettingError.

    >>> panel = simulate("16x2")
    >>> panel[0] = "Hive 3"
    >>> panel[1, 0:8] = 41.37
    >>> panel.rows
    ['Hive 3          ', '   41.37        ']
    >>> panel[1, -1] = "🐝"
    >>> panel.twin.violations
    []
    """

    def __init__(
        self,
        size: str,
        link: "Link",
        rom: "str | PathLike[str] | Rom" = "A00",
        oscillator_hz: int = SLOWEST_HZ,
        twin: "Twin | None" = None,
        backlight: "Light | Sequence[Channel] | None" = None,
        contrast: "Channel | None" = None,
        owns: "Closable | None" = None,
        retries: int = RETRIES,
        refresh_every_s: float | None = None,
        verify_every_s: float | None = None,
        font: str = "5x8",
    ) -> None:
        if not hasattr(link, "send"):
            raise HookupError(f"a panel takes a link, such as Backpack(bus), not {quoted(link)}")
        self._geometry = Geometry(size, font)
        self._rom = rom_named(rom)
        self._driver = Driver(link, self._geometry, oscillator_hz, checked_retries(retries))
        self.twin: Twin | Any = twin
        self._owns = owns
        self._lock = new_lock()
        self._blocks: set[int] = set()
        self._may_clear = False
        self._plays: list[Play] = []
        self._closed = False
        self._cells = Cells(self._geometry, self._rom)
        self._glyphs: Glyphs | None = None
        self._asks = True
        self._on = True
        self._leftward = False
        self._cursor = (0, 0)
        self._cursor_shape: str | None = None
        if backlight is None and link.has_backlight:
            backlight = LinkLight(link)
        self._backlight = Backlight(backlight)
        self._contrast: Contrast | None = None
        if contrast is not None:
            self._contrast = contrast_of(contrast)
        self._tending: Tending | None = None
        self._flush()
        if refresh_every_s is not None:
            self.refresh_every_s = refresh_every_s
        if verify_every_s is not None:
            self.verify_every_s = verify_every_s

    def __setattr__(self, name: str, value: "Any") -> None:
        if name[0] != "_" and name != "twin" and type(self) is Panel and not hasattr(Panel, name):
            self._refuse(name)
        object.__setattr__(self, name, value)

    def _refuse(self, name: str) -> None:
        raise UnknownSettingError(f"a panel has no attribute {quoted(name)}: you can set {', '.join(SETTINGS)}")

    def __repr__(self) -> str:
        return f"<Panel {self.size}, ROM {self._rom.name}, {self._driver.link}>"

    def __str__(self) -> str:
        """The text on the glass in a frame, for `print(panel)`."""
        rows = self.rows if self._on else [" " * self._geometry.columns] * self._geometry.rows
        line = "─" * (self._geometry.columns + 2)
        return f"╭{line}╮\n" + "".join([f"│ {row} │\n" for row in rows]) + f"╰{line}╯"

    def _repr_png_(self) -> bytes:
        """A picture of it, as PNG, for a notebook."""
        from lumek._notebook import png_of

        return png_of(self, self._cells)

    @property
    def size(self) -> str:
        """The size, "columns x rows"."""
        return self._geometry.size

    @property
    def shape(self) -> tuple[int, int]:
        """Number of rows and number of columns."""
        return self._geometry.rows, self._geometry.columns

    @property
    def rom(self) -> str:
        """The name of the character ROM, "A00"."""
        name: str = self._rom.name
        return name

    @property
    def slots(self) -> int:
        """How many drawings it can show at once, for each controller: 8, in the larger font 4."""
        return len(self._geometry.slots)

    @property
    def glyphs(self) -> "Glyphs":
        """The drawings of characters: `panel.glyphs["🐝"] = Glyph(...)` gives one another."""
        if self._glyphs is None:
            from lumek._glyphs import Glyphs  # needed only by programs with drawings of their own

            self._glyphs = Glyphs(self, self._cells)
        return self._glyphs

    @property
    def rows(self) -> list[str]:
        """The text on the glass, row by row, as it was written (composed, NFC); blanked or not.

        U+FFFC is a Glyph that was assigned to a cell.
        """
        with self._lock:
            return self._cells.text(range(self._geometry.rows), range(self._geometry.columns))

    @property
    def compromises(self) -> dict[tuple[int, int], tuple[str, str]]:
        """{(row, column): (written, shown)} of the cells that show something other than was written.

        They have characters that the ROM lacks and that have no drawing, or whose drawing found no free slot. They
        show it as soon as one is free.
        """
        with self._lock:
            return self._cells.compromises()

    @property
    def drawings(self) -> dict[tuple[int, int], bytes]:
        """{(row, column): rows} of the cells that show a drawing: 8 numbers each, in the larger font 10.

        With `rows` it is all that is on the glass.
        """
        with self._lock:
            return self._cells.drawings()

    def __getitem__(self, key: "Key") -> str:
        """The text of a place, its rows joined by line breaks."""
        rows, columns = self._place(key)
        with self._lock:
            return "\n".join(self._cells.text(rows, columns))

    def __setitem__(self, key: "Key", value: "Assignable") -> None:
        """Fill a place, from its first cell on; what is left of it becomes blank.

        value: text, one line of it for each row, cut at the edge of the place; a list of texts, one for each row;
            `Text`, which says how it is aligned and wrapped; a `Glyph`, or a list of text and glyphs for cells side by
            side; a number, right-aligned with as many decimals as fit (see `lumek.number`), or None for one that is
            missing; a field (see `lumek.fields`).
        Raises PlaceError for a place that the panel does not have, TextError for anything but these, CharacterError for
        a control character, GlyphError for a glyph of more rows than a cell has.
        """
        rows, columns = self._place(key)
        if isinstance(value, str) and not self._leftward:
            lines: Sequence[Sequence[Content]] = lines_of(value)
        elif value is None or (isinstance(value, (int, float)) and not isinstance(value, bool)):
            from lumek.core.numbers import number  # needed only by programs that show numbers

            lines = [cells_of(number(value, len(columns)))]
        else:
            lines = self._laid_out(value, len(rows), len(columns))
            self._cells.check(lines)
        with self._lock:
            if self._closed:
                self._check_open()
            self._cells.fill(rows, columns, lines)
            if not self._blocks:
                self._bring()

    def clear(self) -> None:
        """Blank every cell, undo any slide and put the cursor in the first cell."""
        with self.together(may_clear=True):
            self._cells.blank()
            self._cells.slide_to(0)
            self._cursor = (0, 0)

    def slide(self, columns: int) -> None:
        """Move the picture to the right by this many columns, or to the left when negative.

        Nothing is rewritten: the controller turns its memory under the window. What leaves on one side comes
        back after 40 columns (80 on one-line panels); on four rows it passes through the row two below or above.
        """
        if not is_whole(columns):
            raise SettingError(f"slide takes a whole number of columns, not {quoted(columns)}")
        with self.together():
            self._cells.slide_to(self._cells.shift + int(columns))

    def together(self, may_clear: bool = False) -> "Together":
        """A `with` block whose assignments reach the panel as one, at its end; also when it ends with an error.

        may_clear: whether Lumek may clear the panel first, when most of it changes and that is faster. The whole panel
            is then blank for a few milliseconds. Default: text that stays remains visible throughout.

        Other threads wait until it ends. Threads that nest the blocks of two panels must nest them in the same order,
        or each may wait for the other. Tasks of asyncio share a thread, and so a block: do not await within one.
        """
        return Together(self, may_clear)

    def play(
        self,
        motion: "Motion",
        row: int | None = None,
        column: int = 0,
        width: int | None = None,
        height: int | None = None,
        every_s: float | None = 0.2,
        leaves: str = "last",
        seconds: float | None = None,
    ) -> "Play":
        """Play a motion in a place, beside the program, until it ends or `stop()` is called.

        motion: one of `lumek.motions`, such as `Marching("🐝")`.
        row, column, width, height: its place; default: the whole panel, and with a row that row.
        every_s: seconds from one step to the next, 0.001 to 1000000; None for a program that calls `advance()` itself.
        leaves: what is in the place when it ends or is stopped: "last" (the last frame), "blank" or "before" (what was
            there).
        seconds: after which it ends; default: only when it has an end.
        Returns a `Play`, to `stop()` it or `wait()` for its end. A motion that is played in a part of the place is
        stopped. Raises PlaceError for a place that the panel does not have, SettingError for what is not possible, and
        ClosedError when the panel was closed.
        """
        from lumek._play import Play  # needed only by programs with motions

        return Play(self, motion, (row, column, width, height), every_s, leaves, seconds)

    def close(self) -> None:
        """Take no more assignments, and close what the panel owns. The text stays on it."""
        with self._lock:
            self._closed = True
            owned, self._owns = self._owns, None
            if owned is not None:
                owned.close()

    def __enter__(self) -> "Panel":
        return self

    def __exit__(self, *exc: object) -> None:
        self.close()

    def _laid_out(self, value: "Assignable", rows: int, columns: int) -> "Sequence[Sequence[Content]]":
        given: Any = value
        if hasattr(given, "laid_out") and not isinstance(given, type):
            found: Sequence[Sequence[Content]] = given.laid_out(rows, columns, self._leftward)
            return found
        from lumek.core.layout import laid_out  # needed only by programs that show lists

        return laid_out(value, rows, columns, self._leftward)

    def _place(self, key: "Key") -> tuple[range, range]:
        geometry = self._geometry
        if isinstance(key, tuple) and len(key) == 2:
            row, column = key
            if type(row) is type(column) is int and 0 <= row < geometry.rows and 0 <= column < geometry.columns:
                return range(row, row + 1), range(column, column + 1)  # the usual case, quickly
            return geometry.span("row", row), geometry.span("column", column)
        return geometry.span("row", key), range(geometry.columns)

    def _check_open(self) -> None:
        if self._closed:
            raise ClosedError(f"this {self.size} panel was closed: make a new Panel to write on")

    def _flush(self) -> None:
        """Bring the panel to what is wanted, unless more is to come."""
        self._asks = True  # more than cells may have changed
        if not self._blocks:
            self._bring()

    def _bring_once(self) -> None:
        if self._asks or self._driver.shown is None:
            self._prepare()
        self._driver.show(self._cells.pictures(), self._may_clear)

    def _prepare(self) -> None:
        """Say how the cells are to be shown, and bring about what was asked of light and contrast."""
        cursor = self._cursor if self._cursor_shape else None
        self._cells.ask(self._on, self._leftward, cursor, *CURSOR_SHAPES[self._cursor_shape])
        if self._driver.shown is None:  # what feeds light and contrast may have been away, too
            self._backlight.forget()
            if self._contrast is not None:
                self._contrast.restore()
        self._backlight.show()
        self._asks = False

    def _bring(self) -> None:
        """Bring the panel to what is wanted, and tell what could not be shown as written."""
        if self._asks or self._cells.dirty or self._driver.shown is None:
            self._driver.insist(self._bring_once)
            self._cells.dirty = False
            if self._may_clear:
                self._may_clear = False
        else:
            self._driver.nothing()
        if self._cells.lost:
            self._tell_lost()

    def _tell_lost(self) -> None:
        while self._cells.lost:
            written, shown, drawn = self._cells.lost.pop(0)
            why = "all eight slots are taken" if drawn else f"ROM {self._rom.name} lacks it, and it has no drawing"
            notice(f"'{shown}' is shown for '{written}': {why}")
