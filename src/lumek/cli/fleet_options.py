"""Options that name a broker, and the fleet on it."""

import os
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from lumek.errors import FaceError, NoAnswerError

if TYPE_CHECKING:
    from lumek.messages.fleet import Fleet

PASSWORD = "LUMEK_PASSWORD"
"""The variable of the environment with the password; it is no option, which others would see among the processes."""

GATHER_S = 10.0
"""How long the broker may take."""


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
