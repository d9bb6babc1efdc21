"""Senders that no one would take messages from: the host goes on, its memory stays, and its terminals see nothing raw."""

import contextlib
import json
import logging
import os
import pty
import random
import socket
import subprocess
import sys
import time
import tty
from collections.abc import Callable
from http.client import HTTPConnection, HTTPException
from pathlib import Path
from typing import Any

import psutil
from attempt import CONTROLS, HOSTILE

sys.path.insert(0, str(Path(__file__).parents[2] / "tests"))

from lumek.messages import Record
from lumek.messages.models import COMMANDS, LEVELS, Message
from lumek.messages.ways.file_way import FileWay
from lumek.messages.ways.http_way import HttpWay
from lumek.messages.ways.line_ways import SerialWay
from lumek.messages.ways.mqtt_way import MqttWay
from lumek.messages.ways.socket_ways import TcpWay, UnixWay
from support.broker import BROKER, Broker, free_port
from support.hosting import host

SAMPLE = 200
"""Messages by each way; a hundred times as many are the whole."""

GROWTH = 24 * 2**20
"""By so many bytes memory may grow after the first half."""

VALUES: tuple[Any, ...] = (
    None, True, False, 0, -1, 1, 0.5, 1e308, 10**40, "", "x", "a\nb", [], [1] * 8, [[]] * 50, {}, {"a": {"b": [None]}},
    "usual", "toggle", "#ff0000", "honey", "2026-06-01T12:00:00Z", 2**31, "9" * 300, "蜂" * 200,
)  # fmt: skip


def content(chance: random.Random) -> bytes:
    """What somebody sends."""
    hostile = chance.choice(HOSTILE)
    keys = [*Message.model_fields, "txt", "\x1b[2J", "__class__"]
    made: dict[str, Any] = {"text": chance.choice([hostile, "honey", "🐝 ž", "long " * chance.randrange(400)])}
    for _ in range(chance.randrange(5)):
        made[chance.choice(keys)] = chance.choice(
            [*VALUES, hostile, chance.choice(LEVELS), {"🐝": chance.choice(VALUES)}]
        )
    text = json.dumps(made)
    return chance.choice((
        lambda: text.encode(), lambda: text.encode(), lambda: text[: chance.randrange(len(text))].encode(),
        lambda: json.dumps({chance.choice(COMMANDS): chance.choice(VALUES)}).encode(),
        lambda: hostile.encode("utf-8", "surrogatepass"), lambda: chance.randbytes(chance.randrange(1, 200)),
        lambda: b"{" + b'"a":{' * chance.randrange(3000), lambda: b"[" * 16_000, lambda: b"x" * chance.choice((16_384, 16_385, 60_000)),
        lambda: text.encode().replace(b"e", bytes((chance.randrange(256),))), lambda: b"\x1b[31mred\x1b[0m",
    ))()  # fmt: skip


class Listening(logging.Handler):
    """What would be printed."""

    def __init__(self) -> None:
        super().__init__()
        self.raw: list[str] = []

    def emit(self, record: logging.LogRecord) -> None:
        """Look at it."""
        if CONTROLS.search(record.getMessage()):
            self.raw.append(record.getMessage())


def run(chance: random.Random, times: float, folder: Path) -> tuple[str, list[str]]:
    """Send by every way; what should not have happened."""
    failures: list[str] = []
    count = int(SAMPLE * times)
    listening = Listening()
    logging.getLogger("lumek").addHandler(listening)
    answered = 0
    for name, by in {"tcp": tcp, "unix": unix, "http": http, "serial": serial, "file": file, "mqtt": mqtt}.items():
        if name == "mqtt" and BROKER is None:
            failures.append("mosquitto is not installed: apt install mosquitto")
            continue
        answers = by(folder, [content(chance) for _ in range(count)], failures)
        answered += len(answers)
        for answer in answers:
            if CONTROLS.search(answer) or not answer.isascii():
                failures.append(f"{name}: an answer is {answer[:200]!r}")
    for name, command in (("input", ["run", str(face_file(folder)), "--twin"]), ("show -", ["show", "-"])):
        failures += program(name, command, [content(chance) for _ in range(count)])
    failures += [f"a line is {line[:200]!r}" for line in listening.raw]
    for path in folder.glob("shown.jsonl*"):
        failures += [f"the record has {line!r}" for line in path.read_text().splitlines() if CONTROLS.search(line)]
    return f"{count} messages by each of 8 ways, {answered} answers", failures


def sent(
    folder: Path, way: Any, messages: list[bytes], send: Callable[[list[bytes]], list[str]], failures: list[str]
) -> list[str]:
    """Send messages to a host; it goes on drawing, and its memory stays."""
    own = psutil.Process()
    with host(way, seconds=0.05, record=Record(folder / "shown.jsonl")) as show:
        half = len(messages) // 2
        answers = send(messages[:half])
        first = own.memory_info().rss
        answers += send(messages[half:])
        grown = own.memory_info().rss - first
        drawn = show.elapsed
        answers += send([b"honey is ready"])
        end = time.monotonic() + 30
        panel = show.stands[0].panels[0]
        while not answers and time.monotonic() < end:
            time.sleep(0.05)
        if grown > GROWTH:
            failures.append(f"{way.kind}: memory has grown by {grown / 2**20:.0f} MB")
        if not answers or panel.twin.violations or show.elapsed <= drawn:
            failures.append(f"{way.kind}: the host does not go on: {panel.twin.violations[:1]}")
    return answers


def over(connect: Callable[[], socket.socket]) -> Callable[[list[bytes]], list[str]]:
    """Send lines over a socket, which is made again when it is ended; the answers."""

    def send(messages: list[bytes]) -> list[str]:
        answers = bytearray()
        with connect() as connection:
            connection.settimeout(0.05)
            for number, message in enumerate(messages):
                with contextlib.suppress(OSError):
                    connection.sendall(message + b"\n")
                if number % 20 == 19 or number == len(messages) - 1:
                    end = time.monotonic() + (2 if number == len(messages) - 1 else 0.05)
                    with contextlib.suppress(OSError):
                        while time.monotonic() < end:
                            answers += connection.recv(65_536)
        return answers.decode("utf-8", "replace").splitlines()

    return send


def tcp(folder: Path, messages: list[bytes], failures: list[str]) -> list[str]:
    """Lines over TCP."""
    port = free_port()
    send = over(lambda: socket.create_connection(("127.0.0.1", port)))
    return sent(folder, TcpWay(port), messages, send, failures)


def unix(folder: Path, messages: list[bytes], failures: list[str]) -> list[str]:
    """Lines over a Unix socket."""
    path = folder / "hive.sock"

    def connect() -> socket.socket:
        connection = socket.socket(socket.AF_UNIX)
        connection.connect(str(path))
        return connection

    return sent(folder, UnixWay(path), messages, over(connect), failures)


def http(folder: Path, messages: list[bytes], failures: list[str]) -> list[str]:
    """Requests, some of them none."""
    port = free_port()

    def send(some: list[bytes]) -> list[str]:
        answers = []
        for number, message in enumerate(some):
            with contextlib.suppress(OSError, HTTPException):
                if number % 10 == 9:
                    with socket.create_connection(("127.0.0.1", port), 1) as raw:
                        raw.sendall(b"POST / HTTP/1.1\r\n" + message[:3000] + b"\r\n\r\n")
                        answers.append(raw.recv(3000).partition(b"\r\n\r\n")[0].decode().replace("\r\n", " "))
                    continue
                connection = HTTPConnection("127.0.0.1", port, timeout=5)
                connection.request("POST", "/", message)
                answers.append(connection.getresponse().read().decode().removesuffix("\n"))
                connection.close()
        return answers

    return sent(folder, HttpWay(port, wait_s=0.001), messages, send, failures)


def serial(folder: Path, messages: list[bytes], failures: list[str]) -> list[str]:
    """Lines at the other end of a serial line."""
    ours, theirs = pty.openpty()
    tty.setraw(theirs)  # what is written before the port is open is not repeated
    os.set_blocking(ours, False)

    def send(some: list[bytes]) -> list[str]:
        answers = bytearray()
        for message in some:
            left = message[:60_000] + b"\n"
            end = time.monotonic() + 5
            while left and time.monotonic() < end:
                with contextlib.suppress(BlockingIOError):
                    left = left[os.write(ours, left) :]
                with contextlib.suppress(BlockingIOError):
                    answers += os.read(ours, 65_536)
                    continue
                time.sleep(0.001)
        time.sleep(1)
        with contextlib.suppress(BlockingIOError):
            while True:
                answers += os.read(ours, 65_536)
        return answers.decode("utf-8", "replace").splitlines()

    try:
        return sent(folder, SerialWay(os.ttyname(theirs), whole=True), messages, send, failures)
    finally:
        os.close(ours)
        os.close(theirs)


def file(folder: Path, messages: list[bytes], failures: list[str]) -> list[str]:
    """A file that is written again and again."""
    path, answer = folder / "notice.txt", folder / "answer.json"

    def send(some: list[bytes]) -> list[str]:
        answers = []
        for message in some:
            path.write_bytes(message)
            time.sleep(0.025)
            if answer.exists():
                answers.append(answer.read_text().removesuffix("\n"))
        time.sleep(0.5)
        return answers

    return sent(folder, FileWay(path, answers=answer, every_s=0.01), messages, send, failures)


def mqtt(folder: Path, messages: list[bytes], failures: list[str]) -> list[str]:
    """A topic of a broker, some messages of it with properties that make no sense."""
    import paho.mqtt.client
    from paho.mqtt.enums import CallbackAPIVersion
    from paho.mqtt.packettypes import PacketTypes
    from paho.mqtt.properties import Properties

    broker = Broker(folder, free_port(), "max_queued_messages 100000")
    broker.start()
    came: list[str] = []
    client = paho.mqtt.client.Client(CallbackAPIVersion.VERSION2, protocol=paho.mqtt.client.MQTTv5)
    client.on_message = lambda client, data, message: came.append(message.payload.decode("utf-8", "replace"))
    client.connect("127.0.0.1", broker.port)
    client.subscribe("hive/say/answer", 1)
    client.loop_start()

    def send(some: list[bytes]) -> list[str]:
        begin = len(came)
        for number, message in enumerate(some):
            make: Any = Properties
            properties = make(PacketTypes.PUBLISH)
            if number % 7 == 0:
                properties.ResponseTopic = ("$SYS/x", "hive/say/answer", "a" * 3000)[number % 3]
            if number % 5 == 0:
                properties.CorrelationData = message[:200]
            client.publish("hive/say", message, number % 2, retain=number % 11 == 0, properties=properties)
        time.sleep(2 + len(some) / 1500)
        return came[begin:]

    try:
        return sent(folder, MqttWay("127.0.0.1", "hive/say", broker.port), messages, send, failures)
    finally:
        client.disconnect()
        client.loop_stop()
        broker.end()


def face_file(folder: Path) -> Path:
    """A face file that takes messages from standard input."""
    path = folder / "input.toml"
    path.write_text(
        '[messages]\nseconds = 0.01\nlongest_s = 0.05\nqueue = 5\n[messages.from.pipe]\nkind = "input"\n[faces.day]\ntext = "day"\n'
    )
    return path


def program(name: str, command: list[str], messages: list[bytes]) -> list[str]:
    """Write messages to the standard input of a command; what it prints is harmless, and it ends."""
    done = subprocess.run(
        [sys.executable, "-m", "lumek", *command], input=b"\n".join(messages) + b"\n", capture_output=True,
        timeout=60 + len(messages) / 100, check=False,
    )  # fmt: skip
    failures = [
        f"{name}: prints {line[:200]!r}"
        for line in (done.stdout + done.stderr).decode("utf-8", "replace").splitlines()
        if CONTROLS.search(line) or "Traceback" in line
    ]
    return failures + ([f"{name}: ends with {done.returncode}"] if done.returncode else [])
