"""A real broker for tests, and somebody who publishes and listens."""

import socket
import subprocess
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from secrets import randbelow
from shutil import which
from typing import Any

import paho.mqtt.client
import pytest
from paho.mqtt.enums import CallbackAPIVersion

BROKER = which("mosquitto", path="/usr/sbin:/usr/local/sbin:/usr/bin:/usr/local/bin:/opt/homebrew/sbin")

Message = paho.mqtt.client.MQTTMessage


def free_port() -> int:
    """A port where nobody listens, below those that connections get for their own end (32768 and more on Linux)."""
    while True:
        port = 20_000 + randbelow(12_000)
        with suppress(OSError), socket.create_server(("127.0.0.1", port)):
            return port


class Broker:
    """A broker that can be killed and started again, and keeps what it had retained."""

    def __init__(self, folder: Path, port: int, *settings: str) -> None:
        if BROKER is None:
            pytest.skip("needs the broker mosquitto: apt install mosquitto")
        self.port = port
        self._config = folder / "broker.conf"
        lines = (f"listener {port} 127.0.0.1", "allow_anonymous true", "user root", *settings)
        self._config.write_text("\n".join(lines))
        self.process: subprocess.Popen[bytes]

    def start(self) -> None:
        self.process = subprocess.Popen(
            [str(BROKER), "-c", str(self._config)], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
        )
        while True:
            try:
                socket.create_connection(("127.0.0.1", self.port), 1).close()
                return
            except OSError:
                assert self.process.poll() is None, "the broker has ended"
                time.sleep(0.02)

    def kill(self) -> None:
        self.process.kill()
        self.process.wait()

    def end(self) -> None:
        self.process.terminate()
        self.process.wait()


@contextmanager
def broker(folder: Path, port: int, *settings: str) -> Iterator[Broker]:
    """A real broker, until the end of the block."""
    one = Broker(folder, port, *settings)
    one.start()
    try:
        yield one
    finally:
        one.end()


@contextmanager
def sender(port: int, tls: str | None = None) -> Iterator[Callable[[str, Any], None]]:
    """Somebody who publishes, retained."""
    client = paho.mqtt.client.Client(CallbackAPIVersion.VERSION2)
    if tls:
        client.tls_set(tls)
    client.connect("127.0.0.1", port)
    client.loop_start()
    try:
        yield lambda topic, payload: client.publish(topic, payload, qos=1, retain=True).wait_for_publish(5)
    finally:
        client.disconnect()
        client.loop_stop()


@contextmanager
def listener(port: int, *topics: str, five: bool = True) -> Iterator[tuple[paho.mqtt.client.Client, list[Message]]]:
    """Somebody who listens to topics, and may publish; and the messages that came."""
    came: list[Message] = []
    protocol = paho.mqtt.client.MQTTv5 if five else paho.mqtt.client.MQTTv311
    client = paho.mqtt.client.Client(CallbackAPIVersion.VERSION2, protocol=protocol)
    client.on_message = lambda client, data, message: came.append(message)
    client.on_connect = lambda *_: [client.subscribe(topic, 1) for topic in topics]
    client.connect("127.0.0.1", port)
    client.loop_start()
    try:
        yield client, came
    finally:
        client.disconnect()
        client.loop_stop()
