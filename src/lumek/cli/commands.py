"""A group of commands, each in a module of its own that is loaded when it is called."""

from collections.abc import Mapping
from importlib import import_module
from typing import Any

import click

from lumek._harmless import quoted


class Commands(click.Group):
    """Commands by name; without one, their help.

    names: {name: what it does}, so that --help loads none of them.
    prefix: before the name in the name of its module.
    """

    def __init__(self, name: str, names: Mapping[str, str], help: str, prefix: str = "", **settings: Any) -> None:
        super().__init__(name, help=help, callback=_help, invoke_without_command=True, **settings)
        self.names, self.prefix = names, prefix

    def list_commands(self, ctx: click.Context) -> list[str]:
        """The names, in the order in which they are met."""
        return list(self.names)

    def get_command(self, ctx: click.Context, name: str) -> click.Command | None:
        """The command of that name; a usage error for an unknown name."""
        if name not in self.names:
            ctx.fail(f"there is no command {quoted(name)}: commands are {', '.join(self.names)}")
        command: click.Command = import_module(f"lumek.cli.{self.prefix}{name}").command
        return command

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        """List the commands without loading them."""
        with formatter.section("Commands"):
            formatter.write_dl(list(self.names.items()))


@click.pass_context
def _help(ctx: click.Context) -> None:
    if ctx.invoked_subcommand is None:
        click.echo(ctx.get_help())
