"""Rows and columns against the addresses of the data sheet (figures 2 to 7) and of four-row modules."""

import pytest

from lumek import PlaceError, SizeError
from lumek.core.geometry import SIZES, Geometry

FIRST_AND_LAST = {
    "8x1": [(0x00, 0x07)],
    "16x1": [(0x00, 0x0F)],
    "8+8x1": [(0x00, 0x47)],
    "20x1": [(0x00, 0x13)],
    "8x2": [(0x00, 0x07), (0x40, 0x47)],
    "16x2": [(0x00, 0x0F), (0x40, 0x4F)],
    "20x2": [(0x00, 0x13), (0x40, 0x53)],
    "24x2": [(0x00, 0x17), (0x40, 0x57)],
    "40x2": [(0x00, 0x27), (0x40, 0x67)],
    "16x4": [(0x00, 0x0F), (0x40, 0x4F), (0x10, 0x1F), (0x50, 0x5F)],
    "20x4": [(0x00, 0x13), (0x40, 0x53), (0x14, 0x27), (0x54, 0x67)],
}


@pytest.mark.parametrize("size", SIZES)
def test_rows_lie_where_the_sheets_say(size: str) -> None:
    geometry = Geometry(size)
    rows = [[geometry.address_of(index) for index in row] for row in geometry.grid()]
    assert [(row[0], row[-1]) for row in rows] == FIRST_AND_LAST[size]
    for number, row in enumerate(geometry.grid()):
        for column, index in enumerate(row):
            assert geometry.place_of(index) == (number, column)
            assert geometry.index_of(geometry.address_of(index)) == index


def test_indexes_follow_the_address_counter() -> None:
    two, one = Geometry("20x4"), Geometry("16x1")
    assert [two.address_of(i) for i in (0, 39, 40, 79)] == [0x00, 0x27, 0x40, 0x67]
    assert [one.address_of(i) for i in (0, 39, 40, 79)] == [0x00, 0x27, 0x28, 0x4F]
    assert two.grid()[0] + two.grid()[2] + two.grid()[1] + two.grid()[3] == list(range(80))


def test_a_shift_turns_each_line_as_a_ring() -> None:
    # Data sheet, figure 5: after a shift to the left the window starts at 0x01, after one to the right at 0x27.
    geometry = Geometry("8x2")
    assert [geometry.address_of(row[0]) for row in geometry.grid(-1)] == [0x01, 0x41]
    assert [geometry.address_of(row[0]) for row in geometry.grid(1)] == [0x27, 0x67]
    assert geometry.place_of(39) is None
    assert Geometry("8x1").grid(1)[0][0] == 0x4F  # figure 3


def test_a_size_that_does_not_exist_lists_those_that_do() -> None:
    with pytest.raises(SizeError) as caught:
        Geometry("4x20")
    assert all(size in str(caught.value) for size in SIZES)


@pytest.mark.parametrize(
    ("what", "key", "message"),
    [
        ("row", 2, "row 2 does not exist on a 16x2 panel (rows are 0 and 1)"),
        ("row", -3, "row -3 does not exist"),
        ("column", 16, "(columns are 0 to 15)"),
        ("column", slice(4, 17), "columns 4:17 are not on a 16x2 panel (columns are 0 to 15; a slice ends at 16"),
        ("column", slice(0, 8, 2), "a step of 2 is not possible"),
        ("row", "first", "a row is a whole number or a slice, not 'first'"),
        ("row", True, "not True"),
        ("column", slice("a", None), "columns a: are not"),
    ],
)
def test_a_place_outside_says_what_is_possible(what: str, key: int, message: str) -> None:
    with pytest.raises(PlaceError) as caught:
        Geometry("16x2").span(what, key)
    assert message in str(caught.value)
