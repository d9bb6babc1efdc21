"""The command line: one module a command, loaded when it is called. Nothing but arguments and output."""

import io
import logging
import sys
import warnings
from typing import NoReturn

import click

from lumek.cli.commands import Commands
from lumek.cli.output import flush, silence, tell
from lumek.errors import CheckError, HookupWarning, LumekError, PackageError, PortError

COMMANDS = {
    "demo": "A day of a hive on two simulated panels, in half a minute.",
    "show": "Show text on a panel, simulated or real.",
    "hookup": "List, draw and check the wiring that a hookup file describes.",
    "check": "Find out what is wrong with a panel, from the host to the glass.",
    "decode": "List what the wires of a panel said, from a capture, and what was wrong.",
    "scan": "List the devices on an I2C bus, and the panels that they may be.",
    "glyph": "Show, convert, trace and edit glyphs.",
    "sensors": "List the sensors of this host, with their readings.",
    "run": "Show readings on panels, simulated or real, as a file lays them out.",
    "firmware": "Write what a microcontroller board needs, and bring it there.",
    "fleet": "The panels on an MQTT broker: who is there, what they show, and texts to them.",
}
"""Name of a command, and of its module: what it does. Kept here so that --help loads no command."""


MAY_HEAL = (CheckError, PackageError, PortError)
"""Errors with the exit code 1: the host or the panel is not ready. The others are mistakes in arguments and files."""


START = [
    ("lumek demo", "see it, without hardware"),
    ('lumek show "Good morning"', "text on a simulated panel"),
    ("lumek check --bus 1", "find out what you bought, and what is wrong"),
    ("lumek hookup new wiring.toml", "describe how a panel is wired"),
    ("lumek run new hive.toml", "write a file that shows readings"),
]

COMPLETION = {
    "bash": 'eval "$(_LUMEK_COMPLETE=bash_source lumek)"',
    "zsh": 'eval "$(_LUMEK_COMPLETE=zsh_source lumek)"',
    "fish": "_LUMEK_COMPLETE=fish_source lumek | source",
}
"""What a user writes into the file that the shell reads at its start."""


class LumekCommands(Commands):
    """The group of all commands."""

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        """List the commands without loading them."""
        super().format_commands(ctx, formatter)
        with formatter.section("Where to start"):
            formatter.write_dl(START)
        with formatter.section("Completion in the shell"):
            formatter.write_dl([(f"in {shell}", line) for shell, line in COMPLETION.items()])


lumek = click.version_option(package_name="lumek", message="lumek %(version)s")(
    LumekCommands(
        "lumek", COMMANDS, "Character LCD panels as arrays of cells, real or simulated.",
        context_settings={"help_option_names": ["-h", "--help"]},
    )
)  # fmt: skip


def main(arguments: list[str] | None = None) -> NoReturn:
    """Run the command line. Exit code 0: done, 1: the panel, the bus or a check says no, 2: bad arguments or files."""
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors="replace")
    notices, log = Notices(), logging.getLogger("lumek")
    log.addHandler(notices)
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("always", HookupWarning)
            warnings.showwarning = lambda message, *_: tell(str(message))
            ended = lumek.main(arguments, prog_name="lumek", standalone_mode=False)
            flush()
    except click.ClickException as problem:
        context = getattr(problem, "ctx", None)
        hint = f" ({context.command_path} --help says more)" if context else ""
        _fail(problem.format_message() + hint, 2)
    except LumekError as problem:
        _fail(str(problem), 1 if isinstance(problem, MAY_HEAL) else 2)
    except (click.Abort, KeyboardInterrupt):
        _fail("stopped", 130)
    except BrokenPipeError:
        silence(sys.stdout)  # the reader has gone
        sys.exit(0)
    except OSError as problem:
        silence(sys.stdout)
        _fail(f"cannot write: {problem.strerror or problem}", 2)
    except Exception as problem:
        if not was_interrupted(problem):
            raise
        _fail("stopped", 130)
    finally:
        log.removeHandler(notices)
    sys.exit(ended or 0)


def was_interrupted(problem: Exception) -> bool:
    """Whether an error is what pydantic makes of Ctrl-C while it builds a model."""
    return type(problem).__name__ == "SchemaError" and "KeyboardInterrupt" in str(problem)


MOST_TOLD = 1000


class Notices(logging.Handler):
    """What the library notes in its log goes to standard error, each line once."""

    def __init__(self) -> None:
        super().__init__()
        self._told: set[str] = set()

    def emit(self, record: logging.LogRecord) -> None:
        """Tell it."""
        if record.getMessage() not in self._told:
            if len(self._told) >= MOST_TOLD:
                self._told.clear()
            self._told.add(record.getMessage())
            tell(record.getMessage())


def _fail(message: str, code: int) -> NoReturn:
    tell(" ".join(message.split()))
    sys.exit(code)
