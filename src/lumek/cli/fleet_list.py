"""lumek fleet list: the panels on a broker."""

from typing import TYPE_CHECKING, Any

import click

from lumek.cli.fleet_options import broker_options, fleet_on
from lumek.cli.output import say, say_json

if TYPE_CHECKING:
    from lumek.messages.fleet import Fleet
    from lumek.messages.reports import PanelState


@click.command(name="list")
@broker_options
@click.option("--json", "as_json", is_flag=True, help="Print JSON.")
def command(settings: dict[str, Any], as_json: bool) -> None:
    """List the panels, their hosts, and what they show."""
    with fleet_on(settings) as fleet:
        states = fleet.states()
        if as_json:
            say_json([{**state.model_dump(), "online": fleet.is_online(name)} for name, state in states.items()])
            return
        if not states:
            say("no panels on this broker")
            return
        for line in columns_of(fleet, states):
            say(line)


def columns_of(fleet: "Fleet", states: "dict[str, PanelState]") -> list[str]:
    """The panels in columns."""
    rows = [("panel", "host", "size", "state", "shows")]
    for name, state in states.items():
        online = "offline" if not fleet.is_online(name) else "online" if state.answers else "no answer"
        text = " | ".join(shown for row in state.rows if (shown := row.replace("\ufffc", "▪").strip()))
        rows.append((name, state.host, state.size, online, text))
    widths = [max(len(row[column]) for row in rows) for column in range(4)]
    return ["  ".join([*(f"{cell:{width}}" for cell, width in zip(row, widths, strict=False)), row[4]]).rstrip()
            for row in rows]  # fmt: skip
