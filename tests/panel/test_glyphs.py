"""Characters that a ROM lacks: drawings, the eight slots, numbers and texts on a panel."""

import logging
from pathlib import Path

import pytest

import lumek
from lumek import Glyph, LumekError, Panel, Text
from lumek.roms import rom_named
from lumek.twin.dots import patterns

NINE = "žčřťňůěšď"
BEE = Glyph([0, 10, 31, 14, 31, 14, 4, 0])


def slots(panel: Panel, row: int = 0) -> list[int]:
    return [code for code in panel.twin.cells[row] if code < 8]


def test_the_ninth_drawing_waits_until_a_slot_is_free(caplog: pytest.LogCaptureFixture) -> None:
    panel = lumek.simulate("16x2")
    panel[0] = NINE
    before = panel.twin.dots()[0, :8].tolist()
    panel[1] = "ď" * 16
    assert panel.compromises == {(0, 8): ("ď", "d")} | {(1, column): ("ď", "d") for column in range(16)}
    assert panel.twin.rows[1] == "d" * 16
    assert (panel.rows[0], len(set(slots(panel)))) == (NINE.ljust(16), 8)
    assert panel.twin.dots()[0, :8].tolist() == before
    said = "'d' is shown for 'ď': all eight slots are taken"
    assert [(record.levelno, record.message) for record in caplog.records] == [(logging.WARNING, said)]
    panel[0, 3] = "x"
    assert panel.compromises == {}
    assert set(slots(panel, 1)) == {panel.twin.cells[0][8]}
    assert panel.twin.dots()[1, 0].tolist() == panel.glyphs["ď"].dots
    panel[1] = ""
    panel[0, 3] = "ť"
    assert panel.compromises == {(0, 3): ("ť", "t")}  # what is shown keeps its slot
    panel.glyphs.prefer("ů", -1)
    panel.glyphs.prefer("ď")
    assert panel.compromises == {(0, 5): ("ů", "u")}
    assert panel.twin.dots()[0, 3].tolist() == panel.glyphs["ť"].dots
    assert (panel.twin.violations, len(caplog.records)) == ([], 3)


def test_what_is_off_the_glass_gives_way_and_comes_back() -> None:
    panel = lumek.simulate("16x2")
    panel[0] = NINE[:8]
    panel.slide(-16)
    panel[0, 0:3] = "łąę"
    assert (panel.compromises, len(slots(panel))) == ({}, 3)
    panel.slide(16)
    assert len(panel.compromises) == 0
    assert panel.twin.dots()[0, :8].tolist() == [panel.glyphs[character].dots for character in NINE[:8]]


def test_a_drawing_that_is_still_there_is_not_sent_again_and_a_ninth_is_drawn_over_the_one_it_follows() -> None:
    panel = lumek.simulate("16x2")
    for character in NINE[:8]:
        panel[0, 0] = character
    assert cost(panel, "č") == 11
    assert slots(panel) == [1]
    assert cost(panel, NINE[8]) <= 1 + 6 + 4 * 8
    assert slots(panel) == [1]
    assert [cost(panel, character) for character in NINE[2:8] + NINE[0]] == [11] * 7
    for number in range(80):  # what nobody used for long gives way: eight pictures in turn are kept again
        panel[0, 0] = Glyph([number % 32] * 4 + [number // 32] * 4)
    frames = [Glyph([number] * 8) for number in range(1, 9)]
    for number in range(80):
        panel[0, 0] = frames[number % 8]
    assert [cost(panel, frame) for frame in frames] == [11] * 8


def cost(panel: lumek.Panel, content: str | Glyph) -> int:
    """Bytes on the bus for the first cell."""
    before = panel.twin.port.sent
    panel[0, 0] = content
    sent: int = panel.twin.port.sent - before
    return sent


def test_alike_drawings_share_a_slot_and_those_of_the_rom_need_none() -> None:
    panel = lumek.simulate("16x2")
    a = Glyph(patterns(rom_named("A00"), bytes(64))[ord("A")])
    panel.glyphs["🐝"] = BEE
    panel[0] = ["🐝", BEE, ~~BEE, a, Glyph([0] * 8), Glyph([31] * 8), "А", "🐝"]  # the last letter is Cyrillic
    assert panel.twin.cells[0][:8] == [0, 0, 0, 65, 32, 255, 65, 0]
    assert panel.rows[0] == "🐝\ufffc\ufffc\ufffc\ufffc\ufffcА🐝        "
    panel = lumek.simulate("16x2", "A02")
    panel[0] = [Glyph([31] * 8), "█░"]
    assert panel.twin.cells[0][:3] == [0, 0, 1]


def test_a_glyph_changed_while_it_is_shown_costs_its_rows_only() -> None:
    panel = lumek.simulate("20x4")
    panel.glyphs["🐝"] = BEE
    panel[:] = "\n".join(["🐝" * 20] * 4)
    for rows in (1, 2, 8):
        before = panel.twin.port.sent
        panel.glyphs["🐝"] = Glyph(
            [row ^ 31 * (number < rows) for number, row in enumerate(panel.glyphs["🐝"].numbers)]
        )
        assert panel.twin.port.sent - before <= 1 + 6 + 4 * rows
        assert (panel.twin.dots() == panel.glyphs["🐝"].dots).all()
    assert {code for row in panel.twin.cells for code in row} == {0}
    assert (list(panel.glyphs), len(panel.glyphs), "🐝\ufe0f" in panel.glyphs, 7 in panel.glyphs) == (
        ["🐝"],
        1,
        True,
        False,
    )
    del panel.glyphs["🐝"]
    assert (panel.twin.dots() == panel.glyphs["🐝"].dots).all()
    panel.glyphs["A"] = BEE
    panel[0, 0] = "A"
    assert panel.twin.dots()[0, 0].tolist() == BEE.dots
    assert repr(panel.glyphs) == "<Glyphs of the program: A>"


def test_two_controllers_have_eight_slots_each() -> None:
    panel = lumek.simulate("40x4")
    panel[0], panel[3] = NINE[:8], "łąęśźżćń"
    assert panel.compromises == {}


def test_numbers_and_texts_are_assigned_to_places() -> None:
    panel = lumek.simulate("20x4")
    panel[0, 0:8] = 41.37
    panel[0, 8:] = None
    panel[1:3, 5:15] = Text("Queen seen, brood", "centre", wrap=True)
    panel[3] = ["Bees ", "✓"]
    assert panel.rows == [
        "   41.37          --",
        "       Queen        ",
        "       seen,…       ",
        "Bees ✓              ",
    ]
    panel.leftward = True
    panel[0] = "שלום"
    panel[1, 0:6] = 7
    panel[3, 0:5] = Text("as is", leftward=False)
    assert panel.rows[0] == " " * 16 + "םולש"
    assert (panel.rows[1][:6], panel.rows[3][:5]) == ("     7", "as is")
    assert not panel.twin.controller.increment
    panel.clear()
    panel[2, 3:6] = "abc"
    assert panel.twin.rows[2] == "   cba" + " " * 14
    assert panel.twin.violations == []


ROM = 'name = "C40"\nlike = "A02"\n[codes]\n0x80 = "ČčĎď"\n160 = ["x̄", "→"]\n'
HOOKUP = '[panel]\nsize = "16x2"\nrom = "c40.toml"\n[hookup]\nkind = "backpack"\nbus = 1\naddress = 0x27\n'


def test_a_rom_from_a_file_writes_its_own_codes(tmp_path: Path) -> None:
    (tmp_path / "c40.toml").write_text(ROM, encoding="utf-8")
    (tmp_path / "hive.toml").write_text(HOOKUP, encoding="utf-8")
    for panel in (lumek.simulate("16x2", tmp_path / "c40.toml"), lumek.attach(tmp_path / "hive.toml", twin=True)):
        panel[0] = "Čď x̄→ Бß"
        assert panel.twin.cells[0][:9] == [0x80, 0x83, 0x20, 0xA0, 0xA1, 0x20, 0, 0xDF, 0x20]
        assert panel.twin.dots()[0, 0].tolist() == panel.glyphs["Č"].dots
        assert panel.compromises == {}
    assert "ROM C40" in repr(panel)
    (tmp_path / "bare.toml").write_text("[codes]\n0x41 = 'A'\n0x3F = '?'\n", encoding="utf-8")
    panel = lumek.simulate("16x2", tmp_path / "bare.toml")
    panel[0] = "AAA"
    panel[0] = "A A漢"
    assert panel.twin.cells[0][:5] == [0x41, 0x20, 0x41, 0x3F, 0x20]


@pytest.mark.parametrize(
    ("text", "message"),
    [
        ("[codes", "is not TOML"), ("codes = 3", "[codes] = 3 is not possible: a table of code = 'characters'"),
        ("", "the table [codes] is missing"), ("[dots]", "has no key 'dots': keys are name, like"),
        ("[codes]\nA = 'x'", "is not a code with characters"),
        ("[codes]\n0xFF = 'xy'", "is not within the codes 0x10 to 0xff"),
        ("[codes]\n0x0F = 'x'", "is not within the codes"), ("[codes]\n65 = 'xy'\n66 = 'z'", "says twice"),
        ("like = 'A01'\n[codes]\n65 = 'x'", "like = 'A01' is not possible: 'A00' or 'A02'"),
        ("[codes]\n65 = [1]", "[codes] 65 = [1] is not possible"),
        ("[codes]\n65 = ['xy']", "'xy' is not one character"),
        ("name = 1\n[codes]\n65 = 'x'", "name = 1 is not possible: text, at most 64 characters"),
        ("[codes]\n65 = 7", "[codes] 65 = 7 is not possible: a table of code"),
    ],
)  # fmt: skip
def test_a_mistake_in_a_rom_file_is_one_line(tmp_path: Path, text: str, message: str) -> None:
    (tmp_path / "rom.toml").write_text(text, encoding="utf-8")
    with pytest.raises(LumekError) as caught:
        rom_named(tmp_path / "rom.toml")
    assert message in str(caught.value)
    assert "rom.toml" in str(caught.value)
