"""What a file may say of messages: the tables [messages] and [messages.from.NAME], and what they open."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import ExitStack, contextmanager
from pathlib import Path
from typing import Any, Literal

from pydantic import ConfigDict
from pydantic import Field as Key

from lumek.config.secrets import with_secrets
from lumek.config.signature import parameters, table
from lumek.config.tables import Table, Tables, one_of
from lumek.errors import FaceError, LumekError, PackageError, PortError
from lumek.messages.broker import Broker
from lumek.messages.desk import Desk
from lumek.messages.models import KINDS
from lumek.messages.opened import OpenDesk
from lumek.messages.record import Record
from lumek.messages.ways.buttons_way import ORDERS, ButtonsWay
from lumek.messages.ways.file_way import FileWay
from lumek.messages.ways.http_way import HttpWay
from lumek.messages.ways.line_ways import InputWay, SerialWay
from lumek.messages.ways.mqtt_way import MqttWay
from lumek.messages.ways.socket_ways import TcpWay, UnixWay
from lumek.messages.ways.way import WayIn
from lumek.readings.extras import lacking
from lumek.readings.time_source import HOST_CLOCK, TimeSource

FROM = "from"

WAYS: dict[str, type[WayIn]] = {
    way.kind: way for way in (MqttWay, HttpWay, TcpWay, UnixWay, SerialWay, InputWay, FileWay, ButtonsWay)
}
"""Kind of way in: its class. A new kind is one more class in this line."""

ALLOW = list[Literal["text", "face", "next", "back", "hold", "light", "contrast", "clear"]]
LINE = int | str | None
ALLOWED = f"a list of {one_of(KINDS)}: what its messages may ask for"

KINDS_OF_KEYS: dict[str, Any] = dict.fromkeys(ORDERS, LINE) | {"encoder": list[int | str] | None}

TABLES: dict[str, type[Table]] = {
    name: table(
        f"{way.__name__}Table", Table, parameters(way.__init__, way), kinds=KINDS_OF_KEYS,
        kind=(Literal[name], ...),
        allow=(ALLOW | None, Key(None, description=f"{ALLOWED}; default: that of [messages]")),
    )
    for name, way in WAYS.items()
}  # fmt: skip
"""Kind of way in: its table."""

TITLES = {"mqtt": "MQTT broker", "http": "HTTP at", "tcp": "TCP at", "unix": "socket", "serial": "serial port",
          "input": "lines from", "buttons": "buttons at"}  # fmt: skip
"""Kind of way in: what it is, for people."""

OURS = ("panels", "record", "clock")

MessagesTable = table(
    "MessagesTable", Table,
    {key: one for key, one in parameters(Desk.__init__, Desk).items() if key not in OURS},
    kinds={"allow": ALLOW},
    record=(str | None, Key(None, description="the path of a file that keeps what was shown, so that a message with an "
                                              "id is shown once, whatever happens to the host")),
)  # fmt: skip
"""[messages]: what is done with messages."""

WayKind: Any = Literal[tuple(WAYS)]


class _AnyWay(Table):
    """What every way in says; read where its kind is unknown."""

    model_config = ConfigDict(extra="ignore")
    kind: WayKind = Key(description=one_of(WAYS))


BrokerTable = table(
    "BrokerTable", Table, parameters(Broker.__init__, Broker),
    allow=(ALLOW | None, Key(None, description=f"{ALLOWED}; default: that of [messages]")),
)  # fmt: skip
"""[broker]."""


def settings_of(said: Table, function: Callable[..., Any], folder: Path) -> dict[str, Any]:
    """The settings that a table has for a function, with paths from the folder of the file."""
    settings = said.model_dump(exclude={"kind", "allow"}, exclude_unset=True)
    for key, one in parameters(function).items():
        if "PathLike" in one.annotation and settings.get(key):
            settings[key] = folder / settings[key]
    return settings


class MessagesFile:
    """What a file says of messages.

    path: the file.
    table: [messages].
    ways: [messages.from.NAME] by name.
    broker: [broker]; None for none.
    """

    def __init__(self, path: Path, table: Any, ways: Mapping[str, Any], broker: Any = None) -> None:
        self.path, self.table, self.ways, self.broker = path, table, ways, broker

    @contextmanager
    def opened(self, panels: Sequence[str], clock: TimeSource = HOST_CLOCK) -> Iterator["OpenDesk"]:
        """A block in which messages are taken.

        panels: the names of the panels; "" for the only one.
        Raises FaceError for what cannot be, PortError and PackageError for what may heal.
        """
        settings = self.table.model_dump(exclude={"record"})
        with ExitStack() as stack:
            with self._placing("[messages]"):
                record = None if self.table.record is None else Record(self.path.parent / self.table.record)
            desk = Desk(panels, record=record, clock=clock, **settings)
            stack.callback(desk.close)
            ways = {name: self._made(name) for name in self.ways}
            for name, way in ways.items():
                stack.callback(way.close)
                with self._placing(f"[messages.from.{name}]"):
                    way.open(desk, self.ways[name].allow)
            broker = None
            if self.broker is not None:
                with self._placing("[broker]"):
                    broker = Broker(**settings_of(self.broker, Broker.__init__, self.path.parent))
                stack.callback(broker.close)
                broker.open(desk, self.broker.allow)
            stack.callback(desk.end)  # while its answers can still be sent
            yield OpenDesk(desk, ways, broker)

    def _made(self, name: str) -> WayIn:
        said = self.ways[name]
        kind = WAYS[said.kind]
        settings = settings_of(said, kind.__init__, self.path.parent)
        with self._placing(f"[messages.from.{name}]"):
            return kind(**settings)

    @contextmanager
    def _placing(self, place: str) -> Iterator[None]:
        """Say in which table an error is. What may heal by itself keeps its kind."""
        try:
            yield
        except LumekError as problem:
            kind = next((kind for kind in (PackageError, PortError) if isinstance(problem, kind)), FaceError)
            raise kind(f"{self.path}: {place} {problem}") from None

    def places(self) -> list[str]:
        """Where messages come from, a line each, without secrets."""
        broker = [] if self.broker is None else [f"[broker]  {Broker.place_of(self.broker.model_dump())}"]
        return broker + [
            f"[messages.from.{name}]  {TITLES.get(one.kind, one.kind)} {WAYS[one.kind].place_of(one.model_dump())}"
            for name, one in self.ways.items()
        ]

    def shortfalls(self) -> Iterator[str]:
        """What is missing here: packages and ports, a line each."""
        if self.broker is not None and (needs := lacking("[broker]", "network", ("paho",))):
            yield needs
        for name, one in self.ways.items():
            way = WAYS[one.kind]
            if needs := lacking(f"[messages.from.{name}]", way.extra, way.modules):
                yield needs
            elif one.kind == "serial" and not Path(one.port).exists():
                yield f"[messages.from.{name}] this host has no port {one.port}"


def read_messages(tables: Tables, path: Path) -> MessagesFile:
    """The tables of messages in a file, and that of the broker. Raises FaceError."""
    raw = dict(tables.raw.get("messages", {}))
    found = raw.pop(FROM, {})
    if not isinstance(found, dict):
        raise FaceError(f"{path}: [messages] from is a table of tables: [messages.from.NAME]")
    ways = {}
    for name, one in found.items():
        place = f"messages.from.{name}"
        filled = with_secrets(one, path.parent, f"{path}: [{place}]", FaceError)
        kind = filled.get("kind") if isinstance(filled, dict) else None
        model = TABLES[kind] if isinstance(kind, str) and kind in TABLES else _AnyWay
        ways[name] = tables.checked(model, filled, place, f"{place}.")
    return MessagesFile(
        path, tables.checked(MessagesTable, raw, "messages", "messages."), ways, broker_of(tables, path)
    )


def broker_of(tables: Tables, path: Path) -> Any:
    """The table of the broker in a file; None for none. Raises FaceError."""
    if "broker" not in tables.raw:
        return None
    filled = with_secrets(tables.raw["broker"], path.parent, f"{path}: [broker]", FaceError)
    return tables.checked(BrokerTable, filled, "broker", "broker.")
