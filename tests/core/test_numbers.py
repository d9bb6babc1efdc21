"""Numbers as text: against Python's own formatting, and read back."""

import math
import re
from decimal import Decimal
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lumek import LumekError, number, numbers

EXACT = st.one_of(
    st.integers(), st.integers(-(10**400), 10**400), st.decimals(allow_nan=False, allow_infinity=False, places=4),
    st.fractions(),
)  # fmt: skip
FLOATS = st.floats(allow_nan=False, allow_infinity=False)
VALUES = st.one_of(
    EXACT,
    FLOATS,
    st.floats(-1e6, 1e6),
    st.floats(-1000, 1000, width=32).map(np.float32),
    st.integers(-128, 127).map(np.int8),
)
OPTIONS = st.fixed_dictionaries(
    {},
    optional={
        "decimals": st.none() | st.integers(0, 6), "notation": st.sampled_from(("plain", "scientific", "prefix")),
        "digits": st.integers(1, 6), "plus": st.booleans(), "group": st.sampled_from(("", "'", " ", "_")),
        "point": st.sampled_from(".,·"), "unit": st.sampled_from(("", " kg", "V", "°C")),
        "align": st.sampled_from(("left", "right", "centre")),
    },
)  # fmt: skip


SI = "qryzafpnµm kMGTPEZYRQ"


def read_back(text: str, options: dict[str, object]) -> tuple[Fraction, Fraction]:
    """The number that a text says, and what half of its last digit is worth."""
    text = text.strip().removesuffix(str(options.get("unit", "")).strip()).strip()
    factor = Fraction(1)
    if options.get("notation") == "prefix" and not text[-1:].isdigit():
        factor = Fraction(1000) ** (SI.index(text[-1]) - 10)
        text = text[:-1]
    if options.get("group"):
        text = text.replace(options["group"], "")
    text, _, power = text.strip().partition("e")
    text = text.replace(str(options.get("point", ".")), ".")
    factor *= Fraction(10) ** int(power or 0)
    return Fraction(text) * factor, factor / 2 / 10 ** len(text.partition(".")[2])


@given(VALUES, st.integers(0, 24), OPTIONS)
def test_a_number_is_as_wide_as_asked_and_reads_back(value: Any, width: int, options: dict[str, object]) -> None:
    text = number(value, width, **options)
    assert len(text) == width
    exact = Fraction(*(int(value), 1) if isinstance(value, np.int8) else value.as_integer_ratio())
    if {*text} & {"<", ">"} or width == 0:
        mark = "<" if exact < 0 else ">"
        room = width - len(options.get("unit", "")) if width > len(options.get("unit", "")) else width
        assert text[:room] == mark * room
    else:
        said, half = read_back(text, options)
        assert abs(said - exact) <= half
        assert ("-" in text.split("e")[0]) == (said < 0)
        assert ("+" in text) == (bool(options.get("plus")) and said >= 0)


@given(st.one_of(FLOATS, st.decimals(-(10**20), 10**20, places=8)), st.integers(0, 9))
def test_rounding_and_grouping_are_those_of_format(value: float | Decimal, places: int) -> None:
    text, expected = number(value, 500, places, group="_").strip(), f"{value:,.{places}f}".replace(",", "_")
    assert text == (expected if Decimal(expected.replace("_", "")) else expected.removeprefix("-"))
    mantissa, power = f"{value or 0:.{places}e}".split("e")
    if isinstance(value, float):
        assert number(value, 30, places, notation="scientific").strip() == f"{mantissa}e{int(power)}"


@given(st.integers(), st.sampled_from(((2, "b"), (8, "o"), (10, "d"), (16, "X"))), st.integers(1, 12))
def test_bases_are_those_of_format(value: int, base: tuple[int, str], digits: int) -> None:
    sign, text = "-" * (value < 0), format(abs(value), base[1])
    assert number(value, 200, base=base[0], digits=digits).strip() == sign + text.rjust(digits, "0")


@given(st.lists(st.one_of(st.floats(-1e5, 1e5), st.integers(-999, 999), st.none()), min_size=1), st.integers(2, 12))
def test_points_stand_below_each_other(values: list[float | None], width: int) -> None:
    lines = numbers(values, width)
    assert {len(line) for line in lines} == {width}
    places = {line.index(".") for line in lines if "." in line}
    assert len(places) <= 1
    for value, line in zip(values, lines, strict=True):
        if value is not None and not {*line} & {"<", ">"}:
            half = 0.5 / 10 ** len(line.strip().partition(".")[2])
            assert abs(float(line) - value) <= half + 1e-15 * abs(value)
            assert "." in line or not places or len(line.rstrip()) == places.copy().pop()
        elif value is not None:
            assert "<" in number(value, width, 0) or ">" in number(value, width, 0)


def test_every_prefix_of_the_si_is_there() -> None:
    for place, prefix in enumerate(SI):
        assert (
            number(Fraction(1000) ** (place - 10) * 7, 6, notation="prefix", unit="W")
            == f"{f'7{prefix}W'.replace(' ', ''):>6}"
        )
    assert number(Fraction(10) ** 33 - 1, 6, notation="prefix") == " 1000Q"


def test_a_column_leaves_no_room_for_a_point_alone() -> None:
    assert numbers([1.5, 1000], 6, unit="g") == ["    2g", " 1000g"]
    assert numbers([1.5, 1000, -1e9], 7, unit=" kg") == ["   2 kg", "1000 kg", "<<<< kg"]


EXAMPLES = [
    ((41.4159, 8, 2), {"unit": " kg"}, "41.42 kg"), ((12345.678, 5, 2), {}, "12346"), ((123456, 5), {}, ">>>>>"),
    ((-123456, 9), {"unit": " g", "group": ","}, "<<<<<<< g"), ((99.96, 4, 1), {}, " 100"),
    ((-0.04, 5, 1), {}, "  0.0"),
    ((0.1 + 0.2, 9), {}, "      0.3"), ((1 / 3, 8), {}, "0.333333"), ((Fraction(1, 3), 30), {}, "0." + "3" * 28),
    ((np.float32(41.37), 10), {}, "     41.37"), ((7.25, 5, 2), {"digits": 3}, "007.2"),
    ((999.96, 7, 1), {"notation": "prefix", "unit": " W"}, " 1.0 kW"), ((0, 6), {"notation": "prefix"}, "     0"),
    ((None, 6), {"unit": " kg"}, " -- kg"), ((None, 1), {}, "-"), ((math.nan, 5, 1), {"align": "left"}, "nan  "),
    ((math.inf, 4), {"plus": True}, "  +∞"), ((-math.inf, 1), {}, "<"), ((Decimal("Infinity"), 3), {}, "  ∞"),
    ((Decimal("sNaN"), 3), {}, "nan"),
    ((10**5000, 8), {"notation": "scientific"}, "  1e5000"), ((-999.96, 7, 1), {"notation": "scientific"}, " -1.0e3"),
    ((np.float16(41.37), 6), {}, "  41.4"),
    ((1234.5, 9, 2), {"group": ".", "point": ","}, " 1.234,50"),
]  # fmt: skip


@pytest.mark.parametrize(("arguments", "options", "text"), EXAMPLES)
def test_a_number_looks_like_this(arguments: tuple[object], options: dict[str, object], text: str) -> None:
    assert number(*arguments, **options) == text


@pytest.mark.parametrize(
    ("arguments", "options", "message"),
    [
        (("41", 8), {}, "'41' (str) is not a number"), ((True, 8), {}, "True (bool) is not a number"),
        ((np.zeros(2), 8), {}, "not a number"), ((1, -1), {}, "a width is a whole number of cells, 0 to 1000, not -1"),
        ((1, 8, -1), {}, "decimals are 0 to 1000, or None"), ((1.5, 8), {"base": 16}, "and this one has decimals"),
        ((1, 8), {"base": 3}, "possible are 2, 8, 10 and 16"),
        ((1, 8, 2), {"base": 2}, "drop decimals and notation"),
        ((1, 8), {"notation": "roman"}, "possible are plain, scientific, prefix"),
        ((1, 8), {"digits": 0}, "1 to 1000, not 0"),
        ((1, 8), {"group": "."}, "both '.'"), ((1, 8), {"point": ""}, "point is one character"),
        ((1, 8), {"align": "middle"}, "possible are left, centre, right"), ((1, 8), {"unit": 3}, "a unit is text"),
    ],
)  # fmt: skip
def test_what_is_not_possible_is_said(arguments: tuple[object], options: dict[str, object], message: str) -> None:
    with pytest.raises(LumekError) as caught:
        number(*arguments, **options)
    assert message in str(caught.value)


GUIDE = (Path(__file__).parents[2] / "docs/characters.md").read_text(encoding="utf-8")
ROWS = re.findall(r"^\| (`number\(.*?) \| (`.*?) \|$", GUIDE, re.MULTILINE)


@pytest.mark.parametrize(("calls", "texts"), ROWS)
def test_the_guide_tells_the_truth(calls: str, texts: str) -> None:
    assert len(ROWS) > 9
    shown = eval(f"({calls.replace('`', '')},)", {"number": number})
    assert texts.startswith(", ".join(f"`{text}`" for text in shown))


def test_a_number_that_rounds_up_to_the_next_prefix_or_to_zero_fits_where_it_can() -> None:
    assert number(999_999, 5, notation="prefix", unit="V") == "  1MV"
    assert (number(999.6, 4, notation="prefix"), number(123_456, 3, notation="prefix")) == ("  1k", ">>>")
    assert number(0, 3, 2, notation="scientific") == "0e0"
    # Python writes out no more than 4300 digits; nothing here may ask for more.
    assert (number(10**5000, 1000), number(10**5000, 9, notation="scientific")) == (">" * 1000, "   1e5000")
    for refused in (lambda: number(1, 6000), lambda: number(1, 9, digits=10**9), lambda: number(1, 9, 10**9)):
        with pytest.raises(LumekError, match="1000"):
            refused()
