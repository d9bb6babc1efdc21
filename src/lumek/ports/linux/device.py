"""What ports that are device files have in common: giving them back, and what to say when they cannot be had."""

from pathlib import Path
from types import TracebackType
from typing import Self


class Closing:
    """A port that is given back by `close`, also at the end of a `with` block."""

    def close(self) -> None:
        """Give it back."""

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()


def there(pattern: str, folder: str | Path = "/dev") -> str:
    """The files of a folder that match, for "there is: ..."."""
    return ", ".join(sorted(path.name for path in Path(folder).glob(pattern))) or "none"


def not_allowed(path: str | Path, group: str) -> str:
    """What to do when a device file may not be opened."""
    return (
        f"{path} may not be opened: add yourself to its group (often: sudo usermod -aG {group} $USER), "
        "then log in again"
    )
