"""Files of others, read with bounds; and files of our own, written so that nothing is lost half-way."""

import os
from collections.abc import Iterator
from contextlib import contextmanager
from errno import EFBIG, EINVAL
from pathlib import Path
from stat import S_ISREG
from tempfile import mkstemp


def read_bytes(path: str | os.PathLike[str], most: int) -> bytes:
    """The content of an ordinary file of at most `most` bytes. Raises OSError, also for a pipe, device or larger file.

    It never waits: a pipe without a writer would block a program for ever.
    """
    number = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
    with os.fdopen(number, "rb") as file:
        if not S_ISREG(os.fstat(number).st_mode):
            raise OSError(EINVAL, "it is not an ordinary file")
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
    number, name = mkstemp(prefix=f".{target.stem}-", suffix=target.suffix, dir=target.parent)
    beside = Path(name)
    try:
        os.fchmod(number, target.stat().st_mode & 0o777 if target.exists() else 0o666 & ~_umask())
        os.close(number)
        yield beside
        with beside.open("rb") as file:
            os.fsync(file.fileno())
        beside.replace(target)
    finally:
        beside.unlink(missing_ok=True)


def _umask() -> int:
    mask = os.umask(0o022)
    os.umask(mask)
    return mask
