"""Files of others, read with bounds; and files of our own, written so that nothing is lost half-way.

Windows lacks some of what Linux and macOS offer for that: what can be had without it is, and `docs/computers.md` says
what cannot.
"""

import os
from collections.abc import Iterator
from contextlib import contextmanager
from errno import EFBIG, EINVAL
from pathlib import Path
from stat import S_ISREG
from typing import BinaryIO

PLAIN = getattr(os, "O_BINARY", 0) | getattr(os, "O_CLOEXEC", 0) | getattr(os, "O_NONBLOCK", 0)
"""How a file is opened: its bytes as they are, for this program alone, and without waiting for anybody."""


def read_at(file: int, count: int, start: int) -> bytes:
    """Bytes of an open file from a place on, wherever it is read or written otherwise. Raises OSError."""
    if hasattr(os, "pread"):
        return os.pread(file, count, start)
    os.lseek(file, start, os.SEEK_SET)
    return os.read(file, count)


def keep_to_us(file: int) -> None:
    """Keep other programs of ours from writing a file. Raises BlockingIOError when one does."""
    try:
        import fcntl
    except ImportError:
        return
    fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)


def sync_folder(folder: Path) -> None:
    """Bring the names in a folder to the disk. Raises OSError."""
    if not hasattr(os, "O_DIRECTORY"):
        return
    number = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
    try:
        os.fsync(number)
    finally:
        os.close(number)


@contextmanager
def open_ordinary(path: str | os.PathLike[str]) -> Iterator[BinaryIO]:
    """An ordinary file, opened for reading. Raises OSError, also for a pipe or device; it never waits."""
    number = os.open(path, os.O_RDONLY | PLAIN)
    with os.fdopen(number, "rb") as file:
        if not S_ISREG(os.fstat(number).st_mode):
            raise OSError(EINVAL, "it is not an ordinary file")
        yield file


def read_bytes(path: str | os.PathLike[str], most: int) -> bytes:
    """The content of an ordinary file of at most `most` bytes. Raises OSError, also for a pipe, device or larger file.

    It never waits: a pipe without a writer would block a program for ever.
    """
    with open_ordinary(path) as file:
        content = file.read(most + 1)
    if len(content) > most:
        raise OSError(EFBIG, f"it has more than {most} bytes")
    return content


def read_text(path: str | os.PathLike[str], most: int, encoding: str = "utf-8") -> str:
    """The same as text, with one kind of line end. Raises OSError, and ValueError for what is not text."""
    return read_bytes(path, most).decode(encoding).replace("\r\n", "\n").replace("\r", "\n")


@contextmanager
def replacing(path: str | os.PathLike[str]) -> Iterator[Path]:
    """A block that writes a file beside `path`, which takes its place when the block has ended well.

    Whatever happens before, an old file stays as it was. What is not an ordinary file (a device, a pipe) is written
    itself. Raises OSError.
    """
    target = Path(os.path.realpath(path))
    if target.exists() and not target.is_file():
        yield target
        return
    from tempfile import mkstemp  # needed only by what writes files

    number, name = mkstemp(prefix=f".{target.stem}-", suffix=target.suffix, dir=target.parent)
    beside = Path(name)
    try:
        if hasattr(os, "fchmod"):
            os.fchmod(number, target.stat().st_mode & 0o777 if target.exists() else 0o666 & ~_umask())
        os.close(number)
        yield beside
        with beside.open("r+b") as file:
            os.fsync(file.fileno())
        beside.replace(target)
    finally:
        beside.unlink(missing_ok=True)


def _umask() -> int:
    mask = os.umask(0o022)
    os.umask(mask)
    return mask
