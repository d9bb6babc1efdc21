"""Values from topics of an MQTT broker."""

import os
import sys
import threading
from collections.abc import Mapping
from typing import TYPE_CHECKING, Any, Unpack

from lumek._harmless import quoted
from lumek.errors import SettingError
from lumek.readings.extras import wanted_by
from lumek.readings.guarded import guarded_thread
from lumek.readings.probe import SourceSettings, Taken
from lumek.readings.probes.document import MOST_BYTES, checked_pointer, document_of, pointed_at, utf8_text
from lumek.readings.probes.feed import Feed, FeedProbe
from lumek.readings.probes.network import checked_port, trust
from lumek.readings.time_source import HOST_CLOCK, TimeSource

if TYPE_CHECKING:
    from paho.mqtt.client import Client, MQTTMessage

LONGEST_RETRY_S = 30

CLOSE_S = 2.0

KEPT_BYTES, CHUNK_BYTES = MOST_BYTES + 70_000, 65_536
"""Of a packet that comes in, and at once: a topic has 65,535 bytes at most (MQTT 3.1.1, 1.5.3)."""


def _bound(client: Any) -> None:
    """Bound what a client keeps of a packet that comes in.

    The rest of it is read and dropped, so that the connection stays in step; that a message was too long is then seen
    by its length.
    """
    receive = client._sock_recv

    def bounded(count: int) -> bytes:
        packet = client._in_packet["packet"]
        if len(packet) > KEPT_BYTES:
            del packet[KEPT_BYTES:]
        data: bytes = receive(min(count, CHUNK_BYTES))
        return data

    client._sock_recv = bounded


class MqttTopics(Feed):
    """A connection to an MQTT broker (3.1.1). `probe` makes probes of topics.

    A connection that is lost is made again. A broker that is not there is not an error: its readings say why. A message
    that the broker had retained counts as new when it arrives. Needs paho-mqtt (PackageError without it).

    host: the name or address of a host.
    port: a number, 1 to 65535; default: 8883 with TLS, else 1883.
    user: text, if the broker asks for it.
    password: text, if the broker asks for it.
    tls: true or false: encrypt.
    ca: the path of a file with the certificate of the authority to trust, instead of those of the system; implies tls.
    retry_s: whole seconds, 1 to 30, before the first attempt to connect again; doubles up to 30.
    clock: the clock that readings are dated by; default: the host's.
    Raises SettingError for a setting that is not possible.
    """

    kind = "mqtt"
    extra = "network"
    modules = ("paho",)

    def __init__(
        self,
        host: str,
        port: int | None = None,
        *,
        user: str | None = None,
        password: str | None = None,
        tls: bool = False,
        ca: str | os.PathLike[str] | None = None,
        retry_s: int = 1,
        clock: TimeSource = HOST_CLOCK,
    ) -> None:
        with wanted_by("MqttTopics", "network"):
            from paho.mqtt.client import Client
            from paho.mqtt.enums import CallbackAPIVersion
        super().__init__(clock)
        secure = tls or ca is not None
        port = (8883 if secure else 1883) if port is None else checked_port(port)
        self._place = self.place_of({"host": host, "port": port})
        self._topics: set[str] = set()
        self._client = Client(CallbackAPIVersion.VERSION2)
        _bound(self._client)
        if secure:
            self._client.tls_set_context(trust(ca))
        if user is not None:
            self._client.username_pw_set(user, password)
        self._client.on_connect = self._connected
        self._client.on_connect_fail = self._failed
        self._client.on_disconnect = self._lost
        self._client.on_message = self._came
        self._client.reconnect_delay_set(retry_s, LONGEST_RETRY_S)
        self.trouble = f"no connection to {self._place} yet"
        try:
            self._client.connect_async(host, port)
        except ValueError as problem:
            raise SettingError(f"{quoted(host)} is not a broker: {problem}") from None
        self._ended = threading.Event()
        self._retry_s = retry_s
        self._thread = guarded_thread("lumek MqttTopics", self._run, self._ended, self._broken)
        self._thread.start()

    @staticmethod
    def place_of(settings: Mapping[str, object]) -> str:
        """The broker and its port, for people."""
        secure = settings.get("tls") or settings.get("ca") is not None
        return f"{settings['host']} port {settings.get('port') or (8883 if secure else 1883)}"

    def _run(self) -> None:
        """Keep the connection, whatever a broker sends: what the client cannot bear ends the connection, not this."""
        while not self._ended.is_set():
            self._client.loop_forever(retry_first_connection=True)
            self._ended.wait(self._retry_s)

    def _broken(self, why: str) -> None:
        self.trouble = f"{self._place} sent what makes no sense: {why}"

    def probe(
        self,
        name: str,
        unit: str = "",
        *,
        topic: str | None = None,
        pointer: str | None = None,
        **settings: Unpack[SourceSettings],
    ) -> "FeedProbe":
        """A probe of a topic, whose messages are numbers as text, or JSON documents with a pointer.

        name, unit: as those of `Probe`.
        topic: a topic, as 'hive/weight'; default: the name of the probe.
        pointer: a JSON pointer, as '/hive/weight'; default: the message is the value itself.
        settings: those of `Probe`; lifetime_s is 60 s by default.
        Raises SettingError for a topic with a wildcard or without a character.
        """
        topic = name if topic is None else topic
        if not isinstance(topic, str) or not topic or any(sign in topic for sign in "+#\0") or len(topic) > 1000:
            raise SettingError(f"{quoted(topic)} is not a topic to read: one topic, without + and #")
        if pointer is not None:
            checked_pointer(pointer)
        probe = TopicProbe(self, name, unit, topic, pointer, **settings)
        self._topics.add(topic)
        self._client.subscribe(topic)
        return probe

    def _connected(self, client: "Client", data: object, flags: object, reason: Any, properties: object) -> None:
        if reason.is_failure:
            self.trouble = f"{self._place} refuses: {reason}"
            return
        self.trouble = ""
        for topic in tuple(self._topics):
            client.subscribe(topic)

    def _failed(self, client: "Client", data: object) -> None:
        problem = sys.exc_info()[1]
        self.trouble = f"no connection to {self._place}: {problem or 'it does not answer'}"

    def _lost(self, client: "Client", data: object, flags: object, reason: Any, properties: object) -> None:
        self.trouble = self.trouble or f"the connection to {self._place} is lost: {reason}"

    def _came(self, client: "Client", data: object, message: "MQTTMessage") -> None:
        try:
            self.arrive(message.topic, bytes(message.payload[: MOST_BYTES + 1]))
        except UnicodeDecodeError:
            self.reject(f"{self._place} sent a message with a topic that is not text (UTF-8)")

    def close(self) -> None:
        """End the connection. A second time does nothing."""
        self._ended.set()
        self._client.disconnect()
        if self._thread is not threading.current_thread():
            self._thread.join(CLOSE_S)


class TopicProbe(FeedProbe):
    """What a topic of an MQTT broker says; `MqttTopics.probe` makes it."""

    def __init__(
        self, feed: Feed, name: str, unit: str, topic: str, pointer: str | None, **settings: Unpack[SourceSettings]
    ) -> None:
        super().__init__(feed, name, unit, topic, **settings)
        self._pointer = pointer

    def take(self) -> object:
        """The value in the last message."""
        taken = self.source.latest(self._key)
        payload = taken.value
        assert isinstance(payload, bytes)
        if self._pointer is not None:
            return Taken(pointed_at(document_of(payload), self._pointer), taken.at, taken.time)
        return Taken(utf8_text(payload), taken.at, taken.time)
