"""The ROM tables against Python's own codecs, and stand-ins against Python's own Unicode tables."""

import unicodedata

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lumek.core.slots import REPLACEMENT
from lumek.core.tables.decompositions import RUNS
from lumek.roms import rom_named
from lumek.roms.rom import Rom

A00, A02 = rom_named("A00"), rom_named("A02")


def unmarked(character: str) -> str:
    return "".join(c for c in unicodedata.normalize("NFKD", character) if not unicodedata.combining(c))


def test_a00_is_ascii_and_jis_x_0201_and_a02_is_ascii_and_latin_1() -> None:
    for code in range(0x20, 0x7E):
        assert A00.character(code) == ("¥" if code == 0x5C else chr(code))
    for code in range(0xA1, 0xDF):
        assert A00.character(code) == bytes([code]).decode("shift_jis")
    assert A00.code("ﾟ") == A00.code("°") == 0xDF
    for code in [*range(0x20, 0x7F), *range(0xC0, 0x100)]:
        assert A02.character(code) == ("Φ" if code == 0xD8 else bytes([code]).decode("latin-1"))


@pytest.mark.parametrize("rom", [A00, A02])
def test_every_character_of_a_rom_is_written_with_its_first_code(rom: Rom) -> None:
    codes = {rom.character(code): code for code in reversed(range(256))}
    assert codes.pop(None) == 0
    assert {character: rom.code(character) for character in codes} == codes
    assert Rom("bare", {0x41: "A"}).find("🐝") == (0x20, " ")


@pytest.mark.parametrize(
    ("rom", "text", "shown"),
    [
        (A00, "34.8 °C →← Žluťoučký kůň", "34.8 °C →← Zlutoucky kun"),
        (A00, "Größe ½ 🐝 C:\\~ Ａ１ ①𝐱", "Gröβe ? ? C:/? A1 1x"),
        (A00, "ミツバチ はち", "ミツハチ ハチ"),
        (A02, "Größe ½ 🐝 “Μέλι” – мёд", "Größe ½ ? “Mεli” - MëД"),
        (A00, "ЂЋЏђћџĲĿŀŉƏə", "DCDdcdYLlnEe"),
        (A00, "ӘәҖҗҢңӨөҮүҺһ ҒғҚқҰұ ӐӑӖӗҪҫӲӳҘҙ", "EeXxHHOöUüHh GrKkUü AaEeCcYyZz"),
        (A02, "თბილისი Երեւան", "tbilisi Erewan"),
        (A00, "≠≮≯‰±¬≤≥~ зЗчЧ", "????????? zZcC"),  # another sign, or a digit, would be a lie
    ],
)
def test_what_a_rom_lacks_becomes_the_nearest_letter(rom: Rom, text: str, shown: str) -> None:
    assert [rom.find(c)[0] for c in text] == [rom.code(c) for c in shown]


def test_decimal_digits_of_every_script_are_digits() -> None:
    digits = [chr(code) for code in range(0x10000) if unicodedata.category(chr(code)) == "Nd"]
    assert len(digits) > 300
    assert [A00.find(digit)[1] for digit in digits] == [str(unicodedata.decimal(digit)) for digit in digits]


@given(st.characters(), st.sampled_from((A00, A02)))
def test_a_stand_in_is_the_character_at_its_code(character: str, rom: Rom) -> None:
    code, shown = rom.find(character)
    if shown != character:
        assert rom.code(shown) == code
        assert rom.code(character) is None
        letters = unmarked(character)  # several, as of Ⅲ and ㎏, cannot stand in one cell
        assert shown != REPLACEMENT or not (len(letters) == 1 and letters.isascii() and letters.isalnum())


def test_decompositions_are_those_of_unicode() -> None:
    found = {
        first + offset: letter for first, letters in RUNS for offset, letter in enumerate(letters) if letter > "\0"
    }
    assert all(unmarked(chr(code)) == letter for code, letter in found.items())
    assert len(found) > 1500
