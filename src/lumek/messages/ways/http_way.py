"""Messages by HTTP: POST the message, and get its answer once it is on the glass."""

import os
import socket
import ssl
import threading
from collections.abc import Mapping
from contextlib import suppress
from http import HTTPStatus
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from json import dumps
from time import monotonic
from typing import Any, ClassVar

from lumek.errors import PortError, SettingError
from lumek.messages.models import Answer, iso
from lumek.messages.reading import MOST_BYTES
from lumek.messages.ways.way import WayIn, checked_token, is_token
from lumek.readings.probes.network import checked_port
from lumek.readings.settings import duration

MOST_CONNECTIONS = 32

READ_S = 10.0
"""How long a request may take to arrive, all of it."""

STATUSES = {
    "shown": HTTPStatus.OK, "done": HTTPStatus.OK, "waiting": HTTPStatus.ACCEPTED, "refused": HTTPStatus.BAD_REQUEST,
}  # fmt: skip
"""State of an answer: the status of the response; 503 for any other."""


class HttpWay(WayIn):
    """Messages that are sent by POST to a port of this host; any path will do.

    The response comes when the message is on the glass, or when it is known that it never will be. Who waits for longer
    than wait_s gets 202, and may send it again with the same id to learn more. The token goes into a header:
    'Authorization: Bearer TOKEN'.

    port: a number, 1 to 65535.
    host: the address at which it listens; default: this host alone.
    token: 8 characters of ASCII or more; needed where other hosts can connect.
    certificate: the path of a file with a certificate and its key (PEM), to encrypt.
    wait_s: seconds, 0.001 to 100000000, that a response takes at most.
    Raises SettingError for a setting that is not possible.
    """

    kind = "http"

    def __init__(
        self,
        port: int,
        host: str = "127.0.0.1",
        *,
        token: str | None = None,
        certificate: str | os.PathLike[str] | None = None,
        wait_s: float = 30.0,
    ) -> None:
        super().__init__()
        self._address = host, checked_port(port)
        self.token = checked_token(host, token, "token")
        self.wait_s = duration(wait_s, "wait_s")
        self._context = None if certificate is None else _context(certificate)
        self._server: _Server | None = None

    @staticmethod
    def place_of(settings: Mapping[str, object]) -> str:
        """The address and port."""
        return f"{settings.get('host') or '127.0.0.1'} port {settings['port']}"

    def _begin(self) -> None:
        try:
            self._server = _Server(self._address, self, self._context)
        except OSError as problem:
            place = self.place_of({"host": self._address[0], "port": self._address[1]})
            raise PortError(f"cannot listen at {place}: {problem.strerror or problem}") from None
        threading.Thread(
            target=self._server.serve_forever, args=(0.2,), daemon=True, name="lumek HttpWay"
        ).start()  # fmt: skip

    def answers_to(self, content: bytes) -> list[Answer]:
        """The answers to a message, once there are all, or the time is over. Called by the thread of a request."""
        answers: list[Answer] = []
        came = threading.Semaphore(0)

        def reply(answer: Answer) -> None:
            answers.append(answer)
            came.release()

        count = self.bring(content, reply)
        end = monotonic() + self.wait_s
        for _ in range(count):
            if not came.acquire(timeout=max(0.0, end - monotonic())):
                break
        assert self._desk is not None
        if len(answers) < count:
            now = iso(self._desk.clock.time())
            answers.append(Answer(state="waiting", received=now, why="it is still waiting for its turn"))
        return answers

    def close(self) -> None:
        """Stop listening. A second time does nothing."""
        super().close()
        server, self._server = self._server, None
        if server is not None:
            server.shutdown()
            server.server_close()


def _context(certificate: str | os.PathLike[str]) -> ssl.SSLContext:
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    try:
        context.load_cert_chain(certificate)
    except (OSError, ValueError) as problem:
        why = getattr(problem, "strerror", None) or problem
        raise SettingError(f"{certificate} is not a certificate with its key (PEM): {why}") from None
    return context


class _Server(ThreadingHTTPServer):
    """A server of a bounded number of connections, each of which has a bounded time to send its request."""

    daemon_threads = True
    block_on_close = False
    request_queue_size = MOST_CONNECTIONS

    def __init__(self, address: tuple[str, int], way: HttpWay, context: ssl.SSLContext | None) -> None:
        self.way, self._context = way, context
        self.reading: dict[socket.socket, float] = {}
        self.lock = threading.Lock()
        self._free = threading.Semaphore(MOST_CONNECTIONS)
        self.address_family = socket.AF_INET6 if ":" in address[0] else socket.AF_INET
        super().__init__(address, _Handler)

    def get_request(self) -> tuple[socket.socket, Any]:
        """The next connection; its handshake, if any, is made by the thread that serves it."""
        connection, address = super().get_request()
        connection.settimeout(READ_S)
        if self._context is not None:
            connection = self._context.wrap_socket(connection, server_side=True, do_handshake_on_connect=False)
        return connection, address

    def verify_request(self, request: Any, client_address: Any) -> bool:
        """Whether there is a place for one more."""
        if not self._free.acquire(blocking=False):
            return False
        with self.lock:
            self.reading[request] = monotonic()
        return True

    def service_actions(self) -> None:
        """End what takes too long to send its request."""
        with self.lock:
            slow = [one for one, began in self.reading.items() if monotonic() - began > READ_S]
        for one in slow:
            self.has_read(one)
            with suppress(OSError):
                one.shutdown(socket.SHUT_RDWR)

    def has_read(self, connection: socket.socket) -> None:
        """The request of a connection is there."""
        with self.lock:
            self.reading.pop(connection, None)

    def process_request_thread(self, request: Any, client_address: Any) -> None:
        """Serve a connection."""
        try:
            super().process_request_thread(request, client_address)
        finally:
            self.has_read(request)
            self._free.release()

    def handle_error(self, request: Any, client_address: Any) -> None:
        """A client that has gone is nobody's business."""


class _Handler(BaseHTTPRequestHandler):
    """One request."""

    server: _Server
    server_version, sys_version = "Lumek", ""
    timeout: ClassVar[float] = READ_S

    def do_POST(self) -> None:
        """Take a message, and answer."""
        way = self.server.way
        if not self._is_allowed(way.token):
            why = "the token is missing or wrong; send the header Authorization: Bearer TOKEN"
            self._respond(HTTPStatus.UNAUTHORIZED, {"why": why})
            return
        if way.token is None and "Origin" in self.headers:
            self._respond(HTTPStatus.FORBIDDEN, {"why": "web pages may not send messages here without a token"})
            return
        length = self.headers.get("Content-Length", "")
        if not length.isascii() or not length.isdigit() or len(length) > 9:
            self._respond(HTTPStatus.LENGTH_REQUIRED, {"why": "the request needs a Content-Length header"})
            return
        if int(length) > MOST_BYTES:
            why = f"the message has {length} bytes, of {MOST_BYTES} at most"
            self._respond(HTTPStatus.REQUEST_ENTITY_TOO_LARGE, {"why": why})
            return
        content = self.rfile.read(int(length))
        self.server.has_read(self.connection)
        if len(content) < int(length):
            return
        answers = way.answers_to(content)
        worst = max(STATUSES.get(one.state, HTTPStatus.SERVICE_UNAVAILABLE) for one in answers)
        told = [one.model_dump(exclude_defaults=True) | {"panel": one.panel} for one in answers]
        self._respond(worst, told[0] if len(told) == 1 else told)

    def do_GET(self) -> None:
        """Say how a message is sent."""
        self._respond(HTTPStatus.METHOD_NOT_ALLOWED, {"why": "send a message by POST: plain text, or JSON"})

    def _is_allowed(self, token: bytes | None) -> bool:
        given = self.headers.get("Authorization", "").removeprefix("Bearer ").strip()
        return token is None or is_token(given.encode("utf-8", "replace"), token)

    def _respond(self, status: HTTPStatus, told: Any) -> None:
        body = dumps(told).encode() + b"\n"
        self.send_response(status)
        self.send_header("Content-Type", "application/json")
        self.send_header("Content-Length", str(len(body)))
        self.send_header("Connection", "close")
        self.end_headers()
        self.wfile.write(body)

    def log_message(self, format: str, *arguments: object) -> None:
        """Nothing is printed."""
