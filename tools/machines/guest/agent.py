"""The agent: does in the guest what the tests ask for, each thing in a process of its own.

A request is a line of JSON on the second serial line, and so is its answer. A process is forked from this one, which
has loaded what most of them need: starting Python takes ten seconds in an emulated computer.
"""

import importlib.util
import io
import json
import os
import pwd
import signal
import sys
import termios
import time
import traceback
import tty
from pathlib import Path
from types import ModuleType
from typing import Any

import numpy  # noqa: F401
import PIL.Image  # noqa: F401
import pytest  # noqa: F401
import rich.console  # noqa: F401

import lumek
import lumek.cli.run
import lumek.cli.scan
import lumek.cli.sensors
import lumek.cli.show
import lumek.hookup.file
import lumek.ports.linux.bus
import lumek.ports.linux.channels
import lumek.ports.linux.lines
import lumek.ports.linux.spi
import lumek.readings.probes.kernel
from lumek.cli import main

for folder in ("tools", "tests"):
    sys.path.append(str(Path(__file__).parents[3] / folder))
OUTPUT = Path("/run/jobs")


class Job:
    """A process that does one thing, and the files with what it wrote."""

    def __init__(self, number: int, request: dict[str, Any]) -> None:
        self.files = [OUTPUT / f"{number}.{name}" for name in ("out", "err", "value")]
        self.pid = os.fork()
        if not self.pid:
            self._run(request)

    def ended(self, seconds: float) -> dict[str, Any]:
        """Its result, once it has ended; after that many seconds it is killed."""
        end = time.monotonic() + seconds
        killed = False
        while not (found := os.waitpid(self.pid, os.WNOHANG))[0]:
            if time.monotonic() > end and not killed:
                os.kill(self.pid, signal.SIGKILL)
                killed = True
            time.sleep(0.005)
        return {"code": os.waitstatus_to_exitcode(found[1]), "killed": killed, **self.so_far()}

    def so_far(self) -> dict[str, Any]:
        """What it wrote up to now."""
        out, err, value = (file.read_text(errors="replace") if file.exists() else "" for file in self.files)
        return {"out": out, "err": err, "value": json.loads(value) if value else None}

    def _run(self, request: dict[str, Any]) -> None:
        code = 99
        try:
            os.setsid()
            signal.signal(signal.SIGINT, signal.default_int_handler)
            for number, path in enumerate([Path("/dev/null"), *self.files[:2]]):
                flags = os.O_RDONLY if not number else os.O_WRONLY | os.O_CREAT | os.O_TRUNC
                os.dup2(os.open(path, flags), number)
            sys.stdout = io.TextIOWrapper(io.FileIO(1, "w"), write_through=True)
            sys.stderr = io.TextIOWrapper(io.FileIO(2, "w"), write_through=True)
            if request.get("user"):
                entry = pwd.getpwnam(request["user"])
                os.initgroups(request["user"], entry.pw_gid)
                os.setgid(entry.pw_gid)
                os.setuid(entry.pw_uid)
            code = self._do(request)
        except SystemExit as ended:
            code = ended.code if isinstance(ended.code, int) else 0 if ended.code is None else 1
        except BaseException:
            traceback.print_exc()
        finally:
            sys.stdout.flush()
            sys.stderr.flush()
            os._exit(code)

    def _do(self, request: dict[str, Any]) -> int:
        if "program" in request:
            os.execvp(request["program"][0], request["program"])
        if "lumek" in request:
            sys.argv = ["lumek", *request["lumek"]]
            main(request["lumek"])
            return 0
        value = getattr(_module(request["file"]), request["function"])(*request["arguments"])
        self.files[2].write_text(json.dumps(value))
        return 0


def _module(path: str) -> ModuleType:
    name = "guest_" + Path(path).stem
    if name not in sys.modules:
        found = importlib.util.spec_from_file_location(name, path)
        assert found is not None
        assert found.loader is not None
        sys.modules[name] = importlib.util.module_from_spec(found)
        found.loader.exec_module(sys.modules[name])
    return sys.modules[name]


def serve() -> None:
    """Do what is asked for, until "end"."""
    OUTPUT.mkdir(mode=0o777)
    OUTPUT.chmod(0o1777)
    os.umask(0)
    line = os.open("/dev/ttyS1", os.O_RDWR | os.O_NOCTTY)
    tty.setraw(line, termios.TCSANOW)
    requests = os.fdopen(line, "r+b", buffering=0)
    jobs: dict[int, Job] = {}
    answer: dict[str, Any] = {"ready": lumek.__version__}
    while True:
        requests.write(json.dumps(answer).encode() + b"\n")
        text = b""
        while not text.endswith(b"\n"):
            text += requests.read(4096) or b""
        request = json.loads(text)
        act = request["act"]
        if act == "end":
            return
        if act == "load":
            _module(request["file"])
            answer = {}
        elif act == "start":
            number = len(jobs)
            jobs[number] = Job(number, request)
            answer = {"job": number}
        elif act == "signal":
            os.kill(jobs[request["job"]].pid, request["signal"])
            answer = {}
        elif act == "look":
            answer = jobs[request["job"]].so_far()
        else:
            answer = jobs[request["job"]].ended(request["seconds"])


if __name__ == "__main__":
    serve()
