"""The ROM tables against Python's own codecs, and stand-ins against Python's own Unicode tables."""

import unicodedata

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lumek import SettingError
from lumek.core.decompositions import RUNS
from lumek.core.letters import SAME_SHAPE
from lumek.core.rom import REPLACEMENT, rom_named

A00, A02 = rom_named("A00"), rom_named("A02")


def test_a00_is_ascii_and_jis_x_0201() -> None:
    for code in range(0x20, 0x7E):
        assert A00.character(code) == ("¥" if code == 0x5C else chr(code))
    for code in range(0xA1, 0xDF):
        assert A00.character(code) == bytes([code]).decode("shift_jis")
    assert A00.code("ﾟ") == A00.code("°") == 0xDF


def test_a02_is_ascii_and_latin_1() -> None:
    for code in [*range(0x20, 0x7F), *range(0xC0, 0x100)]:
        assert A02.character(code) == ("Φ" if code == 0xD8 else bytes([code]).decode("latin-1"))


@pytest.mark.parametrize("rom", [A00, A02])
def test_every_character_of_a_rom_is_written_with_its_code(rom: object) -> None:
    seen = set()
    for code in range(256):
        character = rom.character(code)
        if character and len(character) == 1 and character not in seen:
            seen.add(character)
            assert rom.find(character) == (code, character)
    assert rom.character(0x00) is None


@pytest.mark.parametrize(
    ("rom", "text", "shown"),
    [
        (A00, "34.8 °C →←", "34.8 °C →←"),
        (A00, "Žluťoučký kůň", "Zlutoucky kun"),
        (A00, "Größe ½ 🐝", "Gröβe ? ?"),
        (A02, "Größe ½ 🐝", "Größe ½ ?"),
        (A00, "C:\\~", "C:/-"),
        (A00, "ミツバチ はち", "ミツハチ ハチ"),
        (A02, "“Μέλι” – мёд", "“Mεli” - MeД"),
        (A00, "Ａ１ ①𝐱", "A1 1x"),
    ],
)
def test_what_a_rom_lacks_becomes_the_nearest_letter(rom: object, text: str, shown: str) -> None:
    assert [rom.find(c)[0] for c in text] == [rom.code(c) for c in shown]


@given(st.characters())
def test_a_stand_in_is_what_stands_at_its_code(character: str) -> None:
    for rom in (A00, A02):
        code, shown = rom.find(character)
        if shown != character:
            assert rom.character(code) in (shown, SAME_SHAPE.get(shown)) or rom.code(shown) == code
            assert rom.code(character) is None
        plain = [c for c in unicodedata.normalize("NFKD", character) if not unicodedata.combining(c)]
        if len(plain) == 1 and plain[0].isascii() and plain[0].isalnum() and rom.code(character) is None:
            assert shown not in (REPLACEMENT, character)


def test_decompositions_are_those_of_unicode() -> None:
    for first, letters in RUNS:
        for offset, letter in enumerate(letters):
            if letter.strip("\0"):
                parts = unicodedata.normalize("NFKD", chr(first + offset))
                assert "".join(c for c in parts if not unicodedata.combining(c)) == letter


def test_an_unknown_rom_lists_the_known() -> None:
    with pytest.raises(SettingError, match=r"A00 \(Japanese\) and A02 \(European\)"):
        rom_named("A03")
