"""Glyphs as values, and the drawings that Lumek brings."""

import unicodedata
from decimal import Decimal

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lumek import Glyph, LumekError, level, simulate
from lumek.core.bundled import characters_drawn, drawing_of

ROWS = st.lists(st.integers(0, 31), min_size=8, max_size=8)


@given(ROWS, ROWS, st.integers(-9, 9), st.integers(-9, 9))
def test_a_glyph_is_its_dots_however_it_was_drawn(rows: list[int], others: list[int], right: int, down: int) -> None:
    glyph, other = Glyph(rows), Glyph.from_rows(others)
    dots, others = np.array(glyph.dots), np.asarray(other)
    assert glyph == Glyph(glyph.art) == Glyph(glyph.dots) == Glyph(dots) == Glyph(np.array(rows)) == eval(repr(glyph))
    assert hash(glyph) == hash(Glyph(rows))
    assert (glyph == other, glyph.numbers) == (rows == [*other.rows], tuple(rows))
    assert np.array_equal(dots, np.unpackbits(np.array(rows, np.uint8)[:, None], axis=1)[:, 3:])
    rolled = np.roll(dots, (down, right), axis=(0, 1))
    for made, expected in (
        (glyph.mirrored(), dots[:, ::-1]), (glyph.upended(), dots[::-1]), (~glyph, ~dots),
        (glyph | other, dots | others),
        (glyph & other, dots & others), (glyph ^ other, dots ^ others), (glyph - other, dots & ~others),
        (glyph.shifted(right, down, around=True), rolled),
    ):  # fmt: skip
        assert np.array_equal(made, expected)
    inside = np.zeros((30, 30), dtype=bool)
    inside[11 + down : 19 + down, 11 + right : 16 + right] = dots
    assert np.array_equal(glyph.shifted(right, down), inside[11:19, 11:16])


@pytest.mark.parametrize(
    ("drawing", "message"),
    [
        (7, "drawn as text or as 8 rows, not 7"), ([1, 2], "has 8 rows, not 2"), ([32] * 8, "numbers are 0 to 31"),
        ([0.5] * 8, "row 0 of the glyph is 0.5"), ([True] * 8, "row 0 of the glyph is True"),
        ([None] * 8, "give a number"),
        (np.zeros((8, 6)), "give 5 booleans"), (".....\n" * 7 + "..o..", "row 7 of the glyph is '..o..': write 5 dots"),
        (".....\n" * 9, "has 8 rows, not 9"),
    ],
)  # fmt: skip
def test_what_is_no_glyph_is_said(drawing: object, message: str) -> None:
    with pytest.raises(LumekError) as caught:
        Glyph(drawing)
    assert message in str(caught.value)


def letters(first: int, last: int) -> str:
    return "".join(chr(code) for code in range(first, last + 1) if unicodedata.category(chr(code)) in ("Lu", "Ll"))


# What each of the two ROMs shows, by itself or by a drawing.
COVERED = (
    letters(0xA1, 0x17F)
    + letters(0x386, 0x3CE)
    + letters(0x400, 0x45F)
    + "ĿŀŉſȘșȚțҐґẞ"
    + "¡¢£¤¥¦§¨©ª«¬®¯°±²³´µ¶·¸¹º»¼½¾¿×÷"
    "←↑→↓↔↕↖↗↘↙⇐⇒↵½¼¾⅓⅔⅛⅜⅝⅞€£¥¢₽₹₿₴₺\\~–—…‘’“”„•‰℃℉Ω√∞≈≠≤≥✓✔✗✘♥♡☀☁☂❄⚡🔋🪫🌡💧🔔🔕⏰🕒⌛🔒🔓📶🌧🌙🐝🌼🌸⬡⬢🍯⚠⚙"
)


def test_the_letters_and_signs_of_europe_need_no_compromise() -> None:
    for rom in ("A00", "A02"):
        panel = simulate("20x4", rom)
        for at in range(0, len(COVERED), 8):
            panel[0] = COVERED[at : at + 8]
            assert (panel.rows[0].strip(), panel.compromises) == (COVERED[at : at + 8], {})


def test_a_letter_is_drawn_with_marks_that_no_drawing_has() -> None:
    panel = simulate("16x2", "A02")
    panel[0] = "x\u0304ậẽd\u0323X\u0304"
    assert panel.compromises == {(0, 4): ("X\u0304", "X")}  # a capital leaves no row free
    assert panel.glyphs["ẽ"] == Glyph([13, 18, 14, 17, 31, 16, 14, 0])


def test_a_symbol_fills_from_empty_to_its_drawing() -> None:
    for symbol, steps in (("🔋", 7), ("🌡", 6), ("💧", 6), ("📶", 4)):
        shown = [level(symbol, number / 42) for number in range(-4, 47)]  # a tenth beyond is the sensor's
        lit = [sum(map(sum, glyph.dots)) for glyph in shown]
        assert lit == sorted(lit)
        assert (len(set(shown)), shown[-1] == Glyph(drawing_of(symbol))) == (steps, symbol != "🌡")
        assert all((shown[0] | glyph) == glyph == (glyph & shown[-1]) for glyph in shown)
    assert level("🔋", Decimal("0.5")) == Glyph([14, 17, 17, 17, 31, 31, 31, 31])
    assert level("📶", 0.5) == Glyph([0, 0, 0, 4, 4, 20, 21, 0])
    for mistake in (lambda: level("🐝", 1), lambda: level("🔋", "1"), lambda: level("🔋", float("nan")),
                    lambda: level("🔋", 5), lambda: level("🔋", -0.2)):  # fmt: skip
        with pytest.raises(LumekError):
            mistake()


# Different characters that look the same in print; katakana has two widths.
ALIKE = "-─ =═ ¯▔ µμ ·・･ ÐĐ óό ħћ İΊ ĸκк ΓГ ΠП ΦФ •▪ ⏹■ ⏺● □ロﾛ ゛ﾞ ゜ﾟ".split()  # noqa: SIM905


def test_different_characters_have_different_drawings() -> None:
    seen: dict[bytes, str] = {}
    for character in characters_drawn():
        rows = drawing_of(character)
        seen[rows] = seen.get(rows, "") + character
    alike = [same for same in seen.values() if len({unicodedata.normalize("NFKC", one) for one in same}) > 1]
    assert [same for same in alike if not any({*same} <= {*some, *"ーｰ"} for some in ALIKE)] == []


def test_letters_keep_their_height_under_an_accent() -> None:
    for character in COVERED:
        letter, *marks = unicodedata.normalize("NFD", character)
        rows = drawing_of(character)
        if marks and rows and letter.isascii() and letter.isalpha():
            lit = [number for number, row in enumerate(rows) if row]
            assert len(lit) >= (7 if letter.isupper() else 6), character
            assert rows[2] or letter.isupper(), character
            assert not letter.isupper() or lit[-1] >= 6, character
