"""lumek decode and --record, on the example captures and on those of the other commands."""

import json
import xml.etree.ElementTree as ElementTree
from collections.abc import Callable
from pathlib import Path

import pytest
from PIL import Image

from lumek.cli import main
from lumek.twin import TwinBus

Run = Callable[..., tuple[int, str, str]]

CAPTURES = Path(__file__).parents[2] / "examples" / "captures"

SAYS = {
    "right.vcd": ["write 'Hive'; then 450 us (41 us asked)", "│ 41.4 kg          │", "line map control-low (certain)"],
    "wrong_map.vcd": ["line map control-high (certain)"],
    "swapped_lines.csv": ["these lines make no sense as they are given; they do with D5 and D4 swapped"],
    "out_of_step.vcd": ["nibble phase: RS or RW changed between", "the halves of bytes are out of step"],
    "too_fast.vcd": [
        "start-up: it came",
        "busy: it came 19.67 us after the one before, and may be lost (at least 37 us asked)",
    ],
    "no_start_up.vcd": ["no start-up is in the capture", "│ 41.4 kg          │", "32 of 32 cells are not known"],
    "two_panels.vcd": ["panel 1: PCF8574 at 0x27", "panel 2: PCF8574A at 0x3f, line map control-high", "24.6 °C in"],
    "alien_between.csv": ["other devices on the bus: 0x48 (4 transfers)", "│ 24.6 °C          │"],
    "from_the_middle.csv": ["set DDRAM address 0x40 (row 1, column 0)", "not known for sure"],
    "glitches.csv": ["E pulse: E was high for 20 ns (at least 230 ns asked)"],
    "coarse_samples.csv": ["cannot be judged: E pulse (230 ns)", "since the samples are 1 us apart; take 100 million"],
    "wide_panel.vcd": ["│ 41.4 kg, and two supers on it            │", "line map control-low-e2"],
}


@pytest.fixture
def run(capsys: pytest.CaptureFixture[str]) -> Run:
    def ran(*arguments: object) -> tuple[int, str, str]:
        with pytest.raises(SystemExit) as ended:
            main([str(argument) for argument in arguments])
        return ended.value.code, *capsys.readouterr()

    return ran


@pytest.mark.parametrize("name", SAYS)
def test_each_example_says_what_happened(run: Run, name: str) -> None:
    code, out, err = run("decode", CAPTURES / name)
    assert (code, err) == (0, "")
    for words in SAYS[name]:
        assert words in out
    guide = (CAPTURES.parents[1] / "docs" / "captures.md").read_text(encoding="utf-8")
    assert f"| `{name}` |" in guide
    assert {file.name for file in CAPTURES.iterdir()} >= {*SAYS, "wrong_map.toml"}


def test_a_hookup_that_makes_no_sense_is_told_with_what_does(run: Run) -> None:
    out = run("decode", CAPTURES / "wrong_map.vcd", "--hookup", CAPTURES / "wrong_map.toml")[1]
    assert "these lines make no sense as they are given; they do with line map control-high" in out


def test_glitches_are_left_out_when_asked(run: Run) -> None:
    code, out, _ = run("decode", CAPTURES / "glitches.csv", "--ignore-below", "100ns", "--summary")
    assert (code, out) == (
        0, "16x2 on 4 data lines: 12 instructions, 11 bytes of data; nothing broken; shows Hive 3 / 41.4 kg\n"
    )  # fmt: skip


def width_of(file: Path) -> int:
    with Image.open(file) as image:
        return image.width


def test_a_capture_is_looked_at_in_the_middle_drawn_and_animated(run: Run, tmp_path: Path) -> None:
    capture = CAPTURES / "right.vcd"
    out = run("decode", capture, "--at", "76.5ms", "--picture", tmp_path / "panel.png")[1]
    assert "│ Hive 3           │\n│                  │" in out
    assert width_of(tmp_path / "panel.png") > 800
    assert "│ Hi               │" in run("decode", capture, "--at", "74.9ms")[1]
    code, out, err = run("decode", capture, "--summary", "--animate", tmp_path / "panel.gif")
    assert (code, err) == (0, "lumek: the animation is slowed 179 times\n")
    with Image.open(tmp_path / "panel.gif") as image:
        assert getattr(image, "n_frames", 0) > 8


def test_a_timing_diagram_has_the_wires_the_numbers_of_e_and_the_words(run: Run, tmp_path: Path) -> None:
    line = ("decode", CAPTURES / "glitches.csv", "--summary", "--timing", tmp_path / "timing.svg")
    assert run(*line, "--span", "65.295ms..65.44ms")[0] == 0
    texts = [text for one in ElementTree.parse(tmp_path / "timing.svg").iter() if (text := (one.text or "").strip())]
    for words in ("RS", "E", "D4", "0x48", "'H'", "1", "E pulse: E was high for 20 ns"):
        assert words in texts
    assert run(*line)[0] == 0
    assert run("decode", CAPTURES / "right.vcd", "--summary", "--timing", tmp_path / "timing.png")[0] == 0
    assert width_of(tmp_path / "timing.png") == 1280
    code, _, err = run(*line, "--span", "1s..2s")
    assert (code, err) == (2, "lumek: nothing happens from 1 s to 2 s\n")


def test_json_has_everything(run: Run) -> None:
    code, out, err = run("decode", CAPTURES / "two_panels.vcd", "--json")
    assert (code, err) == (0, "")
    data = json.loads(out)
    left, right = data["panels"]
    assert (left["address"], left["map"], right["map"]) == (0x27, "control-low", "control-high")
    assert left["rows"] == ["Hive 3          ", "41.4 kg         "]
    assert (left["known"], left["cursor"], left["backlight"]) == ([[True] * 16] * 2, [1, 7], True)
    assert left["found"]["certain"]
    first = next(event for event in data["events"] if event["kind"] == "data")
    assert (first["code"], first["words"], first["needs_ns"], first["wait_ns"]) == (0x48, "write 0x48", 41_000, 360_000)
    assert (data["more"], data["broken"]) == (0, {})


@pytest.mark.parametrize(
    ("line", "rows"),
    [
        (("show", "Hive 3", "bees", "--size", "16x2"), "Hive 3 / bees"),
        (("show", "Hive 3", "--send", "0x85", "--send-data", "0x34", "--size", "16x2"), "Hive 4 /"),
        (("show", "Hive 3", "--hookup", "{hookups}/direct_four.toml", "--twin"), "Hive 3 /"),
        (("glyph", "show", "--rom", "A00", "--twin", "--size", "16x2"), "/ "),
        (("check", "--hookup", "{hookups}/direct_four.toml", "--twin", "--yes"), "1 Lumek        < / 2 Lumek    "),
        (("run", "{faces}/one_panel.toml", "--twin", "--once"), ""),
    ],
)  # fmt: skip
def test_every_command_that_drives_a_panel_records_it(run: Run, tmp_path: Path, line: tuple, rows: str) -> None:
    examples = CAPTURES.parent
    own = [str(part).format(hookups=examples / "hookups", faces=examples / "faces") for part in line]
    assert run(*own, "--record", tmp_path / "wires.vcd")[0] == 0
    code, out, err = run("decode", tmp_path / "wires.vcd", "--summary")
    assert (code, err) == (0, "")
    assert rows in out
    assert "nothing broken" in out


def test_a_real_panel_is_recorded_on_its_bus(run: Run, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    import lumek.ports.linux
    from lumek.twin import backpack_twin

    class Real(TwinBus):
        def __init__(self, number: int) -> None:
            twin, bus = backpack_twin("20x4")
            self.__dict__.update(bus.__dict__)
            self.twin = twin

        def __enter__(self) -> "Real":
            return self

        def __exit__(self, *exc: object) -> None: ...

    monkeypatch.setattr(lumek.ports.linux, "LinuxBus", Real)
    code, out, _ = run("glyph", "show", "--rom", "A00", "--bus", "1", "--record", tmp_path / "wires.vcd")
    assert code == 0
    assert "0x40  @ A B C" in out
    assert "i2c1" in (tmp_path / "wires.vcd").read_text()[:300]


@pytest.mark.parametrize(
    ("line", "words"),
    [
        (("decode",), "Missing argument 'FILE'"),
        (("decode", "gone.vcd"), "cannot read 'gone.vcd': No such file"),
        (("decode", "right.vcd", "--at", "soon"), "'soon' is not a time: write it as 12.5ms, 80us or 2s"),
        (("decode", "right.vcd", "--span", "1ms..2ms"), "--span is what --timing OUT.png draws: add it"),
        (("decode", "right.vcd", "--timing", "t.png", "--span", "2ms"), "is not a span: write it as 12ms..12.5ms"),
        (("decode", "right.vcd", "--timing", "t.png", "--span", "2ms..1ms"), "is not a span: its end comes first"),
        (("decode", "right.vcd", "--timing", "t.jpg"), "t.jpg does not end in .png or .svg"),
        (("decode", "right.vcd", "--lines", "rs"), "'rs' is not a list of wires: write them as rs=D0,e=D1,..."),
        (("decode", "right.vcd", "--lines", "scl=D0,sda=D1"), "has no wire 'D0': it has 'scl, sda'"),
        (("decode", "right.vcd", "--size", "4x20"), "columns come first: 20x4"),
        (("decode", "right.vcd", "--json", "--summary"), "--json and --summary cannot be combined"),
        (("decode", "right.vcd", "--hookup", "wrong_map.toml", "--size", "16x2"), "--size is already set in"),
        (("decode", "right.vcd", "--panel", "left"), "--panel left needs --hookup FILE"),
        (("show", "Hive", "--record", "wires.txt"), "wires.txt does not end in .vcd"),
        (("show", "Hive", "--record", "gone/wires.vcd"), "cannot write gone/wires.vcd"),
        (("show", "--send", "0x100"), "0x100 is not a byte: 0x00 to 0xff are possible"),
        (("show", "Hive", "--send", "1", "--motion", "typed"), "cannot be combined with --motion"),
        (("glyph", "show", "🐝", "--bus", "1"), "--bus shows the characters of a ROM: give it with --rom"),
        (("glyph", "show", "--rom", "A00", "--size", "16x2"), "--size needs a panel: --hookup FILE, --bus N or --twin"),
        (("glyph", "edit", "--record", "w.vcd"), "--record needs --hookup FILE"),
    ],
)  # fmt: skip
def test_a_mistake_is_one_line_that_helps(run: Run, monkeypatch: pytest.MonkeyPatch, line: tuple, words: str) -> None:
    monkeypatch.chdir(CAPTURES)
    code, out, err = run(*line)
    assert (code, out) == (2, "")
    assert words in err
    assert err.count("\n") == 1
