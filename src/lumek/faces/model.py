"""What a file may say of faces: the tables [deck], [glyphs] and [faces.NAME] with their fields."""

from datetime import datetime
from typing import Annotated, Any, ClassVar, Literal, get_args

from pydantic import AwareDatetime
from pydantic import Field as Key

from lumek.config.tables import Table
from lumek.fields import Bar, Choice, Clock, Countdown, Field, Label, Lamp, Number, Tall, Ticker, Trend
from lumek.hookup.keys import SIZE, SWITCH, RomName, Size
from lumek.readings.settings import LONGEST_S, MOST, SHORTEST_S

TEXT = "text"
NUMBER = "a number"
SECONDS = "seconds, 0.001 to 100000000"
OF = "the name of a probe, or an expression of several, as 'weight - 12.5'"
CONDITION = "a condition, as 'weight > 40'"
DECIMALS = "a whole number, 0 or more, of places after the point; as many as fit when not said"
ALIGN = "'left', 'centre' or 'right'"
WORDS = "a table of flaw = 'text'; flaws are 'missing', 'invalid', 'under', 'over' and 'stale'"
LIMIT = "a number, outside of which a word stands"

Positive = Annotated[float, Key(gt=0, le=MOST)]
Seconds = Annotated[float, Key(ge=SHORTEST_S, le=LONGEST_S)]
Count = Annotated[int, Key(ge=0, le=100)]
Align = Literal["left", "centre", "right"]
Flaw = Literal["missing", "invalid", "under", "over", "stale"]


class FieldTable(Table):
    """A field in a place; its other keys are the settings of the field."""

    makes: ClassVar[type[Field]]
    row: Annotated[int, Key(ge=-4, le=3)] = Key(description="a whole number: 0 is the first row, -1 the last")
    column: Annotated[int, Key(ge=-40, le=39)] = Key(
        0, description="a whole number: 0 is the first column, -1 the last"
    )
    width: Annotated[int, Key(ge=1, le=40)] | None = Key(
        None, description="columns, 1 or more; up to the edge when not said"
    )
    height: Annotated[int, Key(ge=1, le=4)] = Key(1, description="rows, 1 to 4")

    @property
    def place(self) -> tuple[slice, slice]:
        """The place, to assign to."""
        bottom, right = self.row + self.height, None if self.width is None else self.column + self.width
        return slice(self.row, bottom or None), slice(self.column, right or None)

    def settings(self) -> dict[str, Any]:
        """The settings of the field."""
        ours = {"kind", *FieldTable.model_fields}
        return {key: getattr(self, key) for key in self.model_fields_set if key not in ours}


class OfProbe(FieldTable):
    """A field with words for flaws."""

    of: str = Key(description=OF)
    words: dict[Flaw, str] = Key({}, description=WORDS)


class LabelTable(FieldTable):
    """A text that stays, or the words of a probe."""

    makes = Label
    kind: Literal["label"]
    text: str = Key("", description=TEXT)
    of: str = Key("", description=OF)
    align: Align = Key("left", description=ALIGN)
    wrap: bool = Key(False, description=f"{SWITCH}: what is too long goes on in the next row")
    words: dict[Flaw, str] = Key({}, description=WORDS)


class NumberTable(OfProbe):
    """A number."""

    makes = Number
    kind: Literal["number"]
    unit: str = Key("", description="text, as ' kg'")
    decimals: Count | None = Key(None, description=DECIMALS)
    low: float | None = Key(None, description=LIMIT)
    high: float | None = Key(None, description=LIMIT)
    notation: Literal["plain", "scientific", "prefix"] = Key("plain", description="'plain', 'scientific' or 'prefix'")
    base: Literal[2, 8, 10, 16] = Key(10, description="2, 8, 10 or 16")
    digits: Count = Key(1, description="a whole number, 0 or more, of digits before the point, with leading zeros")
    plus: bool = Key(False, description=f"{SWITCH}: a sign before positive numbers, too")
    group: str = Key("", description="one character between groups of thousands")
    point: str = Key(".", description="one character before the decimals")
    align: Align = Key("right", description=ALIGN)


class BarTable(OfProbe):
    """A bar."""

    makes = Bar
    kind: Literal["bar"]
    low: float = Key(0.0, description="a number, at which it is empty")
    high: float = Key(100.0, description="a number, at which it is full")
    grow: Literal["right", "left", "up", "down"] = Key("right", description="'right', 'left', 'up' or 'down'")
    zero: float | None = Key(None, description="a number from low to high, from which it grows")
    peak_s: Seconds | None = Key(None, description=f"{SECONDS}, for which the highest value stays marked")


class TallTable(FieldTable):
    """Tall digits."""

    makes = Tall
    kind: Literal["tall"]
    of: str = Key("", description=OF)
    unit: str = Key("", description="text, as ' kg'")
    decimals: Count | None = Key(None, description=DECIMALS)
    low: float | None = Key(None, description=LIMIT)
    high: float | None = Key(None, description=LIMIT)
    time: str = Key("", description="text with codes for parts of the time, as '%H:%M'")
    align: Align = Key("right", description=ALIGN)
    words: dict[Flaw, str] = Key({}, description=WORDS)


class TrendTable(FieldTable):
    """A graph."""

    makes = Trend
    kind: Literal["trend"]
    of: str = Key(description=OF)
    low: float | None = Key(None, description="a number, at which it touches the bottom")
    high: float | None = Key(None, description="a number, at which it touches the top")
    every_s: Seconds | None = Key(
        None, description=f"{SECONDS}, that a column of dots stands for; one reading when not said"
    )
    filled: bool = Key(False, description=f"{SWITCH}: the dots below the graph are lit, too")
    limits: Count = Key(0, description="a whole number of cells for each of low and high, beside the graph")


class TickerTable(FieldTable):
    """Text that moves."""

    makes = Ticker
    kind: Literal["ticker"]
    text: str = Key("", description=TEXT)
    of: str = Key("", description=OF)
    cells_per_s: Seconds = Key(3.0, description="cells in a second, above 0")
    gap: Count = Key(3, description="a whole number of blank cells between its end and its beginning")
    words: dict[Flaw, str] = Key({}, description=WORDS)


class ClockTable(FieldTable):
    """Time and date."""

    makes = Clock
    kind: Literal["clock"]
    form: str = Key("%H:%M", description="text with codes for parts of the time, as '%H:%M'")
    of: str = Key("", description=OF)
    days: list[str] | None = Key(None, description="a list of seven names, from Monday on")
    months: list[str] | None = Key(None, description="a list of twelve names")
    align: Align = Key("left", description=ALIGN)
    words: dict[Flaw, str] = Key({}, description=WORDS)


class CountdownTable(FieldTable):
    """The time that is left."""

    makes = Countdown
    kind: Literal["countdown"]
    until: str | AwareDatetime | None = Key(
        None, description="a time of each day as '18:00', or a date and time with its zone as 2026-07-01T18:00:00+02:00"
    )
    of: str = Key("", description=OF)
    done: str = Key("0:00", description="text, when nothing is left")
    align: Align = Key("right", description=ALIGN)
    words: dict[Flaw, str] = Key({}, description=WORDS)

    def settings(self) -> dict[str, Any]:
        """The settings of the field."""
        given = super().settings()
        if isinstance(self.until, datetime):
            given["until"] = self.until.timestamp()
        return given


class LampTable(FieldTable):
    """A lamp."""

    makes = Lamp
    kind: Literal["lamp"]
    of: str = Key(description=OF)
    on: float = Key(0.5, description="a number, at which it lights")
    off: float | None = Key(None, description="a number, past which it goes out")
    lit: str = Key("●", description="text, as '●'")
    dark: str = Key("○", description="text, as '○'")
    unknown: str = Key("?", description="text, when the value is missing, invalid or stale")


class Range(Table):
    """One of several ranges and its text."""

    below: float | None = Key(None, description="a number; not said in the last one")
    text: str = Key(description=TEXT)


class ChoiceTable(OfProbe):
    """A text that a value chooses."""

    makes = Choice
    kind: Literal["choice"]
    texts: dict[str, str] = Key({}, description="a table of 'value' = 'text'")
    ranges: list[Range] = Key([], description="a list of tables, as { below = 30, text = 'cold' }, limits rising")
    gap: Annotated[float, Key(ge=0)] = Key(
        0.0, description="a number, 0 or more, by which a value must be past a limit before the text changes back"
    )
    otherwise: str = Key("", description="text, when no value or range fits")
    align: Align = Key("left", description=ALIGN)

    def settings(self) -> dict[str, Any]:
        """The settings of the field."""
        given = super().settings()
        if self.ranges:
            given["ranges"] = [(one.below, one.text) for one in self.ranges]
        return given


AnyField = (
    LabelTable | NumberTable | BarTable | TallTable | TrendTable | TickerTable | ClockTable | CountdownTable
    | LampTable | ChoiceTable
)  # fmt: skip
KINDS = "'label', 'number', 'bar', 'tall', 'trend', 'ticker', 'clock', 'countdown', 'lamp' or 'choice'"
FIELDS: tuple[type[FieldTable], ...] = get_args(AnyField)


class FaceTable(Table):
    """[faces.NAME]: what one face shows, and when."""

    panel: str | None = Key(None, description="the name of one of several panels")
    text: str = Key("", description="text, a line for each row: what stays, where no field is")
    fields: list[Annotated[AnyField, Key(discriminator="kind")]] = Key(
        [], description=f"a list of tables, each with kind = {KINDS}"
    )
    seconds: Seconds | None = Key(None, description=f"{SECONDS}, that it is shown; default: page_s of the deck")
    only: str = Key("", description=f"{CONDITION}, while which it takes its turn")
    alarm: str = Key("", description=f"{CONDITION}, while which it takes the place of all others")
    start: bool = Key(False, description=f"{SWITCH}: it is shown first, until the first readings are in")


class DeckTable(Table):
    """[deck]: how the faces are shown."""

    hookup: str | None = Key(None, description="the path of a hookup file, as 'hive.toml'")
    size: Size = Key("20x4", description=f"without a hookup, {SIZE}")
    rom: RomName = Key("A00", description="without a hookup, 'A00', 'A02', or the path of a ROM file")
    refresh_hz: Annotated[float, Key(ge=0.001, le=50)] = Key(5.0, description="drawings in a second, 0.001 to 50")
    poll_s: Seconds = Key(0.5, description=f"{SECONDS}, from one reading of a probe to the next")
    page_s: Seconds = Key(4.0, description=f"{SECONDS}, that each face is shown")
    start_s: Annotated[float, Key(ge=0, le=LONGEST_S)] = Key(
        10.0, description="seconds, 0 or more, after which a start face gives way even if a probe has not answered"
    )
    zone: str | None = Key(None, description="a time zone, as 'UTC' or 'Europe/Vienna'; the host's when not said")
    leave: Literal["kept", "cleared"] = Key("kept", description="'kept' or 'cleared': the panels at the end")
    farewell: str | None = Key(None, description="text, which the panels are left with instead")
    caption: str = Key("", description="the name of a probe whose words are told below the simulated panel")
