"""The command itself: hostile text on its terminal, signals at any moment, disks and streams that are full."""

import json
import os
import pty
import random
import resource
import select
import signal
import subprocess
import sys
import time
from pathlib import Path

from attempt import CONTROLS, HOSTILE
from PIL import Image

KILLS, TEXTS, FULL = 20, 15, 10
LIMIT_S = 10.0
FACE = """
[deck]
size = "20x4"
caption = "message"
[sources.in]
kind = "input"
[probes]
message = { source = "in", key = "message", words = true }
weight = { simulated = { value = 41.4, swing = 4, period_s = 2 }, unit = "kg" }
[faces.hive]
fields = [
  { kind = "label", of = "message", row = 0 },
  { kind = "ticker", of = "message", row = 1 },
  { kind = "number", of = "weight", row = 2 },
  { kind = "bar", of = "weight", row = 3, low = 30, high = 50 },
]
"""
RICH = ("\x1b[", "\x1b]8;;\x1b\\")
"""How the sequences begin that the command itself sends to a terminal."""


def started(arguments: list[str], text: bytes, **settings: object) -> tuple["subprocess.Popen[bytes]", int]:
    """The command on a terminal of its own, with a text as its input; and the terminal's other end."""
    here, there = pty.openpty()
    process = subprocess.Popen(
        [sys.executable, "-m", "lumek", *arguments], stdin=subprocess.PIPE, stdout=there, stderr=there,
        start_new_session=True, env={**os.environ, "TERM": "xterm", "COLUMNS": "140", "LINES": "50"}, **settings,
    )  # fmt: skip
    os.close(there)
    if process.stdin:
        try:
            process.stdin.write(text)
            process.stdin.close()
        except OSError:
            process.stdin = None
    return process, here


def drained(terminal: int, seconds: float) -> bytes:
    """What is written for so long, or to the end. Somebody has to read: a terminal that is full keeps who writes."""
    shown, end = b"", time.monotonic() + seconds
    while (left := end - time.monotonic()) > 0:
        if select.select([terminal], [], [], left)[0]:
            try:
                part = os.read(terminal, 65536)
            except OSError:
                return shown
            shown += part
    return shown


def seen(process: "subprocess.Popen[bytes]", terminal: int) -> tuple[bytes, bool]:
    """What it writes to its end, and whether that came in time; it is killed when it did not."""
    end = time.monotonic() + LIMIT_S
    shown, in_time = drained(terminal, LIMIT_S), True
    try:
        process.wait(max(0.1, end - time.monotonic()))
    except subprocess.TimeoutExpired:
        process.kill()
        process.wait()
        in_time = False
    os.close(terminal)
    return shown, in_time


def hostile_texts(chance: random.Random, folder: Path, count: int) -> list[str]:
    """Messages that a face and its caption show."""
    failures = []
    (folder / "face.toml").write_text(FACE)
    for _ in range(count):
        message = "A" + "".join(chance.choice(HOSTILE) for _ in range(3)).replace("\n", "") + "Z"
        line = json.dumps({"message": message}).encode() + b"\n"
        process, terminal = started(["run", "face.toml", "--twin", "--for", "0.6s"], line, cwd=folder)
        shown, in_time = seen(process, terminal)
        text = shown.decode(errors="replace").replace("\r\n", "\n")
        own = text
        for begin in RICH:
            own = own.replace(begin, "")
        # Of what the message begins with something is seen: it has come.
        if (
            not in_time
            or process.returncode
            or "Traceback" in text
            or "A" not in text
            or CONTROLS.search(own.replace("\r", ""))
        ):
            failures.append(f"{message[:80]!r}: ended {process.returncode}, shows {own[-400:]!r}")
    return failures


def kills(chance: random.Random, folder: Path, count: int) -> list[str]:
    """Signals, one or two, at any moment of a run that writes everything."""
    failures = []
    (folder / "face.toml").write_text(FACE)
    outputs = ["--log", "log.csv", "--picture", "p.png", "--animate", "a.gif"]
    for number in range(count):
        process, terminal = started(["run", "face.toml", "--twin", *outputs], b"message=hello\n", cwd=folder)
        which = [chance.choice((signal.SIGINT, signal.SIGTERM, signal.SIGHUP)) for _ in range(chance.choice((1, 2)))]
        # Python's own start, before any line of ours, is not ours to answer for.
        shown = drained(terminal, 0.15 + chance.random() * 2.5)
        for one in which:
            process.send_signal(one)
            shown += drained(terminal, chance.random() * 0.2)
        rest, in_time = seen(process, terminal)
        shown += rest
        hidden, visible = shown.rfind(b"\x1b[?25l"), shown.rfind(b"\x1b[?25h")
        pictures = [folder / name for name in ("p.png", "a.gif") if (folder / name).exists()]
        try:
            for path in pictures:
                Image.open(path).load()
        except OSError as problem:
            failures.append(f"kill {number} {which}: {problem}")
        left = [path.name for path in folder.iterdir() if path.name.startswith(".")]
        if not in_time or b"Traceback" in shown or hidden > visible or left:
            failures.append(
                f"kill {number} {which}: {process.returncode}, in time {in_time}, left {left}, shows {shown[-300:]!r}"
            )
    return failures


def full_disks(chance: random.Random, folder: Path, count: int) -> list[str]:
    """A disk with room for a little, and streams that take nothing."""
    failures = []
    (folder / "face.toml").write_text(FACE)
    Image.new("RGB", (5, 5)).save(folder / "old.png")
    old = (folder / "old.png").read_bytes()
    for _ in range(count):
        room = chance.choice((0, 100, 2000))
        run = subprocess.run(
            [sys.executable, "-m", "lumek", "run", "face.toml", "--twin", "--for", "0.4s", "--picture", "old.png"],
            cwd=folder, capture_output=True, timeout=30, stdin=subprocess.DEVNULL,
            preexec_fn=lambda room=room: resource.setrlimit(resource.RLIMIT_FSIZE, (room, room)),
        )  # fmt: skip
        if (folder / "old.png").read_bytes() != old or run.returncode != 2 or b"Traceback" in run.stderr:
            failures.append(f"a disk of {room} bytes: ended {run.returncode}, {run.stderr[-300:]!r}")
    for arguments, stdout, stderr, code in (
        (["show", "a"], "/dev/full", None, 2), (["show", "a", "--size", "1x1"], None, "/dev/full", 2),
        (["hookup", "none.toml"], None, "/dev/full", 2), (["scan", "--bus", "99"], None, "/dev/full", 1),
        (["show", "x" * 30], None, "/dev/full", 0), (["--help"], "/dev/full", "/dev/full", 2),
    ):  # fmt: skip
        ends = [open(name, "wb") if name else subprocess.DEVNULL for name in (stdout, stderr)]  # noqa: SIM115
        run = subprocess.run([sys.executable, "-m", "lumek", *arguments], stdout=ends[0], stderr=ends[1], timeout=30)
        for end in ends:
            if not isinstance(end, int):
                end.close()
        if run.returncode != code:
            failures.append(f"{arguments} with {stdout} and {stderr} ends with {run.returncode}, not {code}")
    return failures


def run(chance: random.Random, times: float, folder: Path) -> tuple[str, list[str]]:
    """Do it; what was done, and what went wrong."""
    texts, shots, full = (round(count * times) for count in (TEXTS, KILLS, FULL))
    for name in ("texts", "kills", "full"):
        (folder / name).mkdir()
    failures = hostile_texts(chance, folder / "texts", texts)
    failures += kills(chance, folder / "kills", shots)
    failures += full_disks(chance, folder / "full", full)
    return f"{texts} hostile messages, {shots} kills, {full} full disks", failures
