"""What the examples share: readings of a day at a made-up apiary, the view in the terminal, and how errors end."""

import csv
import sys
from collections.abc import Callable, Sequence
from importlib.resources import files

from rich.console import Console

from lumek import LumekError
from lumek.twin import Twin
from lumek.views.terminal import terminal_view


def reading_at(time: str) -> dict[str, str]:
    """The readings of hive 3 at a time of the day, "00:00" to "23:50" in steps of ten minutes."""
    with (files("lumek") / "data" / "hive_day.csv").open(encoding="utf-8") as file:
        return next(reading for reading in csv.DictReader(file) if reading["time"] == time)


def show(twin: Twin | None, scheme: str = "meadow", written: Sequence[str] = ()) -> None:
    """Print what a simulated panel shows, and whether it was treated well; nothing for a real one.

    written: its rows, which stand for drawings where the terminal can only show text.
    """
    if twin is None:
        return
    console = Console()
    console.print(terminal_view(twin, console, scheme, written))
    for violation in twin.violations:
        console.print(str(violation))


def run(main: Callable[[], None]) -> None:
    """Run an example; what Lumek cannot do is one line, and the exit code 1."""
    try:
        main()
    except LumekError as problem:
        sys.exit(f"{sys.argv[0]}: {problem}")
