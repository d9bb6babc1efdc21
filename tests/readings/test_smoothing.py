"""Filters: each against somebody else's, and one value at a time against the array."""

import copy
import math
import pickle
from collections.abc import Callable
from typing import Any

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.integrate import solve_ivp
from scipy.signal import lfilter
from scipy.stats import median_abs_deviation

from lumek.errors import SettingError
from lumek.readings import Reading
from lumek.readings.smoothing import (
    DeadBand,
    Exponential,
    Filter,
    Hampel,
    Highest,
    Hysteresis,
    Lowest,
    MovingMean,
    MovingMedian,
    RateLimit,
    RateOfChange,
    Resample,
    Tare,
    resampled,
)

FILTERS: list[Filter] = [
    MovingMean(1), MovingMean(5), MovingMean(seconds=7.5), MovingMedian(4), MovingMedian(seconds=20), Hampel(7),
    Hampel(seconds=12, sigmas=1, least=0.5), RateOfChange(), RateOfChange(6, per_s=60), RateOfChange(seconds=9),
    Exponential(5), Exponential(0.01), RateLimit(0.8), DeadBand(1.5), DeadBand(0), Hysteresis(3, 1), Hysteresis(-2, 0),
    Tare(2.5), Highest(), Lowest(), Resample(4), Resample(6, "median"), Resample(1, "last"), Resample(9, "lowest"),
    Hampel(7) | Exponential(4) | DeadBand(0.2),
    (lambda volts: volts * 10) | MovingMean(3) | (lambda value: int(value * 8)),
]  # fmt: skip


def random_series(seed: int, n: int = 300, gaps: float = 0.15, even: bool = False) -> tuple[Any, Any]:
    chance = np.random.default_rng(seed)
    steps = np.ones(n) if even else chance.choice([0.0, 0.5, 1.0, 2.25, 40.0], n, p=[0.1, 0.4, 0.3, 0.18, 0.02])
    values = np.cumsum(chance.normal(0, 1, n)) + np.where(chance.random(n) < 0.03, 30, 0)
    return np.where(chance.random(n) < gaps, np.nan, values), 1_800_000_000 + np.cumsum(steps)


@pytest.mark.parametrize("filtered", FILTERS, ids=repr)
@given(
    st.lists(
        st.tuples(
            st.one_of(st.floats(-50, 50), st.just(float("nan"))), st.sampled_from([0.0, 0.1, 1.0, 2.5, 60.0, -30.0])
        )
    )
)
def test_an_array_gives_what_one_after_the_other_gives(filtered: Filter, steps: list[tuple[float, float]]) -> None:
    values = np.array([value for value, _ in steps])
    times = 1000 + np.cumsum([step for _, step in steps])
    at_once = filtered.over(values, times)
    one = filtered.copy()
    for value, time, expected in zip(values.tolist(), times.tolist(), at_once.tolist(), strict=True):
        given = Reading(value, "weight", "kg", time)
        as_reading = copy.deepcopy(one)(given)
        assert one(value, time) == pytest.approx(expected, rel=1e-9, abs=1e-9, nan_ok=True)
        assert float(as_reading) == pytest.approx(expected, rel=1e-9, abs=1e-9, nan_ok=True)
        assert as_reading.flaw == (given.flaw or ("missing" if np.isnan(expected) else None))
        assert (as_reading.name, as_reading.unit, as_reading.time) == ("weight", "kg", time)


@pytest.mark.parametrize("seed", range(3))
def test_windows_are_those_of_pandas(seed: int) -> None:
    values, times = random_series(seed)
    series = pd.Series(values, pd.to_datetime(times, unit="s"))
    for window, settings in ((5, {"samples": 5}), ("7500ms", {"seconds": 7.5})):
        rolling = series.rolling(window, min_periods=1)
        holes = np.where(np.isnan(values), np.nan, 0)
        assert MovingMean(**settings).over(values, times) == pytest.approx(rolling.mean() + holes, nan_ok=True)
        assert MovingMedian(**settings).over(values, times) == pytest.approx(rolling.median() + holes, nan_ok=True)
        found = Hampel(**settings, sigmas=2.0, least=0.1).over(values, times)
        middle = rolling.median()
        spread = rolling.apply(lambda part: median_abs_deviation(part[~np.isnan(part)], scale="normal"), raw=True)
        off = (series - middle).abs()
        spikes = (rolling.count() > 2) & (off > 2 * spread) & (off > 0.1)
        assert spikes.any()
        assert found == pytest.approx(series.where(~spikes, middle) + holes, nan_ok=True)


@pytest.mark.parametrize("seed", range(3))
def test_the_exponential_is_the_differential_equation_and_at_even_intervals_scipys_filter(seed: int) -> None:
    values, times = random_series(seed, gaps=0, even=True)
    share = 1 - np.exp(-1 / 8)
    even = lfilter([share], [1, share - 1], values, zi=[(1 - share) * values[0]])[0]
    assert Exponential(8).over(values, times) == pytest.approx(even)
    values, times = random_series(seed, 40)
    good = ~np.isnan(values)
    x, t = values[good], times[good]
    out = x[0]
    expected = [out]
    for i in range(1, len(x)):
        if t[i] > t[i - 1]:
            span = (0, t[i] - t[i - 1])
            out = solve_ivp(lambda _, y, to=x[i]: (to - y) / 5, span, [out], rtol=1e-9, atol=1e-9).y[0, -1]
        expected.append(out)
    assert Exponential(5).over(values, times)[good] == pytest.approx(expected, rel=1e-6, abs=1e-6)


@pytest.mark.parametrize("seed", range(3))
def test_rates_grids_records_and_switches_against_numpy_and_pandas(seed: int) -> None:
    values, times = random_series(seed)
    good = ~np.isnan(values)
    rate = RateOfChange(6, per_s=60).over(values, times)
    for i in np.flatnonzero(good)[10:60]:
        window = slice(i - 5, i + 1)
        x, t = values[window][good[window]], times[window][good[window]]
        if len(set(t)) > 1:
            assert rate[i] == pytest.approx(np.polyfit(t - t[0], x, 1)[0] * 60, rel=1e-6, abs=1e-6)
    series = pd.Series(values, pd.to_datetime(times, unit="s"))
    for how, theirs in (
        ("mean", "mean"),
        ("median", "median"),
        ("last", "last"),
        ("lowest", "min"),
        ("highest", "max"),
    ):
        grid = getattr(series.resample("4s", origin="epoch"), theirs)()
        ours, moments = resampled(values, times, 4, how)
        assert ours == pytest.approx(grid.to_numpy(), nan_ok=True)
        assert (pd.to_datetime(moments, unit="s") == grid.index).all()
    line, moments = resampled(values, times, 0.5, "linear")
    known, at = values[good], times[good]
    inside = (moments >= at[0]) & (moments <= at[-1]) & ~np.isin(moments, at)
    assert line[inside] == pytest.approx(np.interp(moments[inside], at, known))
    short = resampled(values, times, 0.5, "linear", longest_gap_s=10)[0]
    for moment in moments[np.isnan(short) & ~np.isnan(line)]:
        assert at[at > moment].min() - at[at < moment].max() > 10
    assert Highest().over(values) == pytest.approx(series.cummax().to_numpy(), nan_ok=True)
    assert Lowest().over(values) == pytest.approx(series.cummin().to_numpy(), nan_ok=True)
    switch = pd.Series(np.where(values >= 5, 1.0, np.where(values <= 2, 0.0, np.nan))).ffill().fillna(0)
    assert Hysteresis(5, 2).over(values)[good] == pytest.approx(switch[good])


@pytest.mark.parametrize("seed", range(3))
def test_what_limits_a_rate_and_what_passes_over_small_changes(seed: int) -> None:
    values, times = random_series(seed, gaps=0)
    out = RateLimit(0.8).over(values, times)
    allowed = 0.8 * np.diff(times)
    assert (np.abs(np.diff(out)) <= allowed + 1e-6).all()
    towards = values[1:] - out[:-1]
    assert np.diff(out) == pytest.approx(np.clip(towards, -allowed, allowed), abs=1e-6)
    out = DeadBand(1.5).over(values)
    assert (np.abs(values - out) <= 1.5).all()
    moved = np.diff(out) != 0
    assert (out[1:][moved] == values[1:][moved]).all()
    assert (np.abs(np.diff(out))[moved] > 1.5).all()


def test_flaws_pass_and_teach_nothing() -> None:
    mean = MovingMean(3)
    assert mean(Reading(1.0, time=1)) == 1
    high = Reading(99.0, "weight", time=2, flaw="over")
    assert mean(high) is high
    words = Reading(None, time=3, text="fe80::1")
    assert mean(words) is words
    assert mean(Reading(3.0, time=4)) == 3  # the two flawed ones are in the window, and 1.0 no longer is
    rate = RateOfChange()(Reading(3.0, "weight", "kg", 4))
    assert (rate.flaw, rate.cause) == ("missing", "too few for RateOfChange(samples=2, per_s=1.0) yet")


def test_a_tare_and_a_record_are_set_anew_by_hand() -> None:
    scale = Tare()
    with pytest.raises(SettingError, match="no value yet"):
        scale.zero_here()
    assert (scale(4.5), scale.zero_here(), scale(5.0)) == (4.5, 4.5, 0.5)
    best = Highest()
    for time, value in enumerate((3.0, 9.0, 4.0)):
        best(value, float(time))
    assert best.at == 1
    best.reset()
    assert (best(2.0, 7.0), best.at) == (2, 7)


def test_a_large_array_is_filtered_in_parts() -> None:
    values = np.arange(20_000.0)
    assert MovingMean(1000).over(values)[-1] == pytest.approx(19_500 - 0.5)


MISTAKES = [
    (lambda: MovingMean(), "MovingMean needs samples=N or seconds=S, and only one"),
    (lambda: MovingMean(3, 2), "only one"), (lambda: MovingMedian(0), "1 to 1000000 samples, not 0"),
    (lambda: MovingMedian(seconds=0), "seconds must be 0.001 to 100000000"),
    (lambda: Hampel(5, sigmas=-1), "sigmas must be 0 or more, not -1"),
    (lambda: RateOfChange(1), "two samples"),
    (lambda: Exponential("x"), "0.001 to 100000000 .seconds., not 'x'"),
    (lambda: RateOfChange(per_s=0), "per_s must be above 0"),
    (lambda: Exponential(0), "time_constant_s must be 0.001 to"), (lambda: RateLimit(float("nan")), "above 0, not nan"),
    (lambda: DeadBand(-1), "band must be 0 or more"), (lambda: Hysteresis(2, 2), "two different numbers"),
    (lambda: Resample(0), "every_s must be 0.001 to"),
    (lambda: Resample(1, "mode"), "how is not 'mode': it is mean, "),
    (lambda: Exponential(3)(5.0), r"Exponential\(time_constant_s=3\) needs the time of each value"),
    (lambda: Exponential(3).over([1, 2]), "needs times"), (lambda: DeadBand(1).over([1, 2], [1]), "rows of one length"),
    (lambda: Exponential(3).over([1, 2], [1, float("nan")]), "a time is missing"),
    (lambda: DeadBand(1) | 3, "no part of a chain"),
    (lambda: resampled([1, 2], [5, 4], 1), "times must not go back"),
    (lambda: resampled([1, 2], [0, 1e9], 1), "more than 100 million steps"),
]  # fmt: skip


@pytest.mark.parametrize(("call", "message"), MISTAKES)
def test_mistakes_are_told(call: Any, message: str) -> None:
    with pytest.raises(SettingError, match=message):
        call()


def test_times_may_be_datetimes_of_any_kind() -> None:
    values, times = random_series(4)
    stamps = pd.Series(pd.to_datetime(times, unit="s", utc=True))
    expected, grid = Exponential(5).over(values, times), resampled(values, times, 60)[0]
    for moments in (stamps, stamps.to_numpy("datetime64[ms]"), stamps.dt.tz_convert("Asia/Tokyo"), list(stamps)):
        assert Exponential(5).over(values, moments) == pytest.approx(expected, nan_ok=True)
        assert resampled(values, moments, 60)[0] == pytest.approx(grid, nan_ok=True)


def test_a_filter_can_be_stored_and_goes_on() -> None:
    smooth = Hampel(5) | Exponential(10)
    for second in range(10):
        smooth(second % 3, float(second))
    assert pickle.loads(pickle.dumps(smooth))(7.0, 11.0) == smooth(7.0, 11.0)
    assert resampled([], [], 1)[0].size == MovingMean(3).over([]).size == 0


@pytest.mark.parametrize("make", [lambda: Exponential(5), lambda: MovingMean(seconds=5), lambda: RateLimit(1)])
def test_infinities_and_extreme_times_spoil_nothing(make: Callable[[], Filter]) -> None:
    values, times = [1.0, math.inf, 2.0, -math.inf, 3.0], [0.0, 1.0, 2.0, 3.0, 4.0]
    one = make()
    stepped = [one(value, time) for value, time in zip(values, times, strict=True)]
    assert make().over(values, times) == pytest.approx(stepped, nan_ok=True)
    assert math.isfinite(stepped[-1])
    one = make()
    assert [one(1.0, time) for time in (-1e300, 0.0, 1e300)] == [1, 1, 1]


def test_a_zero_is_a_number() -> None:
    with pytest.raises(SettingError, match="zero must be a number"):
        Tare({})
