"""lumek hookup, scan --twin and show --hookup, as they are met in a shell."""

import io
import json
import shlex
import sys
from collections.abc import Callable
from pathlib import Path
from types import SimpleNamespace
from xml.etree import ElementTree

import pytest

import lumek
from lumek.cli import main
from lumek.ports import linux
from lumek.twin import backpack_twin, direct_twin, shift_register_twin
from support.hookup_files import FOLDER, edited

Shell = Callable[[str], tuple[int, str, str]]


@pytest.fixture
def shell(capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> Shell:
    """Runs a command line in a folder with the hookups of the examples."""
    for file in FOLDER.glob("*.toml"):
        (tmp_path / file.name).write_bytes(file.read_bytes())
    monkeypatch.chdir(tmp_path)

    def run(line: str) -> tuple[int, str, str]:
        with pytest.raises(SystemExit) as ended:
            main(shlex.split(line))
        return ended.value.code, *capsys.readouterr()

    return run


def test_a_sheet_has_wires_in_order_and_then_the_checks(shell: Shell) -> None:
    code, out, err = shell("hookup direct_four.toml")
    rows = [" ".join(line.split()) for line in out.splitlines()]
    assert (code, err) == (0, "")
    assert rows[0] == "direct_four.toml - 16x2, ROM A00, 5 V, 4-bit, lines of /dev/gpiochip0"
    for row in (
        "1 VSS header 6 (GND) black first; a rail joins everything that goes to GND",
        "5 RW header 6 (GND) grey left open, the panel may drive its data pins against the host",
        "3 VO wiper of 10 kohm, GND to 5 V brown if the panel is blank or all blocks, turn it",
        "4 RS header 22 (line 25) turquoise next to RW: do not mix them up", "8 D1 stays open",
        "15 A 100 ohm, then header 2 (5 V) red-white", "2 VDD header 2 (5 V) red last, with the host off",
        "ok header lines 25, 24, 23, 22, 27, 5: on the header, part of no bus - the 40-pin header has lines 0 to 27, "
        "some of them of buses",
        "ok level a high is 3.30 V, and the HD44780U at 5 V needs 2.20 V - HD44780U data sheet, V_IH",
    ):  # fmt: skip
        assert row in rows
    assert rows[-1] == "9 ok, 0 notes, 0 warnings, 0 errors"
    code, out, err = shell("hookup two_panels.toml --panel gate")
    assert (code, err) == (0, "")
    assert "hive" not in out
    assert "lamp of 3.1 V (assumed) and 20 mA (assumed) on 5 V: its resistor is on the board - where it is not" in out
    assert "bus 1, panels' side: 5000 ohm (2 in parallel), allowed are 4186 to 6557; it rises in " in out
    for words in ("level shifter, then header 3 (line 2, SDA)", "A2 open, A1 open, A0 bridged", "10 kohm to 5 V"):
        assert words in out


def test_the_exit_code_is_that_of_the_worst_finding(shell: Shell) -> None:
    wrong = {"note": (0, 0), "warning": (0, 1), "error": (1, 1)}
    files = {
        "note": "hookup.pullup_ohms = 8500",
        "warning": "hookup.bus_hz = 400_000",
        "error": "hookup.address = 0x38",
    }
    for severity, change in files.items():
        note = [] if severity != "note" else ["host.supply_ma"]
        Path("x.toml").write_text(edited("backpack", change, *note, "hookup.expander = 'pcf8574'"), encoding="utf-8")
        codes = shell("hookup x.toml")[0], shell("hookup x.toml --strict")[0]
        found = {one["severity"] for one in json.loads(shell("hookup x.toml --json")[1])["checks"]}
        assert (codes, severity in found) == (wrong[severity], True)


def test_a_picture_is_drawn_in_the_format_of_its_ending(shell: Shell, monkeypatch: pytest.MonkeyPatch) -> None:
    for ending, start in (("svg", b"<?xml"), ("pdf", b"%PDF"), ("png", b"\x89PNG")):
        code, _, err = shell(f"hookup backpack.toml --picture x.{ending}")
        first = Path(f"x.{ending}").read_bytes()
        assert (code, err, first[: len(start)]) == (0, "", start)
    for ending in ("svg", "pdf"):  # the same each time, although such files carry a date
        shell(f"hookup backpack.toml --picture again.{ending}")
        assert Path(f"again.{ending}").read_bytes() == Path(f"x.{ending}").read_bytes()
    size = ElementTree.parse("x.svg").getroot().attrib
    assert float(size["width"][:-2]) / float(size["height"][:-2]) == pytest.approx(1280 / 800)
    monkeypatch.setattr("lumek.cli.hookup.find_spec", lambda name: None)
    code, out, err = shell("hookup backpack.toml --picture x.svg")
    assert (code, out) == (2, "")
    assert err.startswith("lumek: --picture needs matplotlib: pip install 'lumek[sheets]'")


MISTAKES = [
    ("hookup", 2, "Missing argument 'FILE'. (lumek hookup --help says more)"),
    ("hookup hive.toml", 2, "no hookup file hive.toml; TOML files there: backpack.toml, "),
    ("hookup backpack.toml --picture x.jpg", 2, "x.jpg does not end in .svg or .pdf or .png"),
    ("hookup two_panels.toml --panel hvie", 2, "no panel 'hvie' (did you mean 'hive'?)"),
    ("hookup new backpack.toml", 2, "backpack.toml already exists: take another name, or remove it"),
    ("hookup new x.toml --usual --lines rs --kind direct", 2, "'rs' is not role=line: write them as rs=25,e=24,d4=23"),
    ("hookup new x.toml --usual --map upside-down", 2, "'upside-down' is not one of 'control-low', "),
    ("hookup new x.toml --usual --size 20x5", 2, "there is no '20x5' panel"),
    ("hookup new x.toml --usual --address 27", 2, "27 is 0x1b, which no expander has: is 0x27 meant? (lumek hookup"),
    ("hookup new x.toml --usual --address 0x99", 2, "0x99 is not an address of an expander: mcp23008 0x20 to 0x27, "),
    ("show a --bus 1 --address 27", 2, "is 0x27 meant?"),
    ("hookup new no/such/folder.toml --usual", 2, "cannot write no/such/folder.toml: No such file or directory"),
    ("scan --twin direct_four.toml", 2, "direct_four.toml has no panel on an I2C bus"),
    ("scan --twin backpack.toml --bus 2", 2, "backpack.toml has no panel on I2C bus 2: give --bus 1"),
    ("scan --bus 77", 1, "there is no I2C bus 77 (/dev/i2c-77)"),
    ("show a --hookup backpack.toml --size 16x2", 2, "--size is already set in backpack.toml; drop the option"),
    ("show a --hookup two_panels.toml --twin", 2, "two_panels.toml has several panels ('hive', 'gate')"),
    ("show a --panel hive", 2, "--panel hive needs --hookup FILE"),
    ("show a b c --hookup direct_four.toml --twin", 2, "3 rows of text are too many for 16x2: give at most 2"),
    ("show a --hookup x.toml --twin", 2, "there is no hookup file x.toml"),
]  # fmt: skip


@pytest.mark.parametrize(("line", "code", "message"), MISTAKES)
def test_a_mistake_is_one_line_and_an_exit_code(shell: Shell, line: str, code: int, message: str) -> None:
    ended, _, err = shell(line)
    assert (ended, err[:7], err.count("\n")) == (code, "lumek: ", 1)
    assert message in err


def test_a_new_hookup_is_asked_for_or_as_usual(shell: Shell, monkeypatch: pytest.MonkeyPatch) -> None:
    for options in (
        "", "--kind direct --size 16x2", "--kind direct --size 40x4 --data-lines 8", "--kind shift-register",
        "--size 40x4 --bus 3 --level-shifter", "--expander mcp23008 --address 0x21 --no-header",
        "--expander pcf8574a --volts 3.3 --logic-volts 3.3", "--kind direct --lines rs=1,e=2,d4=3,d5=4,d6=5,d7=6",
    ):  # fmt: skip
        Path("new.toml").unlink(missing_ok=True)
        code, out, err = shell(f"hookup new new.toml {options}")  # there is no terminal to ask at
        assert (code, err, out.splitlines()[-1]) == (0, "", "next: lumek hookup new.toml")
        panel = lumek.attach("new.toml", twin=True)
        panel[-1] = "Hive 3"
        assert (panel.twin.rows, panel.twin.violations) == (panel.rows, [])
        levels = {one["check"] for one in json.loads(shell("hookup new.toml --json")[1])["checks"]
                  if one["severity"] in ("warning", "error")}  # fmt: skip
        assert levels <= ({"header", "pull-ups"} if "--lines" in options or "--no" in options else set()), options
    Path("new.toml").unlink()
    code, out, _ = shell("hookup new new.toml --size 16x2 --address 0x3F --bus 1 --usual")
    assert ("PCF8574A at 0x3f" in shell("hookup new.toml")[1], "0 warnings, 0 errors" in out) == (True, True)
    assert [line.partition(":")[0] for line in out.splitlines()[1:]] == ["note", "note", "note", "next"]
    assert "buy a level shifter (two channels, for SDA and SCL): without it" in out
    Path("new.toml").unlink()
    answers = "direkt\ndirect\n16x2\n3.3\n4\nrs=1,e=2,d4=3,d5=4,d6=5,d7=6\nn\n3.3\nn\n"
    monkeypatch.setattr(sys, "stdin", io.StringIO(answers))
    monkeypatch.setattr(sys.stdin, "isatty", lambda: True)
    assert shell("hookup new new.toml --rom A02")[0] == 0
    hookup = json.loads(shell("hookup new.toml --json")[1])
    assert hookup["panels"]["panel"]["title"] == "16x2, ROM A02, 3.3 V, 4-bit, lines of /dev/gpiochip0"


def test_a_scan_of_the_twin_names_its_panels(shell: Shell) -> None:
    Path("x.toml").write_text(edited("two_panels", "panels.gate.hookup.other_addresses = [0x48]"), encoding="utf-8")
    assert shell("scan --twin x.toml") == (
        0,
        "0x26  PCF8574 or MCP23008: A2 open, A1 open, A0 bridged (panel gate)\n"
        "0x27  PCF8574 or MCP23008: A2 open, A1 open, A0 open (panel hive)\n0x48  another device\n",
        "lumek: next: lumek show Hello --hookup x.toml --twin --panel gate\n",
    )
    only = shell("scan --twin backpack_a.toml")[1]
    assert only == "0x3d  PCF8574A: A2 open, A1 bridged, A0 open (the panel of backpack_a.toml)\n"
    found = json.loads(shell("scan --twin x.toml --json")[1])
    assert (found["bus"], found["simulated"], [one["address"] for one in found["found"]]) == (
        1,
        True,
        [0x26, 0x27, 0x48],
    )
    assert [(one["panel"], one["pads"], one["could_be"]) for one in found["found"]][1:] == [
        ("hive", [1, 1, 1], ["pcf8574", "mcp23008"]), (None, None, [])
    ]  # fmt: skip


def test_without_a_bus_a_scan_lists_those_there_are(shell: Shell, monkeypatch: pytest.MonkeyPatch) -> None:
    here = sorted(int(path.name[4:]) for path in Path("/dev").glob("i2c-*"))
    code, _, err = shell("scan")
    assert code == (0 if here else 1)
    assert here or "this host has no I2C bus (/dev/i2c-N): enable I2C" in err
    assert json.loads(shell("scan --json")[1]) == {"buses": here}


def test_show_reaches_a_real_panel_through_a_hookup(shell: Shell, monkeypatch: pytest.MonkeyPatch) -> None:
    hive, bus = backpack_twin("20x4", address=0x27)
    gate, _ = backpack_twin("16x2", address=0x26, bus=bus)
    closed = []
    monkeypatch.setattr(bus, "close", lambda: closed.append(bus), raising=False)
    monkeypatch.setitem(vars(linux), "LinuxBus", lambda number, hz: bus if (number, hz) == (1, None) else None)
    assert shell("show --hookup two_panels.toml --panel gate 'At the gate' bees")[0] == 0
    assert ([row.rstrip() for row in gate.rows], hive.rows[0].strip(), closed) == (["At the gate", "bees"], "", [bus])
    panels = lumek.attach_all("two_panels.toml")
    for panel in panels.values():
        panel[0] = "Bees"
        panel.close()
        panel.close()
    assert ([twin.rows[0].rstrip() for twin in (hive, gate)], closed) == (["Bees", "Bees"], [bus, bus])
    assert hive.violations == []


def test_each_kind_of_port_of_the_host_is_opened_as_the_file_says(
    shell: Shell, monkeypatch: pytest.MonkeyPatch
) -> None:
    outputs = {"rs": 1, "e": 2, "d4": 3, "d5": 4, "d6": 5, "d7": 6, "backlight": 7}
    four = {"rs": 25, "e": 24, "d4": 23, "d5": 22, "d6": 27, "d7": 5}
    by_spi, spi = shift_register_twin("16x2", outputs)
    wires = {"data": 5, "clock": 27, "latch": 22}
    by_lines, three = shift_register_twin(
        "24x2", {"rs": 0, "e": 1, "d4": 4, "d5": 5, "d6": 6, "d7": 7}, three_lines=wires
    )
    direct, lines = direct_twin("16x2", four)
    opened = []
    for name, made in (("LinuxSpi", spi), ("LinuxPwm", None), ("LinuxLed", None), ("LinuxLines", lines)):

        def port(*arguments: object, name: str = name, made: object = made) -> object:
            opened.append((name, *arguments))
            return made or SimpleNamespace(dim=lambda fraction: opened.append(fraction), offers="brightness")

        monkeypatch.setitem(vars(linux), name, port)
    lumek.attach("register.toml")[0] = "Bees"
    lumek.attach("colour.toml").contrast = 0.4
    Path("led.toml").write_text(edited("direct_four", "backlight.led = 'panel'"), encoding="utf-8")
    lumek.attach("led.toml")[1] = "Hive 3"
    monkeypatch.setitem(vars(linux), "LinuxLines", lambda chip: three)
    lumek.attach("register_lines.toml")[0] = "Bees"
    assert [twin.rows[row].strip() for twin, row in ((by_spi, 0), (by_lines, 0), (direct, 1))] == [
        "Bees",
        "Bees",
        "Hive 3",
    ]
    chip = "LinuxLines", "/dev/gpiochip0"
    channels = [("LinuxPwm", 0, channel, 1000, False) for channel in range(4)]
    asked = [one for one in opened if isinstance(one, tuple)]
    assert asked[0] == ("LinuxSpi", 0, 0, 1_000_000)
    assert sorted(asked[1:]) == sorted([*channels, chip, ("LinuxLed", "panel"), chip])
    assert [one for one in opened if isinstance(one, float)] == [1.0, 1.0, 1.0, 0.4, 1.0]
    assert all(twin.violations == [] for twin in (by_spi, by_lines, direct))


def test_what_would_break_is_not_driven_and_what_is_doubtful_is_told(
    shell: Shell, monkeypatch: pytest.MonkeyPatch
) -> None:
    _, lines = direct_twin("20x4", {"rs": 1})
    monkeypatch.setitem(vars(linux), "LinuxLines", lambda chip: lines)
    Path("x.toml").write_text(edited("direct_eight", "hookup.level_shifter = false"), encoding="utf-8")
    code, _, err = shell("show a --hookup x.toml")
    assert (code, "of /dev/gpiochip0 to 5.00 V; the host tolerates 3.60 V" in err, lines.calls) == (1, True, 0)
    assert shell("show a --hookup x.toml --twin")[0] == 0
    Path("x.toml").write_text(edited("direct_four", "host.supply_ma = 1"), encoding="utf-8")
    code, _, err = shell("show a --hookup x.toml")
    assert (code, "24 mA of 1 mA" in err, lines.calls > 0) == (0, True, True)
    with pytest.warns(lumek.HookupWarning, match="24 mA of 1 mA"):
        lumek.attach("x.toml")
