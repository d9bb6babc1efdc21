"""Thermistors: from resistance to temperature and back.

Every function takes a float or a NumPy array and gives back the same; what is outside of its range becomes NaN.
"""

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np

from lumek._harmless import quoted
from lumek.errors import SettingError
from lumek.readings.conversions.shape import KELVIN, V, like, quiet, within
from lumek.readings.settings import positive

if TYPE_CHECKING:
    from lumek.readings.conversions.shape import Array


@quiet
def thermistor_beta(
    resistance_ohm: V, beta_k: float, nominal_ohm: float = 10_000.0, nominal_celsius: float = 25.0
) -> V:
    """The temperature in degrees Celsius of a thermistor with a constant beta.

    resistance_ohm: above 0 ohms; other values NaN.
    beta_k: in kelvins, as in the data sheet (B25/85 for between 25 and 85 degrees; away from those the formula is off
        by degrees, where `thermistor` with three coefficients is not).
    nominal_ohm: the resistance at nominal_celsius.
    Source: 1/T = 1/T0 + ln(R/R0)/B, definition of the B value in IEC 60539-1.
    """
    beta, nominal = positive(beta_k, "beta_k", "K"), positive(nominal_ohm, "nominal_ohm", "ohm")
    resistance = np.asarray(resistance_ohm, np.float64)
    inverse = 1 / _kelvins(nominal_celsius) + _logarithm(resistance / nominal) / beta
    return like(resistance_ohm, _celsius(inverse))


@quiet
def thermistor_beta_resistance(
    celsius: V, beta_k: float, nominal_ohm: float = 10_000.0, nominal_celsius: float = 25.0
) -> V:
    """The resistance in ohms of a thermistor with a constant beta: the inverse of `thermistor_beta`.

    celsius: above -273.15 degrees; other values NaN.
    """
    beta, nominal = positive(beta_k, "beta_k", "K"), positive(nominal_ohm, "nominal_ohm", "ohm")
    kelvins = np.asarray(celsius, np.float64) + KELVIN
    ratio = np.exp(beta * (1 / kelvins - 1 / _kelvins(nominal_celsius)))
    return like(celsius, within(nominal * ratio, np.isfinite(kelvins) & (kelvins > 0)))


@quiet
def thermistor(resistance_ohm: V, coefficients: Sequence[float]) -> V:
    """The temperature in degrees Celsius of a thermistor by the equation of Steinhart and Hart.

    resistance_ohm: above 0 ohms; other values NaN, as is what no temperature fits.
    coefficients: A, B and C of the maker, or those of `fit_thermistor`.
    Source: 1/T = A + B ln R + C (ln R)**3; J. S. Steinhart and S. R. Hart, Calibration curves for thermistors, Deep-Sea
    Research 15 (1968).
    """
    a, b, c = _three(coefficients)
    logarithm = _logarithm(np.asarray(resistance_ohm, np.float64))
    return like(resistance_ohm, _celsius(a + b * logarithm + c * logarithm**3))


@quiet
def thermistor_resistance(celsius: V, coefficients: Sequence[float]) -> V:
    """The resistance in ohms of a thermistor by the equation of Steinhart and Hart: the inverse of `thermistor`.

    celsius: above -273.15 degrees; other values NaN.
    coefficients: A, B and C, with B and C above 0.
    Source: the real root of the cubic in ln R (Cardano).
    """
    a, b, c = _three(coefficients)
    if not (b > 0 and c > 0):
        raise SettingError(f"the way back needs B and C above 0, not {quoted(b)} and {quoted(c)}")
    kelvins = np.asarray(celsius, np.float64) + KELVIN
    half = (a - 1 / kelvins) / (2 * c)
    root = np.sqrt((b / (3 * c)) ** 3 + half**2)
    return like(
        celsius, within(np.exp(np.cbrt(root - half) - np.cbrt(root + half)), np.isfinite(kelvins) & (kelvins > 0))
    )


def _three(coefficients: Sequence[float]) -> tuple[float, float, float]:
    try:
        a, b, c = (float(value) for value in coefficients)
    except (TypeError, ValueError):
        raise SettingError(f"coefficients are three numbers A, B and C, not {quoted(coefficients)}") from None
    return a, b, c


def _kelvins(celsius: float) -> float:
    return positive(celsius + KELVIN, "nominal_celsius + 273.15", "K")


def _logarithm(values: "Array") -> "Array":
    """The natural logarithm; NaN of what is not above 0."""
    return within(np.log(values), values > 0)


def _celsius(inverse: "Array") -> "Array":
    """Degrees Celsius from one over kelvins; NaN where that is not a temperature."""
    return within(1 / inverse - KELVIN, inverse > 0)
