"""Options that name a broker, and the fleet on it."""

import os
import re
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import wraps
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from lumek.errors import FaceError, NoAnswerError

if TYPE_CHECKING:
    from lumek.messages.fleet import Fleet

PASSWORD = "LUMEK_PASSWORD"
"""The environment variable with the password. An option would show it to everyone who lists processes."""

PLACE = re.compile(r"(?:\[(?P<six>[^\[\]]+)\]|(?P<host>[^:]+))(?::(?P<port>[^:]*))?")
"""HOST, HOST:PORT or [IPv6]:PORT; anything else is a host, as an IPv6 address without brackets is."""

GATHER_S = 10.0
"""How long the broker may take to answer."""


def broker_options(function: Callable[..., Any]) -> Callable[..., Any]:
    """--broker, --user, --tls, --ca and --root. The command gets one dict, `settings`: the arguments of `Fleet`."""

    @wraps(function)
    def with_settings(
        *, broker: str, user: str | None, tls: bool, ca: Path | None, root: str | None, **others: Any
    ) -> Any:
        return function(settings=account_of(broker, user, tls, ca, root), **others)

    command: Callable[..., Any] = with_settings
    for option in (
        click.option("--root", metavar="NAME", help="First part of all topics (default lumek)."),
        click.option(
            "--ca", type=click.Path(path_type=Path), metavar="FILE",
            help="Certificate of the authority to trust (implies TLS).",
        ),
        click.option("--tls", is_flag=True, help="Encrypt the connection."),
        click.option("--user", metavar="NAME", help=f"User name; the password comes from {PASSWORD}."),
        click.option(
            "--broker", envvar="LUMEK_BROKER", default="localhost", metavar="HOST[:PORT] | FILE",
            help="Broker, or a file with a [broker] table (default LUMEK_BROKER, or localhost).",
        ),
    ):  # fmt: skip
        command = option(command)
    return command


def account_of(broker: str, user: str | None, tls: bool, ca: Path | None, root: str | None) -> dict[str, Any]:
    """How the broker is reached. Raises FaceError and UsageError."""
    given = {"user": user, "tls": tls or None, "ca": ca, "root": root}
    settings: dict[str, Any] = {key: value for key, value in given.items() if value is not None}
    if broker.endswith(".toml"):
        return _from_file(Path(broker)) | settings
    place = PLACE.fullmatch(broker)
    settings["host"] = (place["six"] or place["host"]) if place else broker
    if place and (port := place["port"]) is not None:
        if not port.isascii() or not port.isdigit():
            raise click.UsageError(f"--broker {broker}: the port must be a number, as in HOST:1883")
        settings["port"] = int(port)
    return settings | ({"password": os.environ[PASSWORD]} if PASSWORD in os.environ else {})


def _from_file(path: Path) -> dict[str, Any]:
    from lumek.config.tables import Tables, file_text
    from lumek.messages.broker import Broker
    from lumek.messages.tables import broker_of, settings_of

    text = file_text(path, "file", "docs/fleet.md describes [broker]", FaceError)
    table = broker_of(Tables(text, str(path), "file", FaceError), path)
    if table is None:
        raise FaceError(f"{path} has no table [broker]")
    settings = settings_of(table, Broker.__init__, path.parent)
    return {key: value for key, value in settings.items() if key in FLEET_KEYS}


FLEET_KEYS = ("host", "port", "user", "password", "tls", "ca", "version", "root")


@contextmanager
def fleet_on(settings: dict[str, Any]) -> "Iterator[Fleet]":
    """A block with the fleet. Raises NoAnswerError when the broker does not answer."""
    from lumek.messages.fleet import Fleet

    with Fleet(**settings) as fleet:
        if not fleet.gather(GATHER_S):
            why = fleet.trouble or f"the broker did not answer within {GATHER_S:g} s"
            raise NoAnswerError(f"{why}; use --broker HOST[:PORT] for another broker")
        yield fleet
