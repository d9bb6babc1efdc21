"""What a person would see."""

import io
import re
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from rich.console import Console

import lumek
import lumek.fields
from lumek.roms import rom_named
from lumek.roms.rom import Rom
from lumek.twin.dots import patterns
from lumek.views import rom_sheet
from lumek.views.animation import Animation
from lumek.views.colours import SCHEMES
from lumek.views.picture import picture, pictures
from lumek.views.rom_sheet import drawings_picture, drawings_view, drawn_characters, rom_picture, rom_view
from lumek.views.terminal import terminal_view, terminal_views

EMPTY = {"A00": {*range(0x10, 0x21), *range(0x80, 0xA1), 0xFE}, "A02": {0x20}}  # as in the sheet's tables
ALIKE = {0x2D, 0xB0}  # in A00, hyphen and the katakana for a long vowel


@pytest.mark.parametrize("rom", ["A00", "A02"])
def test_every_code_of_a_rom_has_dots_of_its_own(rom: str) -> None:
    dots = patterns(rom_named(rom), bytes(64))
    seen: dict[bytes, int] = {}
    for code in range(0x10, 0x100):
        assert dots[code].any() == (code not in EMPTY[rom]), hex(code)
        if code not in EMPTY[rom]:
            other = seen.setdefault(dots[code].tobytes(), code)
            assert other == code or {other, code} == ALIKE


@pytest.mark.parametrize("scheme", SCHEMES)
def test_the_picture_shows_dots_in_their_colours(scheme: str) -> None:
    panel = lumek.simulate("16x2")
    colours = SCHEMES[scheme]
    panel[0, 0] = "█"
    for lit, colour in ((True, colours.lit), (False, colours.dark_lit)):
        panel.backlight = lit
        pixels = np.array(picture(panel.twin, scheme))
        assert (pixels == colour).all(axis=2).sum() == 40 * 36  # dots of 6 x 6 pixels
        assert (pixels == (colours.unlit if lit else colours.dark_unlit)).all(axis=2).sum() == 31 * 40 * 36


def test_a_chart_shows_every_code_of_a_rom_and_marks_what_is_not_known() -> None:
    for rom in (rom_named("A00"), rom_named("A02"), Rom("C41", {0x41: "Aé"})):
        pixels = np.array(rom_picture(rom))
        colours = SCHEMES["meadow"]
        for code in range(256):
            cell = pixels[64 + code // 16 * 60 :, 24 + code % 16 * 76 :][:47, :29]
            known = code < 16 or rom.character(code) is not None
            assert (cell == colours.glass).all(axis=2).any() == known
            dots = patterns(rom, bytes(64))[code].sum()
            assert (cell == colours.lit).all(axis=2).sum() == dots * 25
        console = Console(file=io.StringIO(), width=52)
        assert len(rom_view(rom, console)) == 18
        assert rom_view(rom, console)[6].startswith("40  " + ("@  A" if rom.name != "C41" else "·  A"))


def test_the_chart_of_the_drawings_has_each_with_its_dots() -> None:
    image = np.array(drawings_picture("dusk"))
    count = len(drawn_characters())
    assert image.shape[1] == 2 * 24 + 25 * 49
    assert (image == SCHEMES["dusk"].glass).all(axis=2).any()
    lines = drawings_view(Console(file=io.StringIO(), width=60))
    assert sum(len(line.split()) for line in lines) == count
    dotted = drawings_view(
        Console(file=io.TextIOWrapper(io.BytesIO(), encoding="utf-8"), width=60, force_terminal=True)
    )
    assert len(dotted) == -(-count // 10) * 2


VIEWS = [
    (124, "utf-8", True, 124, "│ █████ "), (80, "utf-8", True, 64, "│ ⣿⣿⡇"), (63, "utf-8", True, 24, "│ █ 34° "),
    (200, "utf-8", False, 24, "│ █ 34° "), (200, "ascii", True, 59, "| # 34@ "), (10, "utf-8", True, 10, " "),
]  # fmt: skip


@pytest.mark.parametrize(("width", "encoding", "terminal", "line", "first"), VIEWS)
def test_the_terminal_view_is_the_largest_that_fits(
    width: int, encoding: str, terminal: bool, line: int, first: str
) -> None:
    panel = lumek.simulate("20x4")
    panel[0, 0:5] = "█ 34°"
    file = io.TextIOWrapper(io.BytesIO(), encoding=encoding, errors="replace")
    console = Console(file=file, width=width, height=25, force_terminal=terminal, color_system=None)
    console.print(terminal_view(panel.twin, console))
    lines = file.buffer.getvalue().decode().splitlines()
    assert (max(map(len, lines)), lines[1][: len(first)]) == (line, first)


@pytest.mark.parametrize(
    ("width", "height", "beside", "widest"),
    [(230, 25, True, 225), (140, 45, False, 124), (125, 24, True, 117), (117, 60, True, 117), (80, 60, False, 64),
     (30, 60, False, 24)],
)  # fmt: skip
def test_several_panels_are_seen_side_by_side_or_whole(width: int, height: int, beside: bool, widest: int) -> None:
    panels = [lumek.simulate("20x4"), lumek.simulate("16x2")]
    panels[0][0, 0:2] = [lumek.Glyph([31, 31, 31, 31, 0, 0, 0, 0]), lumek.Glyph([1] * 8)]
    file = io.TextIOWrapper(io.BytesIO(), encoding="utf-8")
    console = Console(file=file, width=width, height=height, force_terminal=True, color_system=None)
    console.print(terminal_views(panels, console))
    lines = file.buffer.getvalue().decode().splitlines()
    assert (lines[0].count("╭") == 2, max(map(len, map(str.rstrip, lines)))) == (beside, widest)
    if widest == 24:
        assert lines[1].startswith("│ ▀▐ ")  # drawings as the quarters of them that are lit


@pytest.mark.parametrize(("width", "height"), [(140, 44), (140, 20), (80, 24), (64, 16), (30, 10), (250, 70)])
def test_six_panels_are_shrunk_or_take_turns_and_none_is_cut(width: int, height: int) -> None:
    panels = [lumek.simulate("20x4") for _ in range(6)]
    for number, panel in enumerate(panels):
        panel[3] = f"panel {number}"
    seen: set[int] = set()
    for second in range(0, 40, 4):
        file = io.TextIOWrapper(io.BytesIO(), encoding="utf-8")
        console = Console(file=file, width=width, height=height, force_terminal=True, color_system=None)
        console.print(terminal_views(panels, console, seconds=float(second), spare=2))
        lines = file.buffer.getvalue().decode().splitlines()
        whole = sum(line.count("╰") for line in lines)
        assert whole == sum(line.count("╭") for line in lines) > 0
        assert len(lines) <= height - 2
        assert max(map(len, lines)) <= width
        seen |= {number for number in range(6) if any(f"panel {number}" in line for line in lines)} or {*range(whole)}
    assert seen == {*range(6)}


def test_rows_are_apart_and_without_true_colour_the_terminals_own_colours_are_used() -> None:
    panel = lumek.simulate("20x4")
    panel[:] = "\n".join(["█" * 20] * 4)
    for colours, styled in (("truecolor", True), ("256", False), ("standard", False)):
        file = io.TextIOWrapper(io.BytesIO(), encoding="utf-8")
        console = Console(file=file, width=124, height=25, force_terminal=True, color_system=colours)
        console.print(terminal_view(panel.twin, console))
        text = file.buffer.getvalue().decode()
        assert ("38;2;" in text, "48;2;" in text) == (styled, styled)
    lines = re.sub("\x1b[^m]*m", "", text).splitlines()
    assert [lines[1 + at][2:7] for at in (3, 4, 8, 9)] == ["█████", "▄▄▄▄▄", "▀▀▀▀▀", "█████"]


def test_a_terminal_without_utf_8_gets_bars_and_a_legend() -> None:
    panel = lumek.simulate("20x4")
    panel[0] = "34.8°C 🐝 @"
    panel[1] = lumek.fields.Bar(low=0, high=100)(47)
    file = io.TextIOWrapper(io.BytesIO(), encoding="ascii")
    console = Console(file=file, width=100, height=25, color_system=None)
    console.print(terminal_view(panel.twin, console, written=panel.rows))
    lines = file.buffer.getvalue().decode().splitlines()
    assert lines[1].startswith("| 34.8&C % @ ")
    assert lines[2].startswith("| #########: ")
    assert " ".join(lines[6:]) == "& degree sign, % honeybee, . : = # drawings, by how much of them is lit"


def test_a_chart_of_a_rom_labels_its_characters_without_a_font_that_has_them(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("lumek.views.rom_sheet.find_spec", lambda name: None)
    monkeypatch.setattr("lumek.views.rom_sheet.FONTS", ())
    rom_sheet.font.cache_clear()
    plain = np.array(rom_picture(rom_named("A00")))
    rom_sheet.font.cache_clear()
    for code in (0xB1, 0xE0, 0x7E):  # katakana a, alpha, an arrow
        cell = plain[64 + code // 16 * 60 + 20 :, 24 + code % 16 * 76 + 36 :][:34, :40]
        assert (cell != rom_sheet.PAPER).any()
    assert [rom_sheet.words_for(one) for one in "アαッ→"] == ["a", "alpha", "tu", "rightwa\narrow"]


@pytest.mark.parametrize("scheme", SCHEMES)
def test_an_animation_keeps_the_colours_of_its_pictures(scheme: str, tmp_path: Path) -> None:
    """The same glass is the same colour in each picture, and near that of a still one."""
    panel = lumek.simulate("16x2", coloured=True)
    animation, wanted = Animation([panel.twin], scheme), []
    for number, light in enumerate(("#20c0a0", "honey", "#20c0a0", 0.3, "#20c0a0")):
        panel[0], panel.backlight = f"Hive {number}", light
        animation.take(float(number))
        wanted.append(picture(panel.twin, scheme).getpixel((66, 66)))
    animation.save(tmp_path / "a.gif")
    seen = []
    with Image.open(tmp_path / "a.gif") as image:
        scale = image.width / picture(panel.twin).width
        for frame in range(getattr(image, "n_frames", 0)):
            image.seek(frame)
            seen.append(image.convert("RGB").getpixel((round(66 * scale), round(66 * scale))))
    assert np.abs(np.array(seen) - np.array(wanted)).max() <= 8
    assert seen[0] == seen[2] == seen[4]


def test_a_small_panel_beside_large_ones_is_drawn_twice_as_large() -> None:
    large, small = lumek.simulate("20x4").twin, lumek.simulate("8x2").twin
    both, wide = pictures([large, small]), picture(large).width + 2 * picture(small).width
    assert both.height == round(max(picture(large).height, 2 * picture(small).height) * both.width / wide)
    assert pictures([small]).size == picture(small).size
