"""Fields: the dots that they light on the twin, for every width, range and flaw."""

import math
from datetime import datetime
from decimal import Decimal
from fractions import Fraction
from threading import Event

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lumek import Glyph, LumekError, Panel, SettingError, simulate
from lumek.fields import Bar, Choice, Clock, Countdown, Field, Label, Lamp, March, Moment, Number, Tall, Ticker, Trend
from lumek.fields.field import WORDS
from lumek.readings import FunctionProbe, HandClock, Poller, Reading
from support.effort import tries
from support.waiting import until


def dots_of(panel: Panel, rows: int, columns: int) -> np.ndarray:
    """The dots of the upper left cells as one picture, without the gaps between cells."""
    cells = panel.twin.dots()[:rows, :columns]
    return cells.transpose(0, 2, 1, 3).reshape(rows * 8, columns * 5)


def lit_along(bar: Bar, grow: str, rows: int, columns: int, panel: Panel) -> list[bool]:
    """The steps of a bar, in the direction in which it grows; all dots across are alike."""
    panel[:] = ""
    panel[:rows, :columns] = bar
    assert not panel.compromises
    picture = dots_of(panel, rows, columns)
    picture = picture if grow in ("left", "right") else picture.T
    assert (picture == picture[0]).all()
    return list(picture[0] if grow in ("right", "down") else picture[0][::-1])


RANGES = st.tuples(st.floats(-1e6, 1e6), st.floats(-1e6, 1e6)).filter(lambda ends: abs(ends[1] - ends[0]) > 1e-3)
PANELS = {size: simulate(size) for size in ("20x4", "40x2", "16x2")}


@given(RANGES, st.floats(0, 1), st.floats(0, 1), st.floats(0, 1), st.sampled_from(["right", "left", "up", "down"]),
       st.integers(1, 4), st.integers(1, 20))  # fmt: skip
def test_a_bar_lights_the_steps_that_its_value_is_worth(
    ends: tuple[float, float], at: float, other: float, zero: float, grow: str, rows: int, columns: int
) -> None:
    low, high = sorted(ends)
    start, *values = (min(high, low + (high - low) * share) for share in (zero, *sorted((at, other))))
    steps = 8 * rows if grow in ("up", "down") else 5 * columns
    bar = Bar(low=low, high=high, grow=grow, zero=start)

    def exact(value: float) -> Fraction:
        return (Fraction(value) - Fraction(low)) / (Fraction(high) - Fraction(low)) * steps

    seen = [lit_along(bar(value), grow, rows, columns, PANELS["20x4"]) for value in values]
    for value, lit in zip(values, seen, strict=True):
        ends_at = sorted((exact(value), exact(start)))
        inside = [Fraction(2 * step + 1, 2) for step in range(steps)]
        near = Fraction(steps, 10**6)  # floats are not exact
        assert all(lit[step] for step in range(steps) if ends_at[0] + near < inside[step] < ends_at[1] - near)
        assert not any(lit[step] for step in range(steps)
                       if not ends_at[0] - near <= inside[step] <= ends_at[1] + near)  # fmt: skip
    if start == low:
        assert all(after >= before for before, after in zip(*seen, strict=True))
        assert lit_along(bar(high), grow, rows, columns, PANELS["20x4"]) == [True] * steps
        assert lit_along(bar(low), grow, rows, columns, PANELS["20x4"]) == [False] * steps


def test_a_peak_stays_for_its_time_and_out_of_range_a_word_is_shown() -> None:
    panel = PANELS["16x2"]
    bar = Bar(high=50, peak_s=10)
    panel[0] = bar(40, Moment(0))
    assert lit_along(bar(20, Moment(5)), "right", 1, 10, panel) == [True] * 20 + [False] * 19 + [True] + [False] * 10
    assert lit_along(bar(10, Moment(12)), "right", 1, 10, panel)[15:25] == [False] * 4 + [True] + [False] * 5
    assert lit_along(bar(10, Moment(40)), "right", 1, 10, panel) == [True] * 10 + [False] * 40
    for value, width, shown in ((51, 8, "  over  "), (-1, 3, "<<<"), (51, 3, ">>>"), (None, 4, " -- ")):
        panel[0, :width] = bar(value)
        assert panel[0, :width] == shown
    falling = Bar(high=50, peak_s=100)
    for tenth in range(900):
        falling(45 - tenth / 20, Moment(tenth / 10))
    lit = lit_along(falling, "right", 1, 10, panel)
    assert [step for step in range(50) if lit[step]] == [44]
    full = Bar(high=50, words={"over": ""})
    assert lit_along(full(99), "right", 1, 10, panel) == [True] * 50


READ = st.floats(-1000, 1000).map(lambda value: round(value, 3))


@given(st.lists(st.none() | READ, min_size=1, max_size=60), st.integers(1, 2), st.integers(1, 4),
       st.booleans(), RANGES | st.none())  # fmt: skip
def test_a_trend_lights_the_dot_of_each_value(
    values: list[float | None], rows: int, columns: int, filled: bool, ends: tuple[float, float] | None
) -> None:
    panel = PANELS["40x2"]
    low, high = sorted(ends) if ends else (None, None)
    side = 9 * (ends is None)
    trend = Trend(low=low, high=high, filled=filled, limits=side)
    for at, value in enumerate(values):
        trend(Reading(value, time=at))
        trend(Reading(value, time=at))  # drawn more often than it is read
    panel[:] = ""
    left = side * (rows == 1)
    panel[:rows, : left + columns + side] = trend
    picture = dots_of(panel, rows, left + columns)[::-1, 5 * left :].T  # by column, from the bottom
    seen = ([None] * 60 + values)[-5 * columns :]
    known = [value for value in seen if value is not None]
    if not known:
        assert not picture.any()
        return
    if low is None or high is None:  # the limits that are shown are not far off
        right = slice(left + columns, left + columns + 9)
        high, low = float(panel[0, right]), float(panel[0, :9] if rows == 1 else panel[1, right])
        assert low <= min(known) <= max(known) <= high
        if max(known) - min(known) > 0.1:
            assert high - low < 2.6 * (max(known) - min(known))
    last = None
    for column, value in zip(picture, seen, strict=True):
        lit = np.flatnonzero(column)
        if value is None:
            assert not len(lit)
            last = None
            continue
        top = (min(max(value, low), high) - low) / (high - low) * (8 * rows - 1)
        dot = int(lit.max() if filled or last is None or last <= lit.max() else lit.min())
        assert abs(dot - top) <= 0.5 + 1e-6 * 8 * rows
        if filled:
            assert list(lit) == list(range(dot + 1))
        else:  # joined to the one before, without a step between them
            assert list(lit) == list(range(lit.min(), lit.max() + 1))
            if last is not None:
                assert lit.min() - 1 <= last <= lit.max() + 1
        last = dot


def test_a_trend_shows_means_of_its_intervals_and_gaps() -> None:
    panel = PANELS["20x4"]
    trend = Trend(low=0, high=15, every_s=10)
    for seconds, value in ((0, 0), (4, 2), (11, 15), (45, 15), (46, None)):
        trend(Reading(value, time=seconds))
    panel[:] = ""
    panel[:2, :1] = trend
    heights = [[*np.flatnonzero(column)] for column in dots_of(panel, 2, 1)[::-1].T]
    assert heights == [[1], [*range(2, 16)], [], [], [15]]
    tiny = Trend(limits=3)(1e-310, Moment()).cells(2, 5)
    assert ["".join(line[2:]) for line in tiny] == ["0.5", "  0"]
    trend(Reading(3, time=46, flaw="stale", age_s=20))  # nothing has come since: the graph moves on all the same
    panel[:2, :1] = trend
    assert not dots_of(panel, 2, 1)[:, 3:].any()


SEVEN = {"abcdef": "0", "bc": "1", "abdeg": "2", "abcdg": "3", "bcfg": "4", "acdfg": "5", "acdefg": "6", "abc": "7",
         "abcdefg": "8", "abcdfg": "9"}  # fmt: skip


def read_tall(picture: np.ndarray) -> str:
    """What tall digits say, from their dots alone: strokes are looked for where a person would."""
    high, wide = picture.shape
    text, x = "", 0
    while x < wide:
        cell = picture[:, x : x + 5]
        digit = picture[:, x : x + 15]
        if not digit.any():
            x += 15 if x + 15 <= wide else 5
            continue
        level = [bool(digit[high * third // 3 : high * (third + 1) // 3, 7].any()) if digit.shape[1] > 7 else False
                 for third in range(3)]  # fmt: skip
        sides = [(at, part) for at in (3, 11) for part in (0.3, 0.7)]
        upright = [bool(digit.shape[1] > at and digit[int(high * part), at]) for at, part in sides]
        strokes = [letter for letter, lit in zip("febc", upright, strict=True) if lit]
        strokes += [letter for letter, lit in zip("agd", level, strict=True) if lit]
        found = SEVEN.get("".join(sorted(strokes)), "")
        if cell.any() and not cell[:, 0].any() and cell.sum() <= 12 and not cell[: high // 3].any():
            text, x = text + ".", x + 5
        elif cell[:, 1:4].any() and cell.sum() <= 12 and not cell[:, 0].any():
            text, x = text + ":", x + 5
        elif cell[:, 0].any() and cell.sum() <= 10:
            text, x = text + "-", x + 5
        else:
            assert found, (strokes, picture[:, x : x + 15].astype(int))
            text, x = text + found, x + 15
    return text


@given(st.integers(-9999, 9999) | st.decimals(-99, 99, places=1), st.integers(2, 4), st.sampled_from(["A00", "A02"]))
@tries(150)
def test_tall_digits_read_as_the_number(value: object, rows: int, rom: str) -> None:
    panel = simulate("20x4", rom)
    panel[:rows] = Tall(align="left")(value)
    assert not panel.compromises  # eight slots do
    read = read_tall(dots_of(panel, rows, 20))
    assert float(read) == pytest.approx(float(value), abs=0.5 if "." not in read else 0.051)


def test_tall_digits_give_up_decimals_before_they_do_not_fit() -> None:
    panel = PANELS["20x4"]
    for value, width, options, shown in (
        (41.46, 11, {}, "41.5"), (41.46, 9, {}, "41"), (41.46, 20, {"decimals": 1}, "41.5"), (-4.2, 8, {}, "-4.2"),
        (7, 20, {"decimals": 2}, "7.00"), (0.0, 20, {}, "0"),
    ):  # fmt: skip
        panel[:] = ""
        panel[:3, :width] = Tall(align="left", **options)(value)
        assert read_tall(dots_of(panel, 3, width)) == shown
    panel[:2] = Tall(unit=" kg")(1234567)
    assert panel[0] == ">" * 17 + " kg"
    panel[:2] = Tall()(-12345678)
    assert panel[0] == "<" * 20
    panel[:3] = Tall(time="%H:%M:%S", align="left")(None, Moment(local=(2026, 7, 1, 23, 5, 47, 2, 182)))
    assert read_tall(dots_of(panel, 3, 20)) == "23:05:47"
    panel[:2] = Tall(align="left")(None)
    assert read_tall(dots_of(panel, 2, 20)) == "--"


@given(st.datetimes(min_value=datetime(1000, 1, 1)))
def test_a_clock_shows_what_strftime_would(moment: datetime) -> None:
    form = "%H:%M:%S %I%p %a %A %d|%e %b %B %m/%y %Y %j %u%w %G-%V %F %R %T 100%%"
    local = moment.timetuple()[:8]
    clock = Clock(form)(None, Moment(local=local))
    assert "".join(clock.cells(1, 200)[0]).rstrip() == moment.strftime(form)


def test_clocks_and_countdowns() -> None:
    panel = PANELS["16x2"]
    days = ["Lundi", "Mardi", "Mercredi", "Jeudi", "Vendredi", "Samedi", "Dimanche"]
    evening = Moment(0, 1000.0, (2026, 7, 1, 17, 59, 1, 2, 182))
    for field, value, shown in (
        (Clock("%A %d", days=days), None, "Mercredi 01"), (Clock(of="a"), None, "--"),
        (Clock(of="a"), (2026, 7, 1, 6, 5, 0, 2, 182), "06:05"), (Countdown("18:00"), None, "0:59"),
        (Countdown("17:59:01"), None, "0:00"), (Countdown(1000 + 3600 * 26), None, "1d 02:00"),
        (Countdown(1000.4 + 4 * 3600), None, "4:00:01"), (Countdown(999, done="now"), None, "now"),
        (Countdown(of="a"), 61, "1:01"), (Countdown(of="a"), None, "--"), (Countdown(of="a"), math.inf, "??"),
    ):  # fmt: skip
        panel[0] = field(value, evening)
        assert panel[0].strip() == shown


def test_lamps_choices_and_tickers_keep_their_state() -> None:
    panel = PANELS["16x2"]
    hot, cold = Lamp(on=40, off=38, lit="*", dark="."), Lamp(on=5, off=8, lit="*", dark=".")
    assert [hot(value).cells(1, 1)[0][0] for value in (39, 40, 39, 38, 37.9, 39, None, 41)] == [*".***..?*"]
    assert [cold(value).cells(1, 1)[0][0] for value in (9, 6, 5, 8, 8.1, 6, "x")] == [*"..**..?"]
    assert Lamp(lit=Glyph([31] * 8))(True).cells(1, 1) == [[Glyph([31] * 8)]]
    ranges = Choice(ranges=[(10, "low"), (20, "good"), (None, "high")], gap=1)
    shown = [
        "".join(ranges(value).cells(1, 4)[0]).strip() for value in (9, 10.5, 11, 19, 20.5, 21, 19.5, 18, math.nan, 19)
    ]
    assert shown == ["low", "low", "good", "good", "good", "high", "high", "good", "??", "good"]
    door = Choice(texts={"open": "come in", 1: "one", 0: "none"}, otherwise="who knows")
    for value, text in (("open", "come in"), ("1", "one"), (Reading(None, text="1.0"), "one"),
    (Reading(None, text="open"), "come in"), (1.0, "one"), (False, "none"),
                        ("shut", "who knows"), (None, "--")):  # fmt: skip
        panel[0] = door(value)
        assert panel[0].rstrip() == text
    ticker = Ticker(gap=2)
    for shown in ("Honey", "oney ", "ney f"):  # by a cell with each call, where no moment is given
        panel[0, :5] = ticker("Honey flow")
        assert panel[0, :5] == shown
    ticker = Ticker("Honey flow", cells_per_s=2, gap=2)
    for seconds, text in ((5, "Honey"), (5.5, "oney "), (7.5, " flow"), (10, "  Hon"), (11, "Honey")):
        panel[0, :5] = ticker(None, Moment(seconds))
        assert panel[0, :5] == text
    ends = Ticker("Honey", cells_per_s=2, around=False, pause_s=1)  # two steps at each end, and one for each cell
    seen = ["".join(ends(None, Moment(half / 2)).cells(1, 3)[0]) for half in range(10)]
    assert seen == ["Hon", "Hon", "Hon", "one", "ney", "ney", "ney", "Hon", "Hon", "Hon"]
    march = March(">", back="<", cells_per_s=2)
    seen = ["".join(march(now=Moment(half / 2)).cells(1, 3)[0]) for half in range(5)]
    assert seen == [">  ", " > ", "  >", " < ", ">  "]
    assert [march().cells(1, 3)[0].index(">") for _ in range(2)] == [1, 2]  # without a moment by a cell with each call
    lamp = Lamp(lit="!").blinking(0.25)
    assert ["".join(lamp(1, Moment(at / 4)).laid_out(1, 1)[0]) for at in range(4)] == ["!", " ", "!", " "]
    assert ["".join(lamp(1).laid_out(1, 1)[0]) for _ in range(2)] == ["!", " "]
    panel[0] = Ticker(of="a")("It fits\x07\u2028and stands")
    assert panel[0] == "It fits  and sta"[:16]
    panel[0] = Ticker(of="a")("a bell\x07")
    assert panel[0].rstrip() == "a bell"
    panel[0:2] = Label(of="a", wrap=True)(Reading(None, text="two\nlines"))
    assert [row.strip() for row in panel.rows] == ["two", "lines"]
    panel[0] = Label(of="a")(Reading(3.5, unit="kg"))
    assert panel[0].strip() == "3.5 kg"


answers = iter([42.0])


def hang() -> float:
    """Answers once, and then never again."""
    return next(answers, None) or Event().wait() or 0.0


def broken() -> float:
    raise OSError("no answer on the bus")


# How a sensor fails: what number, bar, choice, lamp and tall digits show; whether the trend has a gap.
FAULTS = {
    "missing": (lambda: None, "      --", "   --   ", "--  ", "?", "--", True),
    "NaN": (lambda: math.nan, "      ??", "   ??   ", "??  ", "?", "??", True),
    "text": (lambda: "err 5", "      ??", "   ??   ", "??  ", "?", "??", True),
    "exception": (broken, "      --", "   --   ", "--  ", "?", "--", True),
    "hang": (hang, "     old", "  old   ", "old ", "?", "old", True),
    "over": (lambda: 70.0, "    over", "  over  ", "over", "*", "over", False),
    "under": (lambda: -7.0, "   under", " under  ", "<<<<", ".", "under", False),
    "stale": (lambda: 42.0, "     old", "  old   ", "old ", "?", "old", True),
}  # fmt: skip


@pytest.mark.parametrize("fault", FAULTS)
def test_what_fields_show_when_a_sensor_fails(fault: str) -> None:
    function, *words, tall, is_gap = FAULTS[fault]
    clock = HandClock()
    probe = FunctionProbe("weight", function, "kg", low=0, high=60, lifetime_s=5)
    by_hand = fault != "hang"
    poller = Poller([probe], 0.02, limit_s=0.1, threads=not by_hand, **({"clock": clock} if by_hand else {}))
    with poller:
        if by_hand:
            poller.poll_due()
            clock.advance(6 if fault == "stale" else 0)
        else:
            until(lambda: poller["weight"].flaw == "stale")
        reading = poller["weight"]
    trend = Trend(low=0, high=60)
    fields = [Number(), Bar(), Choice(ranges=[(40, "low"), (None, "high")]), Lamp(on=40, lit="*", dark=".")]
    for field, text in zip(fields, words, strict=True):
        assert "".join(field(reading).cells(1, len(text))[0]) == text
    panel = PANELS["20x4"]
    panel[:] = ""
    panel[:3, :15] = Tall(align="left")(reading)
    assert (read_tall(dots_of(panel, 3, 20)) if tall == "--" else panel[1].strip()) == tall
    panel[:] = ""
    panel[0, :1] = trend(reading)
    assert dots_of(panel, 1, 1).any() != is_gap
    shown = [Number(words={"over": ""}), Tall(words={"over": ""})]
    if fault == "over":  # the number beside the bar stays
        assert "".join(shown[0](reading).cells(1, 8)[0]) == "      70"


MORE: dict[type[Field], dict[str, object]] = {
    Bar: {"peak_s": 5.0, "zero": 50.0, "grow": "up"}, Trend: {"every_s": 1.0, "limits": 1, "filled": True},
    Number: {"low": 0.0, "high": 50.0, "notation": "prefix"}, Tall: {"low": 0.0, "high": 50.0, "decimals": 1},
    Lamp: {"on": 5.0, "off": 9.0}, Label: {"wrap": True}, Choice: {"gap": 0.5, "otherwise": "x"},
}  # fmt: skip
ODD = st.sampled_from([math.inf, -math.inf, math.nan, 1e308, -1e308, 5e-324, Decimal("sNaN"), Decimal("1e4000")])
FLAWS = st.sampled_from([*WORDS])


@pytest.mark.parametrize("kind", [Number, Bar, Tall, Trend, Lamp, Label, Ticker, Choice, Countdown, Clock])
@given(data=st.data())
@tries(100)
def test_nothing_that_a_probe_can_bring_breaks_a_field(kind: type[Field], data: st.DataObject) -> None:
    wild = st.none() | st.text() | st.floats() | st.integers() | st.booleans() | st.decimals() | ODD
    readings = wild.map(lambda value: Reading.of(value, "a")) | st.text().map(lambda t: Reading(None, "a", text=t))
    flawed = st.builds(Reading, ODD.map(float_of) | st.floats(), flaw=FLAWS)
    words = data.draw(st.dictionaries(FLAWS, st.sampled_from(["", "x", "a long word"])))
    options = {"words": words} if kind not in (Trend, Lamp) else {}
    if kind is Choice:
        options["ranges"] = [(3.0, "low"), (None, "high")]
    field = kind(of="a", **options, **(MORE.get(kind, {}) if data.draw(st.booleans()) else {}))
    rows, columns = (
        (3, 9) if kind is Tall else (data.draw(st.integers(1, 2)), data.draw(st.integers(3 if kind is Trend else 1, 9)))
    )
    for second, value in enumerate(data.draw(st.lists(flawed | readings | wild, min_size=1, max_size=3))):
        cells = field(value, Moment(1.5 + second)).cells(rows, columns)
        PANELS["20x4"][:rows, :columns] = field
        assert [len(line) for line in cells[:rows]] == [columns] * len(cells[:rows])


def float_of(value: float | Decimal) -> float:
    return math.nan if isinstance(value, Decimal) and value.is_snan() else float(value)


@pytest.mark.parametrize(
    ("make", "message"),
    [
        (lambda: Bar(low=5, high=5), "low must be below high, not 5 and 5"),
        (lambda: Bar(grow="sideways"), "a bar cannot grow 'sideways': possible are right, left, up, down"),
        (lambda: Bar(zero=200), "zero must be from low to high, 0 to 100, not 200"),
        (lambda: Bar(peak_s=0), "peak_s is above 0"), (lambda: Bar(low="a"), "low is a number, not 'a'"),
        (lambda: Number(words={"ill": "x"}), "'ill' is not a flaw: flaws are invalid, missing"),
        (lambda: Number(words={"over": 3}), "the word for over is text, not 3"),
        (lambda: Number(3), "a number shows a probe, given by its name"), (lambda: Number(base=3), "base 3"),
        (lambda: Trend(low=3), "give both low and high"), (lambda: Trend(every_s=-1), "every_s is above 0"),
        (lambda: Trend(limits=4).check(1, 8), "limits of 4 cells leave no room for the graph in 8 columns"),
        (lambda: Tall().check(1, 8), "tall digits are 2, 3 or 4 rows high, not 1"),
        (lambda: Tall().check(2, 2), "2 columns are too few for a tall digit: give it 3"),
        (lambda: Tall(time="%a"), "tall digits cannot show 'Sat'"), (lambda: Clock("%Q"), "no code %Q in '%Q'"),
        (lambda: Clock("50%"), "'50%' ends in %: write %% for a percent sign"),
        (lambda: Clock(days=["Mon"]), "days are 7 names"), (lambda: Clock(align="up"), "nothing can be aligned 'up'"),
        (lambda: Countdown(), "a countdown needs until, a time, or of"),
        (lambda: Countdown("25:00"), "as '18:00', or seconds"),
        (lambda: Lamp(lit=3), "lit is text or a Glyph, not 3"), (lambda: Ticker(gap=0), "gap is a whole number from 1"),
        (lambda: Ticker(cells_per_s=0), "cells_per_s is above 0"), (lambda: Choice(), "texts for values, or ranges"),
        (lambda: Choice(ranges=[(None, "a"), (3, "b")]), "only the last range is without a limit"),
        (lambda: Choice(ranges=[(3, "a"), (2, "b")]), "limits must rise from one range to the next"),
        (lambda: Ticker(pause_s=-1), "pause_s is 0 or more, not -1"), (lambda: March(""), "one character at least"),
        (lambda: March(cells_per_s=0), "above 0"), (lambda: Label("a").blinking(0), "0.001 seconds or more, not 0"),
        (lambda: Label(align="middle"), "nothing can be aligned 'middle': possible are left, centre, right"),
    ],
)  # fmt: skip
def test_settings_that_cannot_be_are_told(make: object, message: str) -> None:
    with pytest.raises(SettingError, match=message.replace("(", r"\(")) as error:
        make()
    assert isinstance(error.value, LumekError)
