"""From made-up pictures to dots."""

from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from PIL import Image, ImageDraw

from lumek import Glyph
from lumek.core.bundled import characters_drawn, drawing_of
from lumek.glyphs import SETS, Block, load, save, shipped, trace
from support.refusals import refused


def drawn(size: tuple[int, int], ground: object = 255, mode: str = "L") -> tuple[Image.Image, ImageDraw.ImageDraw]:
    image = Image.new(mode, size, ground)
    return image, ImageDraw.Draw(image)


def pictures() -> Iterator[tuple[str, Image.Image, int, int, str]]:
    """Name, picture, cells across and down, and its dots with the gaps, rows after each other."""
    image, draw = drawn((120, 120))
    draw.ellipse((10, 10, 110, 110), fill=0)
    yield "disc", image, 1, 1, "..... .###. ##### ##### ##### .###. ..... ....."
    image, draw = drawn((120, 110))
    draw.ellipse((10, 10, 60, 60), fill=0)
    draw.ellipse((60, 10, 110, 60), fill=0)
    draw.polygon([(13, 45), (107, 45), (60, 100)], fill=0)
    yield "heart", image, 1, 1, "..... ##.## ##### .###. .###. ..#.. ..... ....."
    image, draw = drawn((200, 90))
    draw.polygon([(5, 30), (120, 30), (120, 5), (195, 45), (120, 85), (120, 60), (5, 60)], fill=40)
    yield (
        "arrow",
        image,
        2,
        1,
        ("........... .......#... #####.###.. #####.##### #####.###.. .......#... ........... ..........."),
    )
    image, draw = drawn((60, 100))
    for place in ((5, 5, 17, 95), (5, 5, 55, 17), (5, 45, 40, 57)):
        draw.rectangle(place, fill=0)
    yield "letter", image, 1, 1, "####. #.... #.... ##... ###.. #.... #.... #...."
    y, x = np.mgrid[0:160, 0:100]
    light = 30 + 204 * np.exp(-(((x - 50) / 28) ** 2 + ((y - 80) / 45) ** 2))
    noisy = light + np.random.default_rng(1).normal(0, 8, light.shape)
    image = Image.fromarray(noisy.clip(0, 255).astype(np.uint8))
    yield "photo", image, 1, 1, "..#.. .###. ##### ##### ##### .###. .###. ....."
    image, draw = drawn((110, 160))
    draw.ellipse((5, 5, 105, 155), outline=0, width=22)
    yield "ring", image, 1, 1, ".###. .#.#. #...# #...# #...# .#.#. .###. ....."
    image, draw = drawn((100, 100), 0)
    draw.polygon([(50, 5), (95, 95), (5, 95)], fill=255)
    yield "light triangle", image, 1, 1, "..... ..#.. ..#.. .###. .###. ##### ..... ....."
    image, draw = drawn((100, 160), (0, 0, 0, 0), "RGBA")
    draw.rectangle((30, 10, 70, 150), fill=(0, 0, 0, 255))
    draw.rectangle((5, 60, 95, 100), fill=(0, 0, 0, 255))
    yield "transparent cross", image, 1, 1, ".###. .###. .###. ##### ##### .###. .###. .###."
    image, draw = drawn((230, 170), (250, 240, 200), "RGB")
    draw.polygon([(60, 20), (170, 20), (215, 85), (170, 150), (60, 150), (15, 85)], outline=(150, 90, 0), width=16)
    half = ["." * 23, "......#####.#####......", "....#.#####.#####.#....", "....#.............#....",
            "...##.............##...", "..##...............##..", ".###...............###.",
            ".##.................##."]  # fmt: skip
    yield "comb cell", image, 4, 2, " ".join([*half, "." * 23, *reversed(half)])
    image, draw = drawn((300, 100))
    draw.line([(0, 50), (40, 20), (80, 80), (120, 20), (160, 80), (200, 20), (240, 80), (290, 40)], fill=0, width=12)
    yield "wave", image, 4, 1, " ".join([
        "." * 23, "..##.....#.....#.......", ".#..#...#.#...#.#......", "#...#..#......#......#.",
        "......##....##....#.#..", "......#.....#.....##...", "." * 23, "." * 23,
    ])  # fmt: skip


@pytest.mark.parametrize("number", range(10))
def test_a_picture_becomes_the_dots_that_it_covers(number: int, tmp_path: Path) -> None:
    name, image, columns, rows, expected = list(pictures())[number]
    image.save(tmp_path / "picture.png")
    found = trace(tmp_path / "picture.png", columns, rows)
    assert found.block == trace(image, columns, rows).block == Block("\n".join(expected.split()), gaps=True)
    assert found.inverted == (name in ("photo", "light triangle"))
    glyphs = found.named("it")
    assert glyphs.drawings.keys() == {*"①②③④⑤⑥⑦⑧"[: rows * columns]}
    save(glyphs, tmp_path / "it.toml")
    again = load(tmp_path / "it.toml")
    assert [glyphs[name] for name in again] == [glyph for row in found.block.cells for glyph in row]
    assert again.blocks.keys() == ({"it"} if rows * columns > 1 else set())


DRAWINGS = [glyph for name in SETS for glyph in shipped(name).values()]
ALL = [Glyph(drawing_of(character)) for character in characters_drawn()]


@pytest.mark.parametrize("dot", [4, 7, 16, 30])
@pytest.mark.parametrize("glyphs", [DRAWINGS, pytest.param(ALL, marks=pytest.mark.slow)], ids=["sets", "all"])
def test_a_drawing_is_found_again_in_its_picture(dot: int, glyphs: list[Glyph], tmp_path: Path) -> None:
    noise = np.random.default_rng(dot)
    for glyph in [glyph for glyph in glyphs if any(glyph.numbers)]:
        lit = np.array(glyph.dots)
        grey = np.where(lit, 70.0, 200.0).repeat(dot, 0).repeat(dot, 1) + noise.normal(0, 12, (8 * dot, 5 * dot))
        image = Image.fromarray(grey.clip(0, 255).astype(np.uint8))
        image.save(tmp_path / "drawing.png")
        if not lit.all():
            assert trace(tmp_path / "drawing.png", inverted=False, fit="framed").block.cells[0][0] == glyph
            if lit.any(axis=0)[[0, -1]].all() and lit.any(axis=1)[[0, -1]].all():  # nothing is cut away
                assert trace(image, inverted=False, fit="stretched").block.cells[0][0] == glyph


def test_threshold_polarity_gaps_and_fit_can_be_set() -> None:
    image, draw = drawn((50, 80))
    draw.rectangle((0, 0, 4, 79), fill=0)  # half of a dot
    draw.rectangle((10, 0, 49, 79), fill=0)
    assert trace(image, threshold=0.5, inverted=False).block.cells[0][0] == Glyph([31] * 8)
    assert trace(image, threshold=0.51, inverted=False).block.cells[0][0] == Glyph([15] * 8)
    assert trace(image, inverted=True, threshold=0.5, fit="stretched").inverted
    strip, draw = drawn((110, 80))
    draw.rectangle((0, 0, 49, 79), fill=0)
    draw.rectangle((60, 0, 109, 79), fill=0)
    assert [one.numbers for one in trace(strip, 2, threshold=0.9, inverted=False).block.cells[0]] == [(31,) * 8] * 2
    assert trace(strip, 2, gaps=False, threshold=0.9, inverted=False, fit="stretched").block.cells[0][0] == Glyph(
        [30] * 8
    )


def test_what_cannot_be_traced_is_said(tmp_path: Path) -> None:
    image, _ = drawn((5, 8))
    (tmp_path / "no.png").write_text("no picture")
    for act, message in (
        (lambda: trace(image), "the picture has one colour"), (lambda: trace(tmp_path / "no.png"), "is not a picture"),
        (lambda: trace(image, 5), "1 to 4 cells across and 1 or 2 down, not 5x1"),
        (lambda: trace("no"), "cannot be read"),
        (lambda: trace(image, threshold=0), "not 0"), (lambda: trace(image, threshold="a"), "not 'a'"),
        (lambda: trace(image, fit="tight"), "not 'tight'"),
        (lambda: trace(Image.new("1", (8000, 7000))), "more than 50,000,000"),
    ):  # fmt: skip
        assert message in refused(act), message
