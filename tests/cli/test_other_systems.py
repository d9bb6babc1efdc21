"""Twin, faces, readings and pictures on systems that lack what Linux has: as far as that can be seen on Linux."""

import subprocess
import sys
from pathlib import Path

import pytest

EXAMPLES = Path(__file__).parents[2] / "examples"

# What neither Windows nor a Mac has, or Windows alone lacks, in the standard library and among our packages.
HIDE = """
import os, signal, sys, warnings
warnings.filterwarnings("error", category=EncodingWarning, module="lumek")
hidden = {"fcntl", "grp", "pwd", "pty", "resource", "spwd", "syslog", "termios", "tty", "gpiod", "smbus2", "spidev"}
class Hidden:
    def find_spec(self, name, path=None, target=None):
        if name.partition(".")[0] in hidden:
            raise ModuleNotFoundError(f"No module named {name!r}", name=name)
sys.meta_path.insert(0, Hidden())
for module, names in (
    (os, "O_NONBLOCK O_CLOEXEC O_DIRECTORY pread pwrite fchmod openpty fork geteuid getpgid setsid".split()),
    (signal, "SIGHUP SIGKILL SIGALRM SIGUSR1 alarm pthread_kill setitimer".split()),
):
    for name in names:
        if hasattr(module, name):
            delattr(module, name)
"""

COMMANDS = [
    ["demo"],
    ["show", "Hive 3", "41.4 kg", "--size", "16x2", "--picture", "hive.png"],
    ["hookup", "new", "hive.toml", "--usual"],
    ["hookup", "hive.toml", "--picture", "hive.svg"],
    ["show", "Hive 3", "--hookup", "hive.toml", "--twin"],
    ["scan", "--twin", "hive.toml"],
    ["run", "new", "face.toml"],
    ["run", "face.toml", "--twin", "--once", "--log", "readings.csv"],
    ["run", "face.toml", "--check"],
]


def run(arguments: list[str], folder: Path, encoding: str, example: str = "") -> subprocess.CompletedProcess[str]:
    program = f"{HIDE}\nfrom lumek.__main__ import main\nsys.argv[1:] = {arguments!r}\nmain()"
    if example:
        place = str(EXAMPLES / example)
        program = (
            f"{HIDE}\nimport runpy\nsys.path.insert(0, {str(EXAMPLES)!r})\nsys.argv = [{place!r}, *{arguments!r}]\n"
        )
        program += f"runpy.run_path({place!r}, None, '__main__')"
    environment = {"PYTHONIOENCODING": encoding, "PYTHONUTF8": "0", "PATH": "", "HOME": str(Path.home())}
    return subprocess.run(
        [sys.executable, "-X", "warn_default_encoding", "-c", program], cwd=folder, env=environment, text=True,
        capture_output=True, encoding=encoding, timeout=60, check=False,
    )  # fmt: skip


@pytest.mark.slow
def test_the_commands_do_without_what_other_systems_lack(tmp_path: Path) -> None:
    for arguments in COMMANDS:
        done = run(arguments, tmp_path, "cp1252")
        assert (done.returncode, "Traceback" in done.stderr) == (0, False), (arguments, done.stdout, done.stderr)
    assert (tmp_path / "readings.csv").stat().st_size > 100


def test_hardware_that_such_a_system_cannot_have_is_told(tmp_path: Path) -> None:
    run(["hookup", "new", "hive.toml", "--usual"], tmp_path, "utf-8")
    done = run(["show", "Hive 3", "--hookup", "hive.toml"], tmp_path, "utf-8")
    assert (done.returncode, done.stdout) == (1, "")
    assert "this system has no /dev/i2c-N" in done.stderr
    shown = run([], tmp_path, "utf-8", "hive_label.py")
    assert "Terrace, east" in shown.stdout, shown.stderr
    done = run(["1"], tmp_path, "utf-8", "hive_label.py")
    assert done.stderr.endswith("or simulate it; --help says how to call it\n")
    done = run(["scan"], tmp_path, "utf-8")
    assert "this host has no I2C bus" in done.stderr
