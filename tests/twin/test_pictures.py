"""What a person would see."""

import io

import numpy as np
import pytest
from rich.console import Console

import lumek
from lumek.core.rom import rom_named
from lumek.twin.dots import patterns
from lumek.twin.picture import SCHEMES, picture
from lumek.twin.terminal import terminal_view

# Codes that the ROMs leave empty, and those that are drawn alike in the sheet.
EMPTY = {"A00": {*range(0x10, 0x21), *range(0x80, 0xA1), 0xFE}, "A02": {0x20}}
ALIKE = {"A00": {0x2D: 0xB0}, "A02": {}}


@pytest.mark.parametrize("rom", ["A00", "A02"])
def test_every_code_of_a_rom_has_dots_of_its_own(rom: str) -> None:
    dots = patterns(rom_named(rom), bytes(64))
    seen: dict[bytes, int] = {}
    for code in range(0x10, 0x100):
        assert dots[code].any() == (code not in EMPTY[rom]), hex(code)
        if code not in EMPTY[rom]:
            twin = seen.setdefault(dots[code].tobytes(), code)
            assert twin in (code, ALIKE[rom].get(twin)) or ALIKE[rom].get(twin) == code, (hex(code), hex(twin))


@pytest.mark.parametrize("scheme", SCHEMES)
def test_the_picture_shows_dots_in_their_colours(scheme: str) -> None:
    panel = lumek.simulate("16x2")
    colours = SCHEMES[scheme]
    empty = picture(panel.twin, scheme)
    panel[0, 0] = "█"
    pixels = np.array(picture(panel.twin, scheme))
    changed = (pixels != np.array(empty)).any(axis=2)
    assert {tuple(pixel) for pixel in pixels[changed]} == {colours.lit}
    assert changed.sum() == 40 * 6 * 6  # dots of 6 x 6 pixels
    assert (pixels == colours.unlit).all(axis=2).sum() == 31 * 40 * 36
    panel.backlight = False
    dark = np.array(picture(panel.twin, scheme))
    assert (dark == colours.dark_lit).all(axis=2).sum() == 40 * 36


def drawn(size: str, width: int, encoding: str = "utf-8", terminal: bool = True) -> list[str]:
    panel = lumek.simulate(size)
    panel[0, 0] = "█"
    panel[0, 2:5] = "34°"
    file = io.TextIOWrapper(io.BytesIO(), encoding=encoding, errors="replace")
    console = Console(file=file, width=width, force_terminal=terminal, color_system=None)
    console.print(terminal_view(panel.twin, console))
    file.seek(0)
    return file.read().splitlines()


def test_the_terminal_view_is_the_largest_that_fits() -> None:
    assert drawn("20x4", 124)[1].startswith("│ █████ ")
    assert max(map(len, drawn("20x4", 80))) == 64
    assert drawn("20x4", 80)[1].startswith("│ ⣿⣿⡇")
    for text in (drawn("20x4", 63), drawn("20x4", 200, terminal=False), drawn("40x2", 80)):
        assert text[1].startswith("│ █ 34° ")
    assert drawn("20x4", 200, encoding="ascii")[1].startswith("| ? 34? ")
