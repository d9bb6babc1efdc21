"""lumek fleet: the panels on a broker."""

import os
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from lumek.cli.options import seconds_of
from lumek.cli.output import say, say_json, tell
from lumek.errors import CheckError, FaceError, NoAnswerError

if TYPE_CHECKING:
    from lumek.messages.fleet import Fleet, Sending

PASSWORD = "LUMEK_PASSWORD"
"""The variable of the environment with the password; it is no option, which others would see among the processes."""

GATHER_S = 10.0
"""How long the broker may take."""

NAMED = 8
"""Names of panels in one line."""


def broker_options(function: Callable[..., Any]) -> Callable[..., Any]:
    """--broker, --user, --tls, --ca and --root."""
    for option in (
        click.option("--root", metavar="NAME", help="The first part of all topics (default lumek)."),
        click.option("--ca", type=click.Path(path_type=Path), metavar="FILE", help="Trust this authority (TLS)."),
        click.option("--tls", is_flag=True, help="Encrypt."),
        click.option("--user", metavar="NAME", help=f"A user of the broker; {PASSWORD} has the password."),
        click.option(
            "--broker", envvar="LUMEK_BROKER", default="localhost", metavar="HOST[:PORT] | FILE",
            help="The broker, or a file with a table [broker] (default localhost, or LUMEK_BROKER).",
        ),
    ):  # fmt: skip
        function = option(function)
    return function


def settings_of(broker: str, user: str | None, tls: bool, ca: Path | None, root: str | None) -> dict[str, Any]:
    """How the broker is reached. Raises FaceError and UsageError."""
    given = {"user": user, "tls": tls or None, "ca": ca, "root": root}
    settings: dict[str, Any] = {key: value for key, value in given.items() if value is not None}
    if broker.endswith(".toml"):
        return _from_file(Path(broker)) | settings
    host, colon, port = broker.rpartition(":") if not broker.startswith("[") else (broker, "", "")
    if colon and host and ":" not in host:
        if not port.isascii() or not port.isdigit():
            raise click.UsageError(f"--broker {broker}: the port is a number, as in --broker {host}:1883")
        settings |= {"host": host, "port": int(port)}
    else:
        settings["host"] = broker
    return settings | ({"password": os.environ[PASSWORD]} if PASSWORD in os.environ else {})


def _from_file(path: Path) -> dict[str, Any]:
    from lumek.config.tables import Tables, file_text
    from lumek.messages.tables import broker_of, settings_of

    text = file_text(path, "file", "docs/fleet.md says how [broker] is written", FaceError)
    table = broker_of(Tables(text, str(path), "file", FaceError), path)
    if table is None:
        raise FaceError(f"{path} has no table [broker]")
    settings = settings_of(table, None, path.parent)
    return {key: value for key, value in settings.items() if key in FLEET_KEYS}


FLEET_KEYS = ("host", "port", "user", "password", "tls", "ca", "version", "root")


@contextmanager
def opened(settings: dict[str, Any]) -> "Iterator[Fleet]":
    """A block with the fleet. Raises NoAnswerError when the broker does not answer."""
    from lumek.messages.fleet import Fleet

    with Fleet(**settings) as fleet:
        if not fleet.gather(GATHER_S):
            raise NoAnswerError(f"{fleet.trouble}; --broker HOST[:PORT] names another broker")
        yield fleet


@click.group(name="fleet")
def command() -> None:
    """The panels on an MQTT broker: who is there, what they show, and texts to them.

    \b
    lumek fleet list --broker broker.example
    lumek fleet show terrace "Honey is ready"
    lumek fleet show "hive-*" "Storm at 18:00" --level urgent --for 1min
    lumek fleet watch
    """  # noqa: D301


@command.command(name="list")
@broker_options
@click.option("--json", "as_json", is_flag=True, help="As JSON.")
def list_command(broker: str, user: str | None, tls: bool, ca: Path | None, root: str | None, as_json: bool) -> None:
    """List the panels, their hosts, and what they show."""
    with opened(settings_of(broker, user, tls, ca, root)) as fleet:
        names = sorted(fleet.members)
        if as_json:
            say_json([{**fleet.members[name].state.model_dump(), "online": fleet.is_online(name)} for name in names])
            return
        if not names:
            say("no panel is on this broker")
            return
        for line in table_of(fleet, names):
            say(line)


def table_of(fleet: "Fleet", names: list[str]) -> list[str]:
    """The panels in columns."""
    rows = [("panel", "host", "size", "state", "shows")]
    for name in names:
        state = fleet.members[name].state
        online = "offline" if not fleet.is_online(name) else "online" if state.answers else "no answer"
        text = " | ".join(shown for row in state.rows if (shown := row.replace("\ufffc", "▪").strip()))
        rows.append((name, state.host, state.size, online, text))
    widths = [max(len(row[column]) for row in rows) for column in range(4)]
    return ["  ".join([*(f"{cell:{width}}" for cell, width in zip(row, widths, strict=False)), row[4]]).rstrip()
            for row in rows]  # fmt: skip


@command.command(name="show")
@click.argument("name")
@click.argument("text")
@broker_options
@click.option("--for", "seconds", type=seconds_of, metavar="TIME", help="How long it is shown, as 30s.")
@click.option("--level", type=click.Choice(("low", "normal", "urgent")), help="An urgent text is shown at once.")
@click.option("--fit", type=click.Choice(("pages", "wrap", "glide")), help="What becomes of long text.")
@click.option("--wait", "wait_s", type=seconds_of, default="10s", metavar="TIME", help="Wait so long (10s).")
def show_command(
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

    NAME may be a pattern, as "hive-*" or "*" for all. TEXT may be JSON with the keys of docs/fleet.md. The exit code is
    1 when a panel has not shown it.
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
        wait_with_progress(sending, wait_s)
        report(fleet, sending)


def wait_with_progress(sending: "Sending", wait_s: float) -> None:
    """Wait for the answers, with a bar when it takes more than a second."""
    from lumek.cli.working import working

    with working(f"{len(sending.names)} panel{'s' if len(sending.names) > 1 else ''}") as work:
        sending.wait(wait_s, lambda one: work.at(len(one.answers) / len(one.names)))


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


@command.command(name="watch")
@click.argument("names", nargs=-1, metavar="[NAME]...")
@broker_options
@click.option("--for", "seconds", type=seconds_of, metavar="TIME", help="End after 30s, 5min or 2h.")
def watch_command(
    names: tuple[str, ...],
    broker: str,
    user: str | None,
    tls: bool,
    ca: Path | None,
    root: str | None,
    seconds: float | None,
) -> None:
    """Watch what panels show, until Ctrl-C: all of them, or those whose names fit.

    They are drawn in the terminal; where there is none, each change is a line.
    """
    from lumek.cli.fleet_view import watch

    watch(settings_of(broker, user, tls, ca, root), names or ("*",), seconds)
