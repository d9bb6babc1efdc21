"""Microcontroller boards in hookup files: their pins, the checks and the sheet."""

from pathlib import Path
from typing import get_args

import pytest

import lumek
from lumek.cli import main
from lumek.hookup.boards import BOARDS
from lumek.hookup.checks import check
from lumek.hookup.file import parse
from lumek.hookup.keys import BoardName
from lumek.hookup.sheet import wires
from support.svg import Picture

BACKPACK = '[panel]\nsize = "20x4"\n[hookup]\nkind = "backpack"\naddress = 0x27\nlevel_shifter = true\n'
DIRECT = '[panel]\nsize = "16x2"\nvolts = 3.3\n[hookup]\nkind = "direct"\nlines = {{ rs = "{}", e = "{}", d4 = "{}", d5 = "{}", d6 = "{}", d7 = "{}" }}\n'  # noqa: E501
NO_PINS = {"GND", "AGND", "3V3", "5V", "VBUS", "VSYS", "VIN", "VREF", "AREF", "EN", "RUN", "RST", "A0"}


@pytest.mark.parametrize("name", BOARDS)
def test_a_board_names_only_pins_that_it_has(name: str) -> None:
    board = BOARDS[name]
    used = [
        *board.input_only,
        *board.careful,
        *board.other.values(),
        *(pin for pair in board.i2c.values() for pin in pair),
    ]
    used += [pin for table in (board.sda, board.scl) for pins in table.values() for pin in pins]
    assert set(used) <= set(board.pins)
    assert {*board.left, *board.right} <= {*board.pins, *NO_PINS}
    assert board.position("GND")
    assert set(get_args(BoardName)) == set(BOARDS)
    for bus, (sda, scl) in board.i2c.items():
        assert sda in board.sda.get(bus, (sda,))
        assert scl in board.scl.get(bus, (scl,))


def test_facts_of_the_data_sheets() -> None:
    # RP2040 data sheet, table "GPIO functions", F3: I2C0 SDA on GPIO 0, 4, 8 and so on, I2C1 SDA on 2, 6, 10.
    assert BOARDS["rp2040"].sda[0][:3] == ("GP0", "GP4", "GP8")
    assert BOARDS["rp2040"].scl[1][:3] == ("GP3", "GP7", "GP11")
    # ESP32 data sheet, "Strapping pins": GPIO 0, 2, 5, 12 (MTDI) and 15 (MTDO); 34 to 39 are inputs only.
    assert {pin for pin, why in BOARDS["esp32"].careful.items() if "reset" in why} == {
        "IO0",
        "IO2",
        "IO5",
        "IO12",
        "IO15",
    }
    assert len(BOARDS["esp32"].input_only) == 6
    # ESP8266EX data sheet, "Strapping pins": GPIO 0, 2 and 15, which boards call D3, D4 and D8.
    assert [BOARDS["esp8266"].pins[pin] for pin in ("D3", "D4", "D8")] == [0, 2, 15]
    # RP2350 data sheet, "Absolute maximum ratings": 5.5 V at a fault-tolerant pin.
    assert BOARDS["rp2350"].tolerates_volts == 5.5


@pytest.mark.parametrize("name", BOARDS)
def test_the_sheet_and_the_checks_speak_of_its_pins(name: str) -> None:
    board = BOARDS[name]
    hookup = parse(f'[host]\nboard = "{name}"\n{BACKPACK}', "hive.toml")
    ways = {wire.name: wire.goes for wire in wires(hookup, "panel")}
    sda, scl = board.i2c[0]
    assert ways["SDA"] == f"level shifter, then pin {sda} (SDA of I2C0)"
    assert ways["SCL"] == f"level shifter, then pin {scl} (SCL of I2C0)"
    assert not [finding for finding in check(hookup) if finding.severity == "error"]


@pytest.mark.parametrize("name", ["rp2040", "esp8266"])
def test_the_drawing_has_every_pin_of_the_board(name: str) -> None:
    picture = Picture(parse(f'[host]\nboard = "{name}"\n{BACKPACK}', "hive.toml"))
    words = [box[0].partition(" (")[0] for box in picture.boxes]
    assert {*BOARDS[name].left, *BOARDS[name].right} <= set(words)
    assert not picture.hidden()


def of(host: str, panel: str = BACKPACK) -> str:
    return f"[host]\n{host}\n{panel}"


INPUT_ONLY = DIRECT.format("IO4", "IO5", "IO34", "IO16", "IO17", "IO18")
UNKNOWN = DIRECT.format("D1", "D2", "D5", "D6", "D7", "D9")
MISTAKES = {
    of(
        "board = 'rp2040'\nsda = 'GP3'\nscl = 'GP5'"
    ): "has sda = 'GP3', which I2C0 of an RP2040 board cannot use: use GP0",
    of("board = 'rp2040'\nsda = 'D4'\nscl = 'GP5'"): "has sda = 'D4', not a pin of an RP2040 board: it has GP0 to GP29",
    of("board = 'esp32'\nbus = 2"): "has bus = 2, which an ESP32 board does not have: it has 0 and 1",
    of("board = 'esp32'\nheader = '40-pin'"): "has header = '40-pin' and board = 'esp32': leave one out",
    of("board = 'esp32'\nbaud = 9600"): "has baud, but no port",
    of(
        "board = 'esp32'", BACKPACK.replace("address", "bus = 1\naddress")
    ): r"has bus, but \[host\] has board = 'esp32'",
    of("board = 'esp32'", INPUT_ONLY): "d4 = 'IO34', which an ESP32 board can only read",
    of("board = 'esp8266'", UNKNOWN): "d7 = 'D9', which is not a pin of an ESP8266",
}


@pytest.mark.parametrize(("text", "message"), MISTAKES.items())
def test_what_a_board_does_not_have_is_an_error(text: str, message: str) -> None:
    with pytest.raises(lumek.HookupError, match=message):
        parse(text, "hive.toml")


def test_a_pin_that_decides_how_the_chip_starts_is_a_warning() -> None:
    hookup = parse('[host]\nboard = "esp8266"\n' + DIRECT.format("D1", "D2", "D5", "D6", "D7", "D8"), "hive.toml")
    warned = [finding.says for finding in check(hookup) if finding.severity == "warning"]
    assert warned == ["d7 is on pin D8: its level at reset decides how the chip starts"]


def test_a_file_for_a_board_is_not_for_this_computer(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    (tmp_path / "hive.toml").write_text(f'[host]\nboard = "rp2040"\n{BACKPACK}')
    panel = lumek.attach(tmp_path / "hive.toml", twin=True)
    panel[0] = "Hive 3"
    assert panel.twin.rows[0].rstrip() == "Hive 3"
    with pytest.raises(lumek.HookupError, match="is for the RP2040 board, not for this computer: 'lumek firmware"):
        lumek.attach(tmp_path / "hive.toml")


OF_THE_COMMAND = {
    (): "say where to: a folder OUT, or --install PORT, or --check PORT",
    ("out", "--mpy", "7"): r"there is no .mpy format '7' here: possible are 6.3",
    ("out", "--sources", "--mpy", "6.2"): "--sources writes no bytecode: leave --mpy out",
    ("out", "--with", "nothing"): "there is no extra 'nothing': extras are fields",
    ("--install", "a", "--check", "b"): "--install brings the firmware onto the board, and --check compares it",
    ("--install", "/dev/ttyNONE"): "'/dev/ttyNONE' cannot be opened",
    (".",): "has files that 'lumek firmware' did not write",
}


@pytest.mark.parametrize(("arguments", "message"), OF_THE_COMMAND.items())
def test_the_command_says_what_is_wrong(
    arguments: tuple[str, ...], message: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch,
    capsys: pytest.CaptureFixture[str],
) -> None:  # fmt: skip
    monkeypatch.chdir(tmp_path)
    Path("hive.toml").write_text(f'[host]\nboard = "rp2040"\n{BACKPACK}')
    with pytest.raises(SystemExit) as ended:
        main(["firmware", "hive.toml", *arguments])
    said = capsys.readouterr().err
    assert ended.value.code in (1, 2)
    assert message.replace("\\", "") in said
    assert said.count("\n") <= 1
