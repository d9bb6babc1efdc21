"""Values from topics of an MQTT broker."""

import os
from collections.abc import Mapping
from typing import Unpack

from lumek._harmless import quoted
from lumek.errors import SettingError
from lumek.readings.mqtt import BrokerConnection, BrokerMessage, place_of
from lumek.readings.probe import SourceSettings, Taken
from lumek.readings.probes.document import checked_pointer, document_of, pointed_at, utf8_text
from lumek.readings.probes.feed import Feed, FeedProbe
from lumek.readings.time_source import HOST_CLOCK, TimeSource


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
        super().__init__(clock)
        self._connection = BrokerConnection(
            host, port, user=user, password=password, tls=tls, ca=ca, retry_s=retry_s, came=self._came
        )
        self._connection.start()

    @staticmethod
    def place_of(settings: Mapping[str, object]) -> str:
        """The broker and its port, for people."""
        return place_of(settings)

    @property
    def trouble(self) -> str:
        """Why nothing arrives, for people; empty while all is well."""
        return self._connection.trouble or self._trouble

    @trouble.setter
    def trouble(self, why: str) -> None:
        self._trouble = why

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
        self._connection.subscribe(topic)
        return probe

    def _came(self, message: BrokerMessage) -> None:
        if message.topic is None:
            self.reject(f"{self._connection.place} sent a message with a topic that is not text (UTF-8)")
        else:
            self.arrive(message.topic, message.payload)

    def close(self) -> None:
        """End the connection. A second time does nothing."""
        self._connection.close()


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
