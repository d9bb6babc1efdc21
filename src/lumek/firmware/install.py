"""Bringing a firmware onto a board, and comparing what is there: through mpremote, or onto the drive of CircuitPython.

An installation may be interrupted anywhere. So a guard comes first: in the place of the package's main file it says
that Lumek is half installed, and it goes last, after the manifest. MicroPython and CircuitPython load `__init__.py`
before `__init__.mpy`, so the guard wins while it is there.
"""

import hashlib
import os
import time
from abc import ABC, abstractmethod
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any, NamedTuple

from lumek._harmless import harmless, quoted
from lumek.errors import PackageError, PortError, SettingError
from lumek.firmware.folder import KEPT, LIBRARY, MANIFEST, Firmware, listed_in
from lumek.firmware.mpy import VERSIONS

GUARD = f"{LIBRARY}/lumek/__init__.py"
GUARD_TEXT = b'raise ImportError("Lumek is half installed here: run lumek firmware with --install once more")\n'

FIRST_OUTPUT_S = 5.0
"""How long the first output of a board is waited for."""

LONGEST_OUTPUT = 20_000
"""Bytes of what a board prints that are shown."""

PROMPT = b">" * 3 + b" "

BLOCK = 4096
"""Bytes by which a file of a board grows, on most of them."""

Progress = Callable[[str, int, int], None]


class Interpreter(NamedTuple):
    """What a board runs: "micropython" or "circuitpython", its version, and the format of .mpy that it loads."""

    name: str
    version: str
    mpy: str | None


@dataclass(frozen=True)
class Difference:
    """How a board differs from a firmware: files that are missing, that differ, and that are left over from another."""

    missing: list[str]
    changed: list[str]
    extra: list[str]
    half: bool

    @property
    def to_copy(self) -> list[str]:
        """What an installation copies."""
        return [*self.missing, *self.changed]

    def __bool__(self) -> bool:
        return bool(self.missing or self.changed or self.extra or self.half)


class Target(ABC):
    """Where files of a board are: paths as in a firmware."""

    @abstractmethod
    def interpreter(self) -> Interpreter | None:
        """What the board runs, where that can be known."""

    @abstractmethod
    def hash_of(self, path: str) -> str | None:
        """The SHA-256 of a file, or None where there is none."""

    @abstractmethod
    def read(self, path: str) -> bytes | None:
        """A file, or None where there is none."""

    @abstractmethod
    def write(self, path: str, data: bytes) -> None:
        """Write a file, and the folders that it is in."""

    @abstractmethod
    def remove(self, path: str) -> None:
        """Remove a file, if it is there."""

    @abstractmethod
    def free(self) -> int | None:
        """Bytes that are free, where that can be known."""

    @abstractmethod
    def first_output(self, seconds: float) -> str:
        """Start the board again, and what it prints then."""


def compare(firmware: Firmware, target: Target) -> Difference:
    """How a board differs from a firmware."""
    missing, changed = [], []
    guard = target.read(GUARD) == GUARD_TEXT
    for path, content in firmware.files.items():
        if path == MANIFEST or (guard and path == GUARD):
            continue
        found = target.hash_of(path)
        if found is None:
            missing.append(path)
        elif found != hashlib.sha256(content).hexdigest() and path not in KEPT:
            changed.append(path)
    if guard and GUARD in firmware.files:
        changed.append(GUARD)
    before = listed_in(target.read(MANIFEST) or b"")
    extra = [path for path in before if path not in firmware.files and target.hash_of(path) is not None]
    if target.read(MANIFEST) != firmware.files[MANIFEST]:
        changed.append(MANIFEST)
    return Difference(missing, changed, extra, guard)


def check_fits(firmware: Firmware, interpreter: Interpreter | None) -> None:
    """Raise SettingError when a board cannot load a firmware."""
    if interpreter is None:
        return
    wanted, mpy = str(firmware.manifest["for"]), firmware.manifest["mpy"]
    there = f"{harmless(interpreter.name, 40)} {harmless(interpreter.version, 40)}"
    if interpreter.name != wanted:
        raise SettingError(f"the board runs {there}, and this firmware is for {wanted}: use --for {interpreter.name}"
                           if interpreter.name in ("micropython", "circuitpython") else
                           f"the board runs {there}, and a firmware is for micropython or circuitpython")  # fmt: skip
    if mpy is not None and interpreter.mpy != mpy:
        other = f"--mpy {interpreter.mpy}" if interpreter.mpy in VERSIONS else "--sources"
        raise SettingError(
            f"the board runs {there}, which loads .mpy {interpreter.mpy or '(none)'}, and this firmware has .mpy "
            f"{mpy}: use {other}"
        )


def install(firmware: Firmware, target: Target, progress: Progress = lambda *_: None) -> Difference:
    """Copy what differs to a board. Returns what differed.

    progress: called before each file with its path, its number and how many there are.
    Raises SettingError when the board cannot load it or has too little room, PortError when it goes away.
    """
    check_fits(firmware, target.interpreter())
    found = compare(firmware, target)
    if not found:
        return found
    copies = [path for path in found.to_copy if path not in (GUARD, MANIFEST)]
    copies.sort(key=lambda path: path.startswith(LIBRARY))  # programs first: they then meet the guard
    _check_room(firmware, target, copies)
    target.write(GUARD, GUARD_TEXT)
    target.remove(MANIFEST)
    for number, path in enumerate(copies):
        progress(path, number, len(copies))
        target.write(path, firmware.files[path])
    for path in found.extra:
        target.remove(path)
    target.write(MANIFEST, firmware.files[MANIFEST])
    if GUARD in firmware.files:
        target.write(GUARD, firmware.files[GUARD])
    else:
        target.remove(GUARD)
    return found


def _check_room(firmware: Firmware, target: Target, paths: list[str]) -> None:
    free = target.free()
    needed = sum(-(-len(firmware.files[path]) // BLOCK) * BLOCK for path in paths if target.hash_of(path) is None)
    if free is not None and needed > free:
        raise SettingError(
            f"the board has {free} bytes free, and {needed} are needed for {len(paths)} files: remove files from it, "
            "or include less (--with)"
        )


class Drive(Target):
    """The drive of a board with CircuitPython, or any folder."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder

    def interpreter(self) -> Interpreter | None:
        """As its file boot_out.txt says, which CircuitPython writes."""
        said = self.read("boot_out.txt") or b""
        words = said[:1000].decode(errors="replace").split()
        if len(words) > 2 and words[1] == "CircuitPython":
            return Interpreter("circuitpython", words[2].strip(";"), None)
        return None

    def hash_of(self, path: str) -> str | None:
        """The SHA-256 of a file, or None where there is none."""
        data = self.read(path)
        return None if data is None else hashlib.sha256(data).hexdigest()

    def read(self, path: str) -> bytes | None:
        """A file, or None where there is none."""
        with _told(path):
            try:
                return (self._folder / path).read_bytes()
            except (FileNotFoundError, NotADirectoryError):
                return None

    def write(self, path: str, data: bytes) -> None:
        """Write a file so that it is on the drive when this returns."""
        target = self._folder / path
        with _told(path):
            target.parent.mkdir(parents=True, exist_ok=True)
            with target.open("wb") as file:
                file.write(data)
                file.flush()
                os.fsync(file.fileno())

    def remove(self, path: str) -> None:
        """Remove a file, if it is there."""
        with _told(path):
            (self._folder / path).unlink(missing_ok=True)

    def free(self) -> int | None:
        """Bytes that are free."""
        if not hasattr(os, "statvfs"):
            return None
        about = os.statvfs(self._folder)
        return about.f_bavail * about.f_frsize

    def first_output(self, seconds: float) -> str:
        """Nothing: CircuitPython starts again by itself, and prints to its serial port."""
        return ""


class Remote(Target):
    """A board with MicroPython on a serial port, through mpremote."""

    def __init__(self, port: str) -> None:
        try:
            from mpremote.transport import TransportError
            from mpremote.transport_serial import SerialTransport
        except ImportError:
            raise PackageError(
                "bringing files onto a board needs the package mpremote: pip install 'lumek[boards]'"
            ) from None
        self._port, self._failure = port, TransportError
        self._folders: set[str] = set()
        try:
            self._board = SerialTransport(port, wait=0)
        except TransportError as problem:
            raise PortError(
                f"{quoted(port)} cannot be opened ({harmless(str(problem), 100)}): is the board plugged in, and no "
                "other program connected to it?"
            ) from None
        with self._told("its prompt"):
            self._board.enter_raw_repl(soft_reset=False)
        self._root = self._evaluate("__import__('os').getcwd()").rstrip("/")

    def close(self) -> None:
        """Let the port go."""
        self._board.close()

    @contextmanager
    def _told(self, what: str) -> Iterator[None]:
        try:
            yield
        except (self._failure, OSError) as problem:
            said = harmless(str(problem).strip().splitlines()[-1] if str(problem).strip() else "no answer", 200)
            full = "ENOSPC" in str(problem) or getattr(problem, "errno", 0) == 28
            hint = "its file system is full: remove files from it" if full else "plug it in again, and repeat --install"
            raise PortError(f"the board at {self._port} failed at {what} ({said}): {hint}") from None

    def _evaluate(self, expression: str) -> Any:
        with self._told("an answer"):
            return self._board.eval(expression)

    def _at(self, path: str) -> str:
        return f"{self._root}/{path}"

    def interpreter(self) -> Interpreter | None:
        """As `sys.implementation` says."""
        said = self._evaluate(
            "(lambda s: (s.name, tuple(s.version), getattr(s, '_mpy', 0)))(__import__('sys').implementation)"
        )
        if not isinstance(said, tuple) or len(said) != 3 or not isinstance(said[1], tuple):
            return None
        name, version, mpy = str(said[0]), ".".join(map(str, said[1][:3])), said[2]
        known = isinstance(mpy, int) and mpy
        return Interpreter(name, version, f"{mpy & 0xFF}.{mpy >> 8 & 3}" if known else None)

    def hash_of(self, path: str) -> str | None:
        """The SHA-256 of a file, computed on the board where it can; None where there is none."""
        with self._told(path):
            if not self._board.fs_exists(self._at(path)):
                return None
            return bytes(self._board.fs_hashfile(self._at(path), "sha256")).hex()

    def read(self, path: str) -> bytes | None:
        """A file, or None where there is none."""
        with self._told(path):
            if not self._board.fs_exists(self._at(path)):
                return None
            return bytes(self._board.fs_readfile(self._at(path)))

    def write(self, path: str, data: bytes) -> None:
        """Write a file, and the folders that it is in; then see that it arrived."""
        with self._told(path):
            parts = path.split("/")[:-1]
            for place in range(len(parts)):
                folder = "/".join(parts[: place + 1])
                if folder not in self._folders and not self._board.fs_exists(self._at(folder)):
                    self._board.fs_mkdir(self._at(folder))
                self._folders.add(folder)
            self._board.fs_writefile(self._at(path), data)
        if self.hash_of(path) != hashlib.sha256(data).hexdigest():
            raise PortError(f"{path} did not arrive on the board at {self._port} as it was sent: repeat --install")

    def remove(self, path: str) -> None:
        """Remove a file, if it is there."""
        with self._told(path):
            if self._board.fs_exists(self._at(path)):
                self._board.fs_rmfile(self._at(path))

    def free(self) -> int | None:
        """Bytes that are free on its file system."""
        said = self._evaluate(f"(lambda f: f[0] * f[3])(__import__('os').statvfs({self._root + '/'!r}))")
        return said if isinstance(said, int) else None

    def first_output(self, seconds: float) -> str:
        """Start its program again (Ctrl-D), and what that prints."""
        serial = self._board.serial
        with self._told("its start"):
            self._board.exit_raw_repl()
            time.sleep(0.1)
            serial.read(serial.in_waiting or 0)
            serial.write(b"\x04")
            end, said = time.monotonic() + seconds, b""
            while time.monotonic() < end and len(said) < LONGEST_OUTPUT and not said.endswith(PROMPT):
                said += serial.read(serial.in_waiting or 1) if serial.in_waiting else b""
                time.sleep(0.02)
        return said.decode(errors="replace").removesuffix(PROMPT.decode()).strip()


@contextmanager
def _told(path: str) -> Iterator[None]:
    try:
        yield
    except OSError as problem:
        raise PortError(f"{path} on the drive failed ({problem.strerror or problem}): repeat --install") from None


@contextmanager
def target_at(place: str) -> Iterator[Target]:
    """Where a firmware goes: the folder of a drive, or a board by its serial port."""
    if Path(place).is_dir():
        yield Drive(Path(place))
        return
    board = Remote(place)
    try:
        yield board
    finally:
        board.close()
