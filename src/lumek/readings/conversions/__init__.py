"""Conversions: pure functions from what a sensor gives to what one wants to know.

Each takes a float or a NumPy array and gives back the same. What lies outside of the range that its docstring states
becomes NaN, in an array and alone; a setting that is not possible is a SettingError.
"""

from lumek.readings.conversions.air import (
    absolute_humidity,
    altitude,
    baseline,
    dew_point,
    echo_distance,
    echo_time,
    pressure_at,
    relative_humidity,
    saturation_pressure,
    sound_speed,
)
from lumek.readings.conversions.calibration import (
    LEAD_BATTERY,
    LITHIUM_CELL,
    Fit,
    battery_charge,
    fit_polynomial,
    fit_thermistor,
    from_table,
    two_point,
)
from lumek.readings.conversions.electric import adc_ratio, divider_ratio, divider_resistance
from lumek.readings.conversions.platinum import platinum, platinum_resistance
from lumek.readings.conversions.thermistor import (
    thermistor,
    thermistor_beta,
    thermistor_beta_resistance,
    thermistor_resistance,
)
from lumek.readings.conversions.thermocouple import thermocouple, thermocouple_millivolts, thermocouple_range
from lumek.readings.conversions.units import in_unit

__all__ = [
    "LEAD_BATTERY",
    "LITHIUM_CELL",
    "Fit",
    "absolute_humidity",
    "adc_ratio",
    "altitude",
    "baseline",
    "battery_charge",
    "dew_point",
    "divider_ratio",
    "divider_resistance",
    "echo_distance",
    "echo_time",
    "fit_polynomial",
    "fit_thermistor",
    "from_table",
    "in_unit",
    "platinum",
    "platinum_resistance",
    "pressure_at",
    "relative_humidity",
    "saturation_pressure",
    "sound_speed",
    "thermistor",
    "thermistor_beta",
    "thermistor_beta_resistance",
    "thermistor_resistance",
    "thermocouple",
    "thermocouple_millivolts",
    "thermocouple_range",
    "two_point",
]
