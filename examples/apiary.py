"""What the examples share: readings of a day at a made-up apiary, the view in the terminal, and how errors end."""

import os
import signal

signal.signal(signal.SIGINT, signal.SIG_DFL)  # while all is loaded, Ctrl-C just ends it

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
    """Run an example. --help says what it does; what cannot be done is one line, and so is Ctrl-C."""
    signal.signal(signal.SIGINT, signal.default_int_handler)
    name, given = sys.argv[0], sys.argv[1:]
    if {"-h", "--help"} & {*given}:
        print((sys.modules["__main__"].__doc__ or "").strip())
        return
    if unknown := [one for one in given if one.startswith("-")]:
        sys.exit(f"{name}: there is no option {unknown[0]}; --help says what there is")
    try:
        main()
    except KeyboardInterrupt:
        sys.exit(f"{name}: stopped")
    except BrokenPipeError:  # the reader has gone, as that of "| head"
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
    except (LumekError, ValueError) as problem:  # a ValueError from int(): a number was expected
        sys.exit(f"{name}: {problem}; --help says how to call it")
