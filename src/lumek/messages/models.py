"""What is sent and answered: the keys of messages and answers, from which the published JSON Schema is made."""

from datetime import UTC, datetime
from typing import Annotated, Literal, Self

from pydantic import BaseModel, ConfigDict, model_validator
from pydantic import Field as Key

from lumek.config.tables import Table, one_of
from lumek.core.text import LONGEST
from lumek.readings.settings import LONGEST_S, SHORTEST_S

LEVELS = ("low", "normal", "urgent")
"""How soon a message is shown, in ascending order; an urgent one takes the place of another."""

FITS = ("pages", "wrap", "glide")
COMMANDS = ("face", "next", "back", "hold", "light", "contrast", "clear")
KINDS = ("text", *COMMANDS)
"""What a message may ask for, each of which a file can switch off."""

USUAL = "usual"
"""The light that the file of the faces says."""

TOGGLE = "toggle"
"""The other state than now."""

MOST_GLYPHS = 16

LONGEST_NAME = 100
"""Characters of an id, and of the name of a panel or a face."""

Seconds = Annotated[float, Key(ge=SHORTEST_S, le=LONGEST_S)]
Row = Annotated[int, Key(ge=-4, le=3)]
Column = Annotated[int, Key(ge=-40, le=39)]
Light = bool | Annotated[float, Key(ge=0, le=1)] | Annotated[str, Key(max_length=40)]
Name = Annotated[str, Key(min_length=1, max_length=LONGEST_NAME)]
Rows = Annotated[list[Annotated[int, Key(ge=0, le=31)]], Key(min_length=8, max_length=8)]
Glyphs = Annotated[dict[str, Rows | Annotated[str, Key(max_length=200)]], Key(max_length=MOST_GLYPHS)]


class Message(Table):
    """A message: text that is shown for a time, or commands."""

    text: Annotated[str, Key(max_length=LONGEST)] | None = Key(
        None, description=f"text of at most {LONGEST} characters, with line breaks"
    )
    panel: Name | None = Key(None, description="the name of one of several panels of a host; default: all of them")
    row: Row | None = Key(None, description="a whole number: the first row of its place; default: the whole panel")
    column: Column = Key(0, description="a whole number: the first column of its place")
    width: Annotated[int, Key(ge=1, le=40)] | None = Key(None, description="columns of its place, 1 to 40")
    height: Annotated[int, Key(ge=1, le=4)] = Key(1, description="rows of its place, 1 to 4")
    seconds: Seconds | None = Key(
        None, description="a number, 0.001 to 100000000: how long it is shown; default: the host's setting"
    )
    level: Literal["low", "normal", "urgent"] = Key(
        "normal", description=f"{one_of(LEVELS)}: how soon it is shown; an urgent message interrupts"
    )
    fit: Literal["pages", "wrap", "glide"] | None = Key(
        None, description=f"{one_of(FITS)}: how long text is shown; default: the host's setting"
    )
    align: Literal["left", "centre", "right"] = Key("left", description="'left', 'centre' or 'right'")
    glyphs: Glyphs = Key(
        {}, description="drawings of up to 16 characters, each as 8 numbers from 0 to 31, or as rows of '#' and '.'"
    )
    light: Light | None = Key(
        None,
        description="the backlight: true, false, a brightness, 0 to 1, a colour, as '#20c0a0' or 'honey', 'usual' or "
        "'toggle'; with a text as long as that is shown, otherwise for its seconds, or until the next such message",
    )
    id: Name | None = Key(
        None, description="1 to 100 characters: a message that is sent again with the same id is shown only once"
    )
    until: float | Annotated[str, Key(max_length=40)] | None = Key(
        None,
        description="a date and time with its offset, as '2026-06-01T12:00:00Z', or seconds since 1970, after which "
        "the message is no longer shown",
    )
    face: Name | None = Key(None, description="the name of a face to show now")
    next: Literal[True] | None = Key(None, description="true: show the next face now")
    back: Literal[True] | None = Key(None, description="true: show the previous face now")
    hold: bool | Seconds | Literal["toggle"] | None = Key(
        None, description="true, false, 'toggle', or a number of seconds: keep the current face"
    )
    contrast: Annotated[float, Key(ge=0, le=1)] | None = Key(None, description="a number, 0 to 1: the contrast")
    clear: Literal[True] | None = Key(None, description="true: remove the message that is shown, and those that wait")

    @model_validator(mode="after")
    def _asks_for_something(self) -> Self:
        asked = self.asks
        if not asked:
            raise ValueError(f"it does nothing: it needs at least one of {', '.join(KINDS)}")
        if self.text is not None and (beside := [one for one in asked if one not in ("text", "light")]):
            raise ValueError(f"it has text and {' and '.join(beside)}: send them as two messages")
        if self.row is None and (self.column or self.width is not None or self.height != 1):
            raise ValueError("a place needs the key 'row'")
        if self.until is not None:
            unix_of(self.until)
        return self

    @property
    def asks(self) -> list[str]:
        """What it asks for, of `KINDS`."""
        return [one for one in KINDS if getattr(self, one) is not None]


State = Literal["shown", "done", "refused", "dropped", "expired", "cleared", "ended", "unsure", "waiting"]

STATES: dict[str, str] = {
    "shown": "its text is on the glass",
    "done": "its commands are carried out",
    "refused": "it is wrong, or not allowed here; see 'why'",
    "dropped": "the queue was full, and kept newer or more urgent messages",
    "expired": "its 'until' passed before its turn came",
    "cleared": "a clear command removed it before its turn came",
    "ended": "the host ended before its turn came",
    "unsure": "the host was interrupted while it wrote the panel; the message is not shown again",
    "waiting": "it is still waiting for its turn (HTTP only, after wait_s)",
}
"""What became of a message: what it means."""


class Answer(BaseModel):
    """The acknowledgement of a message by a panel."""

    model_config = ConfigDict(extra="forbid")
    id: str | None = Key(None, description="the id of the message")
    panel: str = Key("", description="the name of the panel")
    state: State = Key(description="the outcome")
    received: str = Key(description="when it arrived")
    shown: str | None = Key(None, description="when it appeared on the glass, or its commands were carried out")
    until: str | None = Key(None, description="when it will be removed")
    compromises: dict[str, str] = Key(
        {}, description="characters that the panel lacks, on the first page, and what it shows instead"
    )
    left_out: int = Key(0, description="number of control characters and escape sequences removed from the text")
    again: bool = Key(False, description="whether a message with this id had been shown before")
    why: str = Key("", description="the reason, when it was not shown")

    def json_text(self) -> str:
        """It as JSON, in ASCII alone: harmless on a terminal. Keys that say nothing are left out."""
        from json import dumps

        return dumps(self.model_dump(exclude_defaults=True) | {"panel": self.panel})


def iso(unix: float) -> str:
    """A time, in seconds since 1970 UTC, as text: "2026-06-01T12:00:00.000Z"."""
    return datetime.fromtimestamp(unix, UTC).isoformat(timespec="milliseconds").replace("+00:00", "Z")


def unix_of(until: float | str) -> float:
    """A time of a message as seconds since 1970 UTC. Raises ValueError for what is not a time with its offset."""
    if not isinstance(until, str):
        moment = float(until)
    else:
        try:
            read = datetime.fromisoformat(until)
        except ValueError:
            read = datetime.min
        if read.tzinfo is None:
            raise ValueError("until is a date and time with its offset, as '2026-06-01T12:00:00Z'")
        moment = read.timestamp()
    if not 0 <= moment < 1e11:
        raise ValueError("until is a time after 1970")
    return moment
