"""Each check, by a wiring that passes by a little and one that fails by a little, with the numbers of its source."""

import re
from itertools import pairwise
from pathlib import Path

import pytest

from lumek.hookup.checks import check
from lumek.hookup.file import parse, read
from lumek.hookup.formulas import next_e12
from lumek.hookup.maps import BUS_OF
from support.hookup_files import FILES, edited

GUIDES = [Path(__file__).parents[2] / name for name in ("README.md", "docs/wiring.md", "docs/hookup.md")]

UNLIT = "hookup.lines = { rs = 0, rw = 1, e = 2, d4 = 4, d5 = 5, d6 = 6, d7 = 7 }"
"""A backpack that does not switch the backlight."""

# Check, file, what brings it near; what passes by a little, what fails by a little, and how; the source of the number.
CASES = [
    ("roles", "direct_four", [], "", "hookup.lines = { rs = 25, e = 25, d4 = 23, d5 = 22, d6 = 27, d7 = 17 }", "error",
     "each role has its own line"),
    ("roles", "direct_four", [], "backlight.line = 26", "backlight.line = 25", "error",
     "also a backlight beside the link"),
    ("roles", "shared_lines", [], "",
     "panels.gate.hookup.lines = { rs = 25, e = 24, d4 = 23, d5 = 22, d6 = 27, d7 = 17 }",
     "error", "panels on the same lines each have their own E"),
    ("roles", "shared_lines", [], "",
     "panels.gate.hookup.lines = { rs = 25, e = 26, d4 = 22, d5 = 23, d6 = 27, d7 = 17 }",
     "error", "what is shared is so in the same role"),
    ("lines", "direct_four", [], "", "hookup.lines = { rs = 25, e = 24, d5 = 22, d6 = 27, d7 = 17 }", "error",
     "HD44780U data sheet: 4-bit operation takes DB4 to DB7"),
    ("lines", "direct_eight", ["hookup.level_shifter = true"], "",
     "hookup.lines = { rs = 25, e = 24, d1 = 13, d2 = 16, "
     "d3 = 19, d4 = 23, d5 = 22, d6 = 27, d7 = 17 }", "error", "8-bit operation takes all eight"),
    ("lines", "direct_wide", [], "", "panel.size = '40x2'\npanel.pins", "error", "40x2 has one controller, and no E2"),
    ("lines", "backpack_wide", [], "", "hookup.map = 'control-low'", "error", "40x4 has two controllers"),
    ("lines", "register", [], "", "hookup.lines = { rs = 8, e = 2, d4 = 3, d5 = 4, d6 = 5, d7 = 6 }", "error",
     "74HC595: eight outputs"),
    ("header", "direct_four", [], "backlight.line = 27", "backlight.line = 28", "error",
     "the header has lines 0 to 27"),
    ("header", "direct_four", ["host.buses = ['spi-0']"], "backlight.line = 6", "backlight.line = 7", "error",
     "line 7 is CE1 of SPI 0"),
    ("header", "direct_four", [], "backlight.line = 4", "backlight.line = 1", "warning",
     "lines 0 and 1 are read at start"),
    ("size", "backpack", [], "panel.glass = '20x4'", "panel.size = '20x2'\npanel.glass = '20x4'", "error",
     "four rows are two lines of memory"),
    ("address", "backpack", [], "hookup.address = 0x20", "hookup.address = 0x1f", "error", "PCF8574: 0x20 to 0x27"),
    ("address", "backpack_a", ["hookup.pads"], "hookup.address = 0x38", "hookup.address = 0x37", "error",
     "PCF8574A: 0x38 to 0x3f"),
    ("address", "backpack_mcp", ["hookup.pads"], "hookup.address = 0x27", "hookup.address = 0x28", "error",
     "MCP23008: 0x20 to 0x27"),
    ("address", "two_panels", [], "panels.gate.hookup.other_addresses = [0x25]",
     "panels.gate.hookup.other_addresses = [0x27]", "error", "an address is used once"),
    ("address", "two_panels", [], "panels.gate.hookup.pads = [1, 0, 1]", "panels.gate.hookup.pads = [1, 1, 1]", "error",
     "an address is used once"),
    ("speed", "backpack", [], "hookup.bus_hz = 100_000", "hookup.bus_hz = 100_001", "warning",
     "PCF8574: f_SCL 100 kHz"),
    ("speed", "backpack_a", [], "hookup.bus_hz = 100_000", "hookup.bus_hz = 100_001", "warning", "PCF8574A: the same"),
    ("speed", "two_panels", [], "panels.gate.hookup.bus_hz = 100_000", "panels.gate.hookup.bus_hz = 99_999", "error",
     "a bus has one clock"),
    ("tolerance", "direct_eight", ["hookup.level_shifter = false"], "panel.volts = 3.5", "panel.volts = 3.61", "error",
     "a pin that is not tolerant: 0.3 V above 3.3 V"),
    ("tolerance", "direct_low", [], "host.tolerates_volts = 5.1", "host.tolerates_volts = 4.99", "error", "as said"),
    ("level", "direct_four", [], "host.logic_volts = 2.3", "host.logic_volts = 2.19", "warning",
     "HD44780U, V_IH at 4.5 to 5.5 V: 2.2 V"),
    ("level", "direct_four", [], "host.logic_volts = 2.3", "host.logic_volts = 1.4", "error",
     "half-way to V_IL, 0.6 V"),
    ("level", "direct_four", ["panel.volts = 4.4"], "host.logic_volts = 3.19", "host.logic_volts = 3.07", "warning",
     "HD44780U, V_IH at 2.7 to 4.5 V: 0.7 V_CC"),
    ("level", "backpack_high", ["host.tolerates_volts = 5", "hookup.pullup_ohms = false"], "panel.volts = 4.5",
     "panel.volts = 4.8", "warning", "PCF8574, V_IH: 0.7 V_DD, 3.36 V at 4.8 V"),
    ("level", "backpack_mcp", ["hookup.pullup_ohms = false"], "host.logic_volts = 4.1", "host.logic_volts = 3.9",
     "warning",
     "MCP23008, V_IH: 0.8 V_DD"),
    ("level", "register", ["hookup.part = '74hc595'"], "host.logic_volts = 3.6", "host.logic_volts = 3.4", "warning",
     "74HC595, V_IH: 0.7 V_CC"),
    ("level", "register", [], "host.logic_volts = 2.1", "host.logic_volts = 1.9", "warning", "74HCT595, V_IH: 2.0 V"),
    ("shifter", "two_panels", [], "panels.gate.volts = 5.0", "panels.gate.volts = 4.9", "error", "it has one there"),
    # (3.3 V / 1.8 k + 5 V / R) / (1 / 1.8 k + 1 / R) is 3.6 V for R = 8.4 k, and 3.5 V, with a margin, for 13.5 k.
    ("bus level", "backpack", ["hookup.level_shifter = false"], "hookup.pullup_ohms = 13_510",
     "hookup.pullup_ohms = 8399",
     "error", "the mean of 3.3 V and 5 V, weighted by 1/R"),
    ("bus level", "backpack_mcp", ["hookup.pullup_ohms = false"], "host.tolerates_volts = 5.1",
     "host.tolerates_volts = 4.99", "error", "as said"),
    # 60 pF: 1000 ns / (0.8473 * 60 pF) is 19670 ohms; (5 V - 0.4 V) / 3 mA is 1533 ohms.
    ("pull-ups", "backpack_a", [], "hookup.pullup_ohms = 19_660", "hookup.pullup_ohms = 19_680", "warning",
     "UM10204, 7.1: R_p(max)"),
    ("pull-ups", "backpack_a", [], "hookup.pullup_ohms = 1534", "hookup.pullup_ohms = 1533", "warning",
     "UM10204, 7.1: R_p(min)"),
    # 300 ns / (0.8473 * 90 pF) is 3934 ohms, and two of 7868 in parallel are as much.
    ("pull-ups", "backpack_mcp", ["host.pullup_ohms = 7868"], "hookup.pullup_ohms = 7860", "hookup.pullup_ohms = 7880",
     "warning", "UM10204, table 10: t_r 300 ns in Fast-mode"),
    ("pull-ups", "backpack_mcp", ["host.pullup_ohms = false"], "hookup.pullup_ohms = 1534", "hookup.pullup_ohms = 1533",
     "warning", "UM10204, table 9: 3 mA in Fast-mode, too"),
    ("pull-ups", "backpack_mcp", ["host.pullup_ohms = false", "hookup.bus_hz = 1_000_000"], "hookup.pullup_ohms = 1573",
     "hookup.pullup_ohms = 1574", "warning", "UM10204, table 10: 120 ns in Fast-mode Plus, with 90 pF"),
    ("pull-ups", "backpack_a", ["hookup.pullup_ohms = 2900"], "hookup.metres = 3.6", "hookup.metres = 3.61", "warning",
     "UM10204, table 10: C_b 400 pF; 40 pF of boards and 100 pF a metre"),
    ("pull-ups", "backpack_a", [], "hookup.pullup_ohms = 4700", "hookup.pullup_ohms = false", "error",
     "UM10204, 3.1.1: the lines are high by pull-ups"),
    # 3.3 V and 5 V sides of a shifter together: 2.9 V / 1.525 k + 4.6 V / R is 3 mA for R = 4186 ohms.
    ("pull-ups", "backpack", [], "hookup.pullup_ohms = 7210", "hookup.pullup_ohms = 7190", "warning",
     "UM10204, table 9: I_OL 3 mA, through both sides"),
    ("backlight", "direct_four", [], "backlight.ohms = 95", "backlight.ohms = 94.9", "error", "(5 V - 3.1 V) / 20 mA"),
    ("backlight", "direct_four", ["backlight.forward_volts = 5"], "backlight.supply_volts = 6",
     "backlight.supply_volts = 5", "error", "nothing is left for the resistor"),
    # 12 V - 3.1 V at 28 mA are 249 mW, through 317.9 ohms.
    ("backlight", "direct_four", ["backlight.supply_volts = 12", "backlight.milliamps = 30"], "backlight.ohms = 317",
     "backlight.ohms = 316", "warning", "a resistor of a quarter of a watt"),
    ("darkness", "direct_low", [], "host.logic_volts = 4.6", "host.logic_volts = 4.4", "error", "0.5 V of V_BE"),
    ("darkness", "direct_four", ["backlight.line = 26", "backlight.on = 0"], "host.logic_volts = 4.6",
     "host.logic_volts = 4.4", "error", "the same, on a line beside the link"),
    ("supply", "two_panels", [], "host.supply_ma = 47", "host.supply_ma = 46.9", "error",
     "2 of 3 mA, 2 of 20 mA, and 2 of 5 V / 10 kohm"),
    ("ratings", "register", [], "panel.volts = 4.5", "panel.volts = 4.4", "error", "74HCT595: 4.5 to 5.5 V"),
    # (3.3 V - 0.7 V) / 1 kohm is 2.6 mA, and 20 times that 52 mA.
    ("drive", "direct_eight", [], "backlight.milliamps = 52", "backlight.milliamps = 53", "warning",
     "forced gain of 20"),
    ("drive", "backpack", [UNLIT], "backlight.fitted = false", "backlight.line = 17\nbacklight.milliamps = 17", "error",
     "16 mA from a line"),
    # (5 V)^2 / 250 ohm is 100 mW.
    ("contrast", "direct_four", [], "contrast.potentiometer_ohms = 250", "contrast.potentiometer_ohms = 249", "error",
     "a small potentiometer: 100 mW"),
    ("contrast", "direct_four", [], "contrast.potentiometer_ohms = 50_000", "contrast.potentiometer_ohms = 50_001",
     "warning", "the resistors that lead to VO"),
    ("contrast", "backpack_high", [], "contrast.glass_volts = 3.3", "contrast.glass_volts = 3.31", "error", "VDD - VO"),
]  # fmt: skip


@pytest.mark.parametrize(("name", "file", "near", "passes", "fails", "severity", "source"), CASES)
def test_a_check_passes_and_fails_by_a_little(
    name: str, file: str, near: list[str], passes: str, fails: str, severity: str, source: str
) -> None:
    found = {}
    for change in (passes, fails):
        text = edited(file, *near, *change.split("\n")) if change else edited(file, *near)
        found[change] = {one.severity for one in check(parse(text, "x.toml")) if one.check == name}
    assert not found[passes] & {"warning", "error"}, source
    assert severity in found[fails], source


def test_every_check_is_tried_on_both_sides_and_no_example_fails_one() -> None:
    found = [(file.stem, one) for file in FILES for one in check(read(file))]
    assert {case[0] for case in CASES} == {one.check for _, one in found}
    assert {one.severity for _, one in found} == {"ok", "note"}
    assert all(one.says and one.because for _, one in found)


def test_resistors_are_the_next_standard_value() -> None:
    # IEC 60063, series E12.
    series = [1.0, 1.2, 1.5, 1.8, 2.2, 2.7, 3.3, 3.9, 4.7, 5.6, 6.8, 8.2, 10.0]
    for decade in (0.1, 1, 100, 1e5):
        for standard, following in pairwise(series):
            for ohms, expected in ((standard, standard), (standard * 1.01, following)):
                assert next_e12(ohms * decade) == pytest.approx(expected * decade)


R, S, M = "register", "shared_lines", "backpack_mcp"
# Wirings as people make them: file, what is different, and what is wrong with them; nothing with those that work.
WIRINGS = [
    ("direct_four", "", ""),
    ("direct_four", "host.logic_volts = 5.0; host.header", ""),
    ("direct_four", "panel.volts = 3.3; backlight.forward_volts = 3.0; backlight.ohms = 15", ""),
    ("direct_four", "panel.volts = 3.3; backlight.fitted = false; host.logic_volts = 5.0", "tolerance error"),
    ("direct_four", "panel.volts = 3.3; backlight.fitted = false; host.logic_volts = 3.6", "tolerance warning"),
    ("direct_four", "panel.volts = 3.3; backlight.fitted = false; host.logic_volts = 5.0; hookup.level_shifter = true",
     "shifter error"),
    ("direct_four", "hookup.level_shifter = true", ""),
    ("direct_four", "contrast.potentiometer_ohms = 10", "contrast error; supply error"),
    ("direct_four", "contrast.potentiometer_ohms = 1_000_000", "contrast error"),
    ("direct_four", "contrast.potentiometer_ohms = 100_000", "contrast warning"),
    ("direct_four", "contrast.potentiometer_ohms = 20_000", ""),
    ("direct_four", "contrast.potentiometer_ohms = 300; host.supply_ma = 30", "supply error"),
    ("direct_four", "panel.volts = 3.3; backlight.fitted = false; contrast.pwm = [0, 1]", "contrast warning"),
    ("direct_four", "panel.volts = 3.3; backlight.fitted = false; contrast.pwm = [0, 1]; contrast.glass_volts = 2.9",
     ""),
    ("direct_four", "backlight.line = 26; backlight.milliamps = 120; backlight.ohms = 18; host.supply_ma = 500",
     "drive warning"),
    ("direct_four", "backlight.line = 26; backlight.milliamps = 600; backlight.ohms = 3.3; host.supply_ma = 900",
     "drive error; backlight warning"),
    ("direct_four", "backlight.pwm = [0, 0]; backlight.milliamps = 40; backlight.ohms = 56; host.supply_ma = 200", ""),
    ("direct_eight", "", ""),
    ("direct_eight", "hookup.level_shifter = false", "tolerance error"),
    ("direct_eight", "hookup.level_shifter = false; host.tolerates_volts = 5.5", ""),
    ("direct_low", "", ""),
    ("direct_low", "panel.volts = 3.3; backlight.fitted = false", "tolerance error"),
    ("direct_low", "host.logic_volts = 3.3; host.tolerates_volts = 5.5", "darkness error"),
    (R, "", ""),
    (R, "host.logic_volts = 5.0; host.header", ""),
    (R, "panel.volts = 3.3; backlight.fitted = false", "ratings error"),
    (R, "panel.volts = 3.3; backlight.fitted = false; hookup.part = '74hc595'", ""),
    (R, "panel.volts = 3.3; backlight.fitted = false; hookup.part = '74hc595'; host.logic_volts = 5.0",
     "tolerance error"),
    (R, "hookup.part = '74hc595'", "level warning"),
    (R, "backlight.milliamps = 120; backlight.ohms = 18; host.supply_ma = 500", "drive warning"),
    (S, "", ""),
    (S, "panels.gate.volts = 3.3; panels.gate.backlight.fitted = false", ""),
    (S, "panels.gate.volts = 3.3; panels.gate.backlight.fitted = false; panels.hive.hookup.level_shifter = true", ""),
    (S, "panels.hive.hookup.lines = { rs = 25, rw = 5, e = 24, d4 = 23, d5 = 22, d6 = 27, d7 = 17 }; "
     "panels.gate.hookup.lines = { rs = 25, rw = 5, e = 26, d4 = 23, d5 = 22, d6 = 27, d7 = 17 }; "
     "panels.gate.volts = 3.3; panels.gate.backlight.fitted = false; host.tolerates_volts = 5.5", "tolerance error"),
    ("backpack", "hookup.level_shifter = false; hookup.pullup_ohms = 4700", "bus level error"),
    ("backpack", "panel.volts = 3.3; backlight.fitted = false; hookup.level_shifter = false", ""),
    ("backpack", "panel.volts = 3.3; backlight.fitted = false; hookup.level_shifter = false; host.logic_volts = 5.0",
     "bus level error"),
    ("backpack", "panel.volts = 3.3; backlight.fitted = false; host.logic_volts = 5.0", "shifter error"),
    ("backpack", f"{UNLIT}; backlight.line = 17; backlight.milliamps = 120", "drive error"),
    ("backpack", f"{UNLIT}; backlight.pwm = [0, 0]; backlight.milliamps = 10", "drive warning"),
    ("backpack", "hookup.pullup_ohms = 8400; hookup.level_shifter = false", "bus level warning"),
    (M, "hookup.bus_hz = 1_000_000; hookup.pullup_ohms = 300; host.pullup_ohms = false", "pull-ups warning"),
    (M, "hookup.bus_hz = 1_000_000; hookup.pullup_ohms = 1540; host.pullup_ohms = false", ""),
    ("backpack", "host.pullup_ohms = 1000", "pull-ups warning"),
]  # fmt: skip


@pytest.mark.parametrize(("file", "changes", "wrong"), WIRINGS)
def test_a_wiring_that_breaks_a_part_is_told_and_one_that_works_is_not(file: str, changes: str, wrong: str) -> None:
    hookup = parse(edited(file, *changes.split("; ")) if changes else edited(file), "x.toml")
    found = {f"{one.check} {one.severity}" for one in check(hookup) if one.severity in ("warning", "error")}
    assert found >= set(wrong.split("; ")) - {""}
    assert bool(found) == bool(wrong), found


def test_numbers_of_a_check_are_numbers_that_can_be_met() -> None:
    # Both sides of a shifter together draw more than anybody sinks: there is no resistor that could be allowed.
    hookup = parse(edited("backpack", "host.pullup_ohms = 500"), "x.toml")
    says = [one.says for one in check(hookup) if one.check == "pull-ups" and one.severity == "warning"]
    assert any("mA are allowed" in text for text in says)
    assert not any(re.search(r"\d{7}", text) for text in says)


def test_what_the_guides_propose_passes_on_lines_of_no_bus() -> None:
    for guide in GUIDES:
        text = guide.read_text(encoding="utf-8")
        for block in re.findall(r"(?s)```toml\n(\[panel\].*?)```", text):
            assert {finding.severity for finding in check(parse(block, guide.name))} <= {"ok", "note"}
        for call in re.findall(r"Direct\(lines, [^)]*\)+", text):
            assert not {*map(int, re.findall(r"\d+", call))} & {*BUS_OF}, call
