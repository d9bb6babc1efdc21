"""That a picture of a hookup has the wires of its table, each from its pin to where it goes, and no others."""

from collections import Counter
from itertools import combinations
from typing import Any

import numpy as np
import pytest
from hypothesis import given

import lumek
from lumek.hookup.checks import CANNOT_BE_DRIVEN, check
from lumek.hookup.colours import COLOURS, TINTS, supply_colour
from lumek.hookup.drawing.canvas import PAPER
from lumek.hookup.file import Hookup, parse
from lumek.hookup.sheet import End, Wire, wires
from support.effort import tries
from support.hookup_files import FILES, edited, mutants
from support.svg import Picture


def end_words(end: End) -> str:
    """What is at an end."""
    if end.kind == "register":
        return "  ".join(end.name.replace(" of the register, its pin ", " ").split())
    if end.position:
        return f"{end.position}   {end.name}"
    return end.name if len(end.name) <= 32 else f"{end.name[:29]}..."


def wrong(hookup: Hookup) -> list[str]:
    """How the picture differs from the table."""
    picture, found = Picture(hookup), []
    seen: Counter[Any] = Counter()
    rows = [wire for name in hookup.panels for wire in wires(hookup, name) if wire.to.kind not in ("open", "pads")]
    ends = {end_words(end) for wire in rows for end in (wire.to, wire.emitter) if end}

    def check(what: str, box: tuple, side: str, expected: set[str]) -> None:
        reached = picture.reached(box, side) & (ends | expected)
        if reached != expected:
            found.append(f"{what} leads to {reached}, not to {expected}")

    for wire in rows:
        what, (box, side) = f"{wire.name} of {wire.part} {wire.panel}", box_of(picture, wire, seen)
        if wire.to.kind == "potentiometer":
            ohms = picture.find("10 kohm", seen["potentiometer"])
            seen["potentiometer"] += 1
            feed = next(one.to for one in rows if one.panel == wire.panel and one.note.startswith("last"))
            ground = next(one.to for one in rows if one.to.kind == "ground")
            for half, end in (("left", feed), ("right", ground)):
                check(f"the {half} end of the potentiometer", ohms, half, {end_words(end)})
            check(what, box, side, {"10 kohm"})
        elif wire.part == "register" and wire.to.kind in ("ground", "supply"):
            check(what, box, side, {wire.to.name})  # a short wire, to a sign
        else:
            check(what, box, side, {end_words(wire.to)})
        if "RC" in wire.through:
            capacitor = picture.find("10 uF", seen["10 uF"])
            seen["10 uF"] += 1
            ground = next(one.to for one in rows if one.to.kind == "ground")
            check("the capacitor", capacitor, "left", {end_words(ground)})
            check("the capacitor", capacitor, "right", {end_words(wire.to)})
        for part in {"NPN", "PNP"} & set(wire.through):
            box = picture.find(part, seen[part])
            seen[part] += 1
            check(f"the emitter for {what}", box, "bottom" if part == "NPN" else "top", {end_words(wire.emitter)})
    return found + picture.hidden()


def box_of(picture: Picture, wire: Wire, seen: Counter) -> tuple[tuple, str]:
    """The box of a wire's pin, and the side by which the wire leaves it."""
    words = {"panel": f"{wire.pin}   {wire.name}", "register": f"{wire.pin}  {wire.name}"}.get(wire.part, wire.name)
    words = words.removeprefix("None   ")
    column = (
        PANEL_PINS if wire.part in ("panel", "backpack") else SHIFTER_PINS if wire.part == "level shifter" else None
    )
    if column == SHIFTER_PINS:  # there is one; a register has signs with the same words
        top = picture.find("LV", 0, *SHIFTER_PINS)[2]
        near = [box for box in picture.boxes if box[0] == words and abs(box[2] - top) < 30]
        return min(near, key=lambda box: box[1]), "right" if wire.name in ("HV", "GND") else "left"
    seen[words, column] += 1
    side = "left"
    return picture.find(words, seen[words, column] - 1, *(column or (300, 984))), side


PANEL_PINS = 984, 985
SHIFTER_PINS = 300, 880
"""From where to where, from the left, the pins of these are."""

CONTRIVED = [
    ("direct_low", "backlight.supply_volts = 12"), ("direct_eight", "contrast.pwm = [0, 2]"),
    ("register_lines", "contrast.pwm = [0, 1]", "backlight.line = 6", "backlight.on_board = false"),
    ("register", "hookup.backlight_on = 0", "backlight.supply_volts = 12", "contrast.pwm = [0, 1]"),
    ("direct_four", "panel.volts = 3.0", "backlight.supply_volts = 9", "backlight.ohms = 330"),
    ("two_levels", "panels.hive.hookup.other_addresses = [0x48]", "panels.gate.contrast.potentiometer_ohms = 5000"),
    ("two_levels", "panels.hive.hookup.bus = 7"),
    ("colour", "backlight.inverted = true", "backlight.supply_volts = 12", "panel.volts = 3.3", "host.header"),
]  # fmt: skip


CASES = [*[(file.stem,) for file in FILES], *CONTRIVED]


@pytest.mark.parametrize(
    "case",
    [pytest.param(case, marks=[pytest.mark.slow] * (number % 2), id=case[0]) for number, case in enumerate(CASES)],
)
def test_the_wires_of_the_picture_are_those_of_the_table(case: tuple[str, ...]) -> None:
    assert wrong(parse(edited(*case), "x")) == []


@pytest.mark.slow
def test_the_order_of_panels_does_not_matter() -> None:
    for stem in ("two_levels", "three_kinds", "register_two"):
        hookup = parse(edited(stem), "x")
        assert wrong(Hookup("x", hookup.host, dict(reversed([*hookup.panels.items()])))) == []


@given(mutants())
@tries(60)
def test_the_picture_of_a_mutated_file_has_the_wires_of_its_table(text: str) -> None:
    try:
        hookup = parse(text, "x")
    except lumek.HookupError:
        return
    if not any(one.severity == "error" and one.check in CANNOT_BE_DRIVEN for one in check(hookup)):
        assert wrong(hookup) == []


def test_no_two_colours_of_wires_look_alike_and_each_voltage_has_its_own() -> None:
    """CIE 1976 colour difference: about 2 is just seen; white is a stripe alone, and nothing looks like the sheet."""

    def lab(code: str) -> np.ndarray:
        parts = np.array([int(code[at : at + 2], 16) / 255 for at in (1, 3, 5)])
        linear = np.where(parts <= 0.04045, parts / 12.92, ((parts + 0.055) / 1.055) ** 2.4)
        matrix = [[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]]
        x, y, z = np.cbrt(matrix @ linear / np.array([0.9505, 1, 1.089]))
        return np.array([116 * y - 16, 500 * (x - y), 200 * (y - z)])

    plain = {name: lab(code) for name, code in {**TINTS, "sheet": PAPER}.items() if name != "white"}
    for (one, its), (other, others) in combinations(plain.items(), 2):
        assert np.linalg.norm(its - others) > 30, (one, other)
    assert "white" not in COLOURS.values()
    supplies = {supply_colour(volts) for volts in (3.3, 5.0, 12.0)}
    assert len(supplies | {"black"}) == 4
    assert not supplies & set(COLOURS.values())
