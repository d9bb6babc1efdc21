"""lumek check: what it says of each failure that electricity can show, and of panels that have none."""

import json
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import click
import pytest

from cli.test_cli import run
from lumek.cli import check as check_module
from lumek.cli import check_new
from lumek.diagnosis.eyes import picture_choices
from lumek.diagnosis.finder import find_board
from lumek.diagnosis.ladder import Ladder
from lumek.diagnosis.rung import Rung
from lumek.errors import BusError, CheckError, NoAnswerError
from lumek.hookup.file import parse, read
from lumek.hookup.maps import MAPS
from lumek.links.expanders import EXPANDERS
from lumek.roms import rom_named
from lumek.twin import Bystander, Twin, TwinBus, TwinClock, backpack_twin
from lumek.twin.expander import Mcp23008, Pcf8574, expander_named
from support.hookup_files import FILES, FOLDER

BACKPACK, DIRECT, EIGHT = FOLDER / "backpack.toml", FOLDER / "direct_low.toml", FOLDER / "direct_eight.toml"
REGISTER = FOLDER / "register.toml"
"""Of a panel that cannot be read, which is quick."""


def climbed(file: Path, *faults: str) -> list[Rung]:
    hookup = read(file)
    name = next(iter(hookup.panels))
    with Ladder(hookup, name, True, lambda twin: [twin.faults.begin(text) for text in faults]) as ladder:
        return list(ladder.climb())


SEVERAL = ("two_levels", "two_panels", "three_kinds", "register_two", "shared_lines", "colour")
"""Hookups whose panels are wired as those of others."""


@pytest.mark.parametrize(
    "file",
    [pytest.param(file, id=file.stem, marks=[pytest.mark.slow] if file.stem in SEVERAL else []) for file in FILES],
)
def test_nothing_is_wrong_with_the_wirings_of_the_examples(file: Path) -> None:
    hookup = read(file)
    for name in hookup.panels:
        with Ladder(hookup, name, True) as ladder:
            rungs = list(ladder.climb())
            assert [rung for rung in rungs if rung.verdict == "failed"] == []
            assert rungs[-1].name == "text"
            assert ladder.panel is not None
            assert ladder.twin is not None
            assert ladder.twin.rows == ladder.panel.rows


# The failure, as a fault of the simulated panel; the rung that names it, and words of what it says.
FAILURES = [
    (BACKPACK, "unplugged", "address", "no device answers", "measure 5 V at it"),
    (BACKPACK, "swapped-bus", "address", "no device answers", "swap them and try again"),
    (BACKPACK, "no-pull-up", "bus", "SDA and SCL are low", "fit 4.7 kOhm"),
    (BACKPACK, "bit-flip every 3 ms", "expander", "but not always", "Shorten the wires"),
    (BACKPACK, "stuck d5 0", "expander", "d5 (bit 5) reads 0", "solder joints"),
    (BACKPACK, "stuck d5 1", "controller", "d5 reads 1 whatever is sent", "wire of d5"),
    (BACKPACK, "open d6", "controller", "d6 reads 1 whatever is sent", "wire of d6"),
    (BACKPACK, "swapped d4 d5", "controller", "d4 and d5 are swapped", "Swap these two"),
    (BACKPACK, "swapped rs e", "controller", "rs and e are swapped", "Swap these two"),
    (BACKPACK, "open e", "controller", "nothing drives the data lines", "check the wires of E and RW"),
    (BACKPACK, "open rw", "controller", "nothing drives the data lines", "check the wires of E and RW"),
    (BACKPACK, "stuck rs 0", "controller", "RS does not arrive", "wire of RS"),
    (BACKPACK, "stuck-flag", "controller", "the busy flag never clears", "Check D7"),
    (BACKPACK, "wire-flip every 5 ms", "controller", "something disturbs it now and then", "100 nF"),
    (BACKPACK, "lost-pulse every 30 ms", "controller", "something disturbs it now and then", "100 nF"),
    (BACKPACK, "slow-brown-out every 100 ms", "controller", "a weak supply", "100 nF"),
    (BACKPACK, "slow-oscillator", "speed", "its oscillator runs at 1", "oscillator_hz = 10"),
    (BACKPACK, "no-answer every 50 ms", "panel", "stopped acknowledging", "Check plugs"),
    (DIRECT, "unplugged", "wires", "the panel has no supply", "pins 1 (VSS) and 2 (VDD)"),
    (DIRECT, "open d5", "wires", "d5 (line 7) is low", "both ends"),
    (DIRECT, "open rs", "wires", "rs (line 3) is low", "both ends"),
    (DIRECT, "stuck d6 1", "controller", "d6 reads 1 whatever is sent", "wire of d6"),
    (DIRECT, "open e", "controller", "nothing drives the data lines", "check the wires of E"),
    (DIRECT, "swapped d6 d7", "controller", "d6 and d7 are swapped", "Swap these two"),
    (DIRECT, "slow-oscillator", "speed", "its oscillator runs at 1", "oscillator_hz = 10"),
    (DIRECT, "stuck-flag", "controller", "the busy flag never clears", "Check D7"),
    (EIGHT, "open d1", "controller", "d1 reads 0 whatever is sent", "wire of d1"),
    (EIGHT, "swapped d0 d5", "controller", "d0 and d5 are swapped", "Swap these two"),
]  # fmt: skip


@pytest.mark.parametrize(("file", "fault", "name", "says", "do"), FAILURES, ids=lambda one: getattr(one, "stem", one))
def test_a_failure_is_named_by_the_rung_that_meets_it_first(
    file: Path, fault: str, name: str, says: str, do: str
) -> None:
    rungs = climbed(file, fault)
    last = rungs[-1]
    assert [rung.verdict for rung in rungs if rung.verdict == "failed"] == ["failed"]
    assert (last.name, last.verdict) == (name, "failed")
    assert says in f"{last.seen}; {last.means}"
    assert do in last.do


# A hookup that says something else than is wired: keys to replace, and what is said.
MISTAKES = [
    ("address = 0x27", "address = 0x26", "address", "0x26 does not answer; 0x27 does", "Set address = 0x27"),
    ('map = "control-low"', 'map = "control-high"', "controller", "answers with 'control-low'", "map = 'control-low'"),
    ('expander = "pcf8574"', 'expander = "mcp23008"', "expander", "it is a PCF8574", "expander = 'pcf8574'"),
]  # fmt: skip
WIRED = '[panel]\nsize = "16x2"\n[hookup]\nkind = "backpack"\nbus = 1\nexpander = "pcf8574"\naddress = 0x27\n' \
        'map = "control-low"\n'  # fmt: skip


@pytest.mark.parametrize(("key", "other", "name", "says", "do"), MISTAKES)
def test_a_file_that_says_something_else_is_told(
    key: str, other: str, name: str, says: str, do: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    assert key in WIRED
    monkeypatch.setattr(Ladder, "_file", lambda self: Rung("file", "ok", ""))
    ladder = Ladder(parse(WIRED.replace(key, other), "other.toml"), "panel", True)
    right = Ladder(parse(WIRED, "right.toml"), "panel", True)
    monkeypatch.setattr(ladder, "_open", right._open)
    last = list(ladder.climb())[-1]
    assert (last.name, last.verdict) == (name, "failed")
    assert says in f"{last.seen}; {last.means}"
    assert do in last.do


@pytest.mark.parametrize("cautious", [False, True])
def test_a_panel_that_takes_no_halves_while_it_is_busy_is_found_by_driving_it_cautiously(cautious: bool) -> None:
    text = WIRED + f"bus_hz = 1000000\ncautious = {str(cautious).lower()}\n"
    hookup = parse(text, "quick.toml")

    def strict(twin: Twin) -> None:
        twin.faults.begin("strict-nibbles")

    with Ladder(hookup, "panel", True, strict) as ladder:
        last = list(ladder.climb())[-1]
    assert last.verdict == ("ok" if cautious else "failed"), last
    assert cautious or "cautious = true" in last.do


def test_what_holds_a_device_or_the_bus_is_named(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(TwinBus, "owner", lambda self, address: "hx-panel" if address == 0x27 else None, raising=False)
    last = climbed(BACKPACK)[-1]
    assert (last.name, last.means) == ("address", "two drivers cannot share one panel")
    assert last.do == "Run: echo 1-0027 | sudo tee /sys/bus/i2c/drivers/hx-panel/unbind"
    monkeypatch.setattr(TwinBus, "owner", lambda self, address: None)

    def taken(self: TwinBus, address: int, data: bytes) -> None:
        raise BusError("address 0x27 on I2C bus 1 is in use by the program 'bees' (process 7): end that first")

    monkeypatch.setattr(TwinBus, "write", taken)
    last = climbed(BACKPACK)[-1]
    assert (last.name, "the program 'bees' (process 7)" in last.seen) == ("expander", True)
    monkeypatch.setattr(TwinBus, "quick", lambda self, address: None)
    monkeypatch.setattr(TwinBus, "read", lambda self, address, count: bytes(count))
    assert climbed(BACKPACK)[-1].means == "SDA is held low, which looks like an acknowledge"


@pytest.mark.parametrize("chip", ["pcf8574", "mcp23008", pytest.param("pcf8574a", marks=pytest.mark.slow)])
@pytest.mark.parametrize("name", MAPS)
def test_an_unknown_board_is_found_by_reading_or_by_eyes(chip: str, name: str) -> None:
    one, at = MAPS[name], EXPANDERS[chip].base + 3
    size = "40x4" if "e2" in one.lines else "16x2"
    bus = TwinBus(TwinClock(), 400_000)
    twin, _ = backpack_twin(size, address=at, lines=one.lines, backlight_on=one.backlight_on, bus=bus,
                            expander=expander_named(chip))  # fmt: skip
    asked: list[int] = []

    def sees(number: int, tried: str) -> int:
        asked.append(number)
        return number if "number" in "".join(twin.rows) and str(number) in twin.rows[0] else 0

    found = find_board(bus, at, size, sees)
    assert found is not None
    assert (found.expander, found.map, found.how) == (chip, name, "read" if "rw" in one.lines else "seen")
    assert bool(asked) == ("rw" not in one.lines)


def test_looking_for_a_board_leaves_the_text_of_a_panel_that_can_be_read() -> None:
    twin, bus = backpack_twin("16x2")
    twin.controller.ddram[:5] = b"bees!"
    assert find_board(bus, 0x27, "16x2", lambda number, name: None) is not None
    assert bytes(twin.controller.ddram[:5]) == b"bees!"
    relays = TwinBus(TwinClock())
    relays.connect(0x20, Bystander())
    assert find_board(relays, 0x20, "16x2", lambda number, name: 0) is None


class Eyes:
    """Somebody who looks at the panel and answers; `answers` are numbers of choices, in order."""

    def __init__(self, monkeypatch: pytest.MonkeyPatch, answers: Iterator[Any]) -> None:
        self.asked: list[str] = []

        def prompt(question: str, **settings: Any) -> Any:
            self.asked.append(question)
            return next(answers)

        monkeypatch.setattr(click, "prompt", prompt)
        monkeypatch.setattr("sys.stdin.isatty", lambda: True, raising=False)


def test_what_only_eyes_can_see_is_asked_with_a_sketch(
    capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    line = ("check", "--hookup", REGISTER, "--twin")
    Eyes(monkeypatch, iter([1, 1, 1]))
    code, out, err = run(capsys, *line)
    assert code == 0
    assert "ok      characters ROM A00, as the file says" in out
    assert "next: lumek show Hello" in err
    for number, choice in list(enumerate(picture_choices("16x2"), 1))[1::3]:
        if choice.means:
            Eyes(monkeypatch, iter([number]))
            code, out, err = run(capsys, *line)
            assert code == 1
            assert choice.means[:30] in out
            assert f"docs/faults.md, {choice.picture}" in " ".join(out.split())
    for answers, says in (([1, 2], "backlight_on"), ([1, 1, 2], "the panel has ROM A02"), ([1, 1, 3], "--rom OUT")):
        Eyes(monkeypatch, iter(answers))
        code, out, err = run(capsys, *line)
        assert (code, says in " ".join(out.split())) == (1, True)


def test_a_rom_is_written_down_code_by_code(
    capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    rom = rom_named("A02")
    pages = ["".join(rom.character(code) or "?" for code in range(first, first + 16)) for first in range(16, 256, 16)]
    Eyes(monkeypatch, iter([1, 1, 1, "far too long for it", *pages]))
    code, out, _ = run(capsys, "check", "--hookup", REGISTER, "--twin", "--rom", tmp_path / "mine.toml")
    assert (code, "19 characters are too many: at most 16" in out) == (0, True)
    mine = rom_named(str(tmp_path / "mine.toml"))
    known = [code for code in range(16, 256) if rom.character(code) not in (None, " ", "?")]
    assert [mine.character(code) for code in known] == [rom.character(code) for code in known]


def test_an_unknown_board_gets_its_file_and_the_next_command(
    capsys: pytest.CaptureFixture[str], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(tmp_path)
    code, out, err = run(capsys, "check", "--twin", "--report", "report.md")
    assert (code, err.splitlines()) == (
        0, ["lumek: report.md is written", "lumek: next: lumek show Hello --hookup hive.toml --twin"]
    )  # fmt: skip
    assert "found: PCF8574A at 0x3f, line map control-high (its memory can be read)" in out
    assert "hive.toml is written" in out
    report = (tmp_path / "report.md").read_text()
    assert "- lumek: 0.1.0" in report
    assert "**controller**, ok" in report
    assert run(capsys, "check", "--hookup", "hive.toml", "--twin", "--json")[0] == 0
    assert "already exists" in run(capsys, "check", "--twin")[2]
    code, out, _ = run(capsys, "check", "--hookup", "hive.toml", "--twin", "--fault", "open e", "--json")
    data = json.loads(out)
    assert (code, data["simulated"], data["rungs"][-1]["name"]) == (1, True, "controller")


def test_a_file_with_secrets_gives_none_of_them_away(capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    file = tmp_path / "hive.toml"
    file.write_text(WIRED + '[sources.broker]\nkind = "mqtt"\nhost = "hive.example"\npassword = "honey-bun"\n')
    code, out, _ = run(capsys, "check", "--hookup", file, "--twin", "--json", "--report", tmp_path / "r.txt")
    assert code == 0
    assert "honey" not in out + (tmp_path / "r.txt").read_text()


@pytest.mark.parametrize(("line", "code", "message"), [
    (("--bus", "1", "--yes"), 2, "--yes needs --address here: relays or lamps"),
    (("--bus", "1", "--json"), 2, "--yes needs --address here"),
    (("--hookup", BACKPACK, "--bus", "1"), 2, "--bus is already set in"),
    (("--panel", "left"), 2, "--panel left needs --hookup FILE"),
    (("--fault", "open e", "--hookup", BACKPACK), 2, "--fault is for simulated panels: add --twin"),
    (("--twin", "--fault", "gremlins", "--hookup", BACKPACK), 2, "there is no fault 'gremlins'"),
    (("--bus", "1", "--address", "27"), 2, "is 0x27 meant?"),
    (("--bus", "99", "--address", "0x27", "--yes"), 1, "there is no I2C bus 99"),
    (("--twin", "--size", "9x9"), 2, "there is no '9x9' panel"),
    (("--twin", "--hookup", BACKPACK, "--rom", "r.toml"), 2, "--rom asks what each code shows"),
    (("--hookup", BACKPACK, "--yes"), 1, "see above what failed"),
])  # fmt: skip
def test_a_mistake_of_the_command_line_is_one_clear_line(
    capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch, tmp_path: Path, line: tuple[Any, ...],
    code: int, message: str,
) -> None:  # fmt: skip
    monkeypatch.chdir(tmp_path)
    ended, _, err = run(capsys, "check", *line)
    assert (ended, message in err) == (code, True)
    assert err.count("\n") == 1


def test_before_the_first_write_to_an_unknown_device_it_asks(
    capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    monkeypatch.chdir(tmp_path)
    relays, asked = Bystander(), []
    bus = TwinBus(TwinClock())
    bus.connect(0x20, relays)

    class Opened:
        def __enter__(self) -> TwinBus:
            return bus

        def __exit__(self, *exc: object) -> None:
            pass

    monkeypatch.setattr(check_new, "bus_to_search", lambda *of: Opened())
    monkeypatch.setattr("sys.stdin.isatty", lambda: True, raising=False)
    monkeypatch.setattr(click, "confirm", lambda question, **settings: asked.append(question))
    code, _, err = run(capsys, "check", "--bus", "1")
    assert (code, err, relays.taken) == (130, "lumek: stopped\n", bytearray())
    assert "relays or lamps on the same kind of chip would switch" in asked[0]
    monkeypatch.setattr("sys.stdin.isatty", lambda: False, raising=False)
    for more in ([], ["--json"]):  # with nobody to ask, an address alone allows nothing
        code, _, err = run(capsys, "check", "--bus", "1", "--address", "0x20", *more)
        assert (code, "allow it with --yes --address 0x20" in err, relays.taken) == (2, True, bytearray())
    monkeypatch.setattr("sys.stdin.isatty", lambda: True, raising=False)
    bus.connect(0x27, relays)
    code, _, err = run(capsys, "check", "--bus", "1")
    assert (code, "say which with --address 0x20 or 0x27" in err) == (2, True)


@pytest.mark.parametrize(("there", "likely", "chosen"), [
    ([], [], "has no I2C bus"), ([4], [], 4), ([0, 1, 20], [1], 1), ([0, 1, 20], [0, 1], "give --bus 0 or 1"),
    ([0, 1], [], "give --bus 0 or 1"),
])  # fmt: skip
def test_the_bus_is_the_only_one_or_that_with_a_possible_panel(
    monkeypatch: pytest.MonkeyPatch, there: list[int], likely: list[int], chosen: int | str
) -> None:
    monkeypatch.setattr(check_new, "buses", lambda: there)
    monkeypatch.setattr(check_new, "may_have_panel", lambda number: number in likely)
    if isinstance(chosen, int):
        assert check_new.chosen_bus(None, None, False) == chosen
    else:
        with pytest.raises((click.UsageError, CheckError)) as told:
            check_new.chosen_bus(None, None, False)
        assert chosen in str(told.value)


def test_a_board_that_cannot_be_read_needs_eyes(
    capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    monkeypatch.chdir(tmp_path)
    one = MAPS["rw-grounded"]

    @contextmanager
    def bus_to_search(*of: object) -> Iterator[TwinBus]:
        yield backpack_twin("16x2", address=0x20, lines=one.lines, expander=Mcp23008)[1]

    monkeypatch.setattr(check_new, "bus_to_search", bus_to_search)
    line = ("check", "--bus", "1", "--address", "0x20", "--size", "16x2")
    code, _, err = run(capsys, *line, "--yes")
    assert (code, "only eyes can tell its line map" in err) == (1, True)
    Eyes(monkeypatch, iter([1]))
    monkeypatch.setattr(click, "confirm", lambda question, **settings: True)
    monkeypatch.setattr(Ladder, "climb", lambda self: iter([Rung("bus", "ok", "")]))
    code, out, _ = run(capsys, *line)
    assert (code, "found: MCP23008 at 0x20, line map rw-grounded (as you saw it)" in out) == (0, True)


def test_a_chip_is_told_from_another_by_reading_it_back() -> None:
    for kind in (Pcf8574, Mcp23008):
        _, bus = backpack_twin("16x2", address=0x21, expander=kind)
        assert check_module is not None
        assert find_board(bus, 0x21, "16x2", lambda number, name: 0).expander == kind.names[0]  # type: ignore[union-attr]


def test_a_device_that_goes_away_in_the_middle_is_told() -> None:
    def unplug(twin: Twin) -> None:
        real, left = twin.port.read, [12]

        def read_some(address: int, count: int) -> bytes:
            left[0] -= 1
            if left[0] < 0:
                raise NoAnswerError("address 0x27 is gone")
            return bytes(real(address, count))

        twin.port.read = read_some

    with Ladder(read(BACKPACK), "panel", True, unplug) as ladder:
        last = list(ladder.climb())[-1]
    assert (last.verdict, "gone" in last.seen) == ("failed", True)
