"""From counts to a ratio, and from a ratio to a resistance.

Every function takes a float or a NumPy array and gives back the same; what is outside of its range becomes NaN.
"""

import numpy as np

from lumek._harmless import quoted
from lumek.errors import SettingError
from lumek.readings.conversions.shape import V, like, quiet, within
from lumek.readings.settings import positive


@quiet
def adc_ratio(counts: V, bits: int) -> V:
    """The share of its reference voltage that an analogue-to-digital converter has measured, 0 to 1.

    counts: 0 to 2**bits - 1; outside NaN.
    bits: 1 to 32, the converter's resolution. Full scale is 2**bits - 1 here, so that a divider's ends are 0 and 1
        exactly; the difference to 2**bits is at most one count.
    """
    if not isinstance(bits, int) or not 1 <= bits <= 32:
        raise SettingError(f"bits must be 1 to 32, not {quoted(bits)}")
    number = np.asarray(counts, np.float64)
    full = 2.0**bits - 1
    return like(counts, within(number / full, (number >= 0) & (number <= full)))


@quiet
def divider_resistance(ratio: V, known_ohm: float, sensor: str = "below") -> V:
    """The resistance in ohms of a sensor in a voltage divider.

    ratio: voltage in the middle over voltage across both, 0 to 1; outside NaN.
    known_ohm: the other resistor.
    sensor: "below" between the middle and ground, or "above" between the supply and the middle. At the end where the
        sensor would have to be infinite (open circuit) the answer is NaN.
    Source: Ohm's law for two resistors in series.
    """
    if sensor not in ("above", "below"):
        raise SettingError(f"sensor is 'above' or 'below' the middle of the divider, not {quoted(sensor)}")
    other = positive(known_ohm, "known_ohm", "ohm")
    share = np.asarray(ratio, np.float64)
    share = 1 - share if sensor == "above" else share
    inside = (share >= 0) & (share < 1)
    return like(ratio, within(other * share / (1 - share), inside))


@quiet
def divider_ratio(resistance_ohm: V, known_ohm: float, sensor: str = "below") -> V:
    """The ratio of a divider with a sensor of that resistance: the inverse of `divider_resistance`.

    resistance_ohm: 0 or more ohms; below NaN.
    known_ohm, sensor: as there.
    """
    if sensor not in ("above", "below"):
        raise SettingError(f"sensor is 'above' or 'below' the middle of the divider, not {quoted(sensor)}")
    other = positive(known_ohm, "known_ohm", "ohm")
    sought = np.asarray(resistance_ohm, np.float64)
    share = within(sought / (sought + other), sought >= 0)
    return like(resistance_ohm, 1 - share if sensor == "above" else share)
