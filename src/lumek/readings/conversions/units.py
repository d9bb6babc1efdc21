"""Units, by pint."""

import re
from functools import cache
from typing import Any, overload

import numpy as np

from lumek.errors import SettingError
from lumek.readings.conversions.shape import V, like, quiet
from lumek.readings.extras import wanted_by
from lumek.readings.reading import Reading

ANGLES = {"radian", "degree", "revolution", "turn", "arcminute", "arcsecond", "grade"}

LONGEST = 60
POWER = r"\s*(?:\*\*|\^)\s*[-+]?\d\d?(?!\d)"


@overload
def in_unit(value: Reading, to: str, unit: str | None = None) -> Reading: ...
@overload
def in_unit(value: V, to: str, unit: str | None = None) -> V: ...
@quiet
def in_unit(value: Any, to: str, unit: str | None = None) -> Any:
    """A value in another unit.

    value: a reading, whose unit it has already; or a float or array with its unit. to: the unit wanted, as pint writes
    it: "degF", "°F", "kPa", "g/m**3", "1/min". unit: what the value is in, for a reading only if it has none.
    A flawed reading keeps its flaw. Temperatures are points on their scales, not differences: 20 "°C" are 68 "°F".
    "rpm" counts turns, as "Hz" does: 60 "rpm" are 1 "Hz"; what it is in radians is not told.
    Raises SettingError for an unknown unit and for one that measures something else; PackageError without pint.
    """
    if unit is None:
        if not isinstance(value, Reading) or not value.unit:
            raise SettingError(f"in which unit is {value!r}? Give unit=")
        unit = value.unit
    source, target = _parsed(unit), _parsed(to)
    if {_counted(source), _counted(target)} == {"turns", "angles"}:
        raise SettingError(f"{unit!r} cannot become {to!r}: one counts turns, the other angles; a turn is 2 pi rad")
    try:
        result = _registry().Quantity(np.asarray(value, np.float64), source).to(target).magnitude
    except Exception as problem:
        raise SettingError(f"{unit!r} cannot become {to!r}: {problem}") from None
    if isinstance(value, Reading):
        return value.but(float(result), unit=to)
    return like(value, np.asarray(result))


@cache
def _registry() -> Any:
    with wanted_by("a conversion of units", "readings"):
        from pint import UnitRegistry
    # pint takes a turn for 2 pi, and a hertz for 1/s without a turn: 60 rpm would be 6.28 Hz.
    registry: Any = UnitRegistry(on_redefinition="ignore")
    registry.define("revolutions_per_minute = 1 / minute = rpm")
    return registry


def _counted(unit: Any) -> str:
    """Whether a unit counts turns or angles."""
    names = set(re.findall(r"\w+", str(unit)))
    return "turns" if "revolutions_per_minute" in names else "angles" if names & ANGLES else ""


@cache
def _parsed(unit: str) -> Any:
    registry = _registry()
    others = re.sub(POWER, " ", str(unit))
    if len(str(unit)) > LONGEST or re.search(POWER + POWER, str(unit)) or re.search(r"\*\*|\^|\b\d\d+", others):
        # pint computes with numbers as Python does: 9**9**9**9 would never end.
        raise SettingError(
            f"{str(unit)[:LONGEST]!r} is no unit: powers have at most two digits, and no number stands alone"
        )
    try:
        return registry.Unit(unit)
    except Exception as problem:
        raise SettingError(f"{unit!r} is no unit that is known: {problem}") from None
