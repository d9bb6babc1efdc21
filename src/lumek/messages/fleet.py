"""The fleet on a broker, from the other side: who is there, what they show, and messages to them with their answers."""

import threading
from collections.abc import Callable, Collection, Iterable, Sequence
from fnmatch import fnmatchcase
from json import dumps
from time import monotonic
from types import TracebackType
from typing import Any, Self, TypeVar, Unpack
from uuid import uuid4

from pydantic import BaseModel, ValidationError

from lumek.messages.broker import ONLINE
from lumek.messages.models import Answer
from lumek.messages.reading import understood
from lumek.messages.reports import PanelHealth, PanelState
from lumek.messages.topics import checked_name
from lumek.readings.mqtt import Account, BrokerConnection, BrokerMessage

MOST_PANELS = 10_000
"""The panels whose state is remembered."""

MOST_SENDINGS = 100
"""Messages whose answers are still taken."""

QUIET_S = 0.5
"""Without a new message for this long, all that the broker kept has arrived."""

Model = TypeVar("Model", bound=BaseModel)


class Member:
    """A panel of the fleet.

    state: what it shows.
    health: how it has been, once it has said so.
    """

    def __init__(self, state: PanelState) -> None:
        self.state = state
        self.health: PanelHealth | None = None


class Sending:
    """A message to some panels, and their answers as they come.

    id, content: of the message.
    names: of the panels that it is for.
    answers: by the names of those who have answered.
    """

    def __init__(self, id: str, content: str, names: Collection[str]) -> None:
        self.id, self.content = id, content
        self.names = list(names)
        self.answers: dict[str, Answer] = {}
        self.changed = threading.Condition()

    @property
    def silent(self) -> list[str]:
        """Those who have not answered."""
        return [name for name in self.names if name not in self.answers]

    def take(self, answer: Answer) -> None:
        """An answer came."""
        with self.changed:
            if answer.panel in self.names:
                self.answers.setdefault(answer.panel, answer)
            self.changed.notify_all()

    def wait(self, limit_s: float, each: Callable[["Sending"], object] = lambda sending: None) -> bool:
        """Wait for all answers.

        limit_s: seconds, at most.
        each: called after each answer, and ten times a second.
        Returns whether all have come.
        """
        end = monotonic() + limit_s
        while self.silent and (left := end - monotonic()) > 0:
            with self.changed:
                self.changed.wait(min(left, 0.1))
            each(self)
        each(self)
        return not self.silent


class Fleet:
    """A connection to the broker of a fleet. Needs paho-mqtt (PackageError without it).

    host, port, root, and user, password, tls, ca and version: as those of `lumek.messages.broker.Broker`.
    members: the panels by name; online: the hosts that are there.
    """

    def __init__(self, host: str, port: int | None = None, *, root: str = "lumek", **account: Unpack[Account]) -> None:
        self.root = checked_name(root)
        self.members: dict[str, Member] = {}
        self.online: set[str] = set()
        self._heard = monotonic()
        self._five = account.setdefault("version", "5") == "5"
        self._reply_topic = f"{self.root}/client/{uuid4().hex}/answer"
        self._sendings: dict[str, Sending] = {}
        self._connection = BrokerConnection(host, port, **account, came=self._came, what="lumek fleet")
        for topic in (f"{self.root}/host/+/available", f"{self.root}/panel/+/state", f"{self.root}/panel/+/health"):
            self._connection.subscribe(topic, 0)
        # A host that speaks MQTT 3.1.1 knows of no response topic.
        for topic in (f"{self.root}/panel/+/say/answer", *((self._reply_topic,) if self._five else ())):
            self._connection.subscribe(topic, 1)
        self._connection.start()

    @property
    def trouble(self) -> str:
        """Why there is no connection, for people; empty while all is well."""
        return self._connection.trouble

    def gather(self, limit_s: float) -> bool:
        """Wait for everything that the broker kept. Returns False when it does not answer within the time."""
        end = monotonic() + limit_s
        while not self._connection.is_subscribed:
            if self._connection.ended.wait(0.01) or monotonic() > end:
                return False
        self._heard = monotonic()
        while monotonic() < min(end, self._heard + QUIET_S):
            self._connection.ended.wait(0.02)
        return True

    def is_online(self, name: str) -> bool:
        """Whether the host of a panel is there."""
        member = self.members.get(name)
        return member is not None and member.state.host in self.online

    def states(self, patterns: Iterable[str] = ("*",)) -> dict[str, PanelState]:
        """What the panels show now whose names fit one of the patterns, as 'hive-*'; sorted by name."""
        patterns = list(patterns)
        return {
            name: member.state
            for name, member in sorted(self.members.items())
            if any(fnmatchcase(name, one) for one in patterns)
        }

    def send(self, names: Sequence[str], message: dict[str, Any], expires_s: float = 60.0) -> Sending:
        """Send a message to panels.

        names: theirs; all of the fleet get it in one piece.
        message: the keys of `lumek.messages.models.Message`; an id is added.
        expires_s: seconds after which the broker no longer delivers it (MQTT 5).
        Raises GarbledError for a message that no panel would take.
        """
        message = {"id": uuid4().hex[:16], **message}
        content = dumps(message)
        understood(content)
        sending = Sending(str(message["id"]), content, names)
        self._sendings[sending.id] = sending
        while len(self._sendings) > MOST_SENDINGS:
            self._sendings.pop(next(iter(self._sendings)))
        everybody = len(names) > 1 and set(names) == set(self.members)
        self._send(sending, [f"{self.root}/say"] if everybody else self._places(names), expires_s)
        return sending

    def repeat(self, sending: Sending, expires_s: float = 60.0) -> None:
        """Send a message again to those who have not answered. Thanks to its id none of them shows it twice."""
        self._send(sending, self._places(sending.silent), expires_s)

    def _places(self, names: Iterable[str]) -> list[str]:
        return [f"{self.root}/panel/{name}/say" for name in names]

    def _send(self, sending: Sending, places: Iterable[str], expires_s: float) -> None:
        for place in places:
            if self._five:
                self._connection.request(place, sending.content, self._reply_topic, sending.id.encode(), expires_s)
            else:
                self._connection.publish(place, sending.content, 1)

    def _came(self, message: BrokerMessage) -> None:
        self._heard = monotonic()
        parts = (message.topic or "").removeprefix(f"{self.root}/").split("/")
        if parts[0] == "host" and len(parts) == 3:
            (self.online.add if message.payload == ONLINE.encode() else self.online.discard)(parts[1])
        elif parts[0] == "panel" and parts[2:] == ["state"]:
            self._take_state(parts[1], message.payload)
        elif parts[0] == "panel" and parts[2:] == ["health"]:
            health = _read(PanelHealth, message.payload)
            if health is not None and parts[1] in self.members:
                self.members[parts[1]].health = health
        elif parts[-1] == "answer":
            answer = _read(Answer, message.payload)
            if answer is not None and answer.id in self._sendings:
                self._sendings[answer.id].take(answer)

    def _take_state(self, name: str, payload: bytes) -> None:
        if not payload:
            self.members.pop(name, None)
            return
        state = _read(PanelState, payload)
        if state is None or state.panel != name or (name not in self.members and len(self.members) >= MOST_PANELS):
            return
        if name in self.members:
            self.members[name].state = state
        else:
            self.members[name] = Member(state)

    def close(self) -> None:
        """End the connection."""
        self._connection.close()

    def __enter__(self) -> Self:
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, at: TracebackType | None) -> None:
        self.close()


def _read(model: type[Model], payload: bytes) -> Model | None:
    """A payload of the fleet; None for what makes no sense."""
    try:
        return model.model_validate_json(payload)
    except ValidationError:
        return None


def message_of(text: str) -> dict[str, Any]:
    """The keys of a message: those of JSON, or a plain text. Raises GarbledError."""
    if not text.lstrip().startswith("{"):
        return {"text": text}
    return understood(text).message.model_dump(exclude_unset=True)
