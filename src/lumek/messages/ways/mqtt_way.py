"""Messages from a topic of an MQTT broker; answers go to a reply topic."""

import os
from collections.abc import Mapping
from hashlib import sha256

from lumek.messages.delivery import Reply
from lumek.messages.models import Answer
from lumek.messages.topics import checked_topic, reply_topic
from lumek.messages.ways.way import WayIn
from lumek.readings.mqtt import BrokerConnection, BrokerMessage, place_of

LAST_S = 1.0
"""How long the last answers may take."""


class MqttWay(WayIn):
    """Messages from a topic of an MQTT broker. Needs paho-mqtt (PackageError without it).

    An answer goes to the response topic that the message has (MQTT 5), otherwise to the topic with '/answer' after it.
    A message that the broker had retained is shown once.

    host: the name or address of a host.
    port: a number, 1 to 65535; default: 8883 with TLS, else 1883.
    topic: a topic, as 'hive/say'.
    user: text, if the broker asks for it.
    password: text, if the broker asks for it.
    tls: true or false: encrypt.
    ca: the path of a file with the certificate of the authority to trust, instead of those of the system; implies tls.
    version: '3.1.1' or '5': that of MQTT.
    client: a client id that nobody else uses; with it the broker keeps messages while this host is away; default: none
        are kept.
    retry_s: whole seconds, 1 to 30, before the first attempt to connect again; doubles up to 30.
    Raises SettingError for a setting that is not possible.
    """

    kind = "mqtt"
    extra = "network"
    modules = ("paho",)

    def __init__(
        self,
        host: str,
        topic: str,
        port: int | None = None,
        *,
        user: str | None = None,
        password: str | None = None,
        tls: bool = False,
        ca: str | os.PathLike[str] | None = None,
        version: str = "5",
        client: str = "",
        retry_s: int = 1,
    ) -> None:
        super().__init__()
        self._topic = checked_topic(topic)
        self._connection = BrokerConnection(
            host, port, user=user, password=password, tls=tls, ca=ca, retry_s=retry_s, came=self._came,
            version=version, client=client, what="MqttWay",
        )  # fmt: skip

    @staticmethod
    def place_of(settings: Mapping[str, object]) -> str:
        """The broker, its port, and the topic."""
        return f"{place_of(settings)}, topic {settings['topic']}"

    @property
    def trouble(self) -> str:
        """Why nothing comes, for people; empty while all is well."""
        return self._connection.trouble

    def _begin(self) -> None:
        self._connection.subscribe(self._topic, 1)
        self._connection.start()

    def _came(self, message: BrokerMessage) -> None:
        if message.topic is not None and message.payload:
            self.bring(message.payload, reply_by(self._connection, message), id=id_of(message))

    def close(self) -> None:
        """Send the last answers, and end the connection. A second time does nothing."""
        super().close()
        self._connection.close(LAST_S)


def id_of(message: BrokerMessage) -> str | None:
    """The id of a message that has none itself: that of its content, if the broker sends it again and again."""
    return "retained-" + sha256(message.payload).hexdigest()[:16] if message.retained else None


def reply_by(connection: BrokerConnection, message: BrokerMessage) -> Reply:
    """Sends an answer to where the message wants it."""
    topic = reply_topic(message, f"{message.topic}/answer")

    def reply(answer: Answer) -> None:
        connection.publish(topic, answer.json_text(), 1, correlation=message.correlation)

    return reply
