"""The command line, as it is met in a shell."""

import contextlib
import errno
import io
import json
import os
import re
import runpy
import signal
import subprocess
import sys
import threading
import time
from functools import partial
from pathlib import Path

import pytest
from PIL import Image
from pydantic_core import SchemaError

from lumek.cli import main
from lumek.faces.file import read
from lumek.readings import kernel_probe, sensors

ROOT = Path(__file__).parents[2]


def run(capsys: pytest.CaptureFixture[str], *arguments: object) -> tuple[int, str, str]:
    with pytest.raises(SystemExit) as ended:
        main([str(argument) for argument in arguments])
    return ended.value.code, *capsys.readouterr()


def test_show_prints_the_panel_draws_it_and_tells_what_it_could_not(
    capsys: pytest.CaptureFixture[str], tmp_path: Path
) -> None:
    file = tmp_path / "panel.png"
    code, out, err = run(capsys, "show", "Good morning, bees", "34.8 °C ½ 漢", "--size", "16x2", "--picture", file)
    assert (code, out.splitlines()[1:-1]) == (0, ["│ Good morning, be │", "│ 34.8 °C ½ ?      │"])
    assert err.splitlines() == [
        "lumek: '?' is shown for '漢': ROM A00 lacks it, and it has no drawing",
        "lumek: row 0 is cut at 16 of 18 characters",
    ]
    assert int.from_bytes(file.read_bytes()[16:20], "big") > 800  # the width in a PNG's header


@pytest.mark.parametrize(("motion", "last", "frames"), [
    ("ticker", " Good morning, b", 25), ("typed", "Good morning, be", 17), ("march", "bees", 24),
    ("slide", "Good morning, be", 17),
])  # fmt: skip
def test_text_moves_until_its_end_and_becomes_an_animation(
    capsys: pytest.CaptureFixture[str], tmp_path: Path, motion: str, last: str, frames: int
) -> None:
    text = "bees" if motion == "march" else "Good morning, bees"
    line = ("show", text, "--size", "16x1", "--motion", motion, "--every", "0.01s")
    code, out, err = run(capsys, *line, "--animate", tmp_path / "a.gif", "--picture", tmp_path / "a.png")
    assert (code, err) == (0, "")
    assert last.strip() in out.splitlines()[1]
    with Image.open(tmp_path / "a.gif") as image:
        assert frames - 8 <= getattr(image, "n_frames", 0) <= frames  # frames that look the same are one
    assert run(capsys, *line, "--for", "0.03s")[1].splitlines()[1].strip("│ ")[:3] in ("Goo", "Go", "G", "bee")


def test_sensors_lists_those_of_a_host(
    capsys: pytest.CaptureFixture[str], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    root = ROOT / "examples" / "sensors"
    code, out, err = run(capsys, "sensors", "--root", root)
    assert (code, err, len(out.splitlines())) == (0, "", 10)
    assert "hwmon/ina219/in1             4.112 V  (hive battery)" in out.splitlines()
    assert "w1/28-0316a4b1c3aa           invalid: w1/28-0316a4b1c3aa answers with a wrong check sum" in out
    found = json.loads(run(capsys, "sensors", "--json", "--root", root)[1])
    assert found[5] == {"id": "iio/bme280/pressure", "label": "", "unit": "hPa", "value": 975.125, "flaw": None,
                        "cause": None}  # fmt: skip
    assert found[9]["value"] is None
    thermometer = tmp_path / "two/sys/devices/28-0316a4b1c2ff"
    (thermometer / "hwmon/hwmon0").mkdir(parents=True)
    (thermometer / "w1_slave").write_text("a : crc=55 YES\na t=34812\n")
    for name, text in (("name", "w1_slave_temp\n"), ("temp1_input", "34812\n")):
        (thermometer / "hwmon/hwmon0" / name).write_text(text)
    (thermometer / "hwmon/hwmon0/device").symlink_to(thermometer)
    for folder, device in (("bus/w1/devices", thermometer), ("class/hwmon", thermometer / "hwmon/hwmon0")):
        (tmp_path / "two/sys" / folder).mkdir(parents=True)
        (tmp_path / "two/sys" / folder / device.name).symlink_to(device)
    assert run(capsys, "sensors", "--root", tmp_path / "two")[1] == "w1/28-0316a4b1c2ff  34.812 °C\n"
    assert kernel_probe("hwmon/w1_slave_temp/temp1", root=tmp_path / "two").poll() == 34.812
    code, out, err = run(capsys, "sensors", "--root", tmp_path)
    assert (code, out) == (1, "")
    assert err.startswith(f"lumek: no sensor is found under {tmp_path}/sys: load its driver first")
    for device in ("28-01", "28-02"):
        (tmp_path / "sys/bus/w1/devices" / device).mkdir(parents=True)
        (tmp_path / "sys/bus/w1/devices" / device / "temperature").write_text("34812\n")
    value = "lumek.readings.probes.kernel.OneWireProbe.value"
    monkeypatch.setattr(value, lambda probe, sensor: 34.8 if probe.id == "w1/28-02" else threading.Event().wait())
    monkeypatch.setattr("lumek.cli.sensors.LIMIT_S", 1.0)
    out = run(capsys, "sensors", "--root", tmp_path)[1]
    assert out.splitlines()[0] == "w1/28-02  34.8 °C"
    assert out.splitlines()[1].startswith("w1/28-01  missing: no answer for 1")


MISTAKES = [
    ("run", 2, "give the file to show: lumek run FILE; lumek run new FILE"),
    ("sensors --root none", 2, "none is not a folder"),
    ("shwo", 2, "there is no command 'shwo': commands are demo, show"), ("show a --size 2x16", 2, "sizes are 8x1, "),
    ("show", 2, "give the text to show: lumek show TEXT... (lumek show --help"),
    ("show a --glyphs no.toml", 2, "there is no file 'no.toml', and no set of that name: sets are apiary, arrows"),
    ("show a --animate a.gif", 2, "--animate needs --motion, such as --motion typed"),
    ("show a --for 3s", 2, "--for needs --motion"), ("show a --motion fly", 2, "'fly' is not one of 'ticker', 'typed'"),
    ("show a --rom x.toml", 2, "there is no ROM file x.toml; TOML files there: "),
    ("show a b c --size 16x2", 2, "3 rows of text are too many for 16x2: give at most 2"),
    ("show a --address 0x27", 2, "--address 0x27 needs --bus N"), ("demo --speed 0", 2, "0.0 is not in the range x>0"),
    ("show a --bus 1 --address twenty", 2, "'twenty' is not a number: write it as 39 or 0x27"),
    ("show a --bus 77", 1, "there is no I2C bus 77 (/dev/i2c-77); there is: "),
    ("show a --picture panel.jpg", 2, "panel.jpg does not end in .png"),
    ("show a --picture no/such/folder.png", 2, "no/such is not a folder"),
    ("show a --scheme sepia", 2, "schemes are meadow, dusk, ember"),
]  # fmt: skip


@pytest.mark.parametrize(("line", "code", "message"), MISTAKES)
def test_a_mistake_is_one_line_and_an_exit_code(
    capsys: pytest.CaptureFixture[str], line: str, code: int, message: str
) -> None:
    ended, out, err = run(capsys, *line.split())
    assert (ended, out, err[:7], err.count("\n")) == (code, "", "lumek: ", 1)
    assert message in err


def test_a_text_may_begin_with_a_dash_that_no_letter_follows(capsys: pytest.CaptureFixture[str]) -> None:
    code, out, _ = run(capsys, "show", "-5 °C", "-", "--size", "8x2")
    assert (code, out.splitlines()[1:3]) == (0, ["│ -5 °C    │", "│ -        │"])
    assert run(capsys, "show", "--size", "8x1", "--", "-x")[1].splitlines()[1] == "│ -x       │"
    assert run(capsys, "show", "-x")[2].startswith("lumek: No such option '-x'.")


@pytest.mark.parametrize(("line", "last", "words"), [
    ("lumek show --size", "16", ["16x1", "16x2", "16x4"]), ("lumek run x --scheme", "", ["meadow", "dusk", "ember"]),
    ("lumek hookup new x.toml --size", "40", ["40x2", "40x4"]), ("lumek show a --rom", "A", ["A00", "A02"]),
    ("lumek", "sho", ["show"]), ("lumek run new x.toml", "--sens", ["--sensor"]),
])  # fmt: skip
def test_the_shell_completes_commands_options_and_their_values(
    line: str, last: str, words: list[str], capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("_LUMEK_COMPLETE", "bash_complete")
    monkeypatch.setenv("COMP_WORDS", f"{line} {last}")
    monkeypatch.setenv("COMP_CWORD", str(len(line.split())))
    assert [one.removeprefix("plain,") for one in run(capsys)[1].splitlines()] == words
    monkeypatch.delenv("_LUMEK_COMPLETE")
    out = run(capsys)[1]
    assert "Where to start:\n  lumek demo " in out
    assert 'eval "$(_LUMEK_COMPLETE=bash_source lumek)"' in out


def test_a_new_face_file_shows_what_there_is(
    capsys: pytest.CaptureFixture[str], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """From an empty folder to a checked wiring and two readings on its twin, without a warning."""
    monkeypatch.chdir(tmp_path)
    for line, last in (
        ("hookup new wiring.toml --size 16x2 --usual", "next: lumek hookup wiring.toml"),
        ("hookup wiring.toml --strict --picture wiring.svg", "14 ok, 1 note, 0 warnings, 0 errors"),
        ("show Hello --hookup wiring.toml --twin", "╰──────────────────╯"),
        ("run new hive.toml --hookup wiring.toml --usual", "next: lumek run hive.toml --twin"),
        ("run hive.toml --twin --once", "│ Brood    34.8 °C │"),
    ):
        code, out, err = run(capsys, *line.split())
        assert (code, err, last in out) == (0, "", True), line
    root = ROOT / "examples" / "sensors"
    monkeypatch.setattr("lumek.readings.probes.kernel.sensors", partial(sensors, root))
    evil = tmp_path / "evil/sys/class/hwmon/hwmon0"
    evil.mkdir(parents=True)
    for name, text in (("name", 'a"b\\\x7f'), ("temp1_input", "34812"), ("temp1_label", '"""\x1b[2J\\')):
        (evil / name).write_text(text)
    monkeypatch.setattr("lumek.readings.probes.kernel.sensors", partial(sensors, tmp_path / "evil"))
    code, out, err = run(capsys, "run", "new", "evil.toml", "--usual", "--title", 'x"""\\y' * 9)
    assert (code, err) == (0, "")
    assert read(tmp_path / "evil.toml").probes["temp"].kernel == 'hwmon/a"b\\\x7f/temp1'
    monkeypatch.setattr("lumek.readings.probes.kernel.sensors", partial(sensors, root))
    ids = [sensor.id for sensor in sensors(root)]
    for options, size, faces in (
        ([f"--sensor={one}" for one in ids], "20x4", 4), (["--sensor", "simulated", "--usual"], "8x1", 1),
        (["--hookup", "two.toml", "--panel", "gate"], "20x4", 1),
    ):  # fmt: skip
        (tmp_path / "x.toml").unlink(missing_ok=True)
        (tmp_path / "two.toml").write_text((ROOT / "examples/hookups/two_panels.toml").read_text())
        sized = [] if "--hookup" in options else ["--size", size]
        code, out, err = run(capsys, "run", "new", "x.toml", *options, *sized)
        assert (code, err, len(read(tmp_path / "x.toml").faces)) == (0, "", faces), out
    for line, message in (
        ("run new hive.toml", "hive.toml already exists: take another name"),
        ("run new y.toml --sensor w1/28-00", "no sensor 'w1/28-00' is here: there are hwmon/cpu_thermal/temp1, "),
        ("run new y.toml --hookup two.toml --panel x", "two.toml has no panel 'x': it has hive, gate"),
        ("run new y.toml --hookup two.toml --size 8x1", "--size is already set in two.toml"),
        ("run new no/y.toml --size 8x1", "cannot write no/y.toml: No such file or directory"),
    ):
        code, _, err = run(capsys, *line.split())
        assert (code, message in err) == (2, True), err
    monkeypatch.setattr(sys, "stdin", io.StringIO("none\n16x2\n1,99\n2 3\n"))
    monkeypatch.setattr(sys.stdin, "isatty", lambda: True)
    code, out, _ = run(capsys, "run", "new", "asked.toml")
    assert (code, "asked.toml is written: amps, volts on a 16x2 panel" in out) == (0, True)
    assert "'1,99' is not a list of numbers from 1 to 10, as 1,2" in out


def python(code: str, **environment: str) -> str:
    command = [sys.executable, "-c", f"import sys; before = set(sys.modules); {code}"]
    return subprocess.run(command, capture_output=True, text=True, check=True, env={**os.environ, **environment}).stdout


def test_importing_lumek_and_its_help_load_little_and_ascii_is_enough() -> None:
    shown = python("import lumek.cli; lumek.cli.main(['show', '34.8 °C', '--size', '8x1'])", PYTHONIOENCODING="ascii")
    assert shown == "+----------+\n| 34.8 @C  |\n+----------+\n@ degree sign\n"
    names = "'numpy', 'PIL', 'rich', 'smbus2', 'pydantic', 'lumek.twin', 'typing', 'dataclasses'"
    heavy = f"print({{{names}}} & set(sys.modules) - before)"
    assert python(f"import lumek; {heavy}") == "set()\n"
    asked = python(f"import lumek.cli, typing, dataclasses, atexit; before = set(sys.modules); "
                   f"atexit.register(lambda: {heavy}); lumek.cli.main(['show', '--help'])")  # fmt: skip
    assert "Show TEXT on a panel" in asked
    assert asked.endswith("set()\n")


def test_the_program_of_the_readme_does_what_it_says(capsys: pytest.CaptureFixture[str]) -> None:
    exec((ROOT / "README.md").read_text(encoding="utf-8").split("```python\n")[1].split("```")[0], {})
    assert capsys.readouterr().out.splitlines()[1:3] == ["│ Hive 3               │", "│ 41.4 kg       34.8°C │"]
    exec((ROOT / "docs/wiring.md").read_text(encoding="utf-8").split("```python\n")[-1].split("```")[0], {})


EXAMPLES = {
    "hive_label": ["│ Weight   41.42 kg    │"], "marquee": ["│ flower: 1.4 kg t │", "35 moments"],
    "direct_four_lines": ["│ Weight  40.38 kg │"],
    "direct_eight_lines": ["│ Brood nest   35.0 °C │", "holds ['Brood nest   35.0 °C', 'Hum           246 Hz']"],
    "board_on_usb": ["│ Hive 3     11:00 │", "│ Weight  40.38 kg │", "252 bytes in 1 call(s)"],
    "face_in_ten_lines": ["│ 🐝 Hive 3    ", " °C ●            │"],
    "two_panels": ["│ Weight      41.08 kg │", "│ Foragers 121/min │"],
    "attached": ["│ Weight      41.40 kg │", "│ Foragers  85/min │"],
    "wide_panel": ["│ Hive 3     06:00 10:00 14:00 18:00 22:00 │", "│ Foragers       0    75   127    43     0 │"],
    "shift_register": ["│ Shutter closed   │", "│ Shutter open     │"], "colour_backlight": ["│ Battery    06:00 │"],
    "labels_in_four_languages": ["│ Łąka i źródło         │", "│ Mέλι                  │"],
    "animated_battery": ["31 bytes"],
    "smoothed_weight": ["37.1 g raw, 2.8 g smoothed", "missing: 45 of 900"],
    "watched_readings": ["Scale -- kg (missing: no answer for", "│ Scale   missing      │"],
    "logged_day": ["weight 41.81 kg", "          missing     27", "          over        13"],
    "marching_bee": ["at most 15 bytes a step"], "typed_greeting": ["│ Good morning,    │", "17 steps of the window"],
    "ticker_over_numbers": ["│ at 14:50             │", "│ Hive 3               │", "the ticker moved"],
    "message_from_a_phone": ["'Queen seen 🐝': shown at", "│ Queen seen 🐝", "│ in hive 3        │"],
    "serial_pair": ["06:00 was shown", "22:00 was shown", "│ 41.87 kg 34.5 °C │"],
    "logo_of_four_cells": ["static const uint8_t comb[4][8] PROGMEM = {"],
    "number_gallery": ["│ Hive 3    -0.254 kg  │", "│ bin        1011 0110 │", "│ <<<<<< -2.5e9 -2.5Gg │"],
}  # fmt: skip


@pytest.mark.parametrize(
    "name", sorted(path.stem for path in (ROOT / "examples").glob("*.py") if path.stem != "apiary")
)
def test_an_example_shows_its_panel_without_hardware(
    name: str, capsys: pytest.CaptureFixture[str], caplog: pytest.LogCaptureFixture, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.syspath_prepend(ROOT / "examples")
    monkeypatch.setattr("sys.argv", [f"{name}.py"])
    runpy.run_path(str(ROOT / f"examples/{name}.py"), run_name="__main__")
    out, err = capsys.readouterr()
    assert (err, caplog.records) == ("", [])
    assert all(line in out for line in EXAMPLES[name])
    assert " us: " not in out  # how a violation would begin


@pytest.mark.parametrize("name", sorted(EXAMPLES))
def test_an_example_says_what_it_does_and_what_it_does_not_know(
    name: str, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.syspath_prepend(ROOT / "examples")
    file = ROOT / f"examples/{name}.py"
    monkeypatch.setattr("sys.argv", [str(file), "--help"])
    runpy.run_path(str(file), run_name="__main__")
    assert capsys.readouterr().out.strip() in file.read_text(encoding="utf-8")
    monkeypatch.setattr("sys.argv", [str(file), "--hlep"])
    with pytest.raises(SystemExit) as ended:
        runpy.run_path(str(file), run_name="__main__")
    assert str(ended.value.code).endswith("there is no option --hlep; --help says what there is")


@pytest.mark.slow
def test_ctrl_c_ends_an_example_in_a_line() -> None:
    example = ROOT / "examples/face_in_ten_lines.py"
    start = (
        "import runpy, sys, apiary, lumek.faces; print(flush=True); runpy.run_path(sys.argv[1], run_name='__main__')"
    )
    command = [sys.executable, "-c", start, example]
    where = {**os.environ, "PYTHONPATH": str(example.parent)}
    for wait_s in (0.3, 1.0):
        with subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True, env=where) as process:
            assert process.stdout is not None
            process.stdout.readline()
            time.sleep(wait_s)
            process.send_signal(signal.SIGINT)
            err = process.communicate(timeout=60)[1]
        assert "Traceback" not in err
        assert process.returncode in (-signal.SIGINT, 1), err


HOSTILE = "\x1b]0;owned\x07\x1b[2J\x9b31m\u202eevil\x85"
RAW = re.compile(r"[\x00-\x09\x0b-\x1f\x7f-\x9f\u202a-\u202e\u2066-\u2069]")
"""What a terminal would obey."""


def test_text_of_others_reaches_a_terminal_harmless(capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    device = tmp_path / "sys/class/hwmon/hwmon0"
    device.mkdir(parents=True)
    for name, text in (("name", HOSTILE), ("temp1_input", "34812"), ("temp1_label", HOSTILE), ("temp2_input", HOSTILE)):
        (device / name).write_text(text)
    key = json.dumps(HOSTILE)
    face = f"[faces.{key}]\ntext = 'a'\n"
    for name, text in {
        "face.toml": f"[probes.{key}]\nsimulated = {{ value = 1 }}\n{face}", "unknown.toml": f"[{key}]\na = 1\n{face}",
        "rom.toml": f"name = {key}\n[codes]\n0x80 = 'a'\n", "keys.toml": f"{key} = 1\n[codes]\n0x80 = 'a'\n",
        "column.csv": f"time,{HOSTILE}\n1,2\n", f"{HOSTILE}.toml": "[panel",
        "replay.toml": f"[sources.d]\nkind = 'replay'\nfile = 'column.csv'\n[probes]\nw = {{ source = 'd' }}\n{face}",
        "chip.toml": "[panel]\nsize = '16x2'\n[hookup]\nkind = 'direct'\nlines = { rs = 1, e = 2, d4 = 3, d5 = 4, "
                     f"d6 = 5, d7 = {key} }}\nchip = {json.dumps('/dev/' + HOSTILE)}\n[host]\nlogic_volts = 3.3\n",
    }.items():  # fmt: skip
        (tmp_path / name).write_text(text)
    for arguments in (
        ["sensors", "--root", "."], ["sensors", "--json", "--root", "."],
        ["run", "face.toml", "--check"], ["run", "unknown.toml", "--check"], ["run", "replay.toml", "--check"],
        ["show", "a", "--rom", "rom.toml"], ["show", "a", "--rom", "keys.toml"], ["hookup", f"{HOSTILE}.toml"],
        ["hookup", "chip.toml"], ["hookup", "chip.toml", "--json"], ["show", "--size", HOSTILE, "a"], [HOSTILE],
        ["show", "a\u202eb", "--size", "16x2"],
    ):  # fmt: skip
        with contextlib.chdir(tmp_path):
            _, out, err = run(capsys, *arguments)
        assert not RAW.search(out + err), arguments
        assert len(err) < 2100


def test_a_stream_that_is_full_changes_nothing_but_what_cannot_be_written() -> None:
    for arguments, out, err, code in (
        (["show", "a", "--size", "1x1"], None, "/dev/full", 2), (["show", "x" * 30], None, "/dev/full", 0),
        (["show", "a"], "/dev/full", None, 2),
    ):  # fmt: skip
        with open(out or os.devnull, "wb") as stdout, open(err or os.devnull, "wb") as stderr:
            ended = subprocess.run([sys.executable, "-m", "lumek", *arguments], stdout=stdout, stderr=stderr)
        assert ended.returncode == code, arguments


def test_an_old_picture_stays_when_a_new_one_cannot_be_written(
    capsys: pytest.CaptureFixture[str], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    file = tmp_path / "panel.png"
    run(capsys, "show", "a", "--picture", file)
    old = file.read_bytes()

    def full(image: Image.Image, path: Path, **_: object) -> None:
        path.write_bytes(old[:100])
        raise OSError(errno.ENOSPC, "No space left on device")

    with monkeypatch.context() as patch:
        patch.setattr(Image.Image, "save", full)
        code, _, err = run(capsys, "show", "b", "--picture", file)
    assert (code, file.read_bytes()) == (2, old)
    assert f"cannot write {file}: No space left on device" in err
    assert [path.name for path in tmp_path.iterdir()] == ["panel.png"]


def test_ctrl_c_while_a_model_is_built_is_no_traceback(
    capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    """pydantic makes an error of its own of the interrupt."""

    def interrupted(*_: object) -> None:
        raise SchemaError("Error building `model` serializer:\n  KeyboardInterrupt: ")

    monkeypatch.setattr("lumek.faces.file.read", interrupted)
    with pytest.raises(SystemExit) as ended:
        main(["run", "hive.toml"])
    assert (ended.value.code, capsys.readouterr().err) == (130, "lumek: stopped\n")
