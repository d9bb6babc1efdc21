"""lumek fleet show: a text on panels of a broker, acknowledged."""

from time import monotonic
from typing import TYPE_CHECKING, Any

import click

from lumek.cli.fleet_options import broker_options, fleet_on
from lumek.cli.options import seconds_of
from lumek.cli.output import say, tell
from lumek.errors import CheckError

if TYPE_CHECKING:
    from lumek.messages.fleet import Fleet, Sending

REPEAT_S = 3.0
"""So long an answer is waited for before the message is sent again."""

NAMED = 8
"""Names of panels in one line."""


@click.command(name="show")
@click.argument("name")
@click.argument("text")
@broker_options
@click.option("--for", "seconds", type=seconds_of, metavar="TIME", help="How long to show it, such as 30s.")
@click.option(
    "--level", type=click.Choice(("low", "normal", "urgent")), help="How soon: urgent interrupts (default normal)."
)
@click.option("--fit", type=click.Choice(("pages", "wrap", "glide")), help="How to show long text.")
@click.option(
    "--wait",
    "wait_s",
    type=seconds_of,
    default="10s",
    metavar="TIME",
    help="How long to wait for answers (default 10s).",
)
def command(
    name: str,
    text: str,
    settings: dict[str, Any],
    seconds: float | None,
    level: str | None,
    fit: str | None,
    wait_s: float,
) -> None:
    """Show TEXT on the panel NAME, and wait until it is on the glass.

    NAME may be a pattern, as "hive-*" or "*" for all. TEXT may be JSON with the keys of docs/messages.md. The exit
    code is 1 when a panel did not show it.
    """
    from lumek.messages.fleet import message_of

    message = message_of(text)
    message |= {key: value for key, value in (("seconds", seconds), ("level", level), ("fit", fit)) if value}
    with fleet_on(settings) as fleet:
        names = list(fleet.states([name]))
        if not names:
            there = ", ".join(list(fleet.states())[:NAMED]) or "none"
            raise CheckError(f"no panel on this broker matches {name!r}; panels: {there}")
        sending = fleet.send(names, message, wait_s)
        wait_with_progress(fleet, sending, wait_s)
        report(fleet, sending)


def wait_with_progress(fleet: "Fleet", sending: "Sending", wait_s: float) -> None:
    """Wait for the answers, with a bar when it takes more than a second; send it again to those who are silent."""
    from lumek.cli.working import working

    end = monotonic() + wait_s
    with working(f"{len(sending.names)} panel{'s' if len(sending.names) > 1 else ''}") as work:

        def show(one: "Sending") -> None:
            work.at(len(one.answers) / len(one.names))

        while not sending.wait(min(REPEAT_S, max(0.0, end - monotonic())), show) and monotonic() < end:
            fleet.repeat(sending, end - monotonic())


def report(fleet: "Fleet", sending: "Sending") -> None:
    """Say what became of a message. Raises CheckError when a panel has not shown it."""
    shown = [name for name, one in sending.answers.items() if one.state in ("shown", "done")]
    for name, answer in sorted(sending.answers.items()):
        if answer.state not in ("shown", "done"):
            tell(f"{name}: {answer.state}: {answer.why}")
        elif answer.compromises:
            instead = ", ".join(f"{there!r} for {written!r}" for written, there in answer.compromises.items())
            tell(f"{name}: shows {instead}")
    say(f"shown on {len(shown)} of {len(sending.names)} panel{'s' if len(sending.names) > 1 else ''}")
    if len(shown) < len(sending.names):
        silent = [f"{name}{'' if fleet.is_online(name) else ' (offline)'}" for name in sending.silent]
        more = f" and {len(silent) - NAMED} others" if len(silent) > NAMED else ""
        who = f"no answer from {', '.join(silent[:NAMED])}{more}" if silent else "the reasons are above"
        raise CheckError(f"not shown on {len(sending.names) - len(shown)} of {len(sending.names)}: {who}")
