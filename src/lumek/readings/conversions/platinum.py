"""Platinum resistance thermometers (Pt100, Pt1000) after IEC 60751."""

from typing import TYPE_CHECKING

import numpy as np

from lumek.readings.conversions.shape import V, like, quiet, within
from lumek.readings.settings import positive

if TYPE_CHECKING:
    from lumek.readings.conversions.shape import Array

A = 3.9083e-3
B = -5.775e-7
C = -4.183e-12
"""Coefficients of IEC 60751:2008, section 4.2, for 1/K, 1/K**2 and 1/K**4."""

LOWEST_C, HIGHEST_C = -200.0, 850.0

TABLE_ROUNDING = 5e-5
"""Half of the last digit of the standard's table for a Pt100, 0.01 ohm: its own ends are within the range."""


@quiet
def platinum_resistance(celsius: V, zero_ohm: float = 100.0) -> V:
    """The resistance in ohms of a platinum thermometer.

    celsius: -200 to 850 degrees; outside NaN.
    zero_ohm: its resistance at 0 degrees: 100 for a Pt100.
    Source: IEC 60751:2008, section 4.2: R0 (1 + A t + B t**2), and below 0 degrees + C (t - 100) t**3 in the brackets.
    """
    zero = positive(zero_ohm, "zero_ohm", "ohm")
    t = np.asarray(celsius, np.float64)
    return like(celsius, within(zero * _ratio(t), (t >= LOWEST_C) & (t <= HIGHEST_C)))


@quiet
def platinum(resistance_ohm: V, zero_ohm: float = 100.0) -> V:
    """The temperature in degrees Celsius of a platinum thermometer, -200 to 850.

    resistance_ohm: 18.52 to 390.48 ohms for a Pt100; outside NaN.
    zero_ohm: its resistance at 0 degrees.
    Source: `platinum_resistance` solved: the root of the quadratic, and from there five steps of Newton's method.
    """
    ratio = np.asarray(resistance_ohm, np.float64) / positive(zero_ohm, "zero_ohm", "ohm")
    ends = _ratio(np.array([LOWEST_C, HIGHEST_C]))
    inside = (ratio >= ends[0] - TABLE_ROUNDING) & (ratio <= ends[1] + TABLE_ROUNDING)
    ratio = np.where(inside, ratio, 1)
    t = (-A + np.sqrt(A**2 - 4 * B * (1 - ratio))) / (2 * B)
    for _ in range(5):
        slope = A + 2 * B * t + np.where(t < 0, C * (4 * t**3 - 300 * t**2), 0)
        t = t - (_ratio(t) - ratio) / slope
    return like(resistance_ohm, within(t, inside))


def _ratio(t: "Array") -> "Array":
    return 1 + A * t + B * t**2 + np.where(t < 0, C * (t - 100) * t**3, 0)
