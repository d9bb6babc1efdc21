"""Instructions and data of a program's own, and what the panel knows after them."""

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

import lumek
import lumek.captures
from lumek import Glyph, Panel
from lumek.core.instructions import clear_display, display_control, set_cgram_address, set_ddram_address
from lumek.twin import direct_twin
from support.captured import Captured, hookups, state, uses
from support.refusals import refused

BYTES = st.integers(0, 255)

RAW = st.lists(
    st.one_of(
        st.tuples(st.sampled_from(("send", "send to the last")), BYTES),
        st.tuples(st.sampled_from(("data", "data to the last")), st.binary(max_size=5)),
    ),
    max_size=8,
)


@given(hookups(("16x2", "20x4", "16x1", "8+8x1", "40x4")), uses(), RAW, st.text("Hive 3kg°♥🐝①", max_size=16))
def test_after_anything_that_was_sent_the_next_assignment_shows_what_is_wanted(
    hookup: str, doings: list, raw: list, text: str
) -> None:
    with Captured(hookup) as captured:
        panel = captured.run([*doings, *raw])
        panel[0] = text
        panel.visible = True
        again = captured.run([*doings, ("text", (0, 0, text)), ("visible", True)])
    assert (panel.twin.dots() == again.twin.dots()).all()
    assert {one.rule for one in panel.twin.violations} <= {"address", "function set", "nibble phase"}


def test_a_clear_is_followed_and_what_it_took_comes_back() -> None:
    panel = lumek.simulate("16x2")
    panel[0] = "Hive 3"
    panel.send(clear_display())
    assert panel.twin.rows == [" " * 16] * 2
    before = panel.twin.port.sent
    panel[0] = "Hive 4"
    assert panel.twin.rows[0] == "Hive 4          "
    assert panel.twin.port.sent - before < 40
    assert [str(one.words) for one in panel.explain()] == ["write 'Hive 4'"]


def test_a_program_draws_and_writes_by_itself() -> None:
    panel = lumek.simulate("40x4")
    panel.send(set_cgram_address(8), controller=1)
    panel.send_data([0, 10, 31, 31, 14, 4, 0, 0], controller=1)
    panel.send(set_ddram_address(0x40), display_control(on=True, blink=True), controller=1)
    panel.send_data(b"\1Hive", controller=1)
    panel.send_data(0x21, controller=1)
    assert panel.twin.cells[3][:6] == [1, *b"Hive!"]
    assert panel.twin.dots()[3, 0].tolist() == Glyph([0, 10, 31, 31, 14, 4, 0, 0]).dots
    panel[3, 0] = "3"
    assert panel.twin.rows[3] == "3".ljust(40)


def test_the_address_counters_of_both_controllers_are_followed_in_cgram() -> None:
    panel, again = lumek.simulate("40x4"), lumek.simulate("40x4")
    bars, full = [Glyph([17, row, 10, row] * 2) for row in range(7)], [31] * 8
    panel[0] = panel[2] = ["🐝", *bars]  # every slot is taken
    panel.send(set_cgram_address(0x08))
    panel.send(set_cgram_address(0x20), controller=1)
    panel.send_data(full)
    assert panel.twin.dots()[0, 1].all()
    panel[0, 9] = "3"
    panel.send(set_cgram_address(0x30))
    panel.glyphs["🐝"] = again.glyphs["🐝"] = Glyph([0, 10, 31, 31, 14, 4, 0, 17])  # its slot is drawn again
    panel.send_data(full)
    assert panel.twin.dots()[0, 1].all()
    panel[0, 10] = "4"
    again[0], again[2] = ["🐝", *bars, " 34"], ["🐝", *bars]
    assert (panel.twin.dots() == again.twin.dots()).all()


def test_memory_and_counter_are_read_where_rw_is_wired() -> None:
    panel = lumek.simulate("16x2")
    panel[:] = "Hive 3\n🐝"
    panel.send(set_ddram_address(0x02))
    assert panel.read_status() == (False, 0x02)
    assert panel.read_data(4) == b"ve 3"
    assert panel.read_status().address == 0x06
    panel.send(set_cgram_address(0))
    assert Glyph([row & 31 for row in panel.read_data(8)]) == panel.glyphs["🐝"]
    panel[0, 0] = "h"
    assert panel.twin.rows[0] == "hive 3          "
    assert not panel.twin.violations


def test_the_whole_start_is_explained() -> None:
    steps = lumek.simulate("16x2").explain()
    assert [one.code for one in steps[1:6]] == [b"0", b"0", b"0", b" ", b"("]
    assert all("any state" in one.reason for one in steps[:9])
    assert steps[0].us >= 40_000
    panel = lumek.simulate("20x4")
    panel[0] = "🐝 Hive"
    panel.cursor_shape = "underline"
    with panel.together():
        panel.glyphs["🐝"] = Glyph([31] * 7 + [0])
        panel[1], panel.leftward, panel.cursor = "x", True, (2, 2)
        panel.slide(1)
    reasons = " ".join(one.reason for one in panel.explain())
    for words in ("count the other way", "another drawing", "differ", "slides by one column", "cursor is shown"):
        assert words in reasons
    panel.refresh()
    assert {one.reason for one in panel.explain()} == {
        "it may have been disturbed, or failed: everything is sent again"
    }
    panel[:] = "all of it is full of text\n" * 4
    panel.clear()
    assert any("quicker" in one.reason for one in panel.explain())
    panel.leftward, drawn = False, [Glyph([17, row, 10, row] * 2) for row in range(9)]
    panel[0] = drawn[:8]  # every slot is taken
    panel[0] = drawn[1:]
    assert any("leave it first" in one.reason for one in panel.explain())
    panel = lumek.simulate("40x4")
    panel[0] = panel[2] = "🐝"
    assert [one.reason for one in panel.explain() if one.words.startswith("write 0x00 (")] == [
        "these cells differ from what is shown"
    ]
    assert not any("leave it first" in one.reason for one in panel.explain())


PINS = {"rs": 1, "e": 2, "d4": 3, "d5": 4, "d6": 5, "d7": 6}


@pytest.mark.parametrize(
    ("act", "words"),
    [
        (lambda panel: panel.send(256), "SettingError: an instruction is a byte, 0x00 to 0xff"),
        (lambda panel: panel.send("clear"), "not 'clear'"),
        (lambda panel: panel.send_data("Hive"), "data are bytes, or whole numbers from 0 to 255, not 'Hive'"),
        (lambda panel: panel.send_data([1, 300]), r"not \[1, 300\]"),
        (lambda panel: panel.send(1, controller=1), "PlaceError: controller 1 does not exist: this panel has 1"),
        (lambda panel: panel.read_data(0), "count is a whole number from 1, not 0"),
        (lambda panel: panel.read_data(), "HookupError: nothing can be read"),
        (lambda panel: panel.read_status(), "HookupError: nothing can be read"),
    ],
)
def test_what_cannot_be_sent_or_read_is_refused(act: Any, words: str) -> None:
    _, lines = direct_twin("16x2", PINS)
    panel = Panel("16x2", lumek.Direct(lines, rs=1, e=2, data=(3, 4, 5, 6)))
    import re

    assert re.search(words, refused(lambda: act(panel)))


def test_what_fails_on_its_way_is_raised_and_everything_comes_back() -> None:
    panel = lumek.simulate("16x2")
    panel[0] = "Hive 3"
    panel.twin.port.cut(2)
    with pytest.raises(lumek.NoAnswerError):
        panel.send(0x01, 0x02, 0x06)
    panel.twin.port.mend()
    panel[1] = "41.4 kg"
    assert panel.twin.rows == panel.rows
    assert panel.health.errors == 1


def test_the_larger_font_has_four_slots_of_ten_rows() -> None:
    panel = lumek.simulate("16x1", font="5x10")
    tall, low = Glyph([0, 14, 17, 17, 15, 1, 1, 1, 17, 14]), Glyph([0, 10, 31, 31, 14, 4, 0, 0])
    panel.glyphs["g"] = tall
    panel[0] = ["Hi", "g", low, "🐝①"]
    assert panel.slots == 4
    assert panel.twin.cells[0][:6] == [*b"Hi", 0, 2, 4, *b"1"]
    dots = panel.twin.dots()
    assert dots.shape == (1, 16, 11, 5)
    assert dots[0, 2].tolist() == [*tall.dots, [False] * 5]
    assert dots[0, 3, :8].tolist() == low.dots
    assert not dots[0, 3, 8:].any()
    panel[0, 6:] = "ž♥→█"
    assert len(panel.compromises) >= 1
    panel.cursor, panel.cursor_shape = (0, 0), "underline"
    assert panel.twin.dots()[0, 0, 10].all()
    assert panel.twin.cells[0][9] == 0xFF
    before = panel.twin.dots()
    panel.refresh()
    assert (panel.twin.dots() == before).all()
    assert panel.verify() == 0
    assert panel.read_back()[0][2] == "g"
    assert not panel.twin.violations


@pytest.mark.parametrize(
    ("act", "words"),
    [
        (
            lambda: lumek.simulate("16x2", font="5x10"),
            "a 16x2 panel has no font '5x10': fonts are '5x8', and '5x10' on",
        ),
        (lambda: lumek.simulate("16x1", font=3), "has no font 3"),
        (lambda: lumek.simulate("16x2").__setitem__(0, Glyph([0] * 10)), "a cell shows 8 rows, and this glyph has 10"),
    ],
)
def test_a_font_that_a_panel_does_not_have_is_refused(act: Any, words: str) -> None:
    assert words in refused(act)


def test_a_capture_of_the_larger_font_is_decoded(tmp_path: Any) -> None:
    with lumek.captures.Capture(tmp_path / "wires.vcd") as capture:
        panel = lumek.simulate("16x1", font="5x10", capture=capture)
        panel[0] = ["Hive ", Glyph([31] * 10)]
    seen = lumek.captures.decode(tmp_path / "wires.vcd", size="16x1").panels[0]
    assert state(seen.followers[0].chip) == state(panel.twin.controller)
    assert (seen.view(0).dots() == panel.twin.dots()).all()
    assert seen.known()[0][5]
