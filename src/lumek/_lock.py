"""A lock for what several threads use, where there are threads."""

TYPE_CHECKING = False
if TYPE_CHECKING:
    from typing import Any


class Alone:
    """A stand-in for a lock where there is only one thread."""

    def __enter__(self) -> None:
        pass

    def __exit__(self, *exc: object) -> None:
        pass

    acquire = __enter__
    release = __exit__

    def _is_owned(self) -> bool:
        return False


def new_lock() -> "Any":
    """A lock that its holder may take again; `_is_owned` says whether the caller holds it, as that of Python's own."""
    try:
        from threading import RLock
    except ImportError:  # MicroPython without threads
        return Alone()
    return RLock()
