"""lumek fleet: the panels on a broker."""

from typing import ClassVar

import click

from lumek.cli.commands import Commands


class FleetCommands(Commands):
    """The commands about panels on a broker."""

    prefix = "fleet_"
    names: ClassVar = {
        "list": "List the panels, their hosts, and what they show.",
        "show": "Show a text on panels, and wait until it is on the glass.",
        "watch": "Draw what panels show, until Ctrl-C.",
    }


@click.command(name="fleet", cls=FleetCommands, invoke_without_command=True)
@click.pass_context
def command(ctx: click.Context) -> None:
    """The panels on an MQTT broker: who is there, what they show, and texts to them.

    \b
    lumek fleet list --broker broker.example
    lumek fleet show terrace "Honey is ready"
    lumek fleet show "hive-*" "Storm at 18:00" --level urgent --for 1min
    lumek fleet watch
    """  # noqa: D301
    if ctx.invoked_subcommand is None:
        click.echo(ctx.get_help())
