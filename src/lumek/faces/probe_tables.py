"""What a file may say of readings: the tables [sources.NAME] and [probes.NAME], and the probes that they make."""

import re
from collections.abc import Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Any, ClassVar, Literal, Self

from pydantic import ConfigDict, model_validator
from pydantic import Field as Key

from lumek._harmless import quoted
from lumek.config.signature import Parameter, parameters, table
from lumek.config.tables import Table, one_of
from lumek.errors import FaceError, LumekError, SettingError
from lumek.expressions.evaluate import Expression
from lumek.expressions.formula import FormulaProbe
from lumek.expressions.parse import called_with, parsed
from lumek.faces.model import OF, SECONDS, Seconds
from lumek.readings.poller import Poller
from lumek.readings.probe import Probe
from lumek.readings.probes.growing import GrowingTable
from lumek.readings.probes.host import WHAT, HostProbe
from lumek.readings.probes.line_feeds import InputText, SerialText, TcpText
from lumek.readings.probes.replay import Replay
from lumek.readings.probes.simulated import SimulatedProbe
from lumek.readings.probes.source import Source
from lumek.readings.probes.topics import MqttTopics
from lumek.readings.probes.web import HttpJson
from lumek.readings.reading import one_line
from lumek.readings.stage import Remembering, Stage
from lumek.readings.time_source import HOST_CLOCK, TimeSource

KINDS: dict[str, type[Source]] = {
    kind.kind: kind for kind in (Replay, GrowingTable, MqttTopics, HttpJson, SerialText, TcpText, InputText)
}  # fmt: skip
"""Kind of source: its class. A new kind is one more class in this line."""

OURS = ("clock",)
"""Parameters that a file cannot give."""

VALUE = "value"
"""What a stage calls the number that comes to it."""


def _of_source(kind: type[Source]) -> dict[str, Parameter]:
    """The settings of a source: the parameters of its constructor. Standard input has none in a file."""
    left_out = {*OURS, "file"} if kind is InputText else {*OURS}
    return {key: one for key, one in parameters(kind.__init__, kind).items() if key not in left_out}


def paths_of(kind: type[Source]) -> list[str]:
    """The settings of a source that are paths of files."""
    return [key for key, one in _of_source(kind).items() if "PathLike" in one.annotation]


SOURCES: dict[str, type[Table]] = {
    name: table(f"{kind.__name__}Table", Table, _of_source(kind), kinds={"headers": dict[str, str] | None},
                kind=(Literal[name], ...))
    for name, kind in KINDS.items()
}  # fmt: skip
"""Kind of source: its table."""

WHICH: dict[str, dict[str, Parameter]] = {
    name: {key: one for key, one in parameters(kind.probe, kind.probe).items() if key not in ("name", "unit")}
    for name, kind in KINDS.items()
} | {"host": {"interface": parameters(HostProbe.__init__, HostProbe)["interface"]}}
"""Kind of source, and "host": the keys of a probe that say which of its values it takes."""

OF_PROBE = {key: one for key, one in parameters(Probe.__init__, Probe).items() if key not in ("name", *OURS)}
OF_HOST = parameters(HostProbe.__init__, HostProbe)
SETTINGS = (*OF_PROBE, *dict.fromkeys(key for keys in WHICH.values() for key in keys))
"""Keys that are settings of the probe that is made. low and high are not: they are those of the result."""


SimulatedTable = table(
    "SimulatedTable", Table,
    {key: one for key, one in parameters(SimulatedProbe.__init__, SimulatedProbe).items()
     if key not in ("name", "unit")},
)  # fmt: skip
"""A simulated sensor."""

if TYPE_CHECKING:
    SourceKind = str
    HostValue = str
    AnySimulated = Table
else:
    SourceKind, HostValue, AnySimulated = Literal[tuple(KINDS)], Literal[tuple(WHAT)], SimulatedTable


class _AnySource(Table):
    """What every source says; read where its kind is unknown."""

    model_config = ConfigDict(extra="ignore")
    kind: SourceKind = Key(description=one_of(KINDS))


def source_table(raw: Any) -> type[Table]:
    """The model of a source, by its kind."""
    kind = raw.get("kind") if isinstance(raw, dict) else None
    return SOURCES[kind] if isinstance(kind, str) and kind in SOURCES else _AnySource


class ProbeTable(Table):
    """[probes.NAME]: where a reading comes from, and what is done with it."""

    ORIGINS: ClassVar[tuple[str, ...]] = ("source", "kernel", "host", "simulated", "formula")
    source: str | None = Key(None, description="the name of a table in [sources]")
    kernel: str | None = Key(None, description="the id of a sensor of this host; 'lumek sensors' lists them")
    host: HostValue | None = Key(None, description=OF_HOST["what"].description)
    simulated: AnySimulated | None = Key(None, description="a table, as { value = 41.4, swing = 2 }")
    formula: str | None = Key(None, description=OF)
    to_unit: str | None = Key(None, description="a unit, as 'degF', into which the result is converted")
    every_s: Seconds | None = Key(
        None, description=f"{SECONDS}, from one reading to the next; default: poll_s of [deck]"
    )
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


PROBE_TABLE = table(
    "AnyProbeTable", ProbeTable, {key: one for keys in WHICH.values() for key, one in keys.items()} | OF_PROBE
)  # fmt: skip
"""[probes.NAME], with the keys that its source and every probe take."""


def probe_of(
    name: str, table: Any, sources: Mapping[str, Any], poller: Poller, clock: TimeSource = HOST_CLOCK
) -> Probe:
    """The probe of a table.

    sources: opened, by name.
    poller: of the probes of which a formula may be.

    Raises FaceError, and what a probe raises.
    """
    settings = {key: getattr(table, key) for key in SETTINGS
                if key in table.model_fields_set and key not in ("low", "high")}  # fmt: skip
    probe: Probe
    if table.source is not None:
        probe = sources[table.source].probe(name, **settings)
    elif table.kernel is not None:
        from lumek.readings.probes.kernel import kernel_probe

        probe = kernel_probe(table.kernel, name, clock=clock, **settings)
    elif table.host is not None:
        probe = HostProbe(table.host, name, clock=clock, **settings)
    elif table.simulated is not None:
        probe = SimulatedProbe(name, clock=clock, **table.simulated.model_dump(exclude_none=True), **settings)
    else:
        probe = FormulaProbe(name, Expression(str(table.formula)), poller, clock=clock, **settings)
    stages = stages_of(table)
    if not stages and table.to_unit is None and table.low is None and table.high is None:
        return probe
    return probe.through(*stages, unit=table.to_unit, low=table.low, high=table.high)


def stages_of(table: Any) -> list[Stage]:
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


def filters_of(table: Any) -> list[str]:
    """The filters of a probe, as they are written."""
    pairs = zip(table.through, stages_of(table), strict=False)
    return [text for text, stage in pairs if isinstance(stage, Remembering)]


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


def open_source(table: Any, folder: Path, speed: float, clock: TimeSource) -> Source:
    """The source of a table.

    folder: from which its paths are taken.
    speed: how much faster recordings are played back.
    clock: of its readings.
    Raises what a source raises.
    """
    kind = KINDS[table.kind]
    settings = table.model_dump(exclude={"kind"}, exclude_unset=True)
    for key in paths_of(kind):
        if settings.get(key):
            settings[key] = folder / settings[key]
    if kind is Replay:
        settings["speed"] = table.speed * speed
    opened: Source = kind(clock=clock, **settings)
    return opened
