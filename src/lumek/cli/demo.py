"""lumek demo: a day of a hive."""

import csv
import time
from collections.abc import Iterator
from contextlib import nullcontext
from importlib.resources import files
from pathlib import Path
from typing import TYPE_CHECKING

import click

from lumek import Panel, level, simulate
from lumek.cli.options import picture_options, rom_option, write_picture

if TYPE_CHECKING:
    from rich.console import Console, Group

SIZE = "20x4"
DEFAULT_SPEED = 2.0
MINUTES = 10
"""Between two lines of the shipped file."""


@click.command(name="demo")
@click.option(
    "--speed",
    type=click.FloatRange(0, min_open=True),
    default=DEFAULT_SPEED,
    metavar="HOURS",
    help=f"Hours of the day shown in a second (default {DEFAULT_SPEED:g}).",
)
@rom_option
@picture_options
def command(speed: float, rom: str | None, picture: Path | None, scheme: str) -> None:
    """Show a day of a hive on a simulated 20x4 panel.

    The readings are made up. They go through the same port states as to a real panel with an I2C backpack, and the
    simulated panel decodes them from its pins. Without a terminal only the last view is printed. Ctrl-C ends it.
    """
    from rich.console import Console
    from rich.live import Live

    console = Console()
    panel = simulate(SIZE, rom or "A00")
    live = Live(view(panel, console, scheme), console=console, auto_refresh=False)
    try:
        with live if console.is_terminal else nullcontext():
            write_labels(panel)
            start = time.monotonic()
            for number, reading in enumerate(day(), 1):
                write_values(panel, reading)
                if console.is_terminal:
                    live.update(view(panel, console, scheme), refresh=True)
                    time.sleep(max(0.0, start + number * MINUTES / 60 / speed - time.monotonic()))
    except KeyboardInterrupt:
        click.echo(f"stopped at {panel[0, -5:]}", err=True)
    write_picture(panel.twin, picture, scheme)
    if not console.is_terminal:
        console.print(view(panel, console, scheme))


def day() -> Iterator[dict[str, str]]:
    """The readings of the shipped file, one dictionary for each ten minutes."""
    with (files("lumek") / "data" / "hive_day.csv").open(encoding="utf-8") as file:
        yield from csv.DictReader(file)


def write_labels(panel: Panel) -> None:
    """What stays on the panel: written once."""
    panel[:] = "🐝 Hive 3\n      kg        kg\nBrood     °C      Hz\nTraffic     🔋      %"


def write_values(panel: Panel, reading: dict[str, str]) -> None:
    """What changes: only cells that differ are sent."""
    with panel.together():
        panel[0, -5:] = reading["time"]
        panel[1, 0:5] = f"{float(reading['weight_kg']):5.2f}"
        panel[1, 10:15] = f"{float(reading['honey_kg']):+5.2f}"
        panel[2, 6:10] = f"{float(reading['brood_c']):4.1f}"
        panel[2, 14:17] = f"{int(reading['hum_hz']):3}"
        panel[3, 8:11] = f"{int(reading['foragers_per_min']):3}"
        panel.glyphs["🔋"] = level("🔋", float(reading["battery_percent"]) / 100)
        panel[3, 16:19] = f"{int(reading['battery_percent']):3}"


def view(panel: Panel, console: "Console", scheme: str) -> "Group":
    """The panel, and what it took to bring it there."""
    from rich.console import Group
    from rich.text import Text

    from lumek.twin.terminal import terminal_view

    bus = panel.twin.port
    wrong = len(panel.twin.violations)
    caption = (
        f"{bus.sent:,} bytes in {bus.transfers} transfers at {bus.hz // 1000} kHz, "
        f"{wrong or 'no'} violation{'' if wrong == 1 else 's'} of a data sheet"
    )
    return Group(terminal_view(panel.twin, console, scheme, panel.rows), Text(caption))
