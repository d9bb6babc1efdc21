"""How a setting that is a number is checked."""

from math import isfinite
from numbers import Real

from lumek.errors import SettingError


def positive(value: float, name: str, unit: str = "", *, or_zero: bool = False) -> float:
    """A setting that must be above 0, or 0 with or_zero; SettingError when it is not, or no number."""
    number = isinstance(value, Real) and not isinstance(value, bool) and isfinite(value)
    if not number or value < 0 or (value == 0 and not or_zero):
        wanted = "0 or more" if or_zero else f"above 0{f' {unit}' if unit else ''}"
        raise SettingError(f"{name} must be {wanted}, not {value!r}")
    return value
