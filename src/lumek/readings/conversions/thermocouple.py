"""Thermocouples of types K, J, T, N, E, S, R and B on the International Temperature Scale of 1990."""

from functools import cache
from typing import TYPE_CHECKING, Any

import numpy as np

from lumek._harmless import quoted
from lumek.errors import SettingError
from lumek.readings.conversions.its90 import K_BUMP, PIECES
from lumek.readings.conversions.shape import V, like, quiet, within

if TYPE_CHECKING:
    from lumek.readings.conversions.shape import Array

B_LOWEST_C = 50.0
"""Below about 42 degrees Celsius two temperatures of type B have the same voltage; from here on there is one."""

POINTS = 512
"""Places at which the inverse looks up where to begin."""


@quiet
def thermocouple_millivolts(celsius: V, kind: str = "K", cold_celsius: float = 0.0) -> V:
    """The voltage in millivolts of a thermocouple.

    celsius: the temperature of the measuring junction, within the range of the kind: K -270 to 1372 degrees, J -210 to
        1200, T -270 to 400, N -270 to 1300, E -270 to 1000, S and R -50 to 1768.1, B 0 to 1820; outside NaN.
    cold_celsius: the temperature of the other end, where the wires meet the board.
    Raises SettingError for an unknown kind and a cold end outside of the kind's range.
    Source: NIST Monograph 175, the reference functions of ITS-90 (`its90`).
    """
    t = np.asarray(celsius, np.float64)
    return like(celsius, _reference(t, _known(kind)) - _cold(cold_celsius, kind))


@quiet
def thermocouple(millivolts: V, kind: str = "K", cold_celsius: "float | Array" = 0.0) -> V:
    """The temperature in degrees Celsius of a thermocouple's measuring junction.

    millivolts: what is measured between the cold ends; what no temperature in the kind's range gives is NaN.
    cold_celsius: the temperature of the cold ends; with it the voltage is brought to a reference junction at 0 degrees
        first. Type B answers from 50 degrees on: below, two temperatures have the same voltage.
    Raises SettingError for an unknown kind and a cold end outside of the kind's range.
    Source: `thermocouple_millivolts` solved by Newton's method, so that both agree to a millionth of a degree, over the
    whole range; the approximate inverse polynomials of the monograph are off by up to 0.06 degrees.
    """
    volts = np.asarray(millivolts, np.float64) + _cold(cold_celsius, kind)
    grid, known = _table(kind)
    inside = (volts >= known[0] - 1e-9) & (volts <= known[-1] + 1e-9)
    wanted = np.where(inside, volts, known[-1])
    t = np.interp(wanted, known, grid)
    for _ in range(3):
        at, slope = _with_slope(t, kind)
        t = np.minimum(np.maximum(t - (at - wanted) / slope, grid[0]), grid[-1])
    return like(millivolts, within(t, inside), cold_celsius)


def thermocouple_range(kind: str) -> tuple[float, float]:
    """The lowest and the highest temperature in degrees Celsius of a kind. Raises SettingError for an unknown one."""
    pieces = PIECES[_known(kind)]
    return pieces[0][0], pieces[-1][1]


def _known(kind: str) -> str:
    if kind not in PIECES:
        raise SettingError(f"{quoted(kind)} is not a kind of thermocouple: kinds are {', '.join(PIECES)}")
    return kind


def _cold(celsius: "float | Array", kind: str) -> "Array":
    """What a junction at the cold end's temperature gives."""
    low, high = thermocouple_range(kind)
    cold = np.asarray(celsius, np.float64)
    if ((cold < low) | (cold > high)).any():
        raise SettingError(f"cold_celsius must be {low:g} to {high:g} for type {kind}, not {quoted(celsius)}")
    return _reference(cold, kind)


def _reference(t: "Array", kind: str) -> "Array":
    """Millivolts of a junction against one at 0 degrees; NaN outside of the range."""
    return _with_slope(t, kind)[0]


def _with_slope(t: "Array", kind: str) -> "tuple[Array, Array]":
    """Millivolts of a junction against one at 0 degrees, and how many more a degree more gives; NaN outside."""
    all_of = np.ravel(t)
    volts, slopes = np.full((2, len(all_of)), np.nan)
    for low, high, coefficients in PIECES[kind]:
        here = (all_of >= low) & (all_of <= high) & np.isnan(volts)
        if not here.any():
            continue
        x = all_of[here]
        value = slope = np.zeros(len(x))
        for coefficient in reversed(coefficients):
            slope = slope * x + value
            value = value * x + coefficient
        if kind == "K" and low == 0:
            factor, width, centre = K_BUMP
            bump = factor * np.exp(width * (x - centre) ** 2)
            value, slope = value + bump, slope + 2 * width * (x - centre) * bump
        volts[here], slopes[here] = value, slope
    return volts.reshape(np.shape(t)), slopes.reshape(np.shape(t))


@cache
def _table(kind: str) -> Any:
    """Temperatures over the range in which one voltage means one of them, and their voltages."""
    low, high = thermocouple_range(_known(kind))
    grid = np.linspace(B_LOWEST_C if kind == "B" else low, high, POINTS)
    return grid, _reference(grid, kind)
