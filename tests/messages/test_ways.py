"""Ways by which messages come in, used as their senders use them; and what hostile senders get."""

import json
import os
import pty
import socket
import ssl
import time
import tty
from collections.abc import Callable, Iterator
from contextlib import closing, suppress
from http.client import HTTPConnection, HTTPSConnection
from pathlib import Path
from typing import Any, ClassVar

import pytest
import trustme
from hypothesis import given
from hypothesis import strategies as st

from lumek.errors import LumekError
from lumek.messages import Desk
from lumek.messages.ways.buttons_way import ButtonsWay
from lumek.messages.ways.file_way import FileWay
from lumek.messages.ways.http_way import HttpWay
from lumek.messages.ways.knobs import Button, Encoder
from lumek.messages.ways.line_ways import SerialWay
from lumek.messages.ways.mqtt_way import MqttWay
from lumek.messages.ways.socket_ways import TcpWay, UnixWay
from support.broker import broker, free_port, listener
from support.hosting import host
from support.waiting import until

Ask = Callable[..., Any]
TOKEN = "nectar-and-wax"


class Lines:
    """A connection of lines."""

    all: ClassVar[list["Lines"]] = []

    def __init__(self, connection: socket.socket) -> None:
        self.all.append(self)
        self.connection = connection
        connection.settimeout(60)
        self._file = connection.makefile("rb")

    def ask(self, *lines: bytes | str) -> list[dict[str, Any]]:
        """Send lines; an answer to each."""
        whole = b"".join((one if isinstance(one, bytes) else one.encode()) + b"\n" for one in lines)
        self.connection.sendall(whole)
        return [json.loads(self._file.readline()) for _ in lines]

    def is_ended(self) -> bool:
        """Whether the other side has ended it."""
        with suppress(OSError):
            return self._file.readline() == b""
        return True

    def can_send(self) -> bool:
        try:
            self.connection.sendall(b"honey\n")
        except OSError:
            return False
        return True

    def close(self) -> None:
        self._file.close()
        self.connection.close()


@pytest.fixture(autouse=True)
def _no_connection_stays() -> Iterator[None]:
    yield
    while Lines.all:
        Lines.all.pop().close()


def tcp(port: int) -> Lines:
    return Lines(socket.create_connection(("127.0.0.1", port)))


def post(port: int, body: bytes | str, tls: ssl.SSLContext | None = None, **headers: str) -> tuple[int, Any]:
    """The status and the answer of a request."""
    connection: Any = HTTPConnection("127.0.0.1", port, timeout=60)
    if tls is not None:
        connection = HTTPSConnection("127.0.0.1", port, timeout=60, context=tls)
    with closing(connection):
        connection.request("POST", "/", body, {name.replace("_", "-"): value for name, value in headers.items()})
        response = connection.getresponse()
        return response.status, json.loads(response.read())


def test_lines_over_tcp_and_a_unix_socket_are_answered_by_lines(tmp_path: Path) -> None:
    port, path = free_port(), tmp_path / "hive.sock"
    with host(TcpWay(port), UnixWay(path)):
        other = socket.socket(socket.AF_UNIX)
        other.connect(str(path))
        for lines in (tcp(port), Lines(other)):
            shown, refused, done, long = lines.ask("Queen seen", '{"level": 3}', '{"next": true}', b"x" * 40_000)
            order = sorted((shown, refused, done, long), key=lambda one: one["state"])
            assert [one["state"] for one in order] == ["done", "refused", "refused", "shown"]
        with pytest.raises(LumekError, match="cannot listen at"):
            TcpWay(port).open(Desk())
        with pytest.raises(LumekError, match="another program is listening there"):
            UnixWay(path).open(Desk())
    assert not path.exists()
    path.write_text("mine")
    with pytest.raises(LumekError, match="and is not a socket"):
        UnixWay(path).open(Desk())
    assert path.read_text() == "mine"


def test_other_hosts_need_the_token_and_a_caller_who_does_not_read_hurts_nobody() -> None:
    for call, why in (
        (lambda: TcpWay(1, "0.0.0.0"), "accepts other computers, so a token is required"),
        (lambda: HttpWay(1, "::"), "accepts other computers, so a token is required"),
        (lambda: HttpWay(1, token="short"), "has 5 characters; it must have at least 8"),
        (lambda: TcpWay(0), "a port is 1 to 65535"),
        (lambda: ButtonsWay(), "needs at least one of next, back"),
        (lambda: ButtonsWay(next=1, encoder=[1, 2]), "each needs its own"),
        (lambda: MqttWay("hive", "#"), "'#' is not a topic"),
    ):  # fmt: skip
        with pytest.raises(LumekError, match=why):
            call()
    port = free_port()
    with host(TcpWay(port, token=TOKEN)):
        wrong = tcp(port)
        assert wrong.ask("honey")[0]["why"] == "the first line must be the token"
        assert wrong.is_ended()
        right = tcp(port)
        right.connection.sendall(TOKEN.encode() + b"\n")
        assert right.ask("honey")[0]["state"] == "shown"
        callers = [tcp(port) for _ in range(40)]
        assert "32 connections are in use" in callers[-1].ask("honey")[0]["why"]


def test_a_caller_who_does_not_read_or_sends_too_much_hurts_nobody(tmp_path: Path) -> None:
    path = tmp_path / "hive.sock"
    with host(UnixWay(path)):
        deaf, other = (Lines(socket.socket(socket.AF_UNIX)) for _ in range(2))
        for one in (deaf, other):
            one.connection.connect(str(path))
        with suppress(OSError):
            for _ in range(300):
                deaf.connection.sendall(b'{"level": 3}\n' * 10)
        begun = time.monotonic()
        assert other.ask('{"text": "fire", "level": "urgent"}')[0]["state"] == "shown"
        assert time.monotonic() - begun < 30
        until(lambda: not deaf.can_send(), "the connection of the deaf one is ended")


def test_a_request_is_answered_when_its_message_is_on_the_glass(tmp_path: Path) -> None:
    port = free_port()
    with host(HttpWay(port, wait_s=0.5), panels=("wall", "gate")):
        status, answers = post(port, "Queen seen")
        assert (status, [(one["panel"], one["state"]) for one in answers]) == (
            200, [("wall", "shown"), ("gate", "shown")],
        )  # fmt: skip
        for body, wanted, state in (
            ('{"text": "honey", "panel": "gate"}', 200, "shown"), ('{"next": true, "panel": "wall"}', 200, "done"),
            ('{"text": 7}', 400, "refused"), ('{"text": "x", "panel": "roof"}', 400, "refused"),
            ('{"text": "x", "panel": "wall", "seconds": 9, "id": "a"}', 200, "shown"),
            ('{"text": "y", "panel": "wall", "id": "b"}', 202, "waiting"),
            ('{"text": "x", "panel": "wall", "id": "a"}', 200, "shown"),
        ):  # fmt: skip
            status, answer = post(port, body)
            assert (status, answer["state"]) == (wanted, state)
        assert post(port, "x", Origin="https://elsewhere.example")[0] == 403
        assert post(port, b"x" * 20_000)[0] == 413
        with socket.create_connection(("127.0.0.1", port)) as other:
            other.sendall(b"POST / HTTP/1.1\r\nHost: x\r\nContent-Length: -5\r\n\r\n")
            assert b" 411 " in other.recv(1000)
        with socket.create_connection(("127.0.0.1", port)) as other:
            other.sendall(b"GET / HTTP/1.1\r\nHost: x\r\n\r\n")
            assert b" 405 " in other.recv(1000)
    authority = trustme.CA()
    authority.issue_cert("127.0.0.1").private_key_and_cert_chain_pem.write_to_path(tmp_path / "hive.pem")
    trusting = ssl.create_default_context(cadata=authority.cert_pem.bytes().decode())
    port = free_port()
    with host(HttpWay(port, "0.0.0.0", token=TOKEN, certificate=tmp_path / "hive.pem")):
        assert post(port, "honey", trusting)[0] == 401
        assert post(port, "honey", trusting, Authorization="Bearer nectar-and-waz")[0] == 401
        assert post(port, "honey", trusting, Authorization=f"Bearer {TOKEN}")[0] == 200
    with pytest.raises(LumekError, match="is not a certificate with its key"):
        HttpWay(port, certificate=tmp_path / "none.pem")


def test_requests_that_never_end_are_ended(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("lumek.messages.ways.http_way.READ_S", 0.5)
    port = free_port()
    with host(HttpWay(port)):
        slow = [socket.create_connection(("127.0.0.1", port)) for _ in range(40)]
        for one in slow:
            with suppress(OSError):
                one.sendall(b"POST / HTTP/1.1\r\nX-Slow: ")
        begun = time.monotonic()
        while True:
            with suppress(OSError):
                assert post(port, "honey")[0] == 200
                break
            assert time.monotonic() - begun < 60
            time.sleep(0.1)
        for one in slow:
            one.close()


@pytest.mark.slow
def test_a_serial_port_that_is_unplugged_and_back(tmp_path: Path) -> None:
    link = tmp_path / "tty"
    way = SerialWay(str(link), whole=True)
    with host(way):
        until(lambda: "no" in way.trouble.lower(), "the port is missing")
        for _ in range(2):
            ours, theirs = pty.openpty()
            tty.setraw(theirs)
            os.set_blocking(ours, True)
            link.symlink_to(os.ttyname(theirs))
            until(lambda: way.trouble == "", "the port is open")
            os.write(ours, b"honey\r\n")
            answer = b""
            while not answer.endswith(b"}\r\n") and not answer.endswith(b"}\n"):
                answer += os.read(ours, 1000)
            assert b'"state": "shown"' in answer
            link.unlink()
            os.close(ours)
            os.close(theirs)
            until(lambda: way.trouble != "", "the port is gone")


def test_a_file_is_a_message_each_time_that_it_is_written(tmp_path: Path) -> None:
    path, answers = tmp_path / "notice.txt", tmp_path / "answer.json"
    path.write_text("as it was")
    with host(FileWay(path, answers=answers, every_s=0.02)):
        for text, state in (("as it was", "shown"), ('{"level": 3}', "refused"), ("x" * 20_000, "refused")):
            if text != "as it was":
                path.write_text(text)
            until(lambda state=state: answers.exists() and json.loads(answers.read_text())["state"] == state)
            answers.unlink()
        path.unlink()
        time.sleep(0.1)
        path.write_text("")
        time.sleep(0.1)
        path.write_text("honey")
        until(answers.exists)


def test_a_topic_is_answered_where_the_sender_wants_it(tmp_path: Path) -> None:
    port = free_port()
    with broker(tmp_path, port), host(MqttWay("127.0.0.1", "hive/say", port)):
        with listener(port, "hive/say/answer", "phone/answer") as (client, came):
            from paho.mqtt.packettypes import PacketTypes
            from paho.mqtt.properties import Properties

            wanted = Properties(PacketTypes.PUBLISH)
            wanted.ResponseTopic, wanted.CorrelationData = "phone/answer", b"7"
            until(lambda: client.publish("hive/say", "Queen seen", 1, properties=wanted) and came)
            assert (came[0].topic, came[0].properties.CorrelationData) == ("phone/answer", b"7")
            assert json.loads(came[0].payload)["state"] == "shown"
            until(
                lambda: client.publish("hive/say", '{"text": "x", "id": "a"}', 1) and came[-1].topic != "phone/answer"
            )
            assert json.loads(came[-1].payload)["id"] == "a"
            wanted.ResponseTopic = "$SYS/phone"
            client.publish("hive/say", b"\xff", 1, properties=wanted)
            until(lambda: json.loads(came[-1].payload)["state"] == "refused")
        with listener(port, "hive/say/answer", five=False) as (client, came):
            client.publish("hive/say", "stays", 1, retain=True)
            until(lambda: came)
            count = len(came)
    with broker(tmp_path, port, "persistence false"), host(MqttWay("127.0.0.1", "hive/say", port, version="3.1.1")):  # noqa: SIM117
        with listener(port, "hive/say/answer", five=False) as (client, came):
            until(lambda: client.publish("hive/say", "honey", 1) and came)
    assert count == 1


class FalseEdges:
    """Lines whose edges a test makes."""

    def __init__(self, edges: list[tuple[int, int, float]]) -> None:
        self._edges = edges

    def levels(self) -> dict[int, int]:
        return dict.fromkeys(range(10), 1)

    def wait(self, limit_s: float) -> list[Any]:
        class Edge:
            def __init__(self, line: int, level: int, seconds: float) -> None:
                self.line, self.level, self.seconds = line, level, seconds

        edges, self._edges = self._edges, []
        if not edges:
            time.sleep(min(limit_s, 0.01))
        return [Edge(*one) for one in edges]

    def close(self) -> None:
        pass


def test_buttons_and_an_encoder_turn_pages(monkeypatch: pytest.MonkeyPatch) -> None:
    right = [(5, 0), (6, 0), (5, 1), (6, 1)]
    bounces = [(1, 0, 0.0), (1, 1, 0.001), (1, 0, 0.002), (1, 1, 0.2)]
    way = ButtonsWay(next=1, hold=2, encoder=[5, 6])
    edges = FalseEdges([*bounces, *((line, level, 1 + at / 10) for at, (line, level) in enumerate(right))])
    monkeypatch.setattr(way, "_edges", lambda: edges)
    ordered: list[str] = []
    monkeypatch.setattr(way, "order", ordered.append)
    with host(way):
        until(lambda: ordered == ["next", "next"])
    real = ButtonsWay(next=1, chip="/dev/gpiochip99")
    with host(real) as show:
        until(lambda: "gpiochip99" in real.trouble or "GPIO" in real.trouble)
        real.order("next")
        until(lambda: show.stands[0].panels[0].twin.rows[0].startswith("night"))


@given(st.lists(st.tuples(st.sampled_from([1, -1]), st.lists(st.booleans(), max_size=4)), max_size=30))
def test_an_encoder_counts_its_steps_however_its_contacts_bounce(turns: list[tuple[int, list[bool]]]) -> None:
    knob = Encoder({"a": 1, "b": 1})
    counted = 0
    for direction, bounces in turns:
        lines = "abab" if direction > 0 else "baba"
        for number, line in enumerate(lines):
            level = 0 if number < 2 else 1
            for bounce in bounces:
                counted += knob.edge(line, level ^ 1 if bounce else level)
            counted += knob.edge(line, level)
    assert counted == sum(direction for direction, _ in turns)


def test_a_button_that_bounces_is_pressed_once() -> None:
    button = Button(0, 0.005)
    edges = [(0, 0.0), (1, 0.001), (0, 0.002), (1, 0.1), (0, 0.101), (1, 0.102), (0, 1.0), (1, 1.2)]
    assert sum(button.edge(level, seconds) for level, seconds in edges) == 2
