"""Hookup files: read, listed, drawn and driven, all of the same wiring."""

import json
import re
import tomllib
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from matplotlib.backends.backend_agg import FigureCanvasAgg

import lumek
from lumek.cli import main
from lumek.hookup import model, wiring
from lumek.hookup.attach import attached
from lumek.hookup.checks import CANNOT_BE_DRIVEN, check
from lumek.hookup.drawing import draw_hookup
from lumek.hookup.file import Hookup, parse, read
from lumek.hookup.sheet import wires
from support.effort import tries
from support.hookup_files import (
    FILES,
    FOLDER,
    HEADER,
    MAPS,
    OUTPUTS,
    POSITIONS,
    REFERENCE,
    ROLES,
    SIGNALS,
    edited,
    mutants,
)

each_file = pytest.mark.parametrize("file", FILES, ids=lambda file: file.stem)


def tables_of(file: Path) -> dict[str, dict]:
    """The panels of a file, as another reader of TOML has them."""
    tables = tomllib.loads(file.read_text(encoding="utf-8"))
    return tables.get("panels") or {"panel": {**tables.pop("panel"), **tables}}


def told_lines(panel: dict) -> dict[str, int]:
    """Role -> line, as the file or the map that it names has it."""
    wiring = panel["hookup"]
    if "lines" in wiring:
        return wiring["lines"]
    usual = "rw-grounded" if wiring.get("expander") == "mcp23008" else "control-low"
    name = wiring.get("map", usual)
    lines = dict(zip(ROLES, MAPS[name.removesuffix("-e2")][0], strict=True))
    if name.endswith("-e2"):
        lines["e2"] = lines.pop("rw")
    return {role: line for role, line in lines.items() if line is not None}


@each_file
def test_what_is_written_through_a_file_shows_on_its_twin(file: Path) -> None:
    panels = lumek.attach_all(file, twin=True)
    for name, panel in panels.items():
        panel[:] = "\n".join(f"{name} {row}" for row in range(panel.shape[0]))
        panel[-1, -3:] = "end"
    for name, panel in panels.items():
        assert (panel.twin.rows, panel.twin.violations) == (panel.rows, [])
        assert panel.rows[0].startswith(f"{name} 0")
        alone = lumek.attach(str(file), twin=True, panel=name)
        alone[0] = "Bees"
        assert alone.twin.rows[0].rstrip() == "Bees"
        alone.close()
        with pytest.raises(lumek.ClosedError):
            alone[0] = ""


@pytest.mark.parametrize("file", ["direct_four", "direct_eight", "direct_wide", "backpack_mcp", "register"])
@pytest.mark.parametrize("hz", [50_000, 350_000, 1_000_000])
def test_the_twin_has_the_oscillator_and_the_supply_of_the_file(file: str, hz: int) -> None:
    text = edited(file, f"panel.oscillator_hz = {hz}", "panel.volts = 3.3", "backlight.forward_volts = 3.0")
    panel = attached(parse(text, "x"), True, ["panel"])["panel"]
    panel[:] = "Hive 3\nbees"
    panel.clear()
    panel[-1] = "Bees"
    assert (panel.twin.rows, panel.twin.violations) == (panel.rows, [])
    assert {chip.oscillator_hz for chip in panel.twin.controllers} == {hz}


@each_file
def test_the_backlight_of_a_file_is_lit_and_put_out(file: Path) -> None:
    raw = tables_of(file)
    for name, panel in lumek.attach_all(file, twin=True).items():
        assert panel.twin.backlight
        if "backlight" in told_lines(raw[name]) or {"pwm", "line"} & raw[name].get("backlight", {}).keys():
            panel.backlight = False
            assert not panel.twin.backlight
        else:
            with pytest.raises(lumek.HookupError, match="has no backlight line"):
                panel.backlight = False


# What feeds the backlight, values that it takes and their light, and what the sheet says of the pin that is switched.
FEEDS = [
    (["backlight.line = 26", "backlight.on = 1"], {True: 1, False: 0}, "K", "NPN .*, then header 37 .line 26"),
    (["backlight.line = 26", "backlight.on = 0"], {True: 1, False: 0}, "A", "100 ohm, then .* PNP .*, then header 37"),
    (["backlight.pwm = [0, 1]"], {0.25: 0.25, False: 0}, "K", "NPN .*, then header 33 .line 13, PWM 1"),
    (["backlight.pwm = [0, 1]", "backlight.inverted = true"], {0.25: 0.25}, "A", "PNP .*, then header 33 .line 13"),
    (["backlight.led = 'panel'"], {0.5: 0.5}, "K", "NPN .*, then LED 'panel'"),
    (["backlight.led = 'panel'", "backlight.coloured = true"], {"#0000ff": 1}, "K BLUE", "100 ohm, .* 'panel' blue"),
    (["backlight.fitted = false"], {}, "A", None), ([], {}, "A", "100 ohm, then header 2"),
]  # fmt: skip


@pytest.mark.parametrize(
    ("changes", "values", "pin", "goes"),
    [pytest.param(*feed, marks=[pytest.mark.slow] * (number % 2)) for number, feed in enumerate(FEEDS)],
)
def test_whatever_feeds_the_backlight_is_driven_and_told(
    changes: list, values: dict, pin: str, goes: str | None
) -> None:
    hookup = parse(edited("direct_four", *changes), "x")
    panel = attached(hookup, True, ["panel"])["panel"]
    assert panel.twin.glow == ((0, 0, 0) if goes is None else (1, 1, 1))
    for value, light in values.items():
        panel.backlight = value
        assert panel.twin.glow[2] == pytest.approx(light)
    listed = {wire.name: wire.goes for wire in wires(hookup, "panel")}
    assert (pin in listed) == (goes is not None)
    assert goes is None or re.search(goes, listed[pin])
    assert drawn(hookup) == []


@each_file
def test_the_sheet_tells_the_lines_that_the_twin_is_driven_by(file: Path, capsys: pytest.CaptureFixture[str]) -> None:
    with pytest.raises(SystemExit, match="0"):
        main(["hookup", str(file), "--json"])
    listed = json.loads(capsys.readouterr().out)
    host = tomllib.loads(file.read_text(encoding="utf-8"))["host"]
    every = [row for panel in listed["panels"].values() for row in panel["wires"]]
    shifted = any(panel["hookup"].get("level_shifter") for panel in tables_of(file).values())
    assert [row["name"] for row in every if row["part"] == "level shifter"] == ["GND", "LV", "HV"] * shifted
    assert any("level shifter" in row["through"] for row in every) == shifted
    for name, panel in tables_of(file).items():
        rows = listed["panels"][name]["wires"]
        signals = {row["name"].lower(): row["to"] for row in rows if row["part"] == "panel"}
        if panel["hookup"]["kind"] != "backpack":
            lines = {role: line for role, line in panel["hookup"]["lines"].items() if role != "backlight"}
            assert {role: signals[role]["line"] for role in lines} == lines
            assert signals["d0"]["kind"] == ("open" if "d0" not in lines else "host")
            assert ("rw" in lines) == (signals["rw"]["kind"] != "ground")
        ends = [row["to"] for row in rows if row["to"]["kind"] == "host" and isinstance(row["to"]["line"], int)]
        for end in ends:
            assert end["position"] == (POSITIONS[end["line"]] if "header" in host else None)
        supplies = [row["to"]["kind"] for row in rows if row["to"]["kind"] in ("ground", "supply", "host")]
        assert supplies[0] == "ground"
        assert supplies[-1] == "supply"
        assert rows[-1]["note"].startswith("last")


def test_the_header_and_the_register_are_as_they_are() -> None:
    shown = drawing_words(read(FOLDER / "direct_four.toml"))
    for position, what in HEADER.items():
        assert f"{position}   {what.replace('V', ' V') if isinstance(what, str) else f'line {what}'}" in shown
    for line, position in POSITIONS.items():
        hookup = parse(edited("direct_four", f"backlight.line = {line}"), "x")
        listed = {wire.name: wire.to for wire in wires(hookup, "panel")}["K"]
        assert (listed.position, str(listed)) == (position, f"header {position} (line {line})")
        says = [one.says for one in check(hookup) if one.check == "header" and one.says.startswith("backlight is on")]
        where = f"backlight is on line {line} (header {position}"
        assert says == ([f"{where}, {SIGNALS[line]})"] if line in SIGNALS else [])
    for output, (name, pin) in OUTPUTS.items():
        hookup = parse(edited("register", f"hookup.lines = {{ rs = {output} }}"), "x")
        listed = {wire.name: wire.goes for wire in wires(hookup, "panel")}
        assert listed["RS"] == f"{name} of the register, its pin {pin}"


def test_pads_and_maps_mean_what_the_sheets_and_boards_say() -> None:
    for name, (bits, level) in MAPS.items():
        chip = "mcp23008" if name == "rw-grounded" else "pcf8574"
        panel = parse(edited("backpack", f"hookup.map = '{name}'", f"hookup.expander = '{chip}'"), "x").panels["panel"]
        expected = {role: bit for role, bit in zip(ROLES, bits, strict=True) if bit is not None}
        assert (panel.hookup.roles, panel.hookup.lit_at) == (expected, level)
    for chip, base in (("pcf8574", 0x20), ("pcf8574a", 0x38), ("mcp23008", 0x20)):
        for pads in range(8):
            said = [pads >> 2 & 1, pads >> 1 & 1, pads & 1]
            text = edited("backpack", f"hookup.pads = {said}", "hookup.address", f"hookup.expander = '{chip}'")
            assert parse(text, "x").panels["panel"].hookup.at == base + pads
            assert parse(edited("backpack", "hookup.expander", f"hookup.address = {base + pads}"), "x")


MISTAKES = [
    (["panel.size = '4x20'"], r"\[panel\] size: there is no '4x20' panel \(columns come first: 20x4\)"),
    (["panel.siz = '20x4'"], r"\[panel\] has no key 'siz' \(did you mean 'size'\?\): keys are size.* pins$"),
    (["panel.rom = 'A03'"], r"\[panel\] rom: there is no ROM 'A03'"),
    (["panel.volts = 12"], r"\[panel\] volts = 12 is not possible: volts, 2.7 to 5.5"),
    (["panel.volts = nan"], r"\[panel\] volts = nan is not possible"),
    (["panel.pins = { vs = 1 }"], r"\[panel\] pins.vs = 1 is not possible: .*'vdd'.* \(did you mean 'vss'\?\)"),
    (["panel.pins = { a = 16 }"], r"\[panel\] has pin 16 as both a and k: say in pins where each of them is"),
    (["backlight.chip = 'gpiochip0'"], r"\[backlight\] chip = 'gpiochip0' is not possible: the path of a GPIO chip"),
    (["hookup.kind = 'backpak'"], r"kind = 'backpak' is not possible: 'backpack', .* \(did you mean 'backpack'\?\)"),
    (["hookup.kind"], r"\[hookup\] needs the key 'kind': 'backpack', 'direct' or 'shift-register'"),
    (["hookup.bus"], r"\[hookup\] needs the key 'bus': the number N of the I2C bus /dev/i2c-N"),
    (["hookup.address = 0x127"], r"\[hookup\] address = 0x127 is not possible: a 7-bit address, 0x08 to 0x77"),
    (["hookup.address = true"], r"\[hookup\] address = true is not possible"),
    (["hookup.adress = 0x27"], r"\[hookup\] has no key 'adress' \(did you mean 'address'\?\): keys are "),
    (["hookup.address"], r"\[hookup\] needs the key 'address', as 0x27, or 'pads', as \[1, 1, 1\]"),
    (["hookup.pads = [1, 1, 0]"], r"says two things: address = 0x27, but pads = \[1, 1, 0\] of a pcf8574 mean 0x26"),
    (["hookup.map = 'controllow'"], r"map = 'controllow' is not possible: one of .* \(did you mean 'control-low'\?\)"),
    (["hookup.lines = { rs = 0, ee = 2 }"], r"\[hookup\] has no key 'lines.ee' \(did you mean 'e2?'\?\)"),
    (["hookup.lines = { rs = -1 }"], r"\[hookup\] lines.rs = -1 is not possible: a line: its number, 0 to 1023, or"),
    (["hookup.map = 'rw-grounded'", "hookup.lines = { rs = 1 }"], r"has both map = 'rw-grounded' and lines"),
    (["hookup.kind = 'direct'"], r"\[hookup\] has no key .* \(and \d more after that\)"),
    (["backlight.line = 3"], r"\[panel\] has a role 'backlight' in \[hookup\] and something else in \[backlight\]"),
    (["backlight.line = 3", "backlight.led = 'x'"], r"\[backlight\] is fed by line and by led: leave one out"),
    (["host.buses = ['i2c1']"], r"\[host\] buses.0 = 'i2c1' is not possible: .* \(did you mean 'i2c-1'\?\)"),
    (["host.backlight = 3"], r"\[host\] has no key 'backlight': keys are board, header, logic_volts"),
    (["host.kind = 'micropython'"], r"\[host\] has kind, but no port: say where the board is, as port = '/dev/ttyA"),
    (["host.port = 'COM3'", "host.kind = 'arduino'"], r"\[host\] kind = 'arduino' is not possible: 'firmata' or 'm"),
    (["host.port = 'ftdi:///1'", "host.kind = 'ftdi'", "host.baud = 9600"], r"has baud, but with kind = 'ftdi' that i"),
    (["host.port = 'COM3'", "host.sda = 4"], r"\[host\] has one of sda and scl: give both, or leave both out"),
    (["host.port = 'COM3'", "host.sda = 4", "host.scl = 5"], r"\[host\] has sda, but with kind = 'firmata' that is fi"),
    (["host.port = 'COM3'"], r"\[hookup\] has bus, but \[host\] has port = 'COM3', a board on USB"),
    (["host.port = 'COM3'", "host.bus = 1"], r"\[host\] has bus, but with kind = 'firmata' that is fixed"),
    (["host.port = 'COM 3'"], r"\[host\] port = 'COM 3' is not possible: the serial port of a board on USB"),
    (["host.port = 'COM3'", "backlight.chip = '/dev/gpiochip0'"],
     r"\[backlight\] has chip, but \[host\] has port = 'COM3', a board on USB, whose lines are its pins: leave it out"),
    (["host.port = 'COM3'", "contrast.pwm = [0, 1]"], r"\[contrast\] has pwm, but .* its pins: use a potentio"),
    (["hots.header = '40-pin'"], r" has no table \[hots\] \(did you mean 'host'\?\): tables are panel, hookup"),
    (["panels.left.size = '20x4'"], r" has both \[panels\] and \[panel\]"),
]  # fmt: skip


@pytest.mark.parametrize(("changes", "message"), MISTAKES)
def test_a_mistake_names_file_table_and_key_and_what_is_possible(changes: list[str], message: str) -> None:
    with pytest.raises(lumek.HookupError, match=f"^x.toml.*{message}") as caught:
        parse(edited("backpack", *changes), "x.toml")
    assert "\n" not in str(caught.value)


def test_of_named_panels_the_table_is_named_and_one_is_asked_for(tmp_path: Path) -> None:
    text = edited("two_panels", "panels.gate.hookup.bus = 'one'")
    with pytest.raises(
        lumek.HookupError, match=r"^x: \[panels.gate.hookup\] bus = 'one' is not possible: the number N"
    ):
        parse(text, "x")
    file = FOLDER / "two_panels.toml"
    with pytest.raises(lumek.HookupError, match=r"has several panels \('hive', 'gate'\)"):
        lumek.attach(file, twin=True)
    with pytest.raises(lumek.HookupError, match=r"no panel 'gte' \(did you mean 'gate'\?\): it has 'hive', 'gate'"):
        lumek.attach(file, twin=True, panel="gte")
    for content, message in (
        (b"\xff", "is not text in UTF-8"), (b"[panel", "is not TOML: Expected"),
            (b"a = " + b"[" * 9999, "is n(ested too deeply|ot TOML)"),
        (b"a = " + b"9" * 9999, "is not TOML: "), (b"#" * 256_001, "cannot be read: it has more than 256000 bytes"),
        (b"", r"needs the table \[panel\]"), (b"panel = 3", r"panel = 3 is not possible: it is a table, \[panel\]"),
        (b'[panels."a\\nb"]', "a panel's name is 1 to 64 printable characters"),
        (b'["\\u0007"]\nx = 1', "has no table"),
        (b"[panels]", r"\[panels\] is empty"), (b"[panels]\nleft = 3", r"\[panels.left\] = 3 is not possible: a table"),
        (b"[panel]\nsize = '8x1'", r"the table \[hookup\] is missing"),
    ):  # fmt: skip
        (tmp_path / "hive.toml").write_bytes(content)
        with pytest.raises(lumek.HookupError, match=f"hive.toml:? {message}"):
            read(tmp_path / "hive.toml")
    with pytest.raises(lumek.HookupError, match=r"there is no hookup file .*TOML files there: hive.toml"):
        read(tmp_path / "hiev.toml")
    with pytest.raises(lumek.HookupError, match="cannot be read"):
        read(tmp_path)


RANGES: dict[str, Any] = {
    "panel": model.ModuleTable, "hookup": wiring.BackpackTable, "backlight": model.BacklightTable,
    "contrast": model.ContrastTable, "host": model.HostTable,
}  # fmt: skip


@pytest.mark.parametrize("table", RANGES)
def test_a_key_takes_the_range_that_its_description_tells(table: str) -> None:
    def takes(key: str, value: float) -> bool:
        written = f"{value:.2f}" if value % 1 else str(int(value))
        try:
            parse(edited("backpack", "hookup.map = 'rw-grounded'", f"{table}.{key} = {written}"), "x")
        except lumek.HookupError as error:
            return f"] {key} = " not in str(error)
        return True

    for key, field in RANGES[table].model_fields.items():
        bounds = re.search(r"(?:^| )(\d[\dx.]*) to (\d[\dx.]*)", field.description or "")
        if bounds and key not in ("pins", "bus", "backlight"):
            low, high = [float(int(bound, 16)) if "x" in bound else float(bound) for bound in bounds.groups()]
            below = low - 0.01 if low % 1 else low - 1
            taken = [takes(key, value) for value in (below, low, high, high + 1)]
            assert (key, taken) == (key, [False, True, True, False])


@given(mutants())
@tries(400)
def test_a_mutated_file_is_a_hookup_or_one_clear_error(text: str) -> None:
    try:
        hookup = parse(text, "x.toml")
    except lumek.HookupError as error:
        wrong = str(error)
    else:
        wrong = drive(hookup)
    assert not wrong or (wrong.startswith("x.toml") and "\n" not in wrong)


def drive(hookup: Hookup) -> str:
    """Check, tell and drive a hookup on its twin: nothing, or the error that refuses it."""
    findings = check(hookup)
    assert all(wires(hookup, name) for name in hookup.panels)
    drivable = not any(one.severity == "error" and one.check in CANNOT_BE_DRIVEN for one in findings)
    try:
        panels = attached(hookup, True, list(hookup.panels))
    except lumek.CheckError as error:
        assert not drivable
        return str(error)
    assert drivable
    for panel in panels.values():
        panel[0] = "Bees"
    for panel in panels.values():
        assert (panel.twin.rows, panel.twin.violations) == (panel.rows, [])
    return ""


def drawing_words(hookup: Hookup) -> set[str]:
    """All words of the picture of a hookup."""
    words: list[Any] = draw_hookup(hookup, []).findobj(lambda one: hasattr(one, "get_text"))
    return {one.get_text() for one in words}


def drawn(hookup: Hookup) -> list[str]:
    """What is wrong with the picture of a hookup."""
    figure = draw_hookup(hookup, check(hookup))
    FigureCanvasAgg(figure).draw()
    found: dict[str, list[Any]] = {
        gid: figure.findobj(lambda one, gid=gid: one.get_gid() == gid) for gid in ("wire", "words", "boxed", "box")
    }
    words = {one: one.get_window_extent() for one in found["words"] + found["boxed"] if one.get_text()}
    paths = [one.get_path().transformed(one.get_transform()) for one in found["wire"]]
    boxes = [one.get_window_extent().padded(1) for one in found["box"]]
    wrong = []
    for one, extent in words.items():
        if one.get_gid() == "words" and any(path.intersects_bbox(extent, filled=False) for path in paths):
            wrong.append(f"a wire runs over {one.get_text()}")
        if one.get_gid() == "boxed" and not any(box.containsx(extent.x0) and box.containsx(extent.x1)
                                                and box.containsy(extent.y0) for box in boxes):  # fmt: skip
            wrong.append(f"{one.get_text()} is wider than its box")
        if any(extent.overlaps(other) for another, other in words.items() if another is not one):
            wrong.append(f"{one.get_text()} is on other words")
        if not figure.bbox.containsx(extent.x1):
            wrong.append(f"{one.get_text()} leaves the picture")
    return wrong


@pytest.mark.slow
@each_file
def test_no_wire_of_a_picture_runs_over_its_words(file: Path) -> None:
    assert drawn(read(file)) == []


def test_the_reference_has_every_key_with_what_is_possible() -> None:
    for table in (
        model.ModuleTable,
        wiring.BackpackTable,
        wiring.DirectTable,
        wiring.RegisterTable,
        model.BacklightTable,
        model.ContrastTable,
        model.HostTable,
    ):
        for key, field in table.model_fields.items():
            if key not in ("kind", "hookup", "backlight", "contrast"):
                assert f"| `{key}` | {field.description} |" in REFERENCE
    for block in REFERENCE.split("```toml\n")[1:]:
        assert parse(block.split("```")[0], "docs/hookup.md")
