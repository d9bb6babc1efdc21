"""What to say of device files that cannot be had: what there is, who has them, and what gives access."""

import fcntl
import grp
import os
import struct
from pathlib import Path

from lumek._harmless import quoted

FLOCK = "hhqqi"
"""struct flock: type, whence, start, length, process (fcntl(2))."""


def there(pattern: str, folder: str | Path = "/dev") -> str:
    """The files of a folder that match, for "there is: ..."."""
    return ", ".join(sorted(path.name for path in Path(folder).glob(pattern))) or "none"


def not_allowed(path: str | Path, subsystem: str, group: str) -> str:
    """What to do when a device file may not be opened: the command that gives access to it as it is.

    subsystem: how the kernel calls devices of this kind.
    group: the usual group of such files, for a host without a rule for them.
    """
    owner = _group_with_access(path)
    if owner is not None:
        return (
            f"you may not open {path}, but its group {owner} may. Run: sudo usermod -aG {owner} $USER, then log in "
            "again"
        )
    rule = f'SUBSYSTEM=="{subsystem}", GROUP="{group}", MODE="0660"'
    return (
        f"you may not open {path}, and no group has access to it. Run: sudo groupadd -f {group} && sudo "
        f"usermod -aG {group} $USER && echo '{rule}' | sudo tee /etc/udev/rules.d/60-{group}.rules, then restart"
    )


def _group_with_access(path: str | Path) -> str | None:
    """The group of a file, when it may read and write it and is not that of the system itself."""
    try:
        found = os.stat(path)
        return grp.getgrgid(found.st_gid).gr_name if found.st_mode & 0o060 == 0o060 and found.st_gid else None
    except (OSError, KeyError):
        return None


def lock_byte(file: int, place: int) -> str | None:
    """Lock one byte of an open file for this process, without waiting.

    Returns None when that is done, or cannot be done with this file at all, else who has it. The kernel gives the lock
    back at the end of the process.
    """
    try:
        fcntl.lockf(file, fcntl.LOCK_EX | fcntl.LOCK_NB, 1, place)
    except BlockingIOError:
        asked = struct.pack(FLOCK, fcntl.F_WRLCK, os.SEEK_SET, place, 1, 0)
        process = struct.unpack(FLOCK, fcntl.fcntl(file, fcntl.F_GETLK, asked)[: len(asked)])[4]
        return _named(process)
    except OSError:
        return None
    return None


def _named(process: int) -> str:
    try:
        name = Path(f"/proc/{process}/comm").read_text(encoding="utf-8", errors="replace").strip()
    except OSError:
        return "another program"
    return f"the program {quoted(name)} (process {process})"
