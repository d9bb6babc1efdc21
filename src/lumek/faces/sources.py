"""What a file may say of readings: the tables [sources.NAME] and [probes.NAME], and the probes that they make."""

import re
from collections.abc import Mapping
from pathlib import Path
from typing import Annotated, Any, ClassVar, Literal, Self

from pydantic import ConfigDict, model_validator
from pydantic import Field as Key

from lumek._harmless import quoted
from lumek.config.tables import Table
from lumek.errors import FaceError, LumekError, SettingError
from lumek.expressions.evaluate import Expression
from lumek.expressions.formula import FormulaProbe
from lumek.expressions.parse import called_with, parsed
from lumek.faces.model import OF, SECONDS, Positive, Seconds
from lumek.hookup.keys import SWITCH
from lumek.readings.poller import Poller
from lumek.readings.probe import Probe
from lumek.readings.reading import one_line
from lumek.readings.settings import LONGEST_S
from lumek.readings.stage import Stage
from lumek.readings.time_source import HOST_CLOCK, TimeSource

PATH = "the path of a file"
CA = f"{PATH} with the certificate of the authority to trust"
HOST = "the name or address of a host"
PORT = "a number, 1 to 65535"
WHICH = {"replay": ("column",), "mqtt": ("topic", "pointer"), "http": ("pointer",), "serial": ("key",),
         "tcp": ("key",), "input": ("key",), "host": ("interface",)}  # fmt: skip
"""Kind of source: the keys of a probe that say which of its values."""

SETTINGS = ("unit", "lifetime_s", "shortest_s", "words", "column", "key", "pointer", "topic", "interface")
"""Keys that are settings of the probe that is made."""

VALUE = "value"
"""What a stage calls the number that comes to it."""

Port = Annotated[int, Key(ge=1, le=65535)]


class ReplayTable(Table):
    """A recording."""

    kind: Literal["replay"]
    file: str = Key(description=f"{PATH}, as 'day.csv'")
    column: str = Key("time", description="the name of the column of times")
    speed: Positive = Key(1.0, description="a number, above 0: seconds of the recording in one second")
    loop: bool = Key(False, description=f"{SWITCH}: it begins again at its end")


class MqttTable(Table):
    """A broker."""

    kind: Literal["mqtt"]
    host: str = Key(description=HOST)
    port: Port | None = Key(None, description=PORT)
    user: str | None = Key(None, description="text")
    password: str | None = Key(None, description="text")
    tls: bool = Key(False, description=f"{SWITCH}: encrypt")
    ca: str | None = Key(None, description=CA)


class HttpTable(Table):
    """A document on a web server."""

    kind: Literal["http"]
    url: str = Key(description="an address, as 'http://hive.example/now'")
    shortest_s: Annotated[float, Key(ge=0, le=LONGEST_S)] = Key(
        1.0, description="seconds, 0 or more, from one request to the next"
    )
    limit_s: Seconds = Key(5.0, description=f"{SECONDS}, that an answer may take")
    headers: dict[str, str] = Key({}, description="a table of name = 'text'")
    ca: str | None = Key(None, description=CA)


class SerialTable(Table):
    """A serial port."""

    kind: Literal["serial"]
    port: str = Key(description="the path of a port, as '/dev/ttyUSB0'")
    speed: Annotated[int, Key(gt=0)] = Key(115_200, description="bits in a second")


class TcpTable(Table):
    """A connection that brings lines."""

    kind: Literal["tcp"]
    host: str = Key(description=HOST)
    port: Port = Key(description=PORT)


class InputTable(Table):
    """Lines from the standard input."""

    kind: Literal["input"]


SOURCES: dict[str, type[Table]] = {
    "replay": ReplayTable, "mqtt": MqttTable, "http": HttpTable, "serial": SerialTable, "tcp": TcpTable,
    "input": InputTable,
}  # fmt: skip


class _AnySource(Table):
    """What every source says; read where its kind is none."""

    model_config = ConfigDict(extra="ignore")
    kind: Literal["replay", "mqtt", "http", "serial", "tcp", "input"] = Key(
        description="'replay', 'mqtt', 'http', 'serial', 'tcp' or 'input'"
    )


def source_table(raw: Any) -> type[Table]:
    """The model of a source, by its kind."""
    kind = raw.get("kind") if isinstance(raw, dict) else None
    return SOURCES[kind] if isinstance(kind, str) and kind in SOURCES else _AnySource


class SimulatedTable(Table):
    """A simulated sensor."""

    value: float = Key(description="a number, around which it swings")
    swing: float = Key(0.0, description="a number, by how much")
    period_s: Seconds = Key(86_400.0, description=f"{SECONDS}, up and down again")
    drift_per_h: Annotated[float, Key(ge=0)] = Key(
        0.0, description="a number, 0 or more, that it usually strays in an hour"
    )
    noise: Annotated[float, Key(ge=0)] = Key(0.0, description="a number, 0 or more: the standard deviation")
    spike: float = Key(0.0, description="a number, how high a spike is")
    spike_chance: Annotated[float, Key(ge=0, le=1)] = Key(0.0, description="a number, 0 to 1")
    dropout_every_s: Seconds | None = Key(None, description=f"{SECONDS}, from one drop-out to the next, on the average")
    dropout_s: Seconds = Key(10.0, description=f"{SECONDS}, that it lasts")
    seed: int = Key(0, description="a whole number, another for other chances")


class ProbeTable(Table):
    """[probes.NAME]: where a reading comes from, and what is done with it."""

    ORIGINS: ClassVar[tuple[str, ...]] = ("source", "kernel", "host", "simulated", "formula")
    source: str | None = Key(None, description="the name of a table in [sources]")
    column: str | None = Key(None, description="the name of a column")
    key: str | None = Key(None, description="a key of the lines")
    pointer: str | None = Key(None, description="a JSON pointer, as '/hive/weight'")
    topic: str | None = Key(None, description="a topic, as 'hive/weight'")
    kernel: str | None = Key(None, description="the id of a sensor of this host; lumek run --list-sensors lists it")
    host: Literal["address", "clock", "load", "uptime"] | None = Key(
        None, description="'address', 'clock', 'load' or 'uptime'"
    )
    simulated: SimulatedTable | None = Key(None, description="a table, as { value = 41.4, swing = 2 }")
    formula: str | None = Key(None, description=OF)
    interface: str | None = Key(None, description="a network interface, as 'wlan0', whose address is told")
    unit: str = Key("", description="text, as 'kg'")
    to_unit: str | None = Key(None, description="a unit, as 'degF', into which it is converted last")
    low: float | None = Key(None, description="a number, below which the result is under")
    high: float | None = Key(None, description="a number, above which the result is over")
    lifetime_s: Seconds | None = Key(None, description=f"{SECONDS}, after which a reading is stale")
    shortest_s: Annotated[float, Key(ge=0, le=LONGEST_S)] | None = Key(
        None, description="seconds, 0 or more, for which the sensor is left alone"
    )
    every_s: Seconds | None = Key(
        None, description=f"{SECONDS}, from one reading to the next; poll_s of the deck when not said"
    )
    words: bool = Key(False, description=f"{SWITCH}: it tells words, not numbers")
    through: list[str] = Key(
        [], description="a list of filters and formulas of value, as ['MovingMedian(5)', 'value * 1.8 + 32']"
    )

    @property
    def origin(self) -> str:
        """Where it comes from: "source", "kernel", "host", "simulated" or "formula"."""
        return next(one for one in self.ORIGINS if getattr(self, one) is not None)

    @model_validator(mode="after")
    def _comes_from_one_place(self) -> Self:
        said = [one for one in self.ORIGINS if getattr(self, one) is not None]
        if len(said) != 1:
            raise ValueError(f"needs one of {', '.join(self.ORIGINS)}, and has {' and '.join(said) or 'none'}")
        return self


def probe_of(
    name: str, table: ProbeTable, sources: Mapping[str, Any], poller: Poller, clock: TimeSource = HOST_CLOCK
) -> Probe:
    """The probe of a table. sources: opened, by name. poller: of the probes of which a formula may be.

    Raises FaceError, and what a probe raises.
    """
    settings = {key: getattr(table, key) for key in SETTINGS if key in table.model_fields_set}
    probe: Probe
    if table.source is not None:
        probe = sources[table.source].probe(name, **settings)
    elif table.kernel is not None:
        from lumek.readings.probes.kernel import kernel_probe

        probe = kernel_probe(table.kernel, name, clock=clock, **settings)
    elif table.host is not None:
        from lumek.readings.probes.host import HostProbe

        probe = HostProbe(table.host, name, clock=clock, **settings)
    elif table.simulated is not None:
        from lumek.readings.probes.simulated import SimulatedProbe

        probe = SimulatedProbe(name, clock=clock, **table.simulated.model_dump(exclude_none=True), **settings)
    else:
        probe = FormulaProbe(name, Expression(str(table.formula)), poller, clock=clock, **settings)
    stages = stages_of(table)
    if not stages and table.to_unit is None and table.low is None and table.high is None:
        return probe
    return probe.through(*stages, unit=table.to_unit, low=table.low, high=table.high)


def stages_of(table: ProbeTable) -> list[Stage]:
    """The conversions and filters of a probe, new ones each time. Raises FaceError for one that cannot be."""
    stages = [_stage(text) for text in table.through]
    if table.to_unit is not None:
        from lumek.readings.conversions import in_unit

        if not table.unit:
            raise FaceError(f"to_unit = {quoted(table.to_unit)} needs the unit from which it is converted: unit = ...")
        to_unit, unit = table.to_unit, table.unit
        try:
            in_unit(1.0, to_unit, unit)
        except SettingError as problem:
            raise FaceError(f"to_unit = {quoted(to_unit)} is not possible: {problem}") from None
        stages.append(lambda value: in_unit(value, to_unit, unit))
    return stages


def _stage(text: str) -> Stage:
    """A filter, or a formula of `value`."""
    from lumek.readings import smoothing

    filters = [name for name in smoothing.__all__ if name not in ("Chain", "Filter", "resampled")]
    begins = re.match(r"\s*([A-Z]\w*)\s*\(", text)
    if begins:
        name, values, settings = called_with(parsed(text))
        if name not in filters:
            raise FaceError(f"there is no filter {quoted(name)}: filters are {', '.join(filters)}")
        try:
            made: Stage = getattr(smoothing, name)(*values, **settings)
            return made
        except (TypeError, LumekError) as problem:
            raise FaceError(f"{quoted(text)} is not possible: {one_line(problem)}") from None
    formula = Expression(text, [VALUE])

    def converted(value: float) -> float:
        result = formula.value({VALUE: value})
        return float("nan") if result is None else float(result)

    converted.__name__ = text
    return converted


def open_source(table: Any, folder: Path, speed: float, clock: TimeSource) -> Any:
    """The source of a table. speed: how much faster recordings are given again. Raises what a source raises."""
    settings = table.model_dump(exclude={"kind"}, exclude_unset=True)
    if settings.get("ca"):
        settings["ca"] = folder / settings["ca"]
    if table.kind == "replay":
        from lumek.readings.probes.replay import Replay

        settings["speed"] = table.speed * speed
        return Replay(folder / settings.pop("file"), clock=clock, **settings)
    if table.kind == "mqtt":
        from lumek.readings.probes.topics import MqttTopics

        return MqttTopics(clock=clock, **settings)
    if table.kind == "http":
        from lumek.readings.probes.web import HttpJson

        return HttpJson(clock=clock, **settings)

    from lumek.readings.probes import line_feeds

    makers: dict[str, Any] = {"serial": line_feeds.SerialText, "tcp": line_feeds.TcpText, "input": line_feeds.InputText}
    return makers[table.kind](clock=clock, **settings)
