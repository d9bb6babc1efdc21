"""What a file may say of messages: the tables [messages] and [messages.from.NAME], and what they open."""

from collections.abc import Iterator, Mapping, Sequence
from contextlib import ExitStack, contextmanager
from pathlib import Path
from typing import Any, Literal

from pydantic import Field as Key

from lumek._notice import notice
from lumek.config.secrets import with_secrets
from lumek.config.signature import Parameter, parameters, table
from lumek.config.tables import Table, Tables, one_of
from lumek.errors import FaceError, LumekError, PackageError, PortError
from lumek.messages.desk import Desk
from lumek.messages.models import KINDS
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

    kind: WayKind = Key(description=one_of(WAYS))


def paths_of(way: type[WayIn]) -> list[str]:
    """The settings of a way in that are paths of files."""
    return [key for key, one in parameters(way.__init__, way).items() if _is_path(one)]


def _is_path(one: Parameter) -> bool:
    return "PathLike" in one.annotation


class MessagesFile:
    """What a file says of messages.

    path: the file.
    table: [messages].
    ways: [messages.from.NAME] by name.
    """

    def __init__(self, path: Path, table: Any, ways: Mapping[str, Any]) -> None:
        self.path, self.table, self.ways = path, table, ways

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
            yield OpenDesk(desk, ways)

    def _made(self, name: str) -> WayIn:
        said = self.ways[name]
        kind = WAYS[said.kind]
        settings = said.model_dump(exclude={"kind", "allow"}, exclude_unset=True)
        for key in paths_of(kind):
            if settings.get(key):
                settings[key] = self.path.parent / settings[key]
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
        return [
            f"[messages.from.{name}]  {TITLES.get(one.kind, one.kind)} {WAYS[one.kind].place_of(one.model_dump())}"
            for name, one in self.ways.items()
        ]

    def shortfalls(self) -> Iterator[str]:
        """What is missing here: packages and ports, a line each."""
        for name, one in self.ways.items():
            way = WAYS[one.kind]
            if needs := lacking(f"[messages.from.{name}]", way.extra, way.modules):
                yield needs
            elif one.kind == "serial" and not Path(one.port).exists():
                yield f"[messages.from.{name}] this host has no port {one.port}"


class OpenDesk:
    """A desk, and the ways in that bring to it."""

    def __init__(self, desk: Desk, ways: Mapping[str, WayIn]) -> None:
        self.desk, self.ways = desk, ways
        self._told: dict[str, str] = {}

    def tell(self) -> None:
        """Say which ways in have troubles, each different one once, and which are well again."""
        for name, way in self.ways.items():
            trouble = way.trouble
            if trouble != self._told.get(name, "") and not (trouble and name not in self._told and "yet" in trouble):
                self._told[name] = trouble
                notice(f"messages from {name}: {trouble or 'all is well again'}")

    @property
    def over(self) -> bool:
        """Whether its ways have ended, and everything was shown that came."""
        ended = bool(self.ways) and all(way.ended for way in self.ways.values())
        return ended and not any(len(inbox) or inbox.showing for inbox in self.desk)


def read_messages(raw: Any, tables: Tables, path: Path) -> MessagesFile:
    """The tables of messages in a file. Raises FaceError."""
    raw = dict(raw)
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
    return MessagesFile(path, tables.checked(MessagesTable, raw, "messages", "messages."), ways)
