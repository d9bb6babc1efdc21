"""Glyph sets in files: what is written is read back, also by others; what people paste is read; mistakes are named."""

import ast
import io
import shutil
import subprocess
import sys
from pathlib import Path
from random import Random

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import BdfFontFile, Image

import lumek
from lumek import Glyph, simulate
from lumek.core.bundled import characters_drawn, drawing_of
from lumek.glyphs import SETS, Block, GlyphSet, find, load, save, search, shipped, what_is_lost
from lumek.glyphs.files import read, written
from lumek.glyphs.formats import FORMATS, Options
from support.boards import needs_micropython
from support.effort import tries
from support.refusals import refused

COMPILER = shutil.which("gcc") or shutil.which("cc")
MICROPYTHON = Path(sys.executable).parent / "micropython"
DRAWN = ["🐝", "é", "e\u0323", "*", "/", "\\", '"', "'", ":", "#", "U", "漢", "🇪🇺", "0"]
BLANK = "00000\n" * 8


@st.composite
def sets(draw: st.DrawFn) -> GlyphSet:
    """Sets of either size, with names, characters and blocks in all forms."""
    high = draw(st.sampled_from([8, 8, 10]))
    rows = st.lists(st.integers(0, 31), min_size=high, max_size=high)
    names = draw(
        st.lists(
            st.from_regex(r"[A-Za-z0-9_][A-Za-z0-9_.-]{0,39}", fullmatch=True), unique=True, min_size=1, max_size=20
        )
    )
    characters = draw(st.lists(st.sampled_from(DRAWN), unique=True, max_size=len(names)))
    block = draw(st.lists(st.lists(st.sampled_from(names), min_size=2, max_size=2), max_size=3))
    blocks = {draw(st.sampled_from(names)): block} if block and high == 8 else {}
    return GlyphSet({name: Glyph(draw(rows)) for name in names}, dict(zip(names, characters, strict=False)), blocks)


@tries(100)
@given(sets(), st.integers(1, 64), st.sampled_from(["hive", "3", "int", "a b"]))
def test_every_format_gives_back_what_it_holds(glyphs: GlyphSet, dot: int, name: str) -> None:
    for format, one in FORMATS.items():
        back = read(written(glyphs, format, Options(name, dot=dot if len(glyphs) < 9 else 3)), "it", format)
        characters = {key: one for key, one in glyphs.characters.items() if format != "bdf" or len(one) == 1}
        assert back == GlyphSet(glyphs, characters, glyphs.blocks if one.blocks else {}), format
        assert bool(what_is_lost(glyphs, format)) == (back != glyphs)


@tries(30)
@given(sets())
def test_others_read_what_is_written(glyphs: GlyphSet) -> None:
    # Pillow's own reader of BDF; the first row is what lies highest above the baseline.
    file = io.BytesIO(written(glyphs, "bdf", Options()))
    assert file.readline() == b"STARTFONT 2.1\n"
    for name, glyph, character in glyphs.entries:
        found, code, _, image = BdfFontFile.bdf_char(file)
        assert (found, code) == (name, ord(character) if character and len(character) == 1 else -1)
        assert np.array_equal(np.asarray(image), glyph.dots)
    with Image.open(io.BytesIO(written(glyphs, "png", Options(dot=3)))) as picture:
        shown = ~np.asarray(picture).astype(bool)[1::3, 1::3]
    for number, glyph in enumerate(glyphs.values()):
        top, left = number // 16 * (glyphs.rows + 1), number % 16 * 6
        assert np.array_equal(shown[top : top + glyphs.rows, left : left + 5], glyph.dots)
    for format in ("python", "micropython"):
        source = written(glyphs, format, Options("hive")).decode()
        table = ast.literal_eval(source.partition(" = ")[2])
        assert [(name, Glyph(list(rows)), one) for name, (one, rows) in table.items()] == glyphs.entries


PROGRAM = """
#include <stdio.h>
#ifdef HIVE_H
#error the guard comes with the header
#endif
#include "hive.h"
#include "hive.h"
int main(void) {
    for (int at = 0; at < HIVE_COUNT; at++)
        for (unsigned row = 0; row < sizeof hive[0]; row++) printf("%d ", hive[at][row]);
    return HIVE_BEE - 1;
}
"""


def named_glyphs(high: int) -> GlyphSet:
    """Glyphs whose names are hard on programs."""
    drawings = {"count": [31] * high, "bee": range(high), "a-b": [0] * high, "a.b": [1] * high}
    return GlyphSet({name: Glyph(rows) for name, rows in drawings.items()}, {"count": "\\", "bee": "🐝"})


@pytest.mark.skipif(COMPILER is None, reason="there is no C compiler: install gcc")
@pytest.mark.parametrize("high", [8, 10])
def test_a_c_compiler_finds_the_same_bytes(tmp_path: Path, high: int) -> None:
    glyphs = named_glyphs(high)
    (tmp_path / "main.c").write_text(PROGRAM)
    for attribute in ("", '__attribute__((section(".rodata.glyphs")))'):
        save(glyphs, tmp_path / "hive.h", attribute=attribute)
        flags = ["-std=c99", "-Wall", "-Wextra", "-pedantic", "-Werror"]
        subprocess.run([str(COMPILER), *flags, "main.c", "-o", "main"], cwd=tmp_path, check=True)
        ended = subprocess.run([tmp_path / "main"], capture_output=True, text=True, check=False)
        shown = [int(word) for word in ended.stdout.split()]
        assert (shown, ended.returncode) == ([row for glyph in glyphs.values() for row in glyph.rows], 0)


@needs_micropython
@pytest.mark.parametrize("high", [8, 10])
def test_micropython_finds_the_same_bytes(tmp_path: Path, high: int) -> None:
    glyphs = named_glyphs(high)
    save(glyphs, tmp_path / "hive.py", "micropython")
    script = "from hive import HIVE as h; print(sorted((k, list(h[k][1])) for k in h)); print(h['bee'][0])"
    ran = subprocess.run([MICROPYTHON, "-c", script], cwd=tmp_path, capture_output=True, text=True, check=True)
    rows, bee = ran.stdout.split("\n")[:2]
    assert (ast.literal_eval(rows), bee) == (sorted((name, list(one.numbers)) for name, one in glyphs.items()), "🐝")


HEART = Glyph([0, 10, 31, 31, 14, 4, 0, 0])


@pytest.mark.parametrize("pasted", [
    "{0x00, 0x0A, 0x1F, 0x1F, 0x0E, 0x04, 0x00, 0x00}", "0b00000,\n0b01010,\n0b11111,\n31, 14,\n4,0 ,0\n",
    "byte heart[8] = {\n  B00000, // .....\n  B01010,\n  B11111,\n  B11111,\n  B01110, B00100, B0, B00000\n};",
    "const uint8_t heart[] PROGMEM = { 0, 10u, 0X1f, 0x1F, 0xeUL, 04, 0, 0 }; // full of 1 and 2\n",
    "void setup() { lcd.begin(16, 2); lcd.make(0, heart); }\nstatic char heart[1][8] = {{0,10,31,31,14,4,0,0}};",
    ".....\n.#.#.\n#####\n#####\n.###.\n..#..\n.....\n.....",
    "\n00000\n01010\n11111\n11111\n01110\n00100\n00000\n00000",
    ". . . . .\n. █ . █ .\n█ █ █ █ █\n█ █ █ █ █\n. █ █ █ .\n. . █ . .\n. . . . .\n. . . . .\n",
    "0 10 31 31 14 4 0 0",
    "00000000 00001010 00011111 00011111 00001110 00000100 00000000 00000000",
])  # fmt: skip
def test_what_people_paste_is_read(tmp_path: Path, pasted: str) -> None:
    (tmp_path / "pasted.txt").write_text(pasted)
    assert list(load(tmp_path / "pasted.txt").values()) == [HEART]
    if "\n" not in pasted:
        assert list(find(pasted).values()) == [HEART]


@pytest.mark.parametrize(("name", "content"), [
    ("a.py", "import machine\nheart = bytearray([0, 10, 31, 31, 14, 4, 0, 0])\nlcd.make(1, heart)\n"),
    ("a.py", "[[0, 0b1010, 0x1f, 31, 14, 4, 0, 0]]"), ("a.json", "[[0, 10, 31, 31, 14, 4, 0, 0]]"),
    ("a.bdf", "STARTFONT 2.1\nFONTBOUNDINGBOX 5 7 0 0\nCHARS 1\nSTARTCHAR heart\nENCODING 9829\nBBX 5 5 0 2\n"
              "BITMAP\n50\nF8\nf8\n70\n20\nENDCHAR\nENDFONT\n"),
])  # fmt: skip
def test_files_of_others_are_read(tmp_path: Path, name: str, content: str) -> None:
    (tmp_path / name).write_text(content)
    (glyph,) = load(tmp_path / name).values()
    assert glyph in (HEART, HEART.shifted(down=0))


# File name, content, what the error says. Every one names the line or the glyph.
MISTAKES = [
    ("a.txt", ".....\n" * 7, "the glyph from line 1 on has 7 rows, not 8"),
    ("a.txt", "bee 🐝:\n" + ".....\n" * 3 + "..o..\n", "line 5 is '..o..': write 5 dots"),
    ("a.txt", "bee 🐝:\n" + "..... .....\n" * 8, "'bee' before line 2 is the name of one glyph, not of 2"),
    ("a.txt", "bee:\n" + ".....\n" * 8 + "\nbee:\n" + ".....\n" * 8, "there are two glyphs 'bee'"),
    ("a.txt", "", "has no list of 8 numbers"), ("a.art", "x: \n", "has no glyph"),
    ("a.h", "{1,2,3,4,5,6,7}", "the numbers from line 1 on are 7, and a glyph has 8"),
    ("a.h", "byte bee[8] = {1,\n2,3,99}", "line 2: 99 is more than 31"),
    ("a.h", "x = {1,2", "line 1: the group that begins"),
    ("a.h", "{1,2,3,4,5,6,7,010}", "line 1: 010 is octal in C"), ("a.h", "int x;", "has no list of 8 numbers"),
    ("a.py", "bee = [1, 2", "line 1 is not Python"), ("a.py", "\nbee = [1, 2]", "line 2: 2 numbers are not a glyph"),
    ("a.py", "bee = [32] * 8", "has no list of 8 numbers"),
    ("a.toml", "[glyphs.bee]\ndots = '.....'", "glyph bee: a glyph has 8 rows, not 1"),
    ("a.toml", "[glyphs.bee]\nrow = [1]", "has no key 'bee.row'"), ("a.toml", "[glyphs.bee]", "glyph 'bee' has either"),
    ("a.toml", "[glyphs.bee]\nrows = [0,0,0,0,0,0,0,0]\ncharacter = 'ab'", "glyph bee draws one character"),
    ("a.toml", "[glyphs.a]\nrows=[0,0,0,0,0,0,0,0]\n[blocks]\nb=[['x']]", "block b: there is no glyph 'x'"),
    ("a.json", "{", "is not JSON"), ("a.json", "[[1]]", "glyph 1: a glyph has 8 rows"),
    ("a.json", "3", "is 3: a set is"),
    ("a.bdf", "", "line 1 is not STARTFONT"),
    ("a.bdf", "STARTFONT 2.1\nFONTBOUNDINGBOX 8 16 0 0", "the font has 8x16 dots"),
    ("a.bdf", "STARTFONT 2.1\nFONTBOUNDINGBOX 5 8 0 -1\nSTARTCHAR a\nBBX 5 8 1 -1\nBITMAP\n", "glyph a: 5x8 dots at"),
    ("a.bdf", "STARTFONT 2.1\nFONTBOUNDINGBOX 5 8 0 -1\nSTARTCHAR a\nBITMAP\nG0\n", "row 0 is 'G0', and 8 rows"),
    ("a.png", "x", "is not a picture"), ("a.jpg", "", "has no known ending: endings are .txt"),
]  # fmt: skip


@pytest.mark.parametrize(("name", "content", "message"), MISTAKES)
def test_a_mistake_names_line_or_glyph(tmp_path: Path, name: str, content: str, message: str) -> None:
    (tmp_path / name).write_text(content)
    said = refused(lambda: load(tmp_path / name))
    assert said.startswith("GlyphError")
    assert message in said


def strip(glyphs: list[Glyph], gap: int) -> np.ndarray:
    """The dots of glyphs side by side, 16 of them in a row."""
    lines = []
    for first in range(0, len(glyphs), 16):
        row = [glyph.dots for glyph in glyphs[first : first + 16]]
        row += [np.zeros((8, 5), bool)] * (min(16, len(glyphs)) - len(row))
        lines.append(np.concatenate([np.pad(dots, ((0, gap), (0, gap))) for dots in row], axis=1))
    dots = np.concatenate(lines)
    return dots[: len(dots) - gap, : dots.shape[1] - gap]


@pytest.mark.parametrize(("dot", "light"), [(1, False), (2, True), (5, True), (9, False), *[
    pytest.param(dot, light, marks=pytest.mark.slow) for dot, light in ((1, True), (2, False), (5, False), (9, True))
]])  # fmt: skip
def test_pictures_of_others_are_read_at_any_size_in_any_colours_and_with_noise(dot: int, light: bool) -> None:
    noise = np.random.default_rng(3)
    sets = {name: list(shipped(name).values()) for name in SETS}
    sets["all"] = [Glyph(drawing_of(character)) for character in characters_drawn()[:: 1 if dot < 3 else 8]]
    for name, glyphs in sets.items():
        for gap in (0, 1):
            dots = strip(glyphs, gap)
            grey = np.where(dots ^ light, 60.0, 190.0).repeat(dot, 0).repeat(dot, 1)
            grey += noise.normal(0, 15, grey.shape)
            if dot > 4:  # pixels that are wrong
                spots = noise.random(grey.shape) < 0.02
                grey[spots] = 250 - grey[spots]
            file = io.BytesIO()
            Image.fromarray(grey.clip(0, 255).astype(np.uint8)).save(file, "PNG")
            assert list(read(file.getvalue(), "it", "png").values()) == glyphs, (name, gap)


def test_a_set_is_what_panels_take_and_its_rules_are_kept(tmp_path: Path) -> None:
    bees = GlyphSet({"bee": HEART, "other": ~HEART}, {"bee": "🐝"}, {"both": [["bee", "other"]]})
    save(bees, tmp_path / "bees.toml")
    panel = simulate("16x2")
    panel.glyphs.update(load(tmp_path / "bees.toml"))
    panel[0] = "🐝②"
    panel[1, 0:2] = bees.block("both")
    shown = panel.twin.dots()
    for row in (0, 1):
        assert np.array_equal(shown[row, :2], [HEART.dots, (~HEART).dots])
    assert bees.drawing("xy").characters == {"bee": "x", "other": "y"}
    assert bees.only(["other"]) == GlyphSet({"other": ~HEART})
    for act, message in (
        (lambda: GlyphSet({"a b": HEART}), "not 'a b'"), (lambda: GlyphSet({"a": 3}), "as Glyph('''...'''), not 3"),
        (lambda: GlyphSet({"a": HEART, "b": HEART}, {"a": "x", "b": "x"}), "glyphs a and b both draw 'x'"),
        (lambda: GlyphSet({"a": HEART, "b": Glyph([0] * 10)}), "of 8 rows or of 10"), (lambda: bees.only(["x"]), "'x'"),
        (lambda: GlyphSet({}, {"a": "x"}), "no glyph 'a'"), (lambda: bees.drawing("xyz"), "3 characters are too many"),
        (lambda: bees.block("x"), "there are both"), (lambda: panel.glyphs.update([HEART]), "or a dict of character"),
        (lambda: panel.glyphs.update({"🐝": Glyph([0] * 10)}), "this glyph has 10"),
        (lambda: find("nothing"), "is not a drawing"),
        (lambda: panel.__setitem__(0, Glyph([0] * 10)), "a cell shows 8 rows"),
        (lambda: shipped("x"), "sets are apiary"),
        (lambda: Block(".....\n" * 7), "not 7 rows of 5"), (lambda: Block([[HEART], []]), "as many glyphs each"),
        (lambda: Block(3), "not 3"), (lambda: Block([[]]), "not 1 rows of 0"),
        (lambda: GlyphSet([HEART]), "{name: Glyph}"),
        (lambda: save(bees, tmp_path / "x.png", dot="a"), "not 'a'"), (lambda: Block([]), "not 0 rows of 0"),
        (lambda: Block("x"), "row 0 is 'x'"), (lambda: HEART | Glyph([0] * 10), "is not combined with one of 10"),
        (lambda: save(bees, tmp_path / "x.png", dot=65), "1 to 64 pixels"),
        (lambda: save(bees, "x.h", attribute="a;"), "'a;'"),
    ):  # fmt: skip
        assert message in refused(act), message


@tries(20)
@given(st.integers(1, 3), st.integers(1, 4), st.booleans(), st.randoms(use_true_random=False))
def test_a_block_is_its_picture_with_and_without_gaps(rows: int, columns: int, gaps: bool, random: Random) -> None:
    lit = np.array([[random.random() < 0.5 for _ in range(columns * (5 + gaps) - gaps)]
                    for _ in range(rows * (8 + gaps) - gaps)])  # fmt: skip
    block = Block("\n".join("".join("#" if dot else "." for dot in row) for row in lit), gaps=gaps)
    assert block == Block(lit.tolist(), gaps) == eval(repr(block), {"Block": Block}) == Block(block.cells)
    shown = np.array(block.dots(gaps))
    seen = np.ones_like(lit)
    if gaps:
        seen[8::9], seen[:, 5::6] = False, False
    assert np.array_equal(shown, lit & seen)
    assert block.shape == (rows, columns)


def test_shipped_sets_have_no_two_glyphs_alike_and_are_found_by_name() -> None:
    for name in SETS:
        glyphs = shipped(name)
        assert len(set(glyphs.values())) == len(glyphs) == len(glyphs.characters) <= 16
    assert [one.character for one in search("honey")] == ["🍯", "🐝"]
    assert {one.of for one in search("battery half")} == {"battery"}
    assert search("") == search("nothing like it") == []
    assert find("🐝") == GlyphSet({"honeybee": simulate("16x2").glyphs["🐝"]}, {"honeybee": "🐝"})
    assert find("battery") is shipped("battery")
    assert lumek.Glyph(BLANK.replace("0", ".")) == Glyph([0] * 8)
