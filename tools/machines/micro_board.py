"""A native MicroPython behind a pseudo-terminal, as a board on USB; its pins and bus lead to simulated panels."""

import os
import socket
import subprocess
import sys
import threading
import tty
from pathlib import Path
from select import select
from types import TracebackType
from typing import Self

from lumek.errors import NoAnswerError
from lumek.twin import TwinBus, TwinClock, TwinLines

HERE = Path(__file__).parent
MICROPYTHON = Path(sys.executable).parent / "micropython"
PINS = {str(pin) for pin in range(30)} | {"LED"}


class MicroBoard:
    """In a `with` block it runs: `port` is the path of its serial port.

    folder: its file system; it runs main.py in it when it starts, also after Ctrl-D, as boards do.
    room: bytes of its file system, which is then one of a board, in memory; None for the folder itself.
    said: what came over it. bus_made: the number of its bus, and the pins that it was given.
    """

    def __init__(self, folder: Path | None = None, room: int | None = None) -> None:
        self._folder, self._room = folder, room
        self._closing, self._starting = False, threading.Lock()
        self.clock = TwinClock()
        self.lines = TwinLines(self.clock, drive_ns=0)
        self.bus = TwinBus(self.clock)
        self.said = bytearray()
        self.bus_made: list[int | str] = []

    def __enter__(self) -> Self:
        self._listener = socket.create_server(("127.0.0.1", 0))
        self._ends = [os.openpty(), os.openpty()]
        for _, theirs in self._ends:
            tty.setraw(theirs)
        self.port = os.ttyname(self._ends[1][1])
        self._wake = os.pipe()
        place = {"MICROPYPATH": f".frozen:{HERE / 'micropython'}", "BOARD_PORT": str(self._listener.getsockname()[1])}
        if self._folder is not None:
            place["MICROPYPATH"] = f".frozen:{HERE / 'micropython'}:"
            place["BOARD_ROOM"] = str(self._room or "")
        self._place = place
        self._process = self._started()
        works = [self._carry, self._serve, *([self._restart] if self._folder is not None else [])]
        self._threads = [threading.Thread(target=work) for work in works]
        for thread in self._threads:
            thread.start()
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        with self._starting:
            self._closing = True
            self._process.kill()
        self._process.wait()
        os.close(self._wake[1])
        self._listener.shutdown(socket.SHUT_RDWR)
        for thread in self._threads:
            thread.join(5)
        self._listener.close()
        for file in (*self._ends[0], *self._ends[1], self._wake[0]):
            os.close(file)

    def _started(self) -> "subprocess.Popen[bytes]":
        """The interpreter, which runs the program of its file system, if it has one."""
        boot = ["-i", str(HERE / "micropython" / "boot.py")] if self._folder is not None else []
        return subprocess.Popen(
            [str(MICROPYTHON), *boot], stdin=self._ends[0][1], stdout=self._ends[0][1], stderr=self._ends[0][1],
            env={**os.environ, **self._place}, start_new_session=True, cwd=self._folder,
        )  # fmt: skip

    def _restart(self) -> None:
        """Start again after Ctrl-D, which ends a native interpreter."""
        while not self._closing:
            self._process.wait()
            with self._starting:
                if not self._closing:
                    self._process = self._started()

    def _carry(self) -> None:
        """Bytes from one pseudo-terminal to the other."""
        board, host = self._ends[0][0], self._ends[1][0]
        while self._wake[0] not in (ready := select([board, host, self._wake[0]], [], [])[0]):
            for file in ready:
                data = os.read(file, 4096)
                if file == host:
                    self.said += data
                os.write(board if file == host else host, data)

    def _serve(self) -> None:
        """Do what the board's `machine` asks for, also after it was started again."""
        while True:
            try:
                line, _ = self._listener.accept()
            except OSError:
                return
            self._serve_one(line)

    def _serve_one(self, line: socket.socket) -> None:
        with line, line.makefile("rw", newline="\n") as asked:
            for request in asked:
                act, *words, us = request.split()
                self.clock.now_ns = max(self.clock.now_ns, int(us) * 1000)
                answer = self._answer(act, words)
                if answer:
                    asked.write(answer + "\n")
                    asked.flush()

    def _answer(self, act: str, words: list[str]) -> str:
        line = int(words[0]) if words[0].isdecimal() else words[0]
        if act == "pin":
            return "yes" if words[0] in PINS else "no"
        if act == "drive":
            self.lines.drive({line: int(words[1])})
        elif act == "let":
            self.lines.sense([line])
        elif act == "sense":
            return str(self.lines.sense([line])[line])
        elif act == "bus":
            self.bus_made = [int(words[0]), *words[2:]]
            self.bus.hz = int(words[1])
        else:
            try:
                if act == "write":
                    self.bus.write(int(words[0]), bytes.fromhex(words[1]))
                    return "yes"
                return self.bus.read(int(words[0]), int(words[1])).hex()
            except NoAnswerError:
                return "no"
        return ""
