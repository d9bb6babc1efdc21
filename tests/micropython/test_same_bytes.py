"""The portable part under a real MicroPython of 32 bits. Needs Node.js, and `npm ci` in this folder."""

import runpy
import subprocess
from pathlib import Path

import pytest

import lumek
from lumek.firmware.folder import Library
from support.boards import DIRECT, EVERYTHING, HIVE, LINKS, MACHINE, PROGRAMS, REGISTER, built, put, script_of, sent

HERE = Path(__file__).parent


@pytest.mark.parametrize("what", ["checkout", "bytecode", "sources"])
def test_micropython_sends_the_same_bytes(
    what: str, tmp_path: Path, capsys: pytest.CaptureFixture[str], caplog: pytest.LogCaptureFixture
) -> None:
    runpy.run_path(str(HERE / "scenario.py"))
    expected = capsys.readouterr().out.splitlines()
    if what == "checkout":
        (tmp_path / "lumek").symlink_to(Path(lumek.__file__).parent)
    else:
        mpy = "6.3" if what == "bytecode" else None
        library = Library("micropython", {"Panel": "panel:Panel", **LINKS}, EVERYTHING, None, mpy)
        for path, content in library.files.items():
            (tmp_path / path).parent.mkdir(parents=True, exist_ok=True)
            (tmp_path / path).write_bytes(content)
    command = ["node", HERE / "run.mjs", tmp_path]
    ran = subprocess.run(command, capture_output=True, text=True, check=False)
    printed = (ran.stdout + ran.stderr).splitlines()
    notices = [line for line in printed if line.startswith(("WARNING:lumek:", "lumek: "))]
    assert [line for line in printed if line not in notices] == expected
    told = [line.split(":", 1)[1] if line.startswith("lumek") else line.split(":", 2)[2] for line in notices]
    assert [line.strip() for line in told] == [record.message for record in caplog.records]
    assert sum("write" in line for line in expected) > 60


@pytest.mark.parametrize("file", [HIVE, DIRECT, REGISTER])
def test_the_folder_for_a_hookup_sends_the_same_bytes(file: str, tmp_path: Path) -> None:
    script = script_of(PROGRAMS["all of it"])
    modules = {"machine.py": MACHINE.encode()}
    board = put({path.removeprefix("lib/"): data for path, data in {**built(file), **modules}.items()}, tmp_path / "b")
    command = ["node", HERE / "heap.mjs", board, script]
    ran = subprocess.run(command, capture_output=True, text=True, check=True)
    heaps = [line for line in ran.stdout.splitlines() if line.replace(" ", "").isdigit()]
    printed = [line for line in ran.stdout.splitlines() if line not in heaps and not line.startswith("lumek: ")]
    assert printed == sent(file, script, "micropython", modules, tmp_path)
    assert len(heaps) == 2
