"""What a file may say of faces: the tables [deck], [glyphs] and [faces.NAME] with their fields."""

from datetime import datetime
from typing import TYPE_CHECKING, Annotated, Any, ClassVar, Literal, Union

from pydantic import AwareDatetime
from pydantic import Field as Key

from lumek.config.signature import parameters, table
from lumek.config.tables import Table, one_of
from lumek.faces.light_plan import LightPlan, LightRule
from lumek.fields import Bar, Choice, Clock, Countdown, Field, Label, Lamp, March, Number, Tall, Ticker, Trend
from lumek.hookup.keys import REFRESH, SIZE, SWITCH, RefreshEvery, RomName, Size
from lumek.readings.log import Log
from lumek.readings.settings import LONGEST_S, MOST, SHORTEST_S

TEXT = "text"
SECONDS = "seconds, 0.001 to 100000000"
OF = "the name of a probe, or an expression of several, as 'weight - 12.5'"
BACKLIGHT = "true, false, a brightness, 0 to 1, or a colour, as '#20c0a0' or 'honey'"
CONDITION = "a condition, as 'weight > 40'"

Positive = Annotated[float, Key(gt=0, le=MOST)]
Seconds = Annotated[float, Key(ge=SHORTEST_S, le=LONGEST_S)]
Backlight = bool | Annotated[float, Key(ge=0, le=1)] | str
Flaw = Literal["missing", "invalid", "under", "over", "stale"]


class FieldTable(Table):
    """A field in a place; its other keys are the settings of the field."""

    makes: ClassVar[type[Field]]
    row: Annotated[int, Key(ge=-4, le=3)] = Key(description="a whole number: 0 is the first row, -1 the last")
    column: Annotated[int, Key(ge=-40, le=39)] = Key(
        0, description="a whole number: 0 is the first column, -1 the last"
    )
    width: Annotated[int, Key(ge=1, le=40)] | None = Key(
        None, description="columns, 1 or more; default: up to the edge"
    )
    height: Annotated[int, Key(ge=1, le=4)] = Key(1, description="rows, 1 to 4")
    blink: bool = Key(False, description=f"{SWITCH}: it blinks, half a second seen and half a second not")

    @property
    def place(self) -> tuple[slice, slice]:
        """The place, to assign to."""
        bottom, right = self.row + self.height, None if self.width is None else self.column + self.width
        return slice(self.row, bottom or None), slice(self.column, right or None)

    def settings(self) -> dict[str, Any]:
        """The settings of the field."""
        ours = {"kind", *FieldTable.model_fields}
        given = {key: getattr(self, key) for key in self.model_fields_set if key not in ours}
        if isinstance(given.get("until"), datetime):
            given["until"] = given["until"].timestamp()
        if given.get("ranges"):
            given["ranges"] = [(one.below, one.text) for one in given["ranges"]]
        return given


class Range(Table):
    """One of several ranges and its text."""

    below: float | None = Key(None, description="a number; left out in the last range")
    text: str = Key(description=TEXT)


SETTINGS: dict[str, Any] = {
    "words": dict[Flaw, str] | None, "texts": dict[str, str] | None, "ranges": list[Range], "days": list[str],
    "months": list[str], "until": str | AwareDatetime | None,
}  # fmt: skip
"""Settings whose values a file writes otherwise than Python does."""


def field_table(kind: type[Field]) -> type[FieldTable]:
    """The table of a kind of field: a key for each parameter of its constructor."""
    settings = parameters(kind.__init__, kind, Field)
    return table(
        f"{kind.__name__}Table", FieldTable, settings, kinds=SETTINGS, needed=() if kind.works_alone else ("of",),
        makes=(ClassVar[type[Field]], kind), kind=(Literal[kind.kind], ...),
    )  # fmt: skip


FIELDS = tuple(map(field_table, (Label, Number, Bar, Tall, Trend, Ticker, March, Clock, Countdown, Lamp, Choice)))
"""The tables of all kinds of fields. A new kind is one more class in this line."""

KINDS = one_of(one.makes.kind for one in FIELDS)

if TYPE_CHECKING:
    AnyField = FieldTable
else:
    AnyField = Annotated[Union[FIELDS], Key(discriminator="kind")]  # noqa: UP007  made of what is in FIELDS


class FaceTable(Table):
    """[faces.NAME]: what one face shows, and when."""

    panel: str | None = Key(None, description="the name of one of several panels")
    text: str = Key("", description="text, a line for each row: what stays, where no field is")
    fields: list[AnyField] = Key([], description=f"a list of tables, each with kind = {KINDS}")
    seconds: Seconds | None = Key(None, description=f"{SECONDS}, that it is shown; default: page_s of the deck")
    only: str = Key("", description=f"{CONDITION}, while which it takes its turn")
    alarm: str = Key("", description=f"{CONDITION}, while which it takes the place of all others")
    start: bool = Key(False, description=f"{SWITCH}: it is shown first, until the first readings are in")


class LightRuleTable(Table):
    """[light] rules: when the backlight is otherwise than usual."""

    backlight: Backlight = Key(True, description=BACKLIGHT)
    only: str = Key("", description=f"{CONDITION}, while which the rule holds")
    since: str = Key("", description="a time of day, as '22:00', from which on it holds; needs until")
    until: str = Key("", description="a time of day, as '06:30', until which it holds; needs since")
    flash_s: Seconds | None = Key(
        None, description=f"{SECONDS}, of a flash: half of them as backlight says, half of them dark"
    )
    panel: str | None = Key(None, description="the name of one of several panels; default: all")


class LightTable(Table):
    """[light]: what the backlights do."""

    backlight: Backlight = Key(True, description=f"{BACKLIGHT}, while no rule holds")
    rules: list[LightRuleTable] = Key(
        [], description="a list of tables, as [{ since = '22:00', until = '06:30', backlight = 0.1 }]; the first that "
        "holds counts",
    )  # fmt: skip

    def of(self, panel: str) -> LightPlan:
        """The light of a panel."""
        keys = LightRule._fields
        own = [rule for rule in self.rules if rule.panel in (None, panel)]
        return LightPlan(self.backlight, [LightRule(**{key: getattr(rule, key) for key in keys}) for rule in own])


LOG_DEFAULTS = {"every_s": 10.0, "rotate_bytes": 10_000_000, "keep": 9, "sync": True}
"""Of lumek run: with three probes 1.2 MB a day, and never more than 100 MB."""

LogTable = table(
    "LogTable", Table,
    {key: one._replace(default=LOG_DEFAULTS.get(key, one.default)) if key in LOG_DEFAULTS else one
     for key, one in parameters(Log.__init__, Log).items() if key != "path"},
    file=(str | None, Key(None, description="the path of a log, ending in .csv or .jsonl; --log names another")),
)  # fmt: skip
"""[log]: what is written of the readings."""


class DeckTable(Table):
    """[deck]: how the faces are shown."""

    hookup: str | None = Key(None, description="the path of a hookup file, as 'hive.toml'")
    size: Size = Key("20x4", description=f"without a hookup, {SIZE}")
    rom: RomName = Key("A00", description="without a hookup, 'A00', 'A02', or the path of a ROM file")
    refresh_hz: Annotated[float, Key(ge=0.001, le=50)] = Key(5.0, description="drawings in a second, 0.001 to 50")
    poll_s: Seconds = Key(0.5, description=f"{SECONDS}, from one reading of a probe to the next")
    refresh_every_s: RefreshEvery | Literal[False] = Key(
        10.0, description=f"{REFRESH}, or false; a hookup may set it, too"
    )
    verify_every_s: RefreshEvery | None = Key(None, description=f"the same by reading back: {REFRESH}")
    page_s: Seconds = Key(4.0, description=f"{SECONDS}, that each face is shown")
    start_s: Annotated[float, Key(ge=0, le=LONGEST_S)] = Key(
        10.0, description="seconds, 0 or more, after which a start face gives way even if a probe has not answered"
    )
    zone: str | None = Key(None, description="a time zone, as 'UTC' or 'Europe/Vienna'; default: the host's")
    leave: Literal["kept", "cleared"] = Key("kept", description="'kept' or 'cleared': the panels at the end")
    farewell: str | None = Key(None, description="text, which the panels are left with instead")
    caption: str = Key("", description="the name of a probe whose words are shown below the simulated panel")
