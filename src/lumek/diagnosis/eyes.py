"""What only the eyes of a user can tell: the test picture, the light, and which ROM the panel has.

Each question has numbered answers with a sketch of what is meant; `docs/faults.md` has real pictures of them.
"""

from collections.abc import Callable, Iterator, Sequence
from typing import NamedTuple

from lumek.core.geometry import Geometry
from lumek.core.instructions import clear_display, set_ddram_address
from lumek.core.slots import BLANK
from lumek.diagnosis.ladder import test_picture
from lumek.diagnosis.rung import Rung, failed, ok, unknown
from lumek.panel import Panel

FULL = "█"


class Sight(NamedTuple):
    """What may be seen, as one answer.

    says: it, in words.
    sketch: how that looks, row by row.
    means, do: what it means and what to do; empty when all is well.
    picture: the name of its picture in docs/faults.
    """

    says: str
    sketch: tuple[str, ...] = ()
    means: str = ""
    do: str = ""
    picture: str = ""


Ask = Callable[[str, Sequence[Sight]], Sight | None]
"""Asks a question; None without a user to ask."""

NOT_ASKED = "not asked: only eyes can tell"


def picture_choices(size: str) -> list[Sight]:
    """What may be seen instead of the test picture, the most frequent first."""
    geometry = Geometry(size)
    width, rows = geometry.columns, geometry.rows
    right = tuple(test_picture(size).split("\n"))
    blank, full = " " * width, FULL * width
    upper = tuple(full if row % 2 == 0 else blank for row in range(rows))
    return [
        Sight("this picture", right, picture="right"),
        Sight(
            "nothing, but the backlight is on",
            (blank,) * rows,
            "the contrast is turned down, or the supply of the glass is too low",
            "Turn the potentiometer of the backpack or of pin 3 (VO) slowly through its whole range, until the "
            "picture shows. On 3.3 V most panels made for 5 V stay pale: they need 5 V, or a negative voltage at VO",
            "contrast-low",
        ),
        Sight(
            "blocks in the first row (on four rows, in rows 1 and 3)",
            upper,
            "the panel has supply, and nothing of what is sent arrives: it was never started",
            "Check the wire of E first, then RS, RW (to ground, unless it has a line) and the data lines; behind a "
            "backpack try another map",
            "never-started",
        ),
        Sight(
            "blocks everywhere",
            (full,) * rows,
            "the contrast is turned up too far",
            "Turn the potentiometer back until the blocks just disappear",
            "contrast-high",
        ),
        Sight(
            "other letters and signs",
            ("Hyv? 3 [W", "\u00f6_/O?")[:rows],
            "bytes arrive changed: data wires are swapped or off, the line map is another, or halves of bytes are out "
            "of step",
            "Check the order of the data wires (D4 first), and each joint; try another map; keep wires short",
            "data-swapped",
        ),
        Sight(
            "the picture, but in other rows or columns",
            tuple(reversed(right)),
            "the panel has another size than the file says",
            "Count its rows and columns, and set size in [panel]",
            "size-wrong",
        ),
        Sight(
            "the picture, but pale",
            (),
            "the contrast is too low, or the panel is made for 5 V and has 3.3 V",
            "Turn the potentiometer; give a panel for 5 V its 5 V",
            "contrast-low",
        ),
        Sight(
            "the picture, but no light behind it",
            (),
            "the backlight has no supply, its jumper is off, or backlight_on is the wrong level",
            "Close the jumper of the backpack; check pins 15 (A) and 16 (K); set backlight_on to the other level",
            "polarity-wrong",
        ),
        Sight(
            "nothing at all, and no light",
            (),
            "the panel has no supply",
            "Measure the supply between pins 1 (VSS) and 2 (VDD)",
            "contrast-low",
        ),
    ]


YES = Sight("yes")

ROM_CODES = 0x5C, 0xDF, 0xE4
"""Codes that A00 and A02 draw differently: a yen sign, the mark that serves as degree sign, a Greek letter; or a
backslash and two letters of ISO 8859-1."""

ROMS = [Sight("¥ ° μ", ("¥°μ",), "A00"), Sight("\\ ß ä", ("\\ßä",), "A02"), Sight("something else")]


def look(panel: Panel, ask: Ask, rom: str) -> Iterator[Rung]:
    """The rungs for which somebody has to look at the panel, which shows the test picture.

    rom: the ROM that the hookup names.
    """
    choices = picture_choices(panel.size)
    seen = ask("What do you see on the panel?", choices)
    if seen is None:
        yield unknown("picture", NOT_ASKED, "Look at the panel: docs/troubleshooting.md has what may be seen")
        return
    if seen.means:
        yield failed("picture", f"seen: {seen.says}", seen.means, f"{seen.do} (docs/faults.md, {seen.picture})")
        return
    yield ok("picture", "the test picture is seen as it should be")
    try:
        panel.backlight = False
        dark = ask(
            "The light was switched off. Is it dark now?",
            [
                YES,
                Sight(
                    "no, it shines all the time",
                    means="the backlight is not switched by the panel's line, or was off "
                    "before: backlight_on is the wrong level",
                    do="Set backlight_on to the other level; a board may have its light on the supply",
                ),
            ],
        )
        panel.backlight = True
        if dark is not None and dark.means:
            yield failed("backlight", f"seen: {dark.says}", dark.means, dark.do)
            return
        yield ok("backlight", "it can be switched") if dark is not None else unknown("backlight", NOT_ASKED)
    except ValueError:
        yield unknown("backlight", "the hookup has no line for it")
    yield from _rom(panel, ask, rom)


def _rom(panel: Panel, ask: Ask, rom: str) -> Iterator[Rung]:
    """Which ROM the panel has."""
    panel.send(clear_display())
    show_codes(panel, ROM_CODES)
    found = ask("What do the first three cells show now?", ROMS)
    panel.refresh()
    if found is None:
        yield unknown("characters", NOT_ASKED)
    elif found.means == rom:
        yield ok("characters", f"ROM {rom}, as the file says")
    elif found.means:
        yield failed(
            "characters",
            f"codes 0x5c, 0xdf and 0xe4 draw {found.says}",
            f"the panel has ROM {found.means}, and the file says {rom}",
            f'Set rom = "{found.means}" in [panel]',
        )
    else:
        yield failed(
            "characters",
            "codes 0x5c, 0xdf and 0xe4 draw something else",
            f"the ROM is not {rom}, and none that Lumek knows",
            "lumek check --rom OUT.toml writes down what it has, code by code",
        )


def show_codes(panel: Panel, codes: Sequence[int], row: int = 0) -> None:
    """Show codes of the ROM from the first cell of a row on, and nothing else there. `refresh` brings the text back."""
    controller, indexes = panel._cells.places()[row]
    whole = [*codes, *[BLANK] * len(indexes)][: len(indexes)]
    for index, code in zip(indexes, whole, strict=True):
        panel.send(set_ddram_address(panel._geometry.address_of(index)), controller=controller)
        panel.send_data(code, controller=controller)
