"""lumek demo: a day of a hive on two panels."""

import shutil
from importlib.resources import files
from pathlib import Path
from typing import TYPE_CHECKING

import click

from lumek.cli.options import animate_option, picture_options, record_option
from lumek.cli.output import say

if TYPE_CHECKING:
    from collections.abc import Sequence

    from lumek import Panel
    from lumek.faces.loop import Show

FOLDER = files("lumek") / "data" / "apiary"
FACES = "apiary.toml"
FILES = (FACES, "terrace_day.csv")
HOURS = 24
DEFAULT_SPEED = 1.0

FAULTS = (
    "bit-flip every 3 s",
    "lost-pulse at 1 s every 5 s",
    "no-answer at 2 s every 4 s",
    "brown-out at 8 s every 9 s",
)
REFRESH_S = 1.0
"""What --faults lets go wrong, and how soon each panel is right again."""


@click.command(name="demo")
@click.option(
    "--speed",
    type=click.FloatRange(0, min_open=True),
    default=DEFAULT_SPEED,
    metavar="HOURS",
    help=f"Hours of the day shown in a second (default {DEFAULT_SPEED:g}).",
)
@click.option("--faults", is_flag=True, help="Disturb the panels, and show how they heal.")
@picture_options
@animate_option
@record_option
@click.option(
    "--copy",
    "folder",
    type=click.Path(path_type=Path, file_okay=False),
    metavar="FOLDER",
    help="Only copy the files of the demo into a folder, to change them.",
)
def command(
    speed: float,
    faults: bool,
    picture: Path | None,
    scheme: str,
    animate: Path | None,
    record: Path | None,
    folder: Path | None,
) -> None:
    """Show a day of a hive on two simulated panels, in 24 seconds.

    The readings are made up. The demo runs from files like those of real panels and sends the same port states, which
    the simulated panels decode from their pins. When the output is not a terminal, it does not wait: it prints the
    panels once for each event. Ctrl-C ends it. With --faults bits are flipped, pulses are lost, transfers fail and
    supplies break down; the panels come back by themselves.
    """
    if folder is not None:
        copy(folder)
        return
    from lumek.cli.outputs import Outputs
    from lumek.cli.session import Session
    from lumek.faces.file import read

    faces = read(str(FOLDER / FACES))
    outputs = Outputs(picture=picture, animate=animate, record=record, scheme=scheme)
    below = cost_line
    if faults:
        faces = faces.refreshed(REFRESH_S)
        below = health_line
    Session(
        faces, True, outputs, HOURS / speed, speed=speed * 3600, below=below, at_once=True,
        faults=FAULTS if faults else (),
    ).run()  # fmt: skip
    say(f"Its files are {faces.path} and {FILES[1]} beside it; lumek demo --copy FOLDER copies them.")


def copy(folder: Path) -> None:
    """Copy the files. Raises UsageError for what already exists."""
    folder.mkdir(parents=True, exist_ok=True)
    for name in FILES:
        if (folder / name).exists():
            raise click.UsageError(f"{folder / name} already exists: give another folder, or remove it")
    for name in FILES:
        shutil.copyfile(str(FOLDER / name), folder / name)
    say(f"Change {folder / FACES}, and show it: lumek run {folder / FACES} --twin --speed 3600")


def health_line(show: "Show", panels: "Sequence[Panel]") -> str:
    """What went wrong, and what became of it."""
    bus = panels[0].twin.port
    count = sum(panel.twin.faults.count for panel in panels)
    errors, retries, restarts = (
        sum(getattr(panel.health, what) for panel in panels) for what in ("errors", "retries", "restarts")
    )
    return (
        f"{count} faults: {errors} raised an error ({retries} retries, {restarts} restarts), the others are healed "
        f"by refreshing every {REFRESH_S:g} s; {bus.sent:,} bytes"
    )


def cost_line(show: "Show", panels: "Sequence[Panel]") -> str:
    """What it took to show it."""
    bus = panels[0].twin.port
    wrong = sum(len(panel.twin.violations) for panel in panels)
    return (
        f"{bus.sent:,} bytes in {bus.transfers:,} transfers at {bus.hz // 1000} kHz, "
        f"{wrong or 'no'} violation{'' if wrong == 1 else 's'} of a data sheet"
    )
