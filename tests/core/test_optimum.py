"""Plans against an optimal planner that shares no code with them: a search of all ways, and a lower bound."""

from hypothesis import given, settings
from hypothesis import strategies as st
from optimum import CELLS, Memory, Prices, least, shortest

from lumek.core.costs import Costs
from lumek.core.geometry import Geometry
from lumek.core.instructions import Step, Timing
from lumek.core.picture import Picture
from lumek.core.plan import plan

GEOMETRY = Geometry("20x4")
LINKS = {(360, 90): (360, 540), (90, 22): (90, 134), (0, 0): (61, 53), (20, 10): (61, 53), (100, 50): (100, 200)}
"""What a byte and a change of RS take: what a byte of data, and an address with both changes beyond it, take."""


def priced(steps: list[Step], prices: Prices, data: bool) -> float:
    """What steps take, when RS is as for data or not."""
    us = 0.0
    for step in steps:
        if step.rs:
            us += len(step.data) * prices.data
        else:
            us += prices.slow if step.data[0] < 4 else prices.instruction
        us += prices.turn * (step.rs != data)
        data = bool(step.rs)
    return us


def as_memory(picture: Picture) -> Memory:
    rows = b"".join(rows or bytes(8) for rows in picture.glyphs)
    return Memory(tuple(picture.codes), tuple(rows), picture.counter, picture.shift, rs=bool(picture.rs))


def prices_of(link: tuple[int, int]) -> Prices:
    data, address = LINKS[link]
    return Prices(data, max(link[0], 53), 2160, address)


@st.composite
def small_changes(draw: st.DrawFn) -> tuple[Picture, Picture, list[int], list[int]]:
    """Two pictures that differ in a few neighbouring cells, anywhere on the ring, and in rows of two slots."""
    first, width = draw(st.sampled_from((0, 37, 77, 79))), draw(st.integers(1, 5))
    window = [(first + place) % CELLS for place in range(width)]
    places = draw(st.sampled_from(([], [], [7, 8], [8, 9], [0, 1, 2])))
    shown = Picture()
    shown.on, shown.rs = True, draw(st.integers(0, 1))
    shown.codes[:] = b"-" * CELLS
    shown.glyphs = [bytes(8)] * 8
    wanted = shown.copy()
    letters = b"ab" if not places else b"a\0\1"
    for index in window:
        shown.codes[index], wanted.codes[index] = draw(st.sampled_from(letters)), draw(st.sampled_from(letters))
    for place in places:
        rows = bytearray(wanted.glyphs[place // 8] or b"")
        rows[place % 8] = draw(st.sampled_from((0, 31)))
        wanted.glyphs[place // 8] = bytes(rows)
    shown.counter = draw(st.sampled_from([None, *window, (first - 1) % CELLS, 20, *[~place for place in places]]))
    wanted.counter = draw(st.sampled_from([None, None, *window, (first + width) % CELLS]))
    if not places and draw(st.booleans()):
        shown.shift = draw(st.sampled_from((0, 1, 6, 20)))
        wanted.shift = draw(st.sampled_from((0, 39, 8)))
    return shown, wanted, window, places


@settings(max_examples=60)
@given(small_changes(), st.sampled_from(sorted(LINKS)))
def test_no_plan_of_a_small_change_can_be_beaten(
    change: tuple[Picture, Picture, list[int], list[int]], link: tuple[int, int]
) -> None:
    shown, wanted, window, places = change
    prices = prices_of(link)
    steps, _ = plan(shown, wanted, GEOMETRY, Timing(), Costs(Timing(), *link))
    before, after = as_memory(shown), as_memory(wanted)
    around = sorted({(place + more) % CELLS for place in window for more in (-1, 0, 1)} | {wanted.counter or 0})
    best = shortest(before, after, prices, GEOMETRY.ring, around, places, wanted.counter)
    us = priced(steps, prices, before.rs)
    assert least(before, after, prices, GEOMETRY.ring, wanted.counter) <= best + 0.1
    redrawn = [slot for slot in range(8) if shown.glyphs[slot] != wanted.glyphs[slot]]
    moving = [pair for pair in zip(shown.codes, wanted.codes, strict=True) if pair[0] != pair[1]]
    slides = shown.shift != wanted.shift
    leaving = [pair for pair in moving if pair[0] in redrawn]
    blank = [pair for pair in leaving if pair[1] in redrawn]
    more = (2 * prices.address if leaving else 0) + len(blank) * prices.data + (2 * prices.turn if slides else 0)
    more += 2 * prices.turn if redrawn and not before.rs else 0
    if wanted.counter is not None:
        more += prices.address if redrawn or slides else prices.turn
    assert best <= us <= best + more
