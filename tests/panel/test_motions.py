"""Motions on simulated panels: every frame, what is seen between two of them, and what is left at the end."""

import threading
from itertools import islice

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lumek import BusError, Glyph, Panel, Text, simulate
from lumek.glyphs import shipped
from lumek.motions import Blinking, Cycling, Gliding, Marching, Motion, Rolling, Sliding, Typing
from support.effort import tries
from support.refusals import refused
from support.waiting import until

TEXT = st.text(st.sampled_from("Hive 3éß🐝♥°"), max_size=30)
WORDS = st.text(st.sampled_from("ab é🐝"), min_size=1, max_size=3)
NUMBERS = st.integers(-999, 99999) | st.floats(-99, 999) | st.sampled_from(["41.4 kg", " 9", "", "x7", None])
LOOKS = WORDS.map(str.strip).filter(bool) | st.sampled_from(list(shipped("arrows").values()))
MOTIONS = st.one_of(
    st.builds(Typing, TEXT | TEXT.map(lambda text: Text(text, "centre", wrap=True)) | TEXT.map(lambda t: t + "\n" + t)),
    st.builds(Gliding, TEXT, st.integers(0, 4), st.integers(0, 4)),
    st.builds(Marching, LOOKS, st.none() | LOOKS, st.none() | LOOKS),
    st.builds(Blinking, TEXT, st.integers(1, 3), st.integers(1, 3)),
    st.builds(Cycling, st.lists(LOOKS, min_size=1, max_size=4)),
    st.builds(Rolling, NUMBERS, NUMBERS, st.integers(1, 8)),
    st.builds(Sliding, TEXT, st.sampled_from(["left", "right"]), st.booleans()),
)


def watched(panel: Panel) -> list[np.ndarray]:
    """The dots of the glass after each transfer, from now on."""
    seen: list[np.ndarray] = []
    bus, write = panel.twin.port, panel.twin.port.write

    def written(address: int, data: bytes) -> None:
        write(address, data)
        seen.append(panel.twin.dots().copy())

    bus.write = written
    return seen


@tries(100)
@given(MOTIONS, st.integers(1, 2), st.integers(3, 16), st.integers(0, 20))
def test_a_frame_is_what_is_seen_and_nothing_else_is_seen_between_two(
    motion: Motion, rows: int, columns: int, first: int
) -> None:
    panel, model = simulate("20x4"), simulate("20x4")
    for one in (panel, model):
        one[:] = "\n".join("#" * 20 for _ in range(4))
    seen = watched(panel)
    place = slice(1, 1 + rows), slice(2, 2 + columns)
    for step, frame in enumerate(islice(motion.frames(rows, columns), 40)):
        before = panel.twin.dots()
        seen.clear()
        panel[place] = frame
        model[place] = motion.at(step)
        after = panel.twin.dots()
        assert panel.rows == model.rows
        assert np.array_equal(after, model.twin.dots())
        for glass in seen:  # each cell is as it was or as it will be
            old, new = (glass == before).all(axis=(2, 3)), (glass == after).all(axis=(2, 3))
            assert (old | new).all()
    count = motion.count(rows, columns)
    assert count is None or count == sum(1 for _ in motion.frames(rows, columns))
    # It begins again after a period, and a frame is the same however it is reached.
    if count is None:
        again = motion.cells(first + motion.period(rows, columns), rows, columns)
        if not isinstance(motion, Marching):
            assert [[*line] for line in again] == [[*line] for line in motion.cells(first, rows, columns)]
    assert panel.twin.violations == []


def test_frames_are_what_their_names_say() -> None:
    def shown(motion: Motion, columns: int, most: int = 99) -> list[str]:
        panel = simulate("20x4")
        lines = []
        for frame in islice(motion.frames(1, columns), most):
            panel[0, 0:columns] = frame
            lines.append(panel[0, 0:columns])
        return lines

    assert shown(Typing("bee"), 4) == ["    ", "b   ", "be  ", "bee "]
    assert shown(Gliding("queen", pause=1), 3, 9) == ["que", "que", "uee", "een", "een", "que", "que", "uee", "een"]
    assert shown(Gliding("bees", 1, 0), 3, 6) == ["bee", "ees", "es ", "s b", " be", "bee"]
    assert shown(Gliding("bee"), 4) == ["bee "]
    assert shown(Marching(">", back="<"), 3, 6) == [">  ", " > ", "  >", " < ", ">  ", " > "]
    assert shown(Marching("ab", "AB"), 3, 3) == ["ab ", " AB", "ab "]
    assert shown(Blinking("bee", 2, 1), 3, 4) == ["bee", "bee", "   ", "bee"]
    assert shown(Cycling(["a", "bc"]), 2, 3) == ["a ", "bc", "a "]
    assert shown(Sliding("bee", "left"), 3) == ["   ", "e  ", "ee ", "bee"]
    assert shown(Sliding("bee", "right", out=True), 3) == ["bee", " be", "  b", "   "]
    rolled = shown(Rolling(9, 11), 4)
    assert (rolled[0], rolled[8], rolled[-1], len(rolled)) == ("   9", "  10", "  11", 17)
    assert Marching(Glyph([16] * 8)).looks[2] == [Glyph([1] * 8)]
    assert (Marching("ab").looks[2], Marching(["a", Glyph([16] * 8)]).looks[2]) == (["a", "b"], [Glyph([1] * 8), "a"])


def test_a_wheel_moves_dot_by_dot() -> None:
    panel = simulate("8x2")
    panel[0] = "34"
    digits = panel.twin.dots()[0]
    strip = np.concatenate([digits[0], digits[1]])
    for step, frame in enumerate(Rolling("3", "4").frames(1, 8)):
        panel[1] = frame
        assert np.array_equal(panel.twin.dots()[1, 0], strip[step : step + 8])
    for step, frame in enumerate(Rolling(4, 3).frames(1, 1)):
        panel[1, 0] = frame
        assert np.array_equal(panel.twin.dots()[1, 0], strip[8 - step : 16 - step])


SHIFTED = {"8x1", "16x1", "20x1", "8x2", "16x2", "20x2"}


@pytest.mark.parametrize("size", ["8x1", "8+8x1", "16x2", "24x2", "20x4", *(pytest.param(size, marks=pytest.mark.slow)
    for size in ("16x1", "20x1", "8x2", "20x2", "40x2", "16x4", "40x4"))])  # fmt: skip
@pytest.mark.parametrize(("side", "out"), [("left", False), ("right", False), ("left", True), ("right", True)])
def test_a_window_slides_by_the_controllers_own_shift_where_it_can(size: str, side: str, out: bool) -> None:
    panel, model = simulate(size), simulate(size)
    text = "\n".join(["Hive 3 🐝 41.4 kg and more"[: panel.shape[1]]] * panel.shape[0])
    panel[:] = "old"
    played = panel.play(Sliding(text, side, out), every_s=3600)
    until(lambda: played.step == 1, "the first frame")
    with panel.together():
        assert not played.ended  # and that frame is whole
    motion = Sliding(text, side, out, shift=False)
    for step in range(1, motion.count(*panel.shape)):
        sent = panel.twin.port.sent
        played.advance()
        model[:] = motion.at(step)
        assert panel.rows == model.rows
        assert np.array_equal(panel.twin.dots(), model.twin.dots())
        if size in SHIFTED and step < panel.shape[1]:
            assert panel.twin.port.sent - sent <= 6  # two nibbles: each with E high, then low, and RS set before
    played.stop()
    assert panel.twin.violations == []
    if size not in SHIFTED:
        assert "cannot slide this text: on " in refused(lambda: panel.play(Sliding(text, shift=True)))
    assert "only a part of the panel" in refused(lambda: panel.play(Sliding(text, shift=True), row=0, width=3))


@pytest.mark.parametrize(("leaves", "left"), [("last", "  >"), ("blank", "   "), ("before", "♥bc")])
def test_a_motion_plays_beside_the_program_until_it_is_stopped(leaves: str, left: str) -> None:
    panel = simulate("16x2", hz=1_000_000)
    panel[0] = "♥bcd"
    with panel.play(Marching(">", back="<"), 0, width=3, every_s=0.001, leaves=leaves) as played:
        for number in range(50):
            panel[1] = number
            assert panel[0, 3] == "d"
        until(lambda: played.step > 30, "thirty frames")
        assert not played.wait(0)
        with panel.together():  # a motion waits for a block, and can be stopped within it
            until(lambda: panel[0, 2] == ">" or not played.advance(), "the right end")
            played.stop()
    assert (panel[0, 0:3], panel[1, 14:16], played.ended, played.wait()) == (left, "49", True, True)
    assert panel.twin.violations == []


def test_a_motion_ends_by_itself_and_one_in_the_same_place_makes_room() -> None:
    panel = simulate("16x2", hz=1_000_000)
    typed = panel.play(Typing("Good morning,\nbees"), every_s=0.001)
    assert typed.wait(60)
    assert (panel.rows, typed.step) == (["Good morning,   ", "bees            "], 18)
    for_a_while = panel.play(Blinking("x"), 1, 15, every_s=0.001, seconds=0.01, leaves="blank")
    assert for_a_while.wait(60)
    assert (for_a_while.step, panel[1, 15]) == (10, " ")
    first = panel.play(Gliding("a line that is far too long", 1), 0, every_s=0.001)
    other = panel.play(Marching("🐝"), 1, every_s=0.001)
    panel.play(Blinking("!"), 0, 3, 2, every_s=0.001)
    assert (first.ended, other.ended) == (True, False)
    panel.close()
    until(lambda: other.ended, "what is played on a panel that is closed")
    other.stop()
    assert other.wait()


def test_a_motion_goes_on_after_an_error_of_the_port_and_tells_another(caplog: pytest.LogCaptureFixture) -> None:
    panel = simulate("16x2")
    bus, write = panel.twin.port, panel.twin.port.write
    broken = threading.Event()

    def failing(address: int, data: bytes) -> None:
        if broken.is_set():
            raise BusError("the wire is loose")
        write(address, data)

    bus.write = failing
    played = panel.play(Marching("m"), every_s=0.001)
    broken.set()
    step = played.step
    until(lambda: played.step > step + 3, "frames that fail")
    broken.clear()
    step = played.step
    until(lambda: played.step > step + 3, "frames that are shown")
    played.stop()
    assert panel.twin.rows == panel.rows
    assert [one for one in caplog.messages if "goes on" in one] == [
        "a motion goes on when the panel is back: the wire is loose"
    ]
    wrong = panel.play(Cycling([object()]), every_s=0.001)
    assert "cells take text" in refused(lambda: until(lambda: wrong.wait(0), "its error"))
    wrong.stop()


def test_what_cannot_be_played_is_said() -> None:
    panel = simulate("16x2")
    for act, message in (
        (lambda: panel.play("bee"), "is a motion, such as Marching"),
        (lambda: panel.play(Typing("a"), 2), "row 2 does not"),
        (lambda: panel.play(Typing("a"), every_s=None, seconds=1), "seconds needs every_s"),
        (lambda: panel.play(Typing("a"), every_s=0), "every_s is 0.001 to 1e+06 seconds, not 0"),
        (lambda: panel.play(Typing("a"), leaves="all"), "not 'all'"),
        (lambda: panel.play(Typing("a"), 0, width=0), "the width of this place is 1 to 16, not 0"),
        (lambda: Gliding(3), "is text, not 3"),
        (lambda: Gliding("a", -1), "gap is a whole number from 0, not -1"),
        (lambda: Marching(""), "one character at least"),
        (lambda: Marching(3), "not 3"), (lambda: Cycling([]), "one thing at least"),
        (lambda: Rolling(1, 2, 9), "1 to 8"),
        (lambda: Sliding("a", "up"), "not 'up'"), (lambda: Blinking("a", 0), "lit is a whole number from 1, not 0"),
        (lambda: Typing("a").at(-1), "a step is a whole number from 0, not -1"),
    ):  # fmt: skip
        assert message in refused(act), message
    by_hand = panel.play(Typing("ab"), every_s=None)
    assert [by_hand.advance() for _ in range(4)] == [True, True, True, False]
    assert (panel[0, 0:3], by_hand.ended) == ("ab ", True)
    panel.close()
    assert "was closed" in refused(lambda: panel.play(Typing("a")))
    panel = simulate("16x2")
    with panel.together():
        played = panel.play(Typing("ab"), every_s=0.001)
        assert "wait for it after that" in refused(played.wait)
    assert played.wait(60)
