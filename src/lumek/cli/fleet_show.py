"""lumek fleet show: a text on panels of a broker, acknowledged."""

from pathlib import Path
from time import monotonic
from typing import TYPE_CHECKING

import click

from lumek.cli.fleet_options import broker_options, opened, settings_of
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
@click.option("--for", "seconds", type=seconds_of, metavar="TIME", help="How long it is shown, as 30s.")
@click.option("--level", type=click.Choice(("low", "normal", "urgent")), help="An urgent text is shown at once.")
@click.option("--fit", type=click.Choice(("pages", "wrap", "glide")), help="What becomes of long text.")
@click.option("--wait", "wait_s", type=seconds_of, default="10s", metavar="TIME", help="Wait so long (10s).")
def command(
    name: str,
    text: str,
    broker: str,
    user: str | None,
    tls: bool,
    ca: Path | None,
    root: str | None,
    seconds: float | None,
    level: str | None,
    fit: str | None,
    wait_s: float,
) -> None:
    """Show TEXT on the panel NAME, and wait until it is on the glass.

    NAME may be a pattern, as "hive-*" or "*" for all. TEXT may be JSON with the keys of docs/messages.md. The exit
    code is 1 when a panel has not shown it.
    """
    from lumek.messages.fleet import message_of

    message = message_of(text)
    message |= {key: value for key, value in (("seconds", seconds), ("level", level), ("fit", fit)) if value}
    with opened(settings_of(broker, user, tls, ca, root)) as fleet:
        names = fleet.named([name])
        if not names:
            there = ", ".join(sorted(fleet.members)[:NAMED]) or "none"
            raise CheckError(f"no panel is named {name!r} on this broker: there are {there}")
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
    say(f"shown on {len(shown)} of {len(sending.names)}")
    if len(shown) < len(sending.names):
        silent = [f"{name}{'' if fleet.is_online(name) else ' (offline)'}" for name in sending.silent]
        more = f" and {len(silent) - NAMED} others" if len(silent) > NAMED else ""
        who = f"no answer from {', '.join(silent[:NAMED])}{more}" if silent else "see above why"
        raise CheckError(f"{len(sending.names) - len(shown)} of {len(sending.names)} have not shown it: {who}")
