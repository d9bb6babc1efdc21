"""Units, by pint."""

import re
from functools import cache
from typing import Any, overload

import numpy as np

from lumek._harmless import quoted
from lumek.errors import SettingError
from lumek.readings.conversions.shape import V, like, quiet
from lumek.readings.extras import wanted_by
from lumek.readings.reading import Reading

TURNS = ("revolutions_per_minute", "revolutions_per_second", "hertz")
"""Ends of the names of units that count turns."""

ALIASES = {"\u2103": "degC", "\u2109": "degF", "L/100km": "litres_per_100_km", "l/100km": "litres_per_100_km",
           "L/100 km": "litres_per_100_km", "l/100 km": "litres_per_100_km"}  # fmt: skip
"""Units as people write them, which pint cannot read: its name for them."""

DEFINITIONS = (
    # pint takes a turn for 2 pi, and a hertz for 1/s without a turn: 60 rpm would be 6.28 Hz.
    "revolutions_per_minute = 1 / minute = rpm",
    "revolutions_per_second = 1 / second = rps",
    "part_per_billion = 1e-9 = ppb",
    "litres_per_100_km = 1e-5 liter / meter",
)

LONGEST = 60
POWER = r"\s*(?:\*\*|\^)\s*[-+]?\d\d?(?!\d)"


@overload
def in_unit(value: Reading, to: str, unit: str | None = None) -> Reading: ...
@overload
def in_unit(value: V, to: str, unit: str | None = None) -> V: ...
@quiet
def in_unit(value: Any, to: str, unit: str | None = None) -> Any:
    """A value in another unit.

    value: a reading, whose unit it has already; or a float or array with its unit.
    to: the unit wanted, as pint writes it: "degF", "°F", "kPa", "g/m**3", "1/min".
    unit: what the value is in, for a reading only if it has none. A flawed reading keeps its flaw. Temperatures are
        points on their scales, not differences: 20 "°C" are 68 "°F". "rpm" counts turns, as "Hz" does: 60 "rpm" are 1
        "Hz"; neither becomes radians or degrees.
    Raises SettingError for an unknown unit and for one that measures something else; PackageError without pint.
    """
    if unit is None:
        if not isinstance(value, Reading) or not value.unit:
            raise SettingError(f"in which unit is {quoted(value)}? Give unit=")
        unit = value.unit
    source, target = _parsed(unit), _parsed(to)
    if {"turns", "angles"} == {_counted(source), _counted(target)}:
        raise SettingError(
            f"{quoted(unit)} cannot become {quoted(to)}: one counts turns, the other angles; a turn is 2 pi rad"
        )
    try:
        result = _registry().Quantity(np.asarray(value, np.float64), source).to(target).magnitude
    except Exception as problem:
        raise SettingError(f"{quoted(unit)} cannot become {quoted(to)}: {problem}") from None
    if isinstance(value, Reading):
        return value.but(float(result), unit=to)
    return like(value, np.asarray(result))


@cache
def _registry() -> Any:
    with wanted_by("a conversion of units", "readings"):
        from pint import UnitRegistry
    registry: Any = UnitRegistry(on_redefinition="ignore")
    for definition in DEFINITIONS:
        registry.define(definition)
    return registry


def _counted(unit: Any) -> str:
    """Whether a unit counts turns or angles."""
    if any(name.endswith(TURNS) for name in re.findall(r"\w+", str(unit))):
        return "turns"
    return "angles" if "radian" in str(_registry().Quantity(1, unit).to_root_units().units) else ""


@cache
def _parsed(unit: str) -> Any:
    registry = _registry()
    unit = ALIASES.get(unit, unit) if isinstance(unit, str) else unit
    others = re.sub(POWER, " ", str(unit))
    # pint computes with numbers as Python does: 9**9**9**9 and ((9**99)**99)**99 would never end.
    wrong = re.search(POWER + POWER, str(unit)) or re.search(r"\*\*|\^|\b\d\d+|\b[02-9]\b", others)
    if len(str(unit)) > LONGEST or wrong:
        raise SettingError(
            f"{str(unit)[:LONGEST]!r} is not a unit: powers have at most two digits, and 1 is the only number allowed"
        )
    try:
        return registry.Unit(unit)
    except Exception as problem:
        raise SettingError(f"{quoted(unit)} is not a known unit: {problem}") from None
