"""What there is on this host, and how to come by it, for messages."""

from pathlib import Path


def there(pattern: str, folder: str | Path = "/dev") -> str:
    """The files of a folder that match, for "there is: ..."."""
    return ", ".join(sorted(path.name for path in Path(folder).glob(pattern))) or "none"


def not_allowed(path: str | Path, group: str) -> str:
    """What to do when a device file may not be opened."""
    return (
        f"{path} may not be opened: add yourself to its group (often: sudo usermod -aG {group} $USER), "
        "then log in again"
    )
