"""Options that mean the same in every command, and what comes of them."""

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar

import click

if TYPE_CHECKING:
    from lumek.twin import Twin

Function = TypeVar("Function", bound=Callable[..., Any])


def whole_number(text: str) -> int:
    """A whole number, decimal or with 0x before it; a usage error for anything else."""
    try:
        return int(text, 0)
    except ValueError:
        raise click.BadParameter(f"{text!r} is not a number: write it as 39 or 0x27") from None


def rom_option(function: Function) -> Function:
    """--rom."""
    return click.option(
        "--rom", default="A00", metavar="NAME", help="Character ROM: A00 (Japanese, default) or A02 (European)."
    )(function)


def picture_options(function: Function) -> Function:
    """--picture and --scheme."""
    function = click.option(
        "--scheme", default="meadow", metavar="NAME", help="Colours: meadow (default), dusk or ember."
    )(function)
    return click.option(
        "--picture",
        type=click.Path(path_type=Path),
        callback=_checked_picture,
        metavar="OUT.png",
        help="Write a picture of the panel.",
    )(function)


def _checked_picture(ctx: click.Context, param: click.Parameter, path: Path | None) -> Path | None:
    """Refuse before anything is done what would fail at its end."""
    if path is not None and path.suffix.lower() != ".png":
        raise click.BadParameter(f"pictures are PNG files, and {path} does not end in .png")
    if path is not None and (path.is_dir() or not path.parent.is_dir()):
        raise click.BadParameter(f"cannot write {path}: {path.parent} is not a folder, or {path} is one")
    return path


def write_picture(twin: "Twin", path: Path | None, scheme: str) -> None:
    """Write the picture, if one is asked for; a usage error when the file cannot be written."""
    if path is None:
        return
    from lumek.twin.picture import save_picture

    try:
        save_picture(twin, path, scheme)
    except OSError as problem:
        raise click.UsageError(f"cannot write {path}: {problem.strerror or problem}") from None
