"""Pressure and altitude, echoes, and moisture of air.

Every function takes floats or NumPy arrays and gives back the same; what is outside of its range becomes NaN.
"""

import numpy as np

from lumek._harmless import quoted
from lumek.errors import SettingError
from lumek.readings.conversions.shape import KELVIN, V, like, quiet, within
from lumek.readings.settings import positive

STANDARD_HPA = 1013.25
"""Pressure at mean sea level in the standard atmosphere (ISO 2533, ICAO Doc 7488)."""

SEA_K = 288.15
LAPSE_K_PER_M = 0.0065
GRAVITY = 9.80665
GAS = 287.05287
"""The standard atmosphere up to 11 km: temperature at sea level, its fall with height, standard gravity, and the
specific gas constant of air in J/(kg K) (ICAO Doc 7488, tables A and D)."""

POWER = GAS * LAPSE_K_PER_M / GRAVITY
"""0.190263."""

LOWEST_M, HIGHEST_M = -5000.0, 11_000.0


@quiet
def altitude(pressure_hpa: V, baseline_hpa: float = STANDARD_HPA) -> V:
    """The altitude in metres at which the standard atmosphere has a pressure: the height over where it is the baseline.

    pressure_hpa: in hPa.
    baseline_hpa: the pressure at height 0: 1013.25 for the standard's sea level, the weather service's for today's
        altitude above sea, or what was measured at the start for the height over it. The answer is -5000 to 11000 m;
        outside NaN.
    Source: ISO 2533 and ICAO Doc 7488/3: h = T0/L (1 - (p/p0)**(R L/g)), geopotential metres.
    """
    base = positive(baseline_hpa, "baseline_hpa", "hPa")
    pressure = np.asarray(pressure_hpa, np.float64)
    metres = SEA_K / LAPSE_K_PER_M * (1 - (pressure / base) ** POWER)
    return like(pressure_hpa, within(metres, (pressure > 0) & (metres >= LOWEST_M) & (metres <= HIGHEST_M + 1e-6)))


@quiet
def pressure_at(altitude_m: V, baseline_hpa: float = STANDARD_HPA) -> V:
    """The pressure in hPa at an altitude: the inverse of `altitude`.

    altitude_m: -5000 to 11000 m over where the pressure is baseline_hpa; outside NaN.
    """
    base = positive(baseline_hpa, "baseline_hpa", "hPa")
    metres = np.asarray(altitude_m, np.float64)
    inside = (metres >= LOWEST_M) & (metres <= HIGHEST_M)
    share = 1 - LAPSE_K_PER_M * metres / SEA_K
    return like(altitude_m, within(base * share ** (1 / POWER), inside))


@quiet
def baseline(pressure_hpa: V, altitude_m: float) -> V:
    """The pressure in hPa at height 0 from the one that is measured at a known altitude: what `altitude` then needs.

    pressure_hpa: above 0; other values NaN.
    altitude_m: where it is measured, -5000 to 11000 m.
    Raises SettingError outside.
    """
    share = pressure_at(float(altitude_m), 1.0)
    if share != share:
        raise SettingError(f"altitude_m must be {LOWEST_M:g} to {HIGHEST_M:g} m, not {quoted(altitude_m)}")
    pressure = np.asarray(pressure_hpa, np.float64)
    return like(pressure_hpa, within(pressure / share, pressure > 0))


@quiet
def sound_speed(celsius: V) -> V:
    """The speed of sound in dry air in metres per second.

    celsius: the air's temperature, -80 to 100 degrees; outside NaN. Saturated air of 30 degrees is faster by 0.66 % (O.
        Cramer, The variation of the specific heat ratio and the speed of sound in air, J. Acoust. Soc. Am. 93, 1993).
    Source: a = sqrt(1.4 R T), ICAO Doc 7488/3, section 2.
    """
    t = np.asarray(celsius, np.float64)
    inside = (t >= -80) & (t <= 100)
    return like(celsius, within(np.sqrt(1.4 * GAS * (t + KELVIN)), inside))


@quiet
def echo_distance(echo_s: V, celsius: "V | float" = 20.0) -> V:
    """The distance in metres from which an echo came back.

    echo_s: from the call to its echo, there and back, in seconds; below 0 NaN.
    celsius: the air's temperature, -80 to 100 degrees; a degree changes the answer by 0.17 %.
    Source: distance = speed of sound * time / 2.
    """
    time = np.asarray(echo_s, np.float64)
    speed = np.asarray(sound_speed(np.asarray(celsius, np.float64)))
    return like(echo_s, within(speed * time / 2, time >= 0), celsius)


@quiet
def echo_time(distance_m: V, celsius: "V | float" = 20.0) -> V:
    """The time in seconds to a distance and back: the inverse of `echo_distance`.

    distance_m: 0 metres or more; below NaN.
    """
    distance = np.asarray(distance_m, np.float64)
    speed = np.asarray(sound_speed(np.asarray(celsius, np.float64)))
    return like(distance_m, within(2 * distance / speed, distance >= 0), celsius)


MAGNUS = 6.112, 17.62, 243.12
"""hPa, 1 and degrees Celsius: over water, -45 to 60 degrees (WMO Guide to Instruments, WMO-No. 8, annex 4.B)."""

ROUNDING = 1e-9
"""Degrees that a dew point may lie above the temperature because it was computed."""

VAPOUR_GAS = 461.5
"""Specific gas constant of water vapour, J/(kg K)."""


@quiet
def saturation_pressure(celsius: V) -> V:
    """The pressure in hPa of water vapour that saturates air over water.

    celsius: -45 to 60 degrees; outside NaN.
    Source: e = 6.112 exp(17.62 t / (243.12 + t)), WMO-No. 8, part I, annex 4.B; within 0.3 % of the tables of WMO-No.
    49 from 0 to 40 degrees.
    """
    scale, slope, offset = MAGNUS
    t = np.asarray(celsius, np.float64)
    inside = (t >= -45) & (t <= 60)
    return like(celsius, within(scale * np.exp(slope * t / (offset + t)), inside))


@quiet
def dew_point(celsius: V, humidity_percent: "V | float") -> V:
    """The temperature in degrees Celsius to which air must cool until water condenses.

    celsius: -45 to 60 degrees.
    humidity_percent: relative humidity over water, above 0 and up to 100 %. Outside NaN.
    Source: the formula of `saturation_pressure` solved for the temperature at the vapour's pressure.
    """
    _, slope, offset = MAGNUS
    t, humidity = np.asarray(celsius, np.float64), np.asarray(humidity_percent, np.float64)
    inside = (t >= -45) & (t <= 60) & (humidity > 0) & (humidity <= 100)
    weight = np.log(humidity / 100) + slope * t / (offset + t)
    return like(celsius, within(offset * weight / (slope - weight), inside), humidity_percent)


@quiet
def relative_humidity(celsius: V, dew_point_celsius: "V | float") -> V:
    """The relative humidity in percent of air with a dew point: the inverse of `dew_point`.

    celsius: -45 to 60 degrees.
    dew_point_celsius: not above it, and -85 degrees at least. Outside NaN; what is above by no more than `dew_point`
        loses in rounding is 100 %.
    """
    _, slope, offset = MAGNUS
    t, dew = np.asarray(celsius, np.float64), np.asarray(dew_point_celsius, np.float64)
    inside = (t >= -45) & (t <= 60) & (dew <= t + ROUNDING) & (dew >= -85)
    share = np.exp(slope * dew / (offset + dew) - slope * t / (offset + t))
    return like(celsius, within(100 * np.minimum(share, 1), inside), dew_point_celsius)


@quiet
def absolute_humidity(celsius: V, humidity_percent: "V | float") -> V:
    """The water in air, in grams per cubic metre.

    celsius: -45 to 60 degrees.
    humidity_percent: relative humidity over water, 0 to 100 %. Outside NaN.
    Source: the vapour as an ideal gas, e / (461.5 J/(kg K) T), with `saturation_pressure`.
    """
    t, humidity = np.asarray(celsius, np.float64), np.asarray(humidity_percent, np.float64)
    pascals = np.asarray(saturation_pressure(t)) * humidity
    grams = 1000 * pascals / (VAPOUR_GAS * (t + KELVIN))
    return like(celsius, within(grams, (humidity >= 0) & (humidity <= 100)), humidity_percent)
