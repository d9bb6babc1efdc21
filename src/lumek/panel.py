"""The panel: an array of cells that a program assigns to, and the one path by which they reach the link."""

from lumek.core.geometry import MEMORY, Geometry, is_whole
from lumek.core.instructions import SLOWEST_HZ, Timing
from lumek.core.plan import BLANKS, Picture, plan
from lumek.core.rom import BLANK, rom_named
from lumek.core.startup import startup
from lumek.errors import ClosedError, HookupError, PlaceError, SettingError, TextError

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterable
    from typing import Any, Protocol

    from lumek.core.instructions import Step
    from lumek.core.rom import Rom

    class Link(Protocol):
        """What a panel asks of its wiring."""

        width: int
        has_backlight: bool

        def light(self, on: bool) -> None:
            """Switch the backlight with the next `send`."""

        def send(self, steps: Iterable[Step]) -> None:
            """Send steps, and return when the last may be followed."""

    Key = int | slice | tuple[int | slice, int | slice]


CURSOR_SHAPES = {None: (False, False), "underline": (True, False), "block": (False, True), "both": (True, True)}
"""Cursor shape: (underline, blinking block)."""


class Panel:
    """A character panel as an array of cells.

    Assigning text to a row, a cell, a slice or a block shows it at once and fills the rest of that place with
    blanks. Rows and columns count from 0, and from the end when negative, always as seen on the glass.

    size: "columns x rows", as in "16x2" or "20x4".
    link: the wiring, for example a `Backpack`.
    rom: the character ROM, "A00" or "A02".
    oscillator_hz: the controller's oscillator, 50_000 to 1_000_000. The default waits long enough for the slowest
        genuine part; see `lumek.core.instructions.Timing`.
    twin: the simulated panel at the end of the link, if there is one.
    Raises SizeError or SettingError for an argument that is not possible, BusError when the panel does not answer.

    May be used from several threads: each assignment, and each `together()` block, is one piece. After an error
    on the bus the panel is started again, and shows everything that is wanted, with the next assignment.
    """

    def __init__(
        self, size: str, link: "Link", rom: "str | Rom" = "A00", oscillator_hz: int = SLOWEST_HZ, twin: "Any" = None
    ) -> None:
        if not hasattr(link, "send"):
            raise HookupError(f"a panel takes a link, such as Backpack(bus), not {link!r}")
        self._geometry = Geometry(size)
        self._rom = rom_named(rom)
        self._timing = Timing(oscillator_hz)
        self._link = link
        self.twin = twin
        self._lock = _new_lock()
        self._together = 0
        self._closed = False
        self._shown: Picture | None = None
        self._wanted = Picture()
        self._wanted.on = True
        self._text = [" "] * MEMORY
        self._grid = self._geometry.grid()
        self._cursor = (0, 0)
        self._cursor_shape: str | None = None
        self._lit = True
        self._flush()

    def __repr__(self) -> str:
        return f"<Panel {self.size}, ROM {self._rom.name}, {self._link}>"

    @property
    def size(self) -> str:
        """The size, "columns x rows"."""
        return self._geometry.size

    @property
    def shape(self) -> tuple[int, int]:
        """Number of rows and number of columns."""
        return self._geometry.rows, self._geometry.columns

    @property
    def rows(self) -> list[str]:
        """The text on the glass, row by row, as it was written; blanked or not."""
        with self._lock:
            return ["".join([self._text[index] for index in row]) for row in self._grid]

    @property
    def compromises(self) -> dict[tuple[int, int], tuple[str, str]]:
        """{(row, column): (written, shown)} of the cells whose character the ROM lacks."""
        found = {}
        with self._lock:
            for row, indexes in enumerate(self._grid):
                for column, index in enumerate(indexes):
                    written = self._text[index]
                    shown = self._rom.find(written)[1]
                    if shown != written:
                        found[row, column] = (written, shown)
        return found

    def __getitem__(self, key: "Key") -> str:
        """The text of a place, its rows joined by line breaks."""
        rows, columns = self._place(key)
        with self._lock:
            return "\n".join(["".join([self._text[self._grid[row][column]] for column in columns]) for row in rows])

    def __setitem__(self, key: "Key", text: str) -> None:
        """Fill a place with text: one line of it for each row, cut at the edge, blank after its end.

        Raises PlaceError for a place that the panel does not have, TextError for anything but text.
        """
        rows, columns = self._place(key)
        if not isinstance(text, str):
            raise TextError(f"cells take text, not {text!r} ({type(text).__name__}): try str(...) or an f-string")
        lines = text.replace("\r\n", "\n").split("\n")
        with self._lock:
            self._check_open()
            codes, written, find = self._wanted.codes, self._text, self._rom.find
            for number, row in enumerate(rows):
                indexes = self._grid[row]
                line = lines[number] if number < len(lines) else ""
                for place, column in enumerate(columns):
                    index = indexes[column]
                    if place < len(line):
                        written[index] = line[place]
                        codes[index] = find(line[place])[0]
                    else:
                        written[index] = " "
                        codes[index] = BLANK
            self._flush()

    def clear(self) -> None:
        """Blank every cell, undo any slide and put the cursor in the first cell."""
        with self._lock:
            self._check_open()
            self._text = [" "] * MEMORY
            self._wanted.codes[:] = BLANKS
            self._cursor = (0, 0)
            self._slide_to(0)
            self._flush()

    def slide(self, columns: int) -> None:
        """Move the picture by so many columns to the right, or to the left when negative.

        Nothing is rewritten: the controller turns its memory under the window. What leaves on one side comes
        back after 40 columns (80 on one-line panels); on four rows it passes through the row two below or above.
        """
        if not is_whole(columns):
            raise SettingError(f"slide takes a whole number of columns, not {columns!r}")
        with self._lock:
            self._check_open()
            self._slide_to(self._wanted.shift + int(columns))
            self._flush()

    @property
    def cursor(self) -> tuple[int, int]:
        """Row and column of the cursor, which shows when `cursor_shape` is set."""
        return self._cursor

    @cursor.setter
    def cursor(self, place: tuple[int, int]) -> None:
        if not isinstance(place, (tuple, list)) or len(place) != 2:
            raise PlaceError(f"the cursor's place is (row, column), not {place!r}")
        row, column = self._geometry.row(place[0]), self._geometry.column(place[1])
        with self._lock:
            self._check_open()
            self._cursor = row, column
            self._flush()

    @property
    def cursor_shape(self) -> str | None:
        """How the cursor shows: "underline", "block" (blinking), "both", or None for not at all."""
        return self._cursor_shape

    @cursor_shape.setter
    def cursor_shape(self, shape: str | None) -> None:
        if not isinstance(shape, (str, type(None))) or shape not in CURSOR_SHAPES:
            raise SettingError(f"there is no cursor shape {shape!r}: shapes are 'underline', 'block', 'both' and None")
        with self._lock:
            self._check_open()
            self._cursor_shape = shape
            self._wanted.underline, self._wanted.blink = CURSOR_SHAPES[shape]
            self._flush()

    @property
    def visible(self) -> bool:
        """Whether the cells show; a panel made invisible keeps its text."""
        return self._wanted.on

    @visible.setter
    def visible(self, visible: bool) -> None:
        visible = _yes_or_no("visible", visible)
        with self._lock:
            self._check_open()
            self._wanted.on = visible
            self._flush()

    @property
    def backlight(self) -> bool:
        """Whether the backlight is on. Setting it raises HookupError when the hookup has none."""
        return self._lit and self._link.has_backlight

    @backlight.setter
    def backlight(self, lit: bool) -> None:
        lit = _yes_or_no("backlight", lit)
        if not self._link.has_backlight:
            raise HookupError("this hookup has no backlight line: give one in `lines` as role 'backlight'")
        with self._lock:
            self._check_open()
            self._lit = lit
            self._flush()

    def restart(self) -> None:
        """Start the panel again and send everything anew.

        For a panel that shows something else than `rows`: it lost its supply, a wire was loose, or another program
        wrote on it.
        """
        with self._lock:
            self._check_open()
            self._shown = None
            self._flush()

    def together(self) -> "Together":
        """A `with` block whose assignments reach the panel as one, at its end; also when it ends with an error."""
        return Together(self)

    def close(self) -> None:
        """Take no more assignments. The text stays on the panel, and the bus stays open for others."""
        with self._lock:
            self._closed = True

    def __enter__(self) -> "Panel":
        return self

    def __exit__(self, *exc: object) -> None:
        self.close()

    def _place(self, key: "Key") -> tuple[range, range]:
        span = self._geometry.span
        if isinstance(key, tuple) and len(key) == 2:
            return span("row", key[0]), span("column", key[1])
        return span("row", key), range(self._geometry.columns)

    def _slide_to(self, shift: int) -> None:
        self._wanted.shift = shift % self._geometry.ring
        self._grid = self._geometry.grid(self._wanted.shift)

    def _check_open(self) -> None:
        if self._closed:
            raise ClosedError(f"this {self.size} panel was closed: make a new Panel to write on")

    def _flush(self) -> None:
        """Bring the panel to what is wanted. The only place where anything is sent."""
        if self._together:
            return
        wanted = self._wanted
        row, column = self._cursor
        wanted.counter = self._grid[row][column] if self._cursor_shape else None
        shown, self._shown = self._shown, None  # unknown, until everything has arrived
        self._link.light(self._lit)
        if shown is None:
            self._link.send(startup(self._geometry, self._link.width, self._timing))
            shown = Picture()
        steps, after = plan(shown, wanted, self._geometry, self._timing)
        self._link.send(steps)
        self._shown = after


class Together:
    """The block that `Panel.together` opens."""

    def __init__(self, panel: Panel) -> None:
        self._panel = panel

    def __enter__(self) -> Panel:
        self._panel._lock.__enter__()
        self._panel._together += 1
        return self._panel

    def __exit__(self, *exc: object) -> None:
        try:
            self._panel._together -= 1
            self._panel._flush()
        finally:
            self._panel._lock.__exit__(None, None, None)


class Alone:
    """What stands for a lock where there is only one thread."""

    def __enter__(self) -> None:
        pass

    def __exit__(self, *exc: object) -> None:
        pass


def _new_lock() -> "Any":
    try:
        from threading import RLock
    except ImportError:  # MicroPython without threads
        return Alone()
    return RLock()


def _yes_or_no(what: str, value: bool) -> bool:
    if value not in (True, False):
        raise SettingError(f"{what} is True or False, not {value!r}")
    return bool(value)
