"""Text that scrolls through a panel: lumek show -, and lines of a serial port."""

import os
import pty
import select
import signal
import subprocess
import sys
import threading
from collections.abc import Callable
from pathlib import Path

import pyte
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lumek.cli import main
from lumek.messages.plain import plain
from lumek.messages.scroll import Scroll
from support.waiting import until

WORDS = ["honey", "a word", "x", "\n", "\r", "\r\n", "\b", "\x1b[31m", "\x1b[0m", "\x07", "0123456789abcdef"]
PIECES = st.lists(st.sampled_from(WORDS), max_size=30)


@given(PIECES, st.integers(1, 7))
def test_text_scrolls_as_in_a_terminal(pieces: list[str], cut: int) -> None:
    text = "".join(pieces) + "."  # a line break waits for what follows it
    scroll = Scroll(4, 16)
    for start in range(0, len(text), cut):
        scroll.feed(text[start : start + cut])
    screen = pyte.Screen(16, 40)
    screen.set_mode(pyte.modes.LNM)
    pyte.Stream(screen).feed(text)
    rows = [row.rstrip() for row in screen.display]
    last = screen.cursor.y
    assert [row.rstrip() for row in scroll.text.split("\n")] == rows[max(0, last - 3) : last + 1]


@given(st.text(st.sampled_from("ab\x1b[]0;mK\\\x07\x9b\n\t\x00é🐝"), max_size=200), st.integers(1, 9))
def test_no_control_character_gets_through_however_text_is_cut(text: str, cut: int) -> None:
    scroll = Scroll(2, 16)
    for start in range(0, len(text), cut):
        scroll.feed(text[start : start + cut])
    for shown in (scroll.text, plain(text)[0]):
        assert not [one for one in shown if one != "\n" and (one < " " or "\x7f" <= one < "\xa0")]
    rows = scroll.text.split("\n")
    assert len(rows) <= 2
    assert max(map(len, rows)) <= 16


def show(text: bytes, *options: str) -> list[str]:
    """The rows in the frame that the command prints at the end."""
    command = [sys.executable, "-m", "lumek", "show", "-", "--size", "16x2", *options]
    done = subprocess.run(command, input=text, capture_output=True, check=True, timeout=120)
    assert b"\x1b" not in done.stdout + done.stderr
    return [line[2:-2] for line in done.stdout.decode().splitlines()[1:-1]]


@pytest.mark.parametrize(
    ("text", "rows"),
    [
        (b"one\ntwo\nthree\n", ["two             ", "three           "]),
        (b"old\n\x0cnew \x1b[1mbold", ["new bold        ", "                "]),
        ("41.4 °C\r42".encode() + b"\xff\xfe\n" + b"x" * 20, ["xxxxxxxxxxxxxxxx", "xxxx            "]),
        (b"", [" " * 16] * 2),
    ],
)
def test_standard_input_goes_to_the_panel(text: bytes, rows: list[str]) -> None:
    assert show(text) == rows


@pytest.mark.parametrize(
    ("options", "why"),
    [
        (["-", "--motion", "typed"], "- cannot be combined with --motion"),
        (["-", "--send", "1"], "- cannot be combined with --send"),
        (["honey", "--serial", "/dev/ttyUSB0"], "drop TEXT"),
        (["honey", "--baud", "9600"], "--baud needs --serial PORT"),
        (["--serial", "/dev/nowhere"], "there is no serial port '/dev/nowhere'"),
    ],
)
def test_what_does_not_go_together_is_refused(options: list[str], why: str, capsys: pytest.CaptureFixture[str]) -> None:
    with pytest.raises(SystemExit) as ended:
        main(["show", *options])
    assert ended.value.code in (1, 2)
    assert why in capsys.readouterr().err


@pytest.mark.slow
def test_a_serial_line_goes_to_the_panel_until_a_signal_comes(tmp_path: Path) -> None:
    ours, theirs = pty.openpty()
    picture = tmp_path / "panel.png"
    command = [sys.executable, "-m", "lumek", "show", "--serial", os.ttyname(theirs), "--baud", "9600"]
    with subprocess.Popen([*command, "--picture", str(picture)], stdout=subprocess.PIPE, text=True) as process:
        writer = _again_and_again(lambda: os.write(ours, b"Hive 3\r\n41.4 kg\r\n"))
        until(lambda: process.poll() is None and _waits(process.pid), "it reads")
        threading.Timer(2, process.send_signal, [signal.SIGINT]).start()
        out, _ = process.communicate(timeout=120)
        writer.set()
    assert "│ 41.4 kg              │" in out
    assert picture.exists()
    os.close(ours)
    os.close(theirs)


def _waits(pid: int) -> bool:
    return any("ptmx" in link or "pts" in link for link in _open_files(pid))


def _open_files(pid: int) -> list[str]:
    folder = Path(f"/proc/{pid}/fd")
    return [os.readlink(one) for one in folder.iterdir() if one.exists()] if folder.exists() else ["pts"]


def _again_and_again(act: Callable[[], object]) -> threading.Event:
    ended = threading.Event()

    def run() -> None:
        while not ended.wait(0.2):
            act()

    threading.Thread(target=run, daemon=True).start()
    return ended


@pytest.mark.slow
def test_keys_of_the_terminal_turn_pages(tmp_path: Path) -> None:
    """The screen is read by an independent terminal; without UTF-8 panels are drawn as text."""
    file = tmp_path / "hive.toml"
    file.write_text('[deck]\nsize = "16x2"\npage_s = 900\n[faces.a]\ntext = "first"\n[faces.b]\ntext = "second"\n')
    screen = pyte.Screen(80, 24)
    stream = pyte.ByteStream(screen)
    child, terminal = pty.fork()
    if child == 0:
        os.environ |= {"TERM": "xterm", "LANG": "C", "LC_ALL": "C", "PYTHONUTF8": "0", "PYTHONIOENCODING": "ascii"}
        os.execv(sys.executable, [sys.executable, "-m", "lumek", "run", str(file), "--twin"])

    def shows(word: str) -> bool:
        if select.select([terminal], [], [], 0.1)[0]:
            stream.feed(os.read(terminal, 65_536))
        return any(word in row for row in screen.display)

    until(lambda: shows("first"), "the first face")
    for key, word in ((b"n", "second"), (b"\x1b[D", "first"), (b"b", "second")):
        os.write(terminal, key)
        until(lambda word=word: shows(word), f"{word} after {key!r}")
    os.write(terminal, b"\x03")
    _, status = os.waitpid(child, 0)
    assert os.waitstatus_to_exitcode(status) == 0
    os.close(terminal)
