"""Plans, carried out by the few lines of controller that they need."""

from hypothesis import given
from hypothesis import strategies as st

from lumek.core.geometry import SIZES, Geometry
from lumek.core.instructions import Step, Timing
from lumek.core.plan import Picture, plan


def carried_out(steps: list[Step], picture: Picture, geometry: Geometry) -> Picture:
    """What a picture becomes by these steps."""
    picture = picture.copy()
    for step in steps:
        code = step.data[0]
        if step.rs:
            for byte in step.data:
                picture.codes[picture.counter] = byte
                picture.counter = (picture.counter + 1) % 80
        elif code >= 0x80:
            picture.counter = geometry.index_of(code - 0x80)
        elif code == 0x01:
            picture.codes[:] = b" " * 80
            picture.shift = picture.counter = 0
        elif code in (0x18, 0x1C):
            picture.shift = (picture.shift + (1 if code == 0x1C else -1)) % geometry.ring
        else:
            assert code & 0xF8 == 0x08
            picture.on, picture.underline, picture.blink = (bool(code & bit) for bit in (4, 2, 1))
    return picture


@st.composite
def pictures(draw: st.DrawFn, ring: int) -> Picture:
    picture = Picture()
    picture.codes[:] = draw(st.one_of(st.just(b" " * 80), st.lists(st.sampled_from(b" ab"), min_size=80, max_size=80)))
    picture.shift, picture.counter = draw(st.integers(0, ring - 1)), draw(st.integers(0, 79))
    picture.on, picture.underline, picture.blink = draw(st.tuples(st.booleans(), st.booleans(), st.booleans()))
    return picture


def state(picture: Picture) -> list[object]:
    return [getattr(picture, name) for name in ("codes", "shift", "on", "underline", "blink")]


@given(st.data(), st.sampled_from(sorted(SIZES)))
def test_a_plan_leads_to_what_is_wanted_and_sends_only_what_differs(data: st.DataObject, size: str) -> None:
    geometry = Geometry(size)
    shown, wanted = data.draw(pictures(geometry.ring)), data.draw(pictures(geometry.ring))
    wanted.counter = data.draw(st.sampled_from((None, wanted.counter)))
    steps, after = plan(shown, wanted, geometry, Timing())
    reached = carried_out(steps, shown, geometry)
    assert state(reached) == state(after) == state(wanted)
    assert reached.counter == after.counter
    assert wanted.counter in (None, after.counter)
    written = sum(len(step.data) for step in steps if step.rs)
    assert written <= sum(a != b for a, b in zip(shown.codes, wanted.codes, strict=True))
    assert plan(after, wanted, geometry, Timing())[0] == []
    if shown.on != wanted.on:  # off first of all, or on last of all
        assert steps[-wanted.on].data[0] & 0xF8 == 0x08
