"""Text in cells and in its place."""

import textwrap
import unicodedata

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lumek import LumekError, Text, simulate
from lumek.core import composing
from lumek.core.clusters import is_invisible
from lumek.core.text import cells_of
from lumek.fields import Label, Ticker


def shown(text: Text, rows: int = 2, columns: int = 12) -> str:
    return "|".join("".join(line) for line in text.laid_out(rows, columns))


STORY = "Queen seen, brood in all stages"
PLACES = [
    (Text("Hive 3", "centre"), "   Hive 3   "), (Text("Hive 3", "right"), "      Hive 3"),
    (Text(STORY), "Queen seen,…"),
    (Text(STORY, wrap=True), "Queen seen, |brood in al…"),
    (Text(STORY, wrap=True, more=" >"), "Queen seen, |brood in a >"),
    (Text(STORY, wrap=True, more=""), "Queen seen, |brood in all"),
    (Text("a\n\nb", wrap=True), "a           |…           "),
    (Text("Honigwabenrahmen", wrap=True, align="right"), "Honigwabenra|        hmen"), (Text(""), " " * 12),
    (Text("abc", leftward=True), "         cba"), (Text("abc", "left", leftward=True), "cba         "),
    (Text("Honigwaben  "), "Honigwaben  "), (Text("in the hives "), "in the hives"),
    (Text("a\nb\n  ", "right"), "           a|           b"),
    (Text("e\u0301te\u0301", "right", leftward=True), "         été"),
]  # fmt: skip


@pytest.mark.parametrize(("text", "picture"), PLACES)
def test_text_fills_its_place_as_told(text: Text, picture: str) -> None:
    assert shown(text) == picture


@given(st.lists(st.text("ab", min_size=1, max_size=9), max_size=9), st.integers(9, 14))
def test_words_are_wrapped_as_textwrap_does(words: list[str], columns: int) -> None:
    lines = shown(Text(" ".join(words), wrap=True), 99, columns).split("|")
    assert [line.rstrip() for line in lines] == (textwrap.wrap(" ".join(words), columns) or [""])


@pytest.mark.parametrize(
    ("mistake", "message"),
    [
        (lambda: Text(7), "Text takes text, not 7"), (lambda: Text("a", more=1), "more is text, not 1"),
        (lambda: Text("a", "middle"), "possible are left, centre, right"),
        (lambda: cells_of("a\nb"), "a line break (U+000A) cannot be shown in a cell: character 1"),
        (lambda: Text("a\x9b"), "a control character (U+009B) cannot be shown in a cell"),
    ],
)  # fmt: skip
def test_what_no_cell_can_hold_is_said(mistake: object, message: str) -> None:
    with pytest.raises(LumekError) as caught:
        mistake()
    assert message in str(caught.value)


def test_invisible_characters_belong_to_the_cell_before() -> None:
    assert cells_of("\ufeffa\u200bb\xad \u200e") == ["\ufeffa\u200b", "b\xad", " \u200e"]
    assert cells_of("\u2060\u200b\u202e") == []  # nothing to see


@given(st.text(st.characters(exclude_categories=["Cc", "Cs", "Zl", "Zp"])))
def test_no_character_gets_lost(text: str) -> None:
    cells = cells_of(text)
    if cells and max(map(len, cells)) < 16:
        assert "".join(cells) == unicodedata.normalize("NFC", text)
    assert cells or all(map(is_invisible, text))


def test_hostile_text_is_bounded_before_it_is_laid_out() -> None:
    # Work that grows with the square of the length would take minutes, and marks could call each other for ever.
    marks = "e" + "\u0301\u0316" * 100_000
    assert [len(cell) for cell in cells_of(marks)] == [15]
    panel = simulate("20x4")
    for text in (
        marks,
        "x" + " " * 300_000 + "y",
        "ab " * 100_000,
        "x\n" * 100_000,
        "\u200b" * 300_000,
        "👩\u200d" * 90_000,
    ):
        for wrap in (False, True):
            panel[:] = Text(text, wrap=wrap)
        panel[:] = label = Label(of="message")(text)
        panel[0] = Ticker(of="message")(text)
        assert len(label.text) <= 4000
    assert panel.twin.violations == []


def test_without_unicode_tables_a_character_that_is_another_is_shown_as_that() -> None:
    for code in range(0x100, 0x2200):
        other = unicodedata.normalize("NFD", chr(code))
        if len(other) == 1 and unicodedata.category(other) not in ("Mn", "Zs"):
            assert composing.normalize("NFC", chr(code)) == other


SCRIPTS = st.characters(min_codepoint=0x20, max_codepoint=0x30FF, categories=["Lu", "Ll"])


@given(
    st.lists(st.tuples(SCRIPTS, st.sampled_from(["", *"\u0300\u0301\u0302\u0303\u0308\u030c\u0327\u0328"])), max_size=9)
)
def test_without_unicode_tables_letters_are_composed_all_the_same(pairs: list[tuple[str, str]]) -> None:
    known = ("LATIN", "GREEK", "CYRILLIC")
    text = "".join(
        letter + mark
        for letter, mark in pairs
        if unicodedata.name(letter, "").startswith(known) and len(unicodedata.normalize("NFD", letter)) == 1
    )
    assert composing.normalize("NFC", text) == unicodedata.normalize("NFC", text)
    assert all(unicodedata.category(mark)[0] == "M" for mark in composing.MARKS)
    assert [composing.category(mark) for mark in "a\u0301\u20e3"] == ["-", "M", "M"]
