"""What the commands print: one way to each stream, by which nothing of others' text reaches a terminal raw."""

import json
import os
import sys
from typing import Any, TextIO

import click

from lumek._harmless import LONGEST, harmless


def say(text: str) -> None:
    """Print a line to standard output. Raises OSError when it cannot be written."""
    click.echo(harmless(text, LONGEST))


def say_json(data: Any) -> None:
    """Print data for a program to read: ASCII alone, so that it is harmless on a terminal, too."""
    click.echo(json.dumps(data, indent=2, ensure_ascii=True))


def tell(text: str) -> None:
    """Print a line to standard error. One that cannot be written is lost: the exit code says what happened, too."""
    try:
        print(f"lumek: {harmless(text, LONGEST)}", file=sys.stderr, flush=True)
    except (OSError, ValueError):
        silence(sys.stderr)


def flush() -> None:
    """Write out what is still to be printed. Raises OSError."""
    if sys.stdout is not None and not sys.stdout.closed:
        sys.stdout.flush()


def silence(stream: TextIO | None) -> None:
    """Let a stream that cannot be written take everything, so that Python does not complain of it at its end."""
    try:
        if stream is not None:
            nothing = os.open(os.devnull, os.O_WRONLY)
            os.dup2(nothing, stream.fileno())
            os.close(nothing)
    except (OSError, ValueError):
        pass
