"""A host on a broker: it publishes what its panels show, and receives messages for them.

| topic | | retained |
|---|---|---|
| ROOT/host/HOST/available | "online" or "offline", the latter as last will | yes |
| ROOT/host/HOST/readings/PROBE | `HostReading` | yes |
| ROOT/host/HOST/faces | in: a face file | by its sender |
| ROOT/host/HOST/faces/answer | `FacesReport` | yes |
| ROOT/panel/PANEL/state | `PanelState` | yes |
| ROOT/panel/PANEL/health | `PanelHealth` | yes |
| ROOT/panel/PANEL/say | in: a message | no |
| ROOT/panel/PANEL/say/answer | `Answer`, unless the message has a response topic | no |
| ROOT/say | in: a message for all panels | no |

A panel that is the only one of its host has the host's name; of several, PANEL is HOST-NAME.
"""

import os
from collections import deque
from collections.abc import Collection, Iterable, Mapping
from hashlib import sha256
from socket import gethostname
from time import monotonic
from typing import Any

from lumek._harmless import LONGEST_LINE, harmless, quoted
from lumek._notice import notice
from lumek.fields.field import Moment
from lumek.messages.desk import Desk
from lumek.messages.discovery import entities
from lumek.messages.models import Answer, iso
from lumek.messages.reports import FacesReport, HostReading, PanelHealth, PanelState, Report
from lumek.messages.seen import Seen
from lumek.messages.topics import checked_name, reply_topic, topic_level
from lumek.messages.ways.mqtt_way import LAST_S, id_of
from lumek.messages.ways.way import Pace
from lumek.readings.mqtt import BrokerConnection, BrokerMessage, Will, place_of
from lumek.readings.reading import Reading

ONLINE, OFFLINE = "online", "offline"

OFTEN, OFTEN_S = 4, 20.0
"""This many connections within this many seconds mean that something closes them."""

HEALTH_S = 60.0
"""From one report of a panel's counters to the next."""

READINGS_S = 10.0
"""From one report of a reading to the next, unless its flaw changes."""

LONGEST_FACES = 256_000
"""Bytes of a face file."""


class Broker:
    """A connection to an MQTT broker: it publishes what this host's panels show, and receives messages for them.

    Needs paho-mqtt (PackageError without it).

    host: the name or address of a host.
    port: a number, 1 to 65535; default: 8883 with TLS, else 1883.
    name: a name that no other host on the broker has; default: the host name.
    root: the first part of all topics.
    user: text, if the broker asks for it.
    password: text, if the broker asks for it.
    tls: true or false: encrypt.
    ca: the path of a file with the certificate of the authority to trust, instead of those of the system; implies tls.
    version: '3.1.1' or '5': that of MQTT.
    every_s: seconds, 0.001 to 100000000, the shortest time between two reports of what a panel shows.
    faces: true or false: receive faces from the broker, at ROOT/host/NAME/faces.
    discovery: the topic prefix under which a home-automation hub looks for devices; default: no discovery.
    retry_s: whole seconds, 1 to 30, before the first attempt to connect again; doubles up to 30.
    Raises SettingError for a setting that is not possible.
    """

    def __init__(
        self,
        host: str,
        port: int | None = None,
        *,
        name: str | None = None,
        root: str = "lumek",
        user: str | None = None,
        password: str | None = None,
        tls: bool = False,
        ca: str | os.PathLike[str] | None = None,
        version: str = "5",
        every_s: float = 1.0,
        faces: bool = False,
        discovery: str | None = None,
        retry_s: int = 1,
    ) -> None:
        self.name = checked_name(gethostname() if name is None else name)
        self.root = checked_name(root)
        self._host = f"{self.root}/host/{self.name}"
        self._every_s, self._takes_faces, self._discovery = every_s, faces, discovery
        self._connection = BrokerConnection(
            host, port, user=user, password=password, tls=tls, ca=ca, retry_s=retry_s, came=self._came,
            connected=self._connected, version=version, client=f"{self.root}-{self.name}",
            will=Will(f"{self._host}/available", OFFLINE), what="Broker",
        )  # fmt: skip
        self._names: dict[str, str] = {}
        self._desk: Desk | None = None
        self._allow: Collection[str] | None = None
        self._pace = Pace()
        self._told: dict[str, tuple[float, object]] = {}
        self._is_new = False
        self._begun: deque[float] = deque(maxlen=OFTEN)
        self._faces: bytes | None = None
        self._closing = self._connection.ended

    @staticmethod
    def place_of(settings: Mapping[str, object]) -> str:
        """The broker, its port, and the name there, for people."""
        return f"{place_of(settings)} as {quoted(settings.get('name') or gethostname())}"

    @property
    def trouble(self) -> str:
        """Why there is no connection, for people; empty while all is well."""
        begun = list(self._begun)
        if len(begun) == OFTEN and begun[-1] - begun[0] < OFTEN_S and monotonic() - begun[-1] < OFTEN_S:
            return (
                f"{self._connection.place} keeps closing the connection; another host may also be named "
                f"{quoted(self.name)}"
            )
        return self._connection.trouble

    def open(self, desk: Desk, allow: Collection[str] | None = None) -> None:
        """Connect, and take messages for the panels of a desk.

        allow: what messages may ask for; default: what the desk allows.
        """
        self._desk, self._allow = desk, allow
        several = len(desk.inboxes) > 1
        self._names = {name: f"{self.name}-{name}" if several else self.name for name in desk.inboxes}
        topics = [f"{self.root}/say", *(f"{self.root}/panel/{name}/say" for name in self._names.values())]
        if self._takes_faces:
            topics.append(f"{self._host}/faces")
        for topic in topics:
            self._connection.subscribe(topic, 1)
        self._connection.start()

    def _connected(self) -> None:
        self._connection.publish(f"{self._host}/available", ONLINE, 1, retain=True)
        self._is_new = True
        self._begun.append(monotonic())

    def _came(self, message: BrokerMessage) -> None:
        if message.topic is None or not message.payload:
            return
        self._pace.keep(self._closing)
        if message.topic == f"{self._host}/faces":
            self._faces = message.payload
            return
        names = [name for name, told in self._names.items() if message.topic == f"{self.root}/panel/{told}/say"]
        self._bring(message, names or list(self._names))

    def _bring(self, message: BrokerMessage, names: Collection[str]) -> None:
        def reply(answer: Answer) -> None:
            told = self._names.get(answer.panel, self.name)
            topic = reply_topic(message, f"{self.root}/panel/{told}/say/answer")
            text = answer.model_copy(update={"panel": told}).json_text()
            self._connection.publish(topic, text, 1, correlation=message.correlation)

        assert self._desk is not None
        self._desk.bring(message.payload, reply, allow=self._allow, panels=names, id=id_of(message))

    def tell(self, seen: Iterable[Seen], readings: Mapping[str, Reading], now: Moment) -> None:
        """Report what has changed. Called after each drawing, by the thread that draws."""
        if not self._connection.is_up:
            return
        seen = list(seen)
        if self._is_new:
            self._is_new = False
            self._told.clear()
            self._discover(seen, readings)
        for one in seen:
            place = f"{self.root}/panel/{self._names[one.name]}"
            self._tell_state(place, one, now)
            if self._is_due(f"{place}/health", None, HEALTH_S, now):
                self._publish(f"{place}/health", self._health_of(one, now))
        for name, reading in readings.items():
            topic = f"{self._host}/readings/{topic_level(name)}"
            if self._is_due(topic, reading.flaw, READINGS_S, now):
                self._publish(topic, reading_report(reading))

    def _tell_state(self, place: str, one: Seen, now: Moment) -> None:
        panel = one.panel
        topic = f"{place}/state"
        at, told = self._told.get(topic, (float("-inf"), None))
        if now.seconds - at < self._every_s:
            return
        known = (panel.rows, panel.drawings, one.face, one.message, one.held, one.answers, panel.backlight)
        self._told[topic] = now.seconds, known
        if known != told:
            self._publish(topic, self._state_of(one, now))

    def _is_due(self, topic: str, mark: object, every_s: float, now: Moment) -> bool:
        at, told = self._told.get(topic, (float("-inf"), None))
        if now.seconds - at < every_s and mark == told:
            return False
        self._told[topic] = now.seconds, mark
        return True

    def _publish(self, topic: str, report: Report) -> None:
        self._connection.publish(topic, report.json_text(), 0, retain=True)

    def _state_of(self, one: Seen, now: Moment) -> PanelState:
        panel = one.panel
        drawings: dict[str, list[tuple[int, int]]] = {}
        for cell, rows in panel.drawings.items():
            drawings.setdefault(bytes(rows).hex(), []).append(cell)
        return PanelState(
            panel=self._names[one.name], host=self.name, size=panel.size, rom=panel.rom, rows=panel.rows,
            face=one.face, faces=list(one.faces), message=one.message, held=one.held, light=panel.backlight,
            compromises=dict(panel.compromises.values()), drawings=drawings, answers=one.answers, time=iso(now.unix),
        )  # fmt: skip

    def _health_of(self, one: Seen, now: Moment) -> PanelHealth:
        counters = {key: value for key, value in one.panel.health.as_dict().items() if key in PanelHealth.model_fields}
        return PanelHealth(**counters, panel=self._names[one.name], waiting=one.waiting, time=iso(now.unix))

    def _discover(self, seen: Iterable[Seen], readings: Mapping[str, Reading]) -> None:
        if self._discovery is None:
            return
        panels = {self._names[one.name]: one for one in seen}
        for topic, text in entities(self._discovery, self.root, self.name, panels, readings):
            self._connection.publish(topic, text, 1, retain=True)

    def new_faces(self) -> bytes | None:
        """A face file that has come since this was asked last."""
        faces, self._faces = self._faces, None
        return faces

    def faces_answered(self, faces: bytes, why: str, unix: float) -> None:
        """Report what became of a face file: it is shown, or why it is not."""
        if why:
            notice(f"faces from the broker refused: {harmless(why, LONGEST_LINE)}")
        self._is_new = True
        report = FacesReport(
            host=self.name, state="refused" if why else "taken", digest=sha256(faces).hexdigest()[:16],
            why=harmless(why), time=iso(unix),
        )  # fmt: skip
        self._connection.publish(f"{self._host}/faces/answer", report.json_text(), 1, retain=True)

    def close(self) -> None:
        """Say that the host is gone, and end the connection. A second time does nothing."""
        if self._connection.is_up:
            self._connection.publish(f"{self._host}/available", OFFLINE, 1, retain=True)
        self._connection.close(LAST_S)


def reading_report(reading: Reading) -> HostReading:
    """What is told of a reading."""
    value = float(reading)
    return HostReading(
        name=reading.name, value=value if value - value == 0 else None, text=reading.text, unit=reading.unit,
        flaw=reading.flaw, cause=harmless(reading.cause, LONGEST_LINE), time=iso(max(0.0, reading.time)),
    )  # fmt: skip


def reports() -> dict[str, Any]:
    """The JSON Schema of everything that is sent and told."""
    from pydantic import BaseModel
    from pydantic.json_schema import JsonSchemaMode, models_json_schema

    from lumek.messages.models import Message

    kinds: tuple[type[BaseModel], ...] = (Message, Answer, PanelState, PanelHealth, HostReading, FacesReport)
    models: list[tuple[type[BaseModel], JsonSchemaMode]] = [(one, "validation") for one in kinds]
    _, schema = models_json_schema(models, title="Lumek: messages, answers and reports")
    return schema
