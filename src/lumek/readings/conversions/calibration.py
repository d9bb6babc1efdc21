"""Lines and curves from what was measured against what was known."""

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING, Any

import numpy as np

from lumek._harmless import quoted
from lumek.errors import SettingError
from lumek.readings.conversions.shape import KELVIN, V, like, quiet
from lumek.readings.conversions.thermistor import thermistor
from lumek.readings.extras import wanted_by

if TYPE_CHECKING:
    from numpy.typing import ArrayLike

    from lumek.readings.conversions.shape import Array


@quiet
def two_point(raw: V, low: tuple[float, float], high: tuple[float, float]) -> V:
    """A raw value on the straight line through two points that are known.

    raw: a float or an array.
    low, high: each the raw value and the true one: (8388, 0.0) and (123456, 20.0) for a scale without and with 20 kg.
    Raises SettingError when both raw values are the same.
    """
    try:
        (raw_low, low_true), (raw_high, high_true) = low, high
        rise = (high_true - low_true) / (raw_high - raw_low)
    except (TypeError, ValueError, ZeroDivisionError):
        raise SettingError(
            f"two points are two pairs (raw value, true value) with different raw values, not "
            f"{quoted(low)} and {quoted(high)}"
        ) from None
    return like(raw, low_true + (np.asarray(raw, np.float64) - raw_low) * rise)


@quiet
def from_table(value: V, table: Sequence[tuple[float, float]], beyond: bool = False) -> V:
    """A value looked up in a table, on straight lines between its points.

    value: a float or an array.
    table: pairs (value, result), two or more, in any order.
    beyond: whether values outside of the table get the result of its nearer end; otherwise they become NaN.
    Raises SettingError for a table with fewer points, or with two for one value.
    """
    try:
        points = np.array(sorted((float(x), float(y)) for x, y in table))
    except (TypeError, ValueError):
        raise SettingError(f"a table is a list of pairs (value, result), not {quoted(table)}") from None
    if len(points) < 2 or (np.diff(points[:, 0]) == 0).any() or not np.isfinite(points).all():
        raise SettingError("a table has two points or more, with a different value each")
    outside = {} if beyond else {"left": np.nan, "right": np.nan}
    return like(value, np.asarray(np.interp(np.asarray(value, np.float64), points[:, 0], points[:, 1], **outside)))


LITHIUM_CELL = (
    (3.27, 0), (3.61, 5), (3.69, 10), (3.71, 15), (3.73, 20), (3.75, 25), (3.77, 30), (3.79, 35), (3.80, 40),
    (3.82, 45), (3.84, 50), (3.85, 55), (3.87, 60), (3.91, 65), (3.95, 70), (3.98, 75), (4.02, 80), (4.08, 85),
    (4.11, 90), (4.15, 95), (4.20, 100),
)  # fmt: skip
"""Volts and percent of a lithium-ion cell (4.2 V) at rest at room temperature: typical, cells differ by 5 % or more."""

LEAD_BATTERY = ((11.89, 0), (12.06, 25), (12.24, 50), (12.45, 75), (12.65, 100))
"""Volts and percent of a 12 V lead-acid battery that has rested for hours: typical values of the trade."""


def battery_charge(volts: V, table: Sequence[tuple[float, float]] = LITHIUM_CELL) -> V:
    """The charge of a battery in percent, 0 to 100, from its voltage at rest.

    volts: below the table it is empty, above it full.
    table: pairs (volts, percent); `LITHIUM_CELL` by default, `LEAD_BATTERY`, or your own. Under load the voltage is
        lower, and the answer too low.
    """
    return from_table(volts, table, beyond=True)


class Fit:
    """A curve through a table: call it with a float or an array.

    coefficients: those of the curve.
    residuals: for each point what the curve gives less what the table says, in the unit of the result.
    worst: the greatest of them without its sign.
    rms: their root mean square.
    """

    def __init__(self, curve: Callable[[Any, Any], Any], coefficients: "Array", residuals: "Array") -> None:
        self._curve = curve
        self.coefficients = tuple(float(value) for value in coefficients)
        self.residuals = residuals
        self.worst = float(np.abs(residuals).max())
        self.rms = float(np.sqrt((residuals**2).mean()))

    def __call__(self, value: V) -> V:
        """The curve at a value."""
        result: V = self._curve(value, self.coefficients)
        return result

    def __repr__(self) -> str:
        shown = ", ".join(f"{value:.6g}" for value in self.coefficients)
        return f"<Fit ({shown}), worst residual {self.worst:.3g}>"


def fit_thermistor(resistances_ohm: "ArrayLike", temperatures_celsius: "ArrayLike") -> Fit:
    """A, B and C of Steinhart and Hart from a table: a curve from ohms to degrees Celsius.

    Three points or more, with different resistances above 0 and temperatures above -273.15 degrees. With three the
    curve goes through them. Least squares of the temperatures. Raises SettingError for tables that cannot be fitted,
    and PackageError without SciPy.
    """
    ohms, celsius = _points(resistances_ohm, temperatures_celsius, 3)
    if (ohms <= 0).any() or (celsius <= -KELVIN).any():
        raise SettingError("resistances must be above 0 ohm, and temperatures above -273.15 degrees Celsius")
    with wanted_by("fit_thermistor", "readings"):
        from scipy.linalg import lstsq
        from scipy.optimize import least_squares
    logarithm = np.log(ohms)
    powers = np.stack([np.ones_like(ohms), logarithm, logarithm**3], axis=1)
    begin = lstsq(powers, 1 / (celsius + KELVIN))[0]

    def off(scaled: "Array") -> "Array":
        return np.asarray(1 / (powers @ (scaled * begin)) - KELVIN - celsius)

    found = least_squares(off, np.ones(3), xtol=1e-14, ftol=1e-14, gtol=1e-14)
    return Fit(thermistor, found.x * begin, off(found.x))


def fit_polynomial(values: "ArrayLike", results: "ArrayLike", degree: int) -> Fit:
    """A polynomial through a table, by least squares: coefficients c0, c1, ... of c0 + c1 x + c2 x**2 ...

    degree: 0 or more; the table needs one point more at least, with different values.
    Raises SettingError for tables that cannot be fitted, and PackageError without SciPy.
    """
    if not isinstance(degree, int) or degree < 0:
        raise SettingError(f"degree must be 0 or more, not {quoted(degree)}")
    x, y = _points(values, results, degree + 1)
    with wanted_by("fit_polynomial", "readings"):
        from scipy.linalg import lstsq
    # In units of its own range a table far from 0 keeps its digits.
    middle, half = (x.max() + x.min()) / 2, (x.max() - x.min()) / 2 or 1.0
    scaled = lstsq(np.vander((x - middle) / half, degree + 1, increasing=True), y)[0]
    polynomial = np.polynomial.Polynomial(scaled, domain=[middle - half, middle + half])
    coefficients = np.zeros(degree + 1)
    plain = polynomial.convert().coef
    coefficients[: len(plain)] = plain

    def curve(value: Any, _: object) -> Any:
        return like(value, np.asarray(polynomial(np.asarray(value, np.float64))))

    return Fit(curve, coefficients, polynomial(x) - y)


def _points(values: "ArrayLike", results: "ArrayLike", least: int) -> "tuple[Array, Array]":
    try:
        x, y = np.asarray(values, np.float64), np.asarray(results, np.float64)
    except (TypeError, ValueError) as problem:
        raise SettingError(f"a table has two rows of numbers: {problem}") from None
    if x.ndim != 1 or x.shape != y.shape:
        raise SettingError(f"a table has two rows of one length, not {x.shape} and {y.shape}")
    if not (np.isfinite(x).all() and np.isfinite(y).all()) or len(np.unique(x)) < least:
        raise SettingError(f"the table must have {least} points or more with different values, all of them numbers")
    return x, y
