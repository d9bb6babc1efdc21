"""Rows and columns against the addresses of the data sheet ("Display data RAM") and of four-row modules."""

import pytest

from lumek import PlaceError, SizeError
from lumek.core.geometry import SIZES, Geometry

FIRST_AND_LAST = """
8x1 00 07 / 16x1 00 0f / 8+8x1 00 47 / 20x1 00 13 / 8x2 00 07 40 47 / 16x2 00 0f 40 4f / 20x2 00 13 40 53
/ 24x2 00 17 40 57 / 40x2 00 27 40 67 / 16x4 00 0f 40 4f 10 1f 50 5f / 20x4 00 13 40 53 14 27 54 67
/ 40x4 00 27 40 67 00 27 40 67
"""


@pytest.mark.parametrize("line", FIRST_AND_LAST.split("/"))
def test_rows_lie_where_the_sheets_say(line: str) -> None:
    size, *ends = line.split()
    geometry = Geometry(size)
    rows = [[geometry.address_of(index) for index in row] for row in geometry.grid()]
    assert [f"{end:02x}" for row in rows for end in (row[0], row[-1])] == ends
    assert len(FIRST_AND_LAST.split("/")) == len(SIZES)
    for row in geometry.grid():
        assert [geometry.index_of(geometry.address_of(index)) for index in row] == row


def test_indexes_follow_the_address_counter() -> None:
    two, one = Geometry("20x4"), Geometry("16x1")
    assert [(two.address_of(i), one.address_of(i)) for i in (39, 40, 79)] == [(0x27, 0x27), (0x40, 0x28), (0x67, 0x4F)]
    assert two.grid()[0] + two.grid()[2] + two.grid()[1] + two.grid()[3] == list(range(80))


def test_a_shift_turns_each_line_as_a_ring() -> None:
    # Figure 5: after a shift to the left the window starts at 0x01, after one to the right at 0x27.
    geometry = Geometry("8x2")
    assert [geometry.address_of(row[0]) for row in geometry.grid(-1)] == [0x01, 0x41]
    assert [geometry.address_of(row[0]) for row in geometry.grid(1)] == [0x27, 0x67]
    assert Geometry("8x1").grid(1)[0][0] == 0x4F


MISTAKES = [
    (-17, "column -17 does not exist on a 16x2 panel (columns are 0 to 15)"), (True, "not True"),
    (slice(4, 17), "columns 4:17 are not on a 16x2 panel (columns are 0 to 15; a slice ends at 16 at most)"),
    (slice("a", None), "columns a: are not"), (slice(0, 8, 2), "a step of 2 is not possible"),
    ("first", "a column is a whole number or a slice, not 'first'"),
]  # fmt: skip


@pytest.mark.parametrize(("key", "message"), MISTAKES)
def test_a_place_outside_says_what_is_possible(key: object, message: str) -> None:
    with pytest.raises(PlaceError) as caught:
        Geometry("16x2").span("column", key)
    assert message in str(caught.value)
    with pytest.raises(SizeError) as caught:
        Geometry("4x20")
    assert all(size in str(caught.value) for size in (*SIZES, "columns come first: 20x4"))
