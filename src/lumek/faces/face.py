"""A face: fields laid out on a panel."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import Any, NamedTuple

from lumek._harmless import quoted
from lumek._notice import notice
from lumek.core.geometry import Geometry
from lumek.core.text import lines_of
from lumek.errors import FaceError, SettingError
from lumek.expressions.evaluate import Expression
from lumek.faces.slot_budget import demand, worst
from lumek.faces.wall import Wall
from lumek.fields.field import UNKNOWN, Field, Moment
from lumek.fields.label import Label
from lumek.fields.ticker import Ticker
from lumek.panel import Panel
from lumek.readings.reading import Reading
from lumek.readings.settings import LONGEST_S, SHORTEST_S, is_finite

FIRST_FOREIGN = "\x80"

FAULT = "?"
"""What fills the place of a field that fails by an error of its own."""

MOST_FOREIGN = 4000
"""Characters of texts from elsewhere that are remembered, as many as one text may have."""

Key = int | slice | tuple[int | slice, int | slice]


class Placed(NamedTuple):
    """A field in its place."""

    rows: range
    columns: range
    field: Field

    @property
    def key(self) -> tuple[slice, slice]:
        """The place, to assign to."""
        return slice(self.rows[0], self.rows[-1] + 1), slice(self.columns[0], self.columns[-1] + 1)

    @property
    def stays(self) -> bool:
        """Whether it is the same all the time."""
        return isinstance(self.field, Label) and not self.field.of and not self.field.blinks

    def __str__(self) -> str:
        """What it is and where, for people."""
        columns, rows = self.columns, self.rows
        across = f"columns {columns[0]} to {columns[-1]}" if len(columns) > 1 else f"column {columns[0]}"
        down = f"rows {rows[0]} to {rows[-1]}" if len(rows) > 1 else f"row {rows[0]}"
        return f"the {self.field.kind} field in {down}, {across}"


class Face:
    """A layout of fields, as an array of cells: `face[1, 8:20] = Bar("weight", low=30, high=50)`.

    Text that is assigned is a `Label`. What a field shows is the name of a probe, or an expression of several.

    size: of the panel, "20x4".
    name: of the face.
    seconds: how long it is shown when several take turns, 0.001 to 100000000; default: page_s of the deck.
    only: a condition, as 'weight > 40'; the face is skipped while it is not true.
    alarm: a condition; while it is true, the face takes the place of those that take turns.
    start: true or false: it is shown first, until the first readings are in.
    Raises SizeError for a size that does not exist, FaceError for anything else that is not possible.
    """

    def __init__(
        self,
        size: str,
        name: str = "face",
        *,
        seconds: float | None = None,
        only: str = "",
        alarm: str = "",
        start: bool = False,
    ) -> None:
        self._geometry = Geometry(size)
        self.name = name
        if seconds is not None and not (is_finite(seconds) and SHORTEST_S <= seconds <= LONGEST_S):
            raise FaceError(
                f"face {quoted(name)} is shown for {SHORTEST_S:g} to {LONGEST_S:.0f} seconds, not {quoted(seconds)}"
            )
        if (bool(only) + bool(alarm) + start) > 1:
            raise FaceError(f"face {quoted(name)} can have one of only, alarm and start")
        self.seconds = seconds
        self.only, self.alarm, self.start = only, alarm, start
        self._placed: list[Placed] = []
        self._expressions: dict[str, Expression] = {}
        self._changing: list[Placed] = []
        self._remembering: list[Placed] = []
        self._known: set[str] = set()
        self._foreign: set[str] = set()
        self._gives_way = False
        self._yielded: list[str] = []
        self._wall: Wall[Placed] = Wall(f"face {quoted(name)}: ")

    def __repr__(self) -> str:
        return f"<Face {self.name!r} {self.size}: {', '.join(map(str, self._placed)) or 'blank'}>"

    @property
    def size(self) -> str:
        """The size of the panels that it is for."""
        return self._geometry.size

    @property
    def fields(self) -> list[Placed]:
        """The fields, in the order in which they were placed."""
        return list(self._placed)

    def __setitem__(self, key: Key, field: "Field | str") -> None:
        """Put a field, or a text that stays, in a place.

        Raises PlaceError for a place that the panel does not have, FaceError for one that is taken or that the field
        cannot have, and for what is neither a field nor text.
        """
        span = self._geometry.span
        if isinstance(key, tuple) and len(key) == 2:
            rows, columns = span("row", key[0]), span("column", key[1])
        else:
            rows, columns = span("row", key), range(self._geometry.columns)
        if isinstance(field, str):
            field = Label(field)
        if not isinstance(field, Field):
            raise FaceError(f"a face takes fields, such as Bar('weight'), and text, not {quoted(field)}")
        placed = Placed(rows, columns, field)
        if not len(rows) or not len(columns):
            raise FaceError(f"face {quoted(self.name)}: a {field.kind} needs one cell at least")
        for other in self._placed:
            if other.field is field:
                raise FaceError(f"face {quoted(self.name)}: {other} cannot be in a second place: make another")
            if _meet(rows, other.rows) and _meet(columns, other.columns):
                raise FaceError(f"face {quoted(self.name)}: {placed} overlaps {other}")
        try:
            field.check(len(rows), len(columns))
        except SettingError as problem:
            raise FaceError(f"face {quoted(self.name)}: {placed}: {problem}") from None
        self._placed.append(placed)
        if not placed.stays:
            self._changing.append(placed)
        if field.remembers:
            self._remembering.append(placed)
        for alternative in field.groups(len(rows), len(columns)):
            for contents, _ in alternative:
                self._known.update(content for content in contents or () if isinstance(content, str))

    def label(self, text: str) -> None:
        """Write labels: a text for the whole panel, in which cells of fields are blank. Call it after placing these.

        Raises FaceError for text that is too large, or that lies under a field.
        """
        lines = lines_of(text.rstrip("\n"))
        rows, columns = self._geometry.rows, self._geometry.columns
        if len(lines) > rows:
            raise FaceError(f"face {quoted(self.name)}: the text has {len(lines)} rows, and the panel has {rows}")
        taken = {(row, column): placed for placed in self._placed for row in placed.rows for column in placed.columns}
        for row, line in enumerate(lines):
            if len(line) > columns:
                raise FaceError(f"face {quoted(self.name)}: row {row} of the text has {len(line)} cells, not {columns}")
            for column, cell in enumerate(line):
                if cell != " " and (row, column) in taken:
                    raise FaceError(
                        f"face {quoted(self.name)}: {quoted(cell)} of the text, in row {row}, column {column}, is "
                        f"under {taken[row, column]}"
                    )
            for begin, end in _runs([(row, column) in taken for column in range(columns)]):
                words = "".join(line[begin:end])
                if words.strip(" "):
                    self[row, begin:end] = words

    def slots(self, panel: Panel) -> list[tuple[Placed, int]]:
        """For each field, how many slots it may need on this panel by itself."""
        return [(placed, self._demand(placed, panel)[1]) for placed in self._placed]

    def check(self, panel: Panel) -> None:
        """Raise FaceError when the panel has another size, or its slots may not do for all fields at once.

        Labels give way: characters for which no slot is left are shown by the nearest letter, and a notice says so.
        """
        if panel.size != self.size:
            raise FaceError(f"face {quoted(self.name)} is laid out for {self.size}, and the panel is {panel.size}")
        need, slots = self.needs(panel), panel.slots
        if need > slots and self.needs(panel, labels=False) <= slots:
            self._gives_way = True
            for placed in self._placed:
                if placed.stays and isinstance(placed.field, Label):
                    self._known -= _foreign_cells(placed.field.text)
            notice(
                f"face {quoted(self.name)}: {need} slots may be needed at once, and the panel has {slots}: labels show "
                "the nearest plain letters where no slot is left"
            )
        elif need > slots:
            who = ", ".join(f"{most} for {placed}" for placed, most in self.slots(panel) if most)
            raise FaceError(
                f"face {quoted(self.name)}: {need} slots may be needed at once, and the panel has {slots}: {who}; make "
                "one of them smaller, or move it to another face"
            )

    def needs(self, panel: Panel, labels: bool = True) -> int:
        """How many slots all fields may need at once on this panel; of two controllers the one that needs more.

        labels: whether texts that stay count.
        """
        return max(worst([self._demand(placed, panel) for placed in self._placed
                          if (labels or not placed.stays)
                          and any(self._geometry.controller_of(row) == controller for row in placed.rows)])
                   for controller in range(self._geometry.controllers))  # fmt: skip

    def _demand(self, placed: Placed, panel: Panel) -> Any:
        return demand(placed.field, len(placed.rows), len(placed.columns), panel.glyphs.rows_of)

    def bind(self, names: list[str]) -> None:
        """Say which probes there are. Raises FaceError for a field or condition that names another one."""
        texts = {"only": self.only, "alarm": self.alarm} | {str(placed): placed.field.of for placed in self._placed}
        for what, text in texts.items():
            if text and text not in names:
                try:
                    self._expressions[text] = Expression(text, names)
                except FaceError as problem:
                    raise FaceError(f"face {quoted(self.name)}: {what}: {problem}") from None

    def holds(self, condition: str, readings: Mapping[str, Reading]) -> bool:
        """Whether one of its conditions is known to be true."""
        reading = self._value(condition, readings)
        return reading.flaw not in UNKNOWN and reading == reading and float(reading) != 0

    def _value(self, of: str, readings: Mapping[str, Reading]) -> Reading:
        return readings[of] if of in readings else self._expressions[of].reading(readings, of)

    def take(
        self, readings: Mapping[str, Reading], now: Moment, local: Callable[[float], Sequence[int]], seen: bool = True
    ) -> None:
        """Let its fields take what they show.

        readings: by name, of all probes given to `bind`.
        local: makes a time tuple of seconds since 1970.
        seen: False while another face is seen; then only fields that remember take something.
        """
        for placed in self._changing if seen else self._remembering:
            with self._wall.around(placed):
                field = placed.field
                value: Any = self._value(field.of, readings) if field.of else None
                if field.shows_time and value is not None and value.flaw not in UNKNOWN:
                    value = tuple(local(value.time))
                field(value, now)

    def draw(self, panels: Sequence[Panel], whole: bool = True) -> None:
        """Show what its fields have taken on panels of its size: all of it, or what may have changed since."""
        for placed in self._placed if whole else self._changing:
            with self._wall.around(placed):
                if whole:
                    placed.field.appear()
                if isinstance(placed.field, (Label, Ticker)) and (placed.field.of or self._gives_way):
                    self.give_way(placed.field.text, panels)
                for panel in panels:
                    panel[placed.key] = placed.field
        for placed in self._wall.fallen():
            for panel in panels:
                panel[placed.key] = [FAULT * len(placed.columns) for _ in placed.rows]

    def give_way(self, text: str, panels: Sequence[Panel]) -> None:
        """Let the cells of a text from elsewhere have a slot only when nothing of the face's own needs it."""
        if not text or max(text) < FIRST_FOREIGN or text in self._yielded:
            return
        self._yielded = [text, *self._yielded[: len(self._placed)]]
        new = _foreign_cells(text) - self._known - self._foreign
        if len(self._foreign) + len(new) > MOST_FOREIGN:
            self._prefer(self._foreign, 0, panels)
            self._foreign.clear()
            self._yielded = [text]
        self._prefer(new, -1, panels)
        self._foreign |= new

    @staticmethod
    def _prefer(characters: set[str], level: int, panels: Sequence[Panel]) -> None:
        for panel in panels:
            with panel.together():
                for character in characters:
                    panel.glyphs.prefer(character, level)


def _foreign_cells(text: str) -> set[str]:
    """The different cells of a text, but those of ASCII."""
    return {cell for line in lines_of(text) for cell in line if max(cell) >= FIRST_FOREIGN}


def _runs(taken: list[bool]) -> Iterator[tuple[int, int]]:
    """The beginnings and ends of what is free."""
    begin: int | None = None
    for at, is_taken in enumerate([*taken, True]):
        if is_taken and begin is not None:
            yield begin, at
            begin = None
        elif not is_taken and begin is None:
            begin = at


def _meet(one: range, other: range) -> bool:
    return one[0] <= other[-1] and other[0] <= one[-1]
