"""Plans, carried out by the few lines of controller that they need."""

from collections.abc import Iterator

from hypothesis import given, settings
from hypothesis import strategies as st

from lumek.core.costs import Costs
from lumek.core.geometry import SIZES, Geometry
from lumek.core.instructions import Step, Timing
from lumek.core.picture import Picture
from lumek.core.plan import neighbours, plan


def carried_out(steps: list[Step], picture: Picture, geometry: Geometry) -> Iterator[Picture]:
    """What a picture becomes by each of these steps."""
    picture = picture.copy()
    in_cgram = False
    for step in steps:
        code = step.data[0]
        way = -1 if picture.leftward else 1
        if step.rs and in_cgram:
            for byte in step.data:
                slot, row = divmod(picture.counter, 8)
                rows = bytearray(picture.glyphs[slot] or bytes(8))
                rows[row] = byte
                picture.glyphs[slot] = bytes(rows)
                picture.counter = (picture.counter + way) % 64
        elif step.rs:
            for byte in step.data:
                picture.codes[picture.counter] = byte
                picture.counter = (picture.counter + way) % 80
        elif code >= 0x40:
            in_cgram = code < 0x80
            picture.counter = code - 0x40 if in_cgram else geometry.index_of(code - 0x80)
        elif code in (0x01, 0x02):
            if code == 0x01:
                picture.codes[:] = b" " * 80
                picture.leftward = False
            picture.shift = picture.counter = 0
            in_cgram = False
        elif code in (0x18, 0x1C):
            picture.shift = (picture.shift + (1 if code == 0x1C else -1)) % geometry.ring
        elif code in (0x04, 0x06):
            picture.leftward = code == 0x04
        else:
            assert code & 0xF8 == 0x08
            picture.on, picture.underline, picture.blink = (bool(code & bit) for bit in (4, 2, 1))
        result = picture.copy()
        result.counter = ~picture.counter if in_cgram else picture.counter
        yield result


@st.composite
def pictures(draw: st.DrawFn, ring: int) -> Picture:
    picture = Picture()
    codes = draw(st.sampled_from((b"ab", b"ab\0\1\2", bytes(range(8)))))
    picture.codes[:] = draw(st.one_of(st.just(b" " * 80), st.lists(st.sampled_from(codes), min_size=80, max_size=80)))
    picture.glyphs = [draw(st.sampled_from((b"\x00\x1f" * 4, b"\x1f" * 8, b"\x00\x1f\x1f\x00" * 2))) for _ in range(8)]
    picture.shift, picture.counter = draw(st.integers(0, ring - 1)), draw(st.integers(0, 79))
    picture.on, picture.underline, picture.blink = draw(st.tuples(st.booleans(), st.booleans(), st.booleans()))
    picture.leftward = draw(st.booleans())
    return picture


LINKS = (360, 90), (90, 22), (21, 5), (4, 1), (0, 0), (20, 10)
"""What a byte and a change of RS take, in microseconds: behind expanders, on lines, and on lines of slow calls."""


def state(picture: Picture) -> list[object]:
    return [getattr(picture, name) for name in ("codes", "shift", "on", "underline", "blink", "leftward", "glyphs")]


def seen(picture: Picture) -> list[object]:
    """What each cell draws."""
    return [code if code > 7 else picture.glyphs[code] for code in picture.codes]


@given(st.data(), st.sampled_from(sorted(SIZES)), st.sampled_from(LINKS), st.booleans())
def test_a_plan_leads_to_what_is_wanted_and_sends_only_what_differs(
    data: st.DataObject, size: str, link: tuple[int, int], may_clear: bool
) -> None:
    geometry, costs = Geometry(size), Costs(Timing(), *link)
    shown, wanted = data.draw(pictures(geometry.ring)), data.draw(pictures(geometry.ring))
    wanted.counter = data.draw(st.sampled_from((None, wanted.counter)))
    for slot in data.draw(st.sets(st.integers(0, 7))) - {*wanted.codes}:
        wanted.glyphs[slot] = None
    steps, after = plan(shown, wanted, geometry, Timing(), costs, may_clear=may_clear)
    moments = [shown, *carried_out(steps, shown, geometry)]
    reached = moments[-1]
    assert state(reached) == state(after)
    assert state(after)[:-1] == state(wanted)[:-1]
    assert all(now == then for now, then in zip(after.glyphs, wanted.glyphs, strict=True) if then)
    assert reached.counter == after.counter
    assert wanted.counter in (None, after.counter)
    cells = [(a, b) for a, b in zip(shown.codes, wanted.codes, strict=True) if a != b]
    rows = sum(a != b for pair in zip(shown.glyphs, after.glyphs, strict=True) for a, b in zip(*pair, strict=True))
    blanked = sum(max(pair) < 8 for pair in cells) if rows else 0
    runs = sum(step.rs for step in steps)
    assert sum(len(step.data) for step in steps if step.rs) <= (len(cells) + blanked + rows) * (1 + costs.reach) + runs
    assert plan(after, wanted, geometry, Timing(), costs)[0] == []
    if shown.on != wanted.on:  # off first of all, or on last of all
        assert steps[-wanted.on].data[0] & 0xF8 == 0x08
    # Whatever is shown in between, no cell draws anything but what it did, what it will, or nothing.
    cleared = may_clear and any(step.data == b"\x01" for step in steps)
    cells = zip(seen(shown), zip(*map(seen, moments), strict=True), seen(after), strict=True)
    for code, new, (before, between, then) in zip(shown.codes, wanted.codes, cells, strict=True):
        if code != new or cleared:
            assert {*between} <= {before, then, ord(" ")} or code == new < 8
        elif code > 7:
            assert {*between} == {code}
        else:  # a slot that is redrawn has rows of both drawings
            assert all(row in pair for rows in between for row, *pair in zip(rows, before, then, strict=True))


@settings(max_examples=100)
@given(st.data(), st.sampled_from(sorted(SIZES)))
def test_the_short_way_between_neighbours_is_that_of_the_plan(data: st.DataObject, size: str) -> None:
    geometry, timing = Geometry(size), Timing()
    wanted = data.draw(pictures(geometry.ring))
    wanted.leftward, wanted.tag = False, data.draw(st.sampled_from((None, 1, 1, 1)))
    shown = wanted.copy()
    shown.counter, wanted.counter = data.draw(st.integers(-64, 79)), None
    first, length = data.draw(st.sampled_from((0, 39, 77, 79)) | st.integers(0, 79)), data.draw(st.integers(0, 4))
    run = range(first, min(first + length, 80))
    places = run if data.draw(st.booleans()) else sorted(data.draw(st.sets(st.integers(0, 79), max_size=4)))
    for index in places:
        shown.codes[index] = data.draw(st.sampled_from([code for code in b"ab\1" if code != wanted.codes[index]]))
    wanted.first, wanted.past = (places[0], places[-1] + 1) if places else (80, 0)
    costs = Costs(timing, *data.draw(st.sampled_from(LINKS)))
    expected, after = plan(shown, wanted, geometry, timing, costs)
    before = state(shown.copy()), shown.counter
    steps = neighbours(shown, wanted, geometry, timing, costs)
    if steps is None:
        assert (state(shown), shown.counter) == before
        alone = len(places) == wanted.past - wanted.first
        near = shown.counter is not None and 0 < (places[0] - shown.counter) % 80 <= costs.reach if places else False
        assert not wanted.tag or not alone or near or (len(places) > 1 and not wanted.codes.strip())
    else:
        assert wanted.tag
        assert steps == expected
        assert (state(shown), shown.counter) == (state(after), after.counter)
