"""What a host publishes about its panels: the payloads, from which the published JSON Schema is made."""

from typing import Literal

from pydantic import BaseModel, ConfigDict
from pydantic import Field as Key

TIME = "when, as '2026-06-01T12:00:00.000Z'"


class Report(BaseModel):
    """A payload in JSON."""

    model_config = ConfigDict(extra="forbid")

    def json_text(self) -> str:
        """It as JSON, in ASCII alone."""
        from json import dumps

        return dumps(self.model_dump(), separators=(",", ":"))


class PanelState(Report):
    """ROOT/panel/PANEL/state: what a panel shows. Retained."""

    panel: str = Key(description="its name")
    host: str = Key(description="the host that drives it")
    size: str = Key(description="columns x rows, as '20x4'")
    rom: str = Key(description="its character ROM, as 'A00'")
    rows: list[str] = Key(description="its text, row by row; U+FFFC is a drawing without a character")
    face: str | None = Key(description="the face that is shown; null while a message takes its place")
    faces: list[str] = Key(description="the faces that can be chosen")
    message: str | None = Key(
        description="the id of the message on the panel, '' if it has none; null without a message"
    )
    held: bool = Key(description="whether the face is held")
    light: bool | float | str | None = Key(description="the backlight, as it was set; null for none")
    compromises: dict[str, str] = Key(description="characters that the panel lacks, and what it shows instead")
    drawings: dict[str, list[tuple[int, int]]] = Key(
        description="drawings on the glass: 8 rows, each two hexadecimal digits, and the [row, column] of each cell"
    )
    answers: bool = Key(description="whether the panel answers its host")
    time: str = Key(description=TIME)


class PanelHealth(Report):
    """ROOT/panel/PANEL/health: how a panel has been. Retained."""

    panel: str = Key(description="its name")
    transfers: int = Key(description="transfers on the bus so far")
    errors: int = Key(description="transfers that failed")
    retries: int = Key(description="transfers that were repeated")
    restarts: int = Key(description="times it was synchronised again")
    repaired: int = Key(description="bytes that were found different, and written again")
    last_error: str | None = Key(description="the last error")
    answers: bool = Key(description="whether the last transfer arrived")
    waiting: int = Key(description="messages that wait for their turn")
    time: str = Key(description=TIME)


class HostReading(Report):
    """ROOT/host/HOST/readings/PROBE: a reading. Retained."""

    name: str = Key(description="the name of the probe")
    value: float | None = Key(description="the number; null for none")
    text: str | None = Key(description="words, for a probe that has words")
    unit: str = Key(description="the unit, as 'kg'")
    flaw: Literal["missing", "invalid", "under", "over", "stale"] | None = Key(description="what is wrong with it")
    cause: str = Key(description="why, for people")
    time: str = Key(description="when it was taken")


class FacesReport(Report):
    """ROOT/host/HOST/faces/answer: the result for a face file received from the broker. Retained."""

    host: str = Key(description="the host")
    state: Literal["taken", "refused"] = Key(
        description="'taken': the host shows it; 'refused': the host keeps its faces"
    )
    digest: str = Key(description="the first 16 hexadecimal digits of the SHA-256 of the file")
    why: str = Key(description="the reason, when it is refused")
    time: str = Key(description=TIME)
