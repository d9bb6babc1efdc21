"""lumek glyph, as it is met in a shell."""

import io
import json
from pathlib import Path

import pytest
from PIL import Image, ImageDraw

from cli.test_cli import run
from lumek import Glyph
from lumek.glyphs import load, shipped

BEE = "honeybee 🐝\n       binary   hex   decimal\n.#.#.  0b01010  0x0A  10\n"


def width_of(picture: Path) -> int:
    with Image.open(picture) as image:
        return image.width


def test_show_draws_one_glyph_large_and_a_set_as_a_chart(capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    code, out, err = run(capsys, "glyph", "show", "🐝", "--picture", tmp_path / "bee.png", "--within", "now {}")
    assert (code, out[: len(BEE)], err) == (0, BEE, "")
    assert "│ now █ " in out
    assert width_of(tmp_path / "bee.png") > 500
    code, out, err = run(capsys, "glyph", "show", "weather", "←", "←", "--picture", tmp_path / "chart.png")
    assert (code, err) == (0, "")
    assert "sun ☀" in out
    assert "leftwards_arrow_2" in out
    assert width_of(tmp_path / "chart.png") > 1200
    assert run(capsys, "glyph", "show")[1].splitlines()[1].split()[:3] == ["arrows", "←", "↑"]
    assert run(capsys, "glyph", "show", "--search", "honey")[1].splitlines()[-2:] == ["🍯  honey pot", "🐝  honeybee"]
    assert run(capsys, "glyph", "show", "--rom", "A02")[1].startswith("ROM A02\n")
    assert "⬡" in run(capsys, "glyph", "show", "--drawings", "--picture", tmp_path / "all.png")[1]
    large = run(capsys, "glyph", "show", "1 2 3 4 5 6 7 8 9 10")
    assert large[1].splitlines()[-1].startswith("These glyphs have 10 rows")


def test_convert_goes_from_any_format_to_any_other(
    capsysbinary: pytest.CaptureFixture[bytes], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    (tmp_path / "sketch.ino").write_text("byte heart[8] = {0, 10, 31, 31, 14, 4, 0, 0}; // a heart")
    ended = run(capsysbinary, "glyph", "convert", tmp_path / "sketch.ino", tmp_path / "h.toml", "--characters", "♥")
    assert ended == (0, b"", b"")
    assert load(tmp_path / "h.toml").drawings == {"♥": Glyph([0, 10, 31, 31, 14, 4, 0, 0])}
    out = run(capsysbinary, "glyph", "convert", tmp_path / "h.toml", "-", "--to", "c", "--attribute", "PROGMEM")[1]
    assert b"static const uint8_t h[1][8] PROGMEM = {\n" in out
    monkeypatch.setattr("sys.stdin", io.TextIOWrapper(io.BytesIO(out)))
    code, out, _ = run(capsysbinary, "glyph", "convert", "-", "-", "--to", "json", "--name", "x")
    assert (code, json.loads(out)["glyphs"]["heart"]["character"]) == (0, "♥")
    picture = tmp_path / "w.png"
    assert run(capsysbinary, "glyph", "convert", "weather", picture, "--only", "fog,sun", "--dot", 3)[0] == 0
    assert load(picture) == shipped("weather").only(["fog", "sun"])
    tables = "[glyphs.a]\nrows=[0,0,0,0,0,0,0,1]\ncharacter='e\u0323\u0302\u0323'\n[blocks]\nab=[['a','a']]\n"
    (tmp_path / "b.toml").write_text(tables)
    code, _, err = run(capsysbinary, "glyph", "convert", tmp_path / "b.toml", tmp_path / "b.bdf")
    assert (code, err) == (0, b"lumek: bdf holds no blocks: ab left out\n"
                              b"lumek: bdf holds characters of one code point: those of a left out\n")  # fmt: skip


def test_trace_writes_a_set_that_show_takes(capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    image = Image.new("L", (80, 70), 255)
    ImageDraw.Draw(image).ellipse((5, 5, 60, 60), fill=30)
    image.save(tmp_path / "disc.png")
    out = run(capsys, "glyph", "trace", tmp_path / "disc.png", tmp_path / "disc.toml", "--cells", "2x1")[1]
    assert out.splitlines()[-1] == f"Show it: lumek show ①② --glyphs {tmp_path / 'disc.toml'}"
    shown = run(capsys, "show", "①② Hive", "--glyphs", tmp_path / "disc.toml", "--size", "16x2")
    assert (shown[0], shown[2]) == (0, "")
    face = tmp_path / "face.toml"
    face.write_text('[glyphs]\nsets = ["disc.toml", "battery"]\n[faces.a]\ntext = "①② ◑"\n')
    assert run(capsys, "run", face, "--check")[0] == 0


MISTAKES = [
    ("glyph shw", 2, "there is no command 'shw': commands are show, convert, trace, edit"),
    ("glyph show nothing", 2, "'nothing' is not a drawing: give a character that Lumek draws, a file, a set (apiary"),
    ("glyph show no.toml", 2, "there is no file 'no.toml': give"),
    ("glyph show --search zzz", 2, "no drawing has 'zzz'"),
    ("glyph show 🐝 --drawings", 2, "WHAT and --drawings cannot be combined"),
    ("glyph show 🐝 --within bee", 2, "--within 'bee' has no {}"), ("glyph show --within {}", 2, "--within needs WHAT"),
    ("glyph show --drawings --rom A02", 2, "drop --rom"), ("glyph show --picture x.png", 2, "needs WHAT to draw"),
    ("glyph convert 🐝 -", 2, "--to says in which format"), ("glyph convert 🐝 bee.gif", 2, "endings are .txt"),
    ("glyph convert 🐝 bee.txt --attribute X", 2, "--attribute is for arrays of C"),
    ("glyph convert 🐝 bee.h --only x", 2, "there is no glyph 'x' in the set: there are honeybee"),
    ("glyph convert 🐝 no/bee.h", 2, "cannot write no/bee.h"),
    ("glyph convert 🐝 - --to doc", 2, "'doc' is not one of"),
    ("glyph trace no.png", 2, "no.png cannot be read"), ("glyph trace a.png --cells 5x1", 2, "'5x1' is not a block"),
    ("glyph trace a.png --cells big", 2, "'big' is not a block: write it as 2x1"),
    ("glyph edit a.toml", 1, "the editor needs a terminal"), ("glyph edit a.gif", 2, "has no known ending"),
    ("glyph edit a.toml --within x", 2, "--within 'x' has no {}"),
    ("glyph edit a.toml --panel x", 2, "--panel x needs --hookup"),
    ("glyph edit a.toml --block 9x9", 2, "'9x9' is not a block: write it as 2x1, at most 4x2"),
    ("glyph edit no/a.toml", 2, "no is not a folder"),
    ("glyph edit a.toml --block x", 2, "'x' is not a block"),
    ("glyph edit a.toml --hookup h.toml", 1, "needs a terminal"),
]  # fmt: skip


@pytest.mark.parametrize(("line", "code", "message"), MISTAKES)
def test_a_mistake_is_one_line_and_leaves_no_file(
    capsys: pytest.CaptureFixture[str],
    tmp_path: Path,
    monkeypatch: pytest.MonkeyPatch,
    line: str,
    code: int,
    message: str,
) -> None:
    monkeypatch.chdir(tmp_path)
    ended, out, err = run(capsys, *line.split())
    assert (ended, out, err[:7], err.count("\n")) == (code, "", "lumek: ", 1)
    assert message in err
    assert list(tmp_path.iterdir()) == []
