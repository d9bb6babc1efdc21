"""Units, by pint."""

from functools import cache
from typing import Any, overload

import numpy as np

from lumek.errors import SettingError
from lumek.readings.conversions.shape import V, like, quiet
from lumek.readings.extras import wanted_by
from lumek.readings.reading import Reading


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
    Raises SettingError for an unknown unit and for one that measures something else; PackageError without pint.
    """
    if unit is None:
        if not isinstance(value, Reading) or not value.unit:
            raise SettingError(f"in which unit is {value!r}? Give unit=")
        unit = value.unit
    source, target = _parsed(unit), _parsed(to)
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
    return UnitRegistry()


@cache
def _parsed(unit: str) -> Any:
    registry = _registry()
    try:
        return registry.Unit(unit)
    except Exception as problem:
        raise SettingError(f"{unit!r} is no unit that is known: {problem}") from None
