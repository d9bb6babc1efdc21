"""How a setting that is a number is checked."""

from math import isfinite
from numbers import Real

from lumek._harmless import quoted
from lumek.errors import SettingError

MOST = 1e12

SHORTEST_S, LONGEST_S = 0.001, 1e8
"""A millisecond, and three years: within it every wait, period and lifetime can be computed and waited for."""


def positive(value: float, name: str, unit: str = "", *, or_zero: bool = False, most: float = MOST) -> float:
    """A setting above 0, or from 0 with or_zero, up to `most`; SettingError for any other value."""
    if is_finite(value) and value <= most and (value > 0 or (value == 0 and or_zero)):
        return value
    wanted = "0 or more" if or_zero else f"above 0{f' {unit}' if unit else ''}"
    too_much = f", and at most {most:g}" if is_finite(value) and value > most else ""
    raise SettingError(f"{name} must be {wanted}{too_much}, not {quoted(value)}")


def duration(seconds: float, name: str, *, or_zero: bool = False) -> float:
    """A setting in seconds, 0.001 to 100,000,000, or from 0 with or_zero. Raises SettingError for any other."""
    least = 0 if or_zero else SHORTEST_S
    if is_finite(seconds) and least <= seconds <= LONGEST_S:
        return seconds
    raise SettingError(f"{name} must be {least:g} to {LONGEST_S:.0f} (seconds), not {quoted(seconds)}")


def finite(value: float, name: str) -> float:
    """A setting that is any number but NaN and the infinities. Raises SettingError for any other."""
    if not is_finite(value):
        raise SettingError(f"{name} must be a number, not {quoted(value)}")
    return value


def is_finite(value: object) -> bool:
    """Whether something is a number that a float can hold, and not a bool."""
    try:
        return isinstance(value, Real) and not isinstance(value, bool) and isfinite(value)
    except OverflowError:
        return False
