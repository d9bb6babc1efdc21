"""A connection to an MQTT broker that is kept, whatever the broker sends or fails to do."""

import os
import sys
import threading
from collections.abc import Callable, Mapping
from time import monotonic
from typing import TYPE_CHECKING, Any, NamedTuple, TypedDict

from lumek._harmless import quoted
from lumek.errors import SettingError
from lumek.readings.extras import wanted_by
from lumek.readings.guarded import guarded_thread
from lumek.readings.probes.document import MOST_BYTES
from lumek.readings.probes.network import checked_port, trust

if TYPE_CHECKING:
    from paho.mqtt.client import Client, MQTTMessage, MQTTMessageInfo

LONGEST_RETRY_S = 30

CLOSE_S = 2.0

KEPT_BYTES, CHUNK_BYTES = MOST_BYTES + 70_000, 65_536
"""Of a packet that comes in, and at once: a topic has 65,535 bytes at most (MQTT 3.1.1, 1.5.3)."""

MOST_WAITING = 2000
"""Messages that wait for a broker that is away; what comes then is not sent."""

AT_ONCE = 50
"""Topics that are asked for in one packet."""

NOT_CONNECTED = 4
"""Of paho-mqtt: it is kept, and sent later (MQTT_ERR_NO_CONN)."""


class BrokerMessage(NamedTuple):
    """A message from a broker.

    topic: None when it is not text (UTF-8).
    retained: whether the broker had kept it.
    reply_topic, correlation: where an answer is wanted, and what it has to carry (MQTT 5).
    """

    topic: str | None
    payload: bytes
    retained: bool = False
    reply_topic: str | None = None
    correlation: bytes | None = None


class Account(TypedDict, total=False):
    """How a broker is spoken to: see `lumek.readings.MqttTopics`; and the version of MQTT, "3.1.1" or "5"."""

    user: str | None
    password: str | None
    tls: bool
    ca: str | os.PathLike[str] | None
    version: str


class Will(NamedTuple):
    """What the broker says when the connection is lost."""

    topic: str
    payload: str


class BrokerConnection:
    """A connection to a broker, made in a thread of its own, and made again when it is lost. Needs paho-mqtt.

    host, port, user, password, tls, ca, retry_s: see `lumek.readings.MqttTopics`.
    came: called with each message, by that thread.
    connected: called by that thread each time that the broker has accepted the connection.
    version: "3.1.1" or "5" of MQTT.
    client: an id under which the broker keeps what it has for this client while it is away; "" for none.
    will: what the broker says when it is gone.
    trouble: why nothing arrives, for people; empty while all is well.
    Raises SettingError for a setting that is not possible, PackageError without paho-mqtt.
    """

    def __init__(
        self,
        host: str,
        port: int | None,
        *,
        user: str | None = None,
        password: str | None = None,
        tls: bool = False,
        ca: str | os.PathLike[str] | None = None,
        retry_s: int = 1,
        came: Callable[[BrokerMessage], object],
        connected: Callable[[], object] = lambda: None,
        version: str = "3.1.1",
        client: str = "",
        will: Will | None = None,
        what: str = "MqttTopics",
    ) -> None:
        with wanted_by(what, "network"):
            from paho.mqtt.client import Client
            from paho.mqtt.enums import CallbackAPIVersion, MQTTProtocolVersion
        secure = tls or ca is not None
        port = (8883 if secure else 1883) if port is None else checked_port(port)
        self.place = place_of({"host": host, "port": port})
        self._came, self._connected = came, connected
        self.is_up = False
        self._asked, self._has_asked = 0, False
        self._topics: dict[str, int] = {}
        self._last: MQTTMessageInfo | None = None
        self._five = version == "5"
        self._client = Client(
            CallbackAPIVersion.VERSION2, client, clean_session=None if self._five else not client,
            protocol=MQTTProtocolVersion.MQTTv5 if self._five else MQTTProtocolVersion.MQTTv311,
        )  # fmt: skip
        _bound(self._client)
        self._client.max_queued_messages_set(MOST_WAITING)
        if secure:
            self._client.tls_set_context(trust(ca))
        if user is not None:
            self._client.username_pw_set(user, password)
        if will is not None:
            self._client.will_set(will.topic, will.payload, qos=1, retain=True)
        self._client.on_connect = self._on_connect
        self._client.on_connect_fail = self._on_fail
        self._client.on_disconnect = self._on_disconnect
        self._client.on_message = self._on_message
        self._client.on_subscribe = self._on_subscribe
        self._client.reconnect_delay_set(retry_s, LONGEST_RETRY_S)
        self.trouble = f"no connection to {self.place} yet"
        keeping: dict[str, Any] = {}
        if self._five and client:  # for a day (MQTT 5, 3.1.2.11.2)
            keeping = {"clean_start": False, "properties": _properties("CONNECT", SessionExpiryInterval=86_400)}
        try:
            self._client.connect_async(host, port, **keeping)
        except ValueError as problem:
            raise SettingError(f"{quoted(host)} is not a broker: {problem}") from None
        self._ended = threading.Event()
        self._retry_s = retry_s
        self._thread = guarded_thread(f"lumek {what}", self._run, self._ended, self._broken)

    @property
    def ended(self) -> threading.Event:
        """Set once it is closed."""
        return self._ended

    def start(self) -> None:
        """Connect."""
        self._thread.start()

    def _run(self) -> None:
        """Keep the connection, whatever a broker sends: what the client cannot bear ends the connection, not this."""
        while not self._ended.is_set():
            self._client.loop_forever(retry_first_connection=True)
            self._ended.wait(self._retry_s)

    def _broken(self, why: str) -> None:
        self.trouble = f"{self.place} sent what makes no sense: {why}"

    def subscribe(self, topic: str, qos: int = 0) -> None:
        """Have messages of a topic sent, now and each time that the connection is made.

        topic: with wildcards, if need be.
        qos: 0: they may be lost; 1: they come at least once.
        """
        self._topics[topic] = qos
        if self.is_up:
            self._subscribe([(topic, qos)])

    @property
    def is_subscribed(self) -> bool:
        """Whether the broker has answered to all that was asked for."""
        return self.is_up and self._has_asked and self._asked == 0

    def _subscribe(self, wanted: list[tuple[str, int]]) -> None:
        self._asked += 1
        if self._five:
            from paho.mqtt.subscribeoptions import SubscribeOptions

            self._client.subscribe([(topic, SubscribeOptions(qos)) for topic, qos in wanted])
        else:
            self._client.subscribe(wanted)

    def publish(
        self, topic: str, payload: str | bytes, qos: int = 0, retain: bool = False, correlation: bytes | None = None
    ) -> bool:
        """Send a message, without waiting; with a qos of 1 it is kept while the broker is away.

        correlation: what it answers to (MQTT 5).
        Returns False when it is not sent: too many are waiting, or the broker is away and the qos is 0.
        """
        properties = None
        if self._five and correlation is not None:
            properties = _properties("PUBLISH", CorrelationData=correlation)
        return self._publish(topic, payload, qos, retain, properties)

    def request(self, topic: str, payload: str | bytes, reply_topic: str, correlation: bytes, expires_s: float) -> bool:
        """Send a message with a qos of 1 whose answer is wanted at a topic (MQTT 5).

        expires_s: seconds after which the broker no longer delivers it.
        """
        properties = _properties(
            "PUBLISH", ResponseTopic=reply_topic, CorrelationData=correlation,
            MessageExpiryInterval=max(1, int(expires_s)),
        )  # fmt: skip
        return self._publish(topic, payload, 1, False, properties)

    def _publish(self, topic: str, payload: str | bytes, qos: int, retain: bool, properties: Any) -> bool:
        try:
            sent = self._client.publish(topic, payload, qos, retain, properties)
        except ValueError:  # a topic that is not possible
            return False
        if qos and sent.rc in (0, NOT_CONNECTED):
            self._last = sent
            return True
        return sent.rc == 0

    def _on_connect(self, client: "Client", data: object, flags: object, reason: Any, properties: object) -> None:
        if reason.is_failure:
            self.trouble = f"{self.place} refuses: {reason}"
            return
        self.trouble = ""
        self._asked, self._has_asked = 0, False
        self.is_up = True
        wanted = list(self._topics.items())
        for place in range(0, len(wanted), AT_ONCE):
            self._subscribe(wanted[place : place + AT_ONCE])
        self._has_asked = True
        self._connected()

    def _on_fail(self, client: "Client", data: object) -> None:
        problem = sys.exc_info()[1]
        why = getattr(problem, "strerror", None) or problem or "it does not answer"
        self.trouble = f"no connection to {self.place}: {why}"

    def _on_disconnect(self, client: "Client", data: object, flags: object, reason: Any, properties: object) -> None:
        self.is_up = False
        self.trouble = self.trouble or f"the connection to {self.place} is lost: {reason}"

    def _on_subscribe(self, client: "Client", data: object, number: int, reasons: Any, properties: object) -> None:
        self._asked -= 1
        refused = next((reason for reason in reasons if reason.is_failure), None)
        if refused is not None:
            self.trouble = f"{self.place} refuses a subscription: {refused}"

    def _on_message(self, client: "Client", data: object, message: "MQTTMessage") -> None:
        properties = message.properties
        try:
            topic: str | None = message.topic
        except UnicodeDecodeError:
            topic = None
        self._came(BrokerMessage(
            topic, bytes(message.payload[: MOST_BYTES + 1]), bool(message.retain),
            getattr(properties, "ResponseTopic", None), getattr(properties, "CorrelationData", None),
        ))  # fmt: skip

    def close(self, last_s: float = 0.0) -> None:
        """End the connection. A second time does nothing.

        last_s: seconds that what waits may take to be sent.
        """
        end = monotonic() + last_s
        while self.is_up and monotonic() < end and self._last is not None and not self._last.is_published():
            self._ended.wait(0.01)
        self._ended.set()
        self._client.disconnect()
        if self._thread.is_alive() and self._thread is not threading.current_thread():
            self._thread.join(CLOSE_S)


def place_of(settings: Mapping[str, object]) -> str:
    """A broker and its port, for people."""
    secure = settings.get("tls") or settings.get("ca") is not None
    return f"{settings['host']} port {settings.get('port') or (8883 if secure else 1883)}"


def _properties(packet: str, **values: object) -> Any:
    """Properties of a packet of MQTT 5."""
    from paho.mqtt.packettypes import PacketTypes
    from paho.mqtt.properties import Properties

    make: Any = Properties
    properties = make(getattr(PacketTypes, packet))
    for name, value in values.items():
        setattr(properties, name, value)
    return properties


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
