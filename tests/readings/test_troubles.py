"""What is reported of probes that fail."""

from hypothesis import given
from hypothesis import strategies as st

from lumek.readings import Reading
from lumek.readings.troubles import MOST_LINES, QUIET_S, SETTLE_S, Troubles
from support.effort import tries

GOOD = Reading(41.4, "weight", "kg")


def lines_of(cause_at: "dict[int, str]", seconds: int = 100, verbose: bool = False) -> list[tuple[int, str]]:
    """Lines with their seconds; from each second on there is that cause, or a good reading for none."""
    troubles, cause, lines = Troubles(verbose), "", []
    for second in range(seconds):
        cause = cause_at.get(second, cause)
        reading = Reading(None, "weight", cause=cause) if cause else GOOD
        lines += [(second, line) for line in troubles.news({"weight": reading}, float(second))]
    return lines


def test_a_trouble_is_reported_when_it_begins_changes_and_ends() -> None:
    assert lines_of({5: "no answer for 3 s", 6: "no answer for 4 s", 20: "unplugged", 40: ""}) == [
        (7, "weight is missing: no answer for 4 s"),
        (22, "weight is missing: unplugged"),
        (42, "weight is good again: 41.4 kg"),
    ]
    assert lines_of({5: "unplugged", 6: "", 9: "unplugged", 10: ""}) == []
    assert lines_of({5: "unplugged"}, verbose=True) == [
        (0, "weight is good: 41.4 kg"), (5, "weight is missing: unplugged"),
    ]  # fmt: skip
    assert Troubles().left({"weight": Reading(None, cause="unplugged"), "air": GOOD}) == [
        "weight is missing: unplugged"
    ]


@tries(50)
@given(st.lists(st.integers(1, 40), max_size=40))
def test_a_loose_contact_fills_no_log_and_the_last_line_is_true(lengths: list[int]) -> None:
    changes, second = {}, 0
    for place, length in enumerate(lengths):
        changes[second] = "" if place % 2 else "unplugged"
        second += length
    seconds = second + int(SETTLE_S + QUIET_S) + 1
    lines = lines_of(changes, seconds)
    bad = bool(lengths) and len(lengths) % 2 == 1
    assert bool(lines and "unplugged" in lines[-1][1]) == bad
    for first, later in zip(lines, lines[MOST_LINES:], strict=False):
        assert later[0] - first[0] >= QUIET_S - SETTLE_S
