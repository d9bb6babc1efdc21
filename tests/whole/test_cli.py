"""The command line, as it is met in a shell."""

import os
import subprocess
import sys
from pathlib import Path

import pytest
from PIL import Image

from lumek.cli import main


def run(capsys: pytest.CaptureFixture[str], *arguments: object) -> tuple[int, str, str]:
    with pytest.raises(SystemExit) as ended:
        main([str(argument) for argument in arguments])
    out, err = capsys.readouterr()
    return ended.value.code, out, err


def test_show_prints_the_panel_and_draws_it(capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    file = tmp_path / "panel.png"
    code, out, err = run(capsys, "show", "Good morning,", "bees 34.8 °C", "--size", "16x2", "--picture", file)
    assert (code, err) == (0, "")
    assert "│ Good morning,    │\n│ bees 34.8 °C     │" in out
    with Image.open(file) as picture:
        assert picture.size[0] > 800


def test_show_tells_what_it_could_not_show(capsys: pytest.CaptureFixture[str]) -> None:
    code, out, err = run(capsys, "show", "½ kůň which is far too long", "--size", "8x1")
    assert (code, out.splitlines()[1]) == (0, "│ ? kun wh │")
    assert err.splitlines() == [
        "lumek: row 0 is cut at 8 of 27 characters",
        "lumek: ROM A00 lacks '½': '?' is shown instead",
        "lumek: ROM A00 lacks 'ň': 'n' is shown instead",
        "lumek: ROM A00 lacks 'ů': 'u' is shown instead",
    ]


def test_demo_ends_by_itself_and_prints_the_last_view(capsys: pytest.CaptureFixture[str], tmp_path: Path) -> None:
    code, out, err = run(capsys, "demo", "--picture", tmp_path / "demo.png", "--scheme", "dusk")
    assert (code, err) == (0, "")
    assert out.count("╭") == 1
    assert "Hive 3         23:50" in out
    assert "no violations of a data sheet" in out
    with Image.open(tmp_path / "demo.png") as picture:
        assert picture.size[0] > 800


@pytest.mark.parametrize(
    ("arguments", "code", "message"),
    [
        (["shwo"], 2, "there is no command 'shwo': commands are demo, show"),
        (["show"], 2, "Missing argument 'TEXT...'. (lumek show --help says more)"),
        (["show", "a", "b", "c", "--size", "16x2"], 2, "3 rows of text do not fit on a 16x2 panel: give at most 2"),
        (["show", "a", "--size", "2x16"], 2, "sizes are 8x1, "),
        (["show", "a", "--rom", "A01"], 2, "A00 (Japanese) and A02 (European)"),
        (["show", "a", "--address", "0x27"], 2, "--address 0x27 needs --bus N"),
        (["show", "a", "--bus", "1", "--address", "twenty"], 2, "'twenty' is not a number: write it as 39 or 0x27"),
        (["show", "a", "--bus", "77"], 1, "there is no I2C bus 77 (/dev/i2c-77); there is: "),
        (["show", "a", "--picture", "panel.jpg"], 2, "panel.jpg does not end in .png"),
        (["show", "a", "--picture", "no/such/folder.png"], 2, "no/such is not a folder"),
        (["show", "a", "--scheme", "sepia"], 2, "schemes are meadow, dusk, ember"),
        (["demo", "--speed", "0"], 2, "0.0 is not in the range x>0"),
        (["scan", "--bus", "77"], 1, "there is no I2C bus 77"),
    ],
)
def test_a_mistake_is_one_line_and_an_exit_code(
    capsys: pytest.CaptureFixture[str], arguments: list[str], code: int, message: str
) -> None:
    ended, out, err = run(capsys, *arguments)
    assert (ended, out) == (code, "")
    assert message in err
    assert err.startswith("lumek: ")
    assert err.count("\n") == 1


def python(code: str, **environment: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [sys.executable, "-c", code],
        capture_output=True, text=True, check=True, stdin=subprocess.DEVNULL, env={**os.environ, **environment},
    )  # fmt: skip


def test_importing_lumek_and_its_help_load_little() -> None:
    heavy = "{'numpy', 'PIL', 'rich', 'smbus2', 'lumek.twin', 'dataclasses', 'typing'} & set(sys.modules)"
    assert python(f"import sys; before = set(sys.modules); import lumek; print({heavy} - before)").stdout == "set()\n"
    asked = python(
        "import sys, lumek.cli\n"
        "try: lumek.cli.main(['show', '--help'])\n"
        "finally: print({'numpy', 'PIL', 'rich', 'smbus2', 'lumek.twin'} & set(sys.modules))"
    )
    assert "Show TEXT on a panel" in asked.stdout
    assert asked.stdout.endswith("set()\n")


def test_output_survives_a_terminal_without_unicode() -> None:
    shown = python("import lumek.cli; lumek.cli.main(['show', '34.8 °C', '--size', '8x1'])", PYTHONIOENCODING="ascii")
    assert shown.stdout == "+----------+\n| 34.8 ?C  |\n+----------+\n"
