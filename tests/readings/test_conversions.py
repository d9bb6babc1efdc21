"""Conversions, against numbers that somebody else has published; and both ways."""

from collections.abc import Callable
from typing import Any

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lumek.errors import SettingError
from lumek.readings import Reading
from lumek.readings import conversions as c

MAKERS = (1.4051e-3, 2.369e-4, 1.019e-7)

MILLIVOLTS = {  # NIST SRD 60, the tables in steps of a degree
    "K": [(-270, -6.458), (-200, -5.891), (-100, -3.554), (-1, -0.039), (0, 0), (1, 0.039), (25, 1.000), (100, 4.096),
          (500, 20.644), (1000, 41.276), (1372, 54.886)],
    "J": [(-210, -8.095), (-100, -4.633), (100, 5.269), (760, 42.919), (1000, 57.953), (1200, 69.553)],
    "T": [(-270, -6.258), (-200, -5.603), (-100, -3.379), (100, 4.279), (400, 20.872)],
    "N": [(-270, -4.345), (-100, -2.407), (100, 2.774), (1000, 36.256), (1300, 47.513)],
    "E": [(-270, -9.835), (-100, -5.237), (100, 6.319), (500, 37.005), (1000, 76.373)],
    "S": [(-50, -0.236), (100, 0.646), (1000, 9.587), (1200, 11.951), (1768, 18.693)],
    "R": [(-50, -0.226), (100, 0.647), (1000, 10.506), (1200, 13.228), (1768, 21.101)],
    "B": [(20, -0.003), (100, 0.033), (500, 1.242), (1000, 4.834), (1820, 13.820)],
}  # fmt: skip
PUBLISHED: list[tuple[str, Callable[..., Any], tuple[Any, ...], list[tuple[float, float]], float]] = [
    *((kind, c.thermocouple_millivolts, (kind,), table, 0.0005) for kind, table in MILLIVOLTS.items()),
    # IEC 60751:2008, table 1
    ("Pt100", c.platinum_resistance, (), [(-200, 18.52), (-100, 60.26), (-50, 80.31), (0, 100), (25, 109.73),
        (100, 138.51), (200, 175.86), (400, 247.09), (600, 313.71), (850, 390.48)], 0.005),
    # Resistance table of a 3 kilo-ohm thermistor with its coefficients, as makers of vibrating-wire sensors print it
    ("thermistor", c.thermistor, (MAKERS,), [(201_100, -50), (29_130, -20), (9796, 0), (5971, 10), (3748, 20),
        (3000, 25), (2417, 30), (1081, 50), (525.4, 70), (203.8, 100), (55.6, 150)], 0.12),
    # B25/85 = 3977 K means R85 = 1070 ohm for 10 kilo-ohm: the sheet's ratio R85/R25
    ("beta", c.thermistor_beta, (3977.0,), [(10_000, 25), (1070.2, 85)], 0.01),
    # ICAO Doc 7488/3, table I
    ("ISA", c.pressure_at, (), [(-1000, 1139.29), (0, 1013.25), (1000, 898.75), (2000, 794.95), (5000, 540.20),
        (8000, 356.00), (11000, 226.32)], 0.01),
    # The sheet of a common ultrasonic module: microseconds / 58 are centimetres
    ("echo", c.echo_distance, (), [(58e-6, 0.01), (5800e-6, 1.0)], 0.006),
    ("sound", c.sound_speed, (), [(15, 340.294), (8.5, 336.434), (-17.5, 320.529)], 0.0005),
    # Saturation over water, WMO-No. 49 (Goff and Gratch)
    ("vapour", c.saturation_pressure, (), [(-20, 1.2540), (0, 6.1078), (10, 12.272), (20, 23.373), (30, 42.430)], 0.1),
]  # fmt: skip


@pytest.mark.parametrize(("function", "settings", "table", "tolerance"), [row[1:] for row in PUBLISHED],
                         ids=[row[0] for row in PUBLISHED])  # fmt: skip
def test_published_tables(
    function: Callable[..., Any], settings: tuple[Any, ...], table: list[tuple[float, float]], tolerance: float
) -> None:
    given, expected = np.array(table).T
    assert function(given, *settings) == pytest.approx(expected, abs=tolerance)
    assert [function(float(one), *settings) for one in given] == pytest.approx(function(given, *settings), rel=1e-12)
    assert type(function(float(given[0]), *settings)) is float


def test_moist_air_as_din_4108_3_has_it() -> None:
    # DIN 4108-3, table A.2 (dew points) and A.3 (grams in a cubic metre of saturated air, with one decimal)
    dew = [(20, 50, 9.3), (22, 50, 11.1), (25, 60, 16.7), (30, 70, 23.9), (10, 50, 0.1), (20, 60, 12.0)]
    for celsius, percent, expected in dew:
        assert c.dew_point(float(celsius), percent) == pytest.approx(expected, abs=0.06)
    grams = [(0, 4.85), (10, 9.41), (20, 17.3), (30, 30.4)]
    for celsius, expected in grams:
        assert c.absolute_humidity(float(celsius), 100.0) == pytest.approx(expected, rel=0.005)
    for kind in (np.array, list, pd.Series):
        found = c.absolute_humidity(kind([20.0, 20.0]), kind([0.0, 50.0]))
        assert np.asarray(found) == pytest.approx([0, 8.65], rel=0.005)


BOTH_WAYS = [
    *((f"thermocouple {kind}", lambda t, k=kind: c.thermocouple_millivolts(t, k, 21.5),
       lambda v, k=kind: c.thermocouple(v, k, 21.5), max(c.thermocouple_range(kind)[0], 50 if kind == "B" else -270),
       c.thermocouple_range(kind)[1], 1e-6) for kind in "KJTNESRB"),
    ("platinum", c.platinum_resistance, c.platinum, -200, 850, 1e-9),
    ("thermistor", lambda t: c.thermistor_resistance(t, MAKERS), lambda r: c.thermistor(r, MAKERS), -60, 200, 1e-9),
    ("beta", lambda t: c.thermistor_beta_resistance(t, 3977), lambda r: c.thermistor_beta(r, 3977), -60, 200, 1e-9),
    ("divider below", lambda r: c.divider_ratio(r, 10e3), lambda x: c.divider_resistance(x, 10e3), 0, 1e6, 1e-5),
    ("divider above", lambda r: c.divider_ratio(r, 10e3, "above"), lambda x: c.divider_resistance(x, 10e3, "above"),
     1, 1e6, 1e-5),
    ("altitude", lambda h: c.pressure_at(h, 1020.0), lambda p: c.altitude(p, 1020.0), -5000, 11000, 1e-6),
    ("echo", lambda d: c.echo_time(d, 4.0), lambda s: c.echo_distance(s, 4.0), 0, 20, 1e-12),
    ("dew point", lambda h: c.dew_point(21.0, h), lambda d: c.relative_humidity(21.0, d), 1, 99.999, 1e-9),
    ("two point", lambda x: c.two_point(x, (0, 8388), (20, 123456)), lambda x: c.two_point(x, (8388, 0), (123456, 20)),
     -5, 50, 1e-9),
    ("unit", lambda x: c.in_unit(x, "°F", "°C"), lambda x: c.in_unit(x, "°C", "°F"), -40, 100, 1e-9),
]  # fmt: skip


@pytest.mark.parametrize(("there", "back", "low", "high", "error"), [row[1:] for row in BOTH_WAYS],
                         ids=[row[0] for row in BOTH_WAYS])  # fmt: skip
@given(share=st.floats(0, 1))
def test_there_and_back(there: Any, back: Any, low: float, high: float, error: float, share: float) -> None:
    value = low + share * (high - low)
    assert back(there(value)) == pytest.approx(value, abs=error)


OUTSIDE = [
    (c.adc_ratio, (-1, 4096), (12,)), (c.divider_resistance, (-0.1, 1, 1.1), (10e3,)),
    (c.divider_ratio, (-1,), (10e3,)), (c.thermistor, (0, -5, 1e-300), (MAKERS,)),
    (c.thermistor_beta, (0, -1), (3977,)),
    (c.thermistor_beta_resistance, (-273.15, -300), (3977,)), (c.thermistor_resistance, (-274,), (MAKERS,)),
    (c.platinum_resistance, (-200.1, 850.1), ()), (c.platinum, (18.4, 391), ()), (c.altitude, (0, -3, 200, 2000), ()),
    (c.thermocouple_millivolts, (-270.1, 1372.1), ("K",)), (c.thermocouple, (-6.5, 54.9), ("K",)),
    (c.thermocouple, (-0.1, 13.9), ("B",)), (c.pressure_at, (-5001, 11001), ()), (c.baseline, (0,), (300,)),
    (c.sound_speed, (-81, 101), ()), (c.echo_distance, (-1,), ()), (c.echo_time, (-1,), ()),
    (c.saturation_pressure, (-46, 61), ()), (c.dew_point, (-46, 61), (50,)),
    (lambda h: c.dew_point(20.0, h), (0, 101), ()),
    (c.relative_humidity, (20,), (21,)), (lambda dew: c.relative_humidity(20.0, dew), (-85.1, 20.1), ()),
    (lambda h: c.absolute_humidity(20.0, h), (-1, 101), ()),
    (c.from_table, (0.9, 3.1), ([(1, 10), (3, 30)],)),
]  # fmt: skip


@pytest.mark.parametrize(("function", "values", "settings"), OUTSIDE)
def test_outside_of_the_range_is_nan_alone_and_in_an_array(function: Any, values: Any, settings: Any) -> None:
    for value in (*values, float("nan"), float("inf")):
        assert np.isnan(function(float(value), *settings)), value
    assert np.isnan(function(np.array(values, float), *settings)).all()


CANNOT_BE = [
    (lambda: c.adc_ratio(1.0, 0), "bits must be 1 to 32, not 0"),
    (lambda: c.divider_resistance(0.5, 0), "known_ohm must be above 0 ohm, not 0"),
    (lambda: c.divider_ratio(0.5, 1, "left"), "sensor is 'above' or 'below' the middle of the divider, not 'left'"),
    (lambda: c.thermistor(1.0, (1, 2)), "three numbers A, B and C"),
    (lambda: c.thermistor_resistance(1.0, (1, 2, 0)), "B and C above 0"),
    (lambda: c.thermocouple(1.0, "Q"), "'Q' is not a kind of thermocouple: kinds are K, J, T"),
    (lambda: c.thermocouple(1.0, "S", -60), "cold_celsius must be -50 to 1768.1 for type S, not -60"),
    (lambda: c.baseline(1000.0, 20_000), "altitude_m must be -5000 to 11000 m"),
    (lambda: c.two_point(1.0, (5, 0), (5, 1)), "different raw values"),
    (lambda: c.from_table(1.0, [(1, 2), (1, 3)]), "a different value each"),
    (lambda: c.in_unit(1.0, "kg"), "Give unit="), (lambda: c.in_unit(1.0, "kg", "bees"), "'bees' is not a known unit"),
    (lambda: c.in_unit(1.0, "kg", "m"), "'m' cannot become 'kg'"),
    (lambda: c.in_unit(1.0, "rad/s", "rpm"), "one counts turns"),
    (lambda: c.fit_thermistor([1, 2], [1, 2]), "3 points or more"),
    (lambda: c.fit_polynomial([1, 2], [1, 2, 3], 1), "of one length"),
    (lambda: c.fit_thermistor([0, 1, 2], [1, 2, 3]), "above 0 ohm"),
    (lambda: c.fit_polynomial([1, 2], [1, 2], -1), "degree must be"),
]  # fmt: skip


@pytest.mark.parametrize(("call", "message"), CANNOT_BE)
def test_a_setting_that_cannot_be_is_told(call: Callable[[], object], message: str) -> None:
    with pytest.raises(SettingError, match=message.replace("(", r"\(")):
        call()


def test_a_thermistor_behind_a_divider_and_a_converter() -> None:
    # Half of the reference with equal resistors: the thermistor has its nominal value at 25 degrees.
    ratio = c.adc_ratio(np.array([511.5, 0]), 10)
    assert c.thermistor_beta(c.divider_resistance(ratio, 10_000), 3950)[0] == pytest.approx(25)
    assert c.adc_ratio(np.array([0, 4095]), 12).tolist() == [0, 1]


def test_a_fit_finds_the_makers_coefficients_and_tells_its_residuals() -> None:
    celsius = np.linspace(-40, 120, 17)
    ohms = c.thermistor_resistance(celsius, MAKERS)
    fit = c.fit_thermistor(ohms, celsius)
    assert fit.coefficients == pytest.approx(MAKERS, rel=1e-4)
    assert fit.worst < 1e-6
    bumped = celsius + np.where(celsius == 20, 1, 0)
    fit = c.fit_thermistor(ohms, bumped)
    assert fit.residuals == pytest.approx(fit(ohms) - bumped)
    assert 0.5 < fit.worst < 1
    assert fit.rms == pytest.approx(np.sqrt(np.mean(fit.residuals**2)))
    # A polynomial: NumPy's own fit of the same table.
    x = np.array([1000.0, 1001, 1003, 1004, 1008])
    fit = c.fit_polynomial(x, [2, 3, 5, 4, 1], 2)
    assert fit(x) == pytest.approx(np.polynomial.Polynomial.fit(x, [2, 3, 5, 4, 1], 2)(x))
    assert np.polynomial.Polynomial(fit.coefficients)(1003.0) == pytest.approx(fit(1003.0), rel=1e-6)


def test_a_baseline_from_a_known_altitude_leads_back_to_it() -> None:
    assert c.altitude(954.2, c.baseline(954.2, 437.0)) == pytest.approx(437.0)
    assert c.baseline(954.61, 500) == pytest.approx(1013.25, abs=0.01)


def test_battery_and_units() -> None:
    assert c.battery_charge(np.array([3.0, 3.84, 4.3])).tolist() == [0, 50, 100]
    assert c.battery_charge(12.345, c.LEAD_BATTERY) == pytest.approx(62.5)
    # NIST SP 811, appendix B.8: factors to the SI
    for value, unit, to, expected in (
        (1.0, "lb", "kg", 0.45359237), (1.0, "inHg", "hPa", 33.86389), (20.0, "°C", "K", 293.15),
        (60.0, "rpm", "Hz", 1), (1.0, "mi/h", "m/s", 0.44704),
        (212.0, "°F", "°C", 100.0), (1.0, "rad/s", "deg/s", 180 / np.pi),
    ):  # fmt: skip
        assert c.in_unit(value, to, unit) == pytest.approx(expected, rel=1e-6)
    warm = c.in_unit(Reading(34.6, "brood", "°C", 5.0, flaw="over"), "°F")
    assert (round(warm, 2), warm.unit, warm.name, warm.flaw, warm.time) == (94.28, "°F", "brood", "over", 5.0)


def test_ends_of_ranges_leave_room_for_rounding() -> None:
    for celsius in np.linspace(-45, 60, 400):
        assert c.relative_humidity(celsius, c.dew_point(celsius, 100.0)) == pytest.approx(100)
    # IEC 60751:2008, table 1: a Pt100 has 18.52 ohm at -200 degrees, and 390.48 at 850.
    assert [c.platinum(ohms) for ohms in (18.52, 390.48)] == pytest.approx([-200, 850], abs=0.02)
    assert np.isnan([c.platinum(18.51), c.platinum(390.49)]).all()


def test_moist_air_is_faster_by_what_the_docstring_says() -> None:
    # O. Cramer, J. Acoust. Soc. Am. 93 (1993), table III: what a mole fraction of water vapour adds, at 30 degrees.
    t = 30.0
    fraction = c.saturation_pressure(t) / 1013.25
    adds = (51.471935 + 0.1495874 * t - 0.000782 * t * t) * fraction
    assert adds / c.sound_speed(t) == pytest.approx(0.0066, abs=0.0002)
    assert "0.66 %" in str(c.sound_speed.__doc__)


REFUSED = [("Hz", "deg/s"), ("rad/s", "Hz"), ("kHz", "rad/s"), ("rps", "deg/s"), ("turn/s", "Hz"), ("m", "9*m"),
           ("m", "((((9**99)**99)**99)**99)*m")]  # fmt: skip


@pytest.mark.parametrize(("unit", "to"), REFUSED)
def test_units_that_cannot_become_each_other_are_refused_at_once(unit: str, to: str) -> None:
    with pytest.raises(SettingError):
        c.in_unit(1.0, to, unit)


def test_units_as_people_write_them() -> None:
    assert c.in_unit(20.0, "degF", "\u2103") == pytest.approx(68)
    assert c.in_unit(500.0, "ppm", "ppb") == pytest.approx(0.5)
    assert c.in_unit(7.0, "mL/km", "L/100km") == pytest.approx(70)
    assert c.in_unit(60.0, "rps", "rpm") == pytest.approx(1)
