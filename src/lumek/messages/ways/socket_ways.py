"""Messages as lines over sockets: TCP, and Unix sockets on the same host. Each answer is a line back.

One thread serves all connections. None of them can hold up another: what is sent to one that does not read ends it.
"""

import os
import selectors
import socket
import stat
import threading
from abc import abstractmethod
from collections.abc import Mapping
from pathlib import Path
from time import monotonic

from lumek.errors import PortError, SettingError
from lumek.messages.models import Answer, iso
from lumek.messages.reading import MOST_BYTES
from lumek.messages.ways.line_ways import TOO_LONG
from lumek.messages.ways.way import WayIn, checked_token, is_token
from lumek.readings.guarded import guarded_thread
from lumek.readings.line_buffer import LineBuffer
from lumek.readings.probes.network import checked_port

WAIT_S = 0.2

MOST_CONNECTIONS = 32

AT_ONCE = 2048
"""Bytes that are taken from one of them before the others have their turn."""

IDLE_S = 60.0
"""A connection that has sent nothing for so long gives way to a new one when there are too many."""


class Caller:
    """A connection of somebody who sends lines."""

    def __init__(self, connection: socket.socket, trusted: bool) -> None:
        self.connection = connection
        self.trusted = trusted
        self.heard = monotonic()
        self.lines = LineBuffer(MOST_BYTES)
        self._lock = threading.Lock()
        self._gone = False

    def fileno(self) -> int:
        """The number of its socket."""
        return self.connection.fileno()

    def reply(self, answer: Answer) -> None:
        """Send an answer; the connection ends when it is not read."""
        data = answer.json_text().encode() + b"\n"
        with self._lock:
            if self._gone:
                return
            try:
                if self.connection.send(data) == len(data):
                    return
            except OSError:
                pass
            self._gone = True
            self.connection.shutdown(socket.SHUT_RDWR)

    def end(self) -> None:
        """End the connection."""
        with self._lock:
            self._gone = True
            self.connection.close()


class SocketWay(WayIn):
    """A listener, and those who have connected."""

    def __init__(self) -> None:
        super().__init__()
        self._listener: socket.socket | None = None
        self._callers: list[Caller] = []
        self._token: bytes | None = None
        self._thread = guarded_thread(f"lumek {type(self).__name__}", self._run, self._closing, self._failed)

    @abstractmethod
    def _listen(self) -> socket.socket:
        """The listener. Raises OSError."""

    @property
    @abstractmethod
    def _place(self) -> str:
        """Where it listens, for people."""

    def _begin(self) -> None:
        try:
            self._listener = self._listen()
        except OSError as problem:
            raise PortError(f"cannot listen at {self._place}: {problem.strerror or problem}") from None
        self._listener.setblocking(False)
        self._thread.start()

    def _run(self) -> None:
        listener = self._listener
        assert listener is not None
        with selectors.DefaultSelector() as selector:
            selector.register(listener, selectors.EVENT_READ)
            for caller in self._callers:  # of a run that an error ended
                selector.register(caller, selectors.EVENT_READ)
            while not self._closing.is_set():
                for key, _ in selector.select(WAIT_S):
                    if key.fileobj is listener:
                        self._accept(listener, selector)
                    elif isinstance(key.fileobj, Caller) and not self._hear(key.fileobj):
                        self._end(key.fileobj, selector)

    def _end(self, caller: Caller, selector: selectors.BaseSelector) -> None:
        selector.unregister(caller)
        self._callers.remove(caller)
        caller.end()

    def _accept(self, listener: socket.socket, selector: selectors.BaseSelector) -> None:
        try:
            connection, _ = listener.accept()
        except OSError:  # the caller has gone, or there are no files left
            self._closing.wait(0.01)
            return
        connection.setblocking(False)
        caller = Caller(connection, trusted=self._token is None)
        if len(self._callers) >= MOST_CONNECTIONS:
            idle = min(self._callers, key=lambda one: one.heard)
            if monotonic() - idle.heard < IDLE_S:
                caller.reply(self._refusal(f"{MOST_CONNECTIONS} connections are in use; try again later"))
                caller.end()
                return
            self._end(idle, selector)
        self._callers.append(caller)
        selector.register(caller, selectors.EVENT_READ)

    def _hear(self, caller: Caller) -> bool:
        """Take in what somebody has sent; False when the connection is to end."""
        try:
            data = caller.connection.recv(AT_ONCE)
        except BlockingIOError:
            return True
        except OSError:
            return False
        if not data:
            self._take(caller, caller.lines.end())
            return False
        caller.heard = monotonic()
        return all(self._take(caller, TOO_LONG if line is None else line) for line in caller.lines.take(data))

    def _take(self, caller: Caller, line: bytes) -> bool:
        if not line.strip():
            return True
        if not caller.trusted:
            assert self._token is not None
            caller.trusted = is_token(line.strip(), self._token)
            if not caller.trusted:
                caller.reply(self._refusal("the first line must be the token"))
            return caller.trusted
        self.bring(line, caller.reply)
        return True

    def _refusal(self, why: str) -> Answer:
        assert self._desk is not None
        return Answer(state="refused", received=iso(self._desk.clock.time()), why=why)

    def close(self) -> None:
        """End all connections, and stop listening. A second time does nothing."""
        super().close()
        if self._thread.is_alive():
            self._thread.join(2.0)
        for caller in self._callers:
            caller.end()
        self._callers.clear()
        if self._listener is not None:
            self._listener.close()
            self._listener = None


class TcpWay(SocketWay):
    """Lines over TCP, each a message; answers are lines back.

    port: a number, 1 to 65535.
    host: the address at which it listens; default: this host alone.
    token: 8 characters of ASCII or more, which have to be the first line of a connection; needed where other hosts can
        connect.
    Raises SettingError for a setting that is not possible.
    """

    kind = "tcp"

    def __init__(self, port: int, host: str = "127.0.0.1", *, token: str | None = None) -> None:
        super().__init__()
        self._address = host, checked_port(port)
        self._token = checked_token(host, token, "token")

    @staticmethod
    def place_of(settings: Mapping[str, object]) -> str:
        """The address and port."""
        return f"{settings.get('host') or '127.0.0.1'} port {settings['port']}"

    @property
    def _place(self) -> str:
        return self.place_of({"host": self._address[0], "port": self._address[1]})

    def _listen(self) -> socket.socket:
        family = socket.AF_INET6 if ":" in self._address[0] else socket.AF_INET
        return socket.create_server(self._address, family=family, backlog=MOST_CONNECTIONS)


class UnixWay(SocketWay):
    """Lines over a Unix socket, each a message; answers are lines back. Users of its group may write, others not.

    path: the path of the socket, which is made, as '/run/lumek/hive.sock'.
    Raises SettingError for a setting that is not possible.
    """

    kind = "unix"

    def __init__(self, path: str | os.PathLike[str]) -> None:
        super().__init__()
        if not hasattr(socket, "AF_UNIX"):
            raise SettingError("this system has no Unix sockets: use kind = 'tcp'")
        self._path = Path(path)

    @staticmethod
    def place_of(settings: Mapping[str, object]) -> str:
        """The path."""
        return str(settings["path"])

    @property
    def _place(self) -> str:
        return str(self._path)

    def _listen(self) -> socket.socket:
        listener = socket.socket(socket.AF_UNIX, socket.SOCK_STREAM)
        try:
            self._make_room()
            listener.bind(str(self._path))
            self._path.chmod(0o660)
            listener.listen(MOST_CONNECTIONS)
        except OSError:
            listener.close()
            raise
        return listener

    def _make_room(self) -> None:
        """Remove a socket that a program has left behind. Raises OSError where one still listens, or a file is."""
        try:
            if not stat.S_ISSOCK(self._path.lstat().st_mode):
                raise OSError(0, "a file with that name exists, and is not a socket")
        except FileNotFoundError:
            return
        with socket.socket(socket.AF_UNIX, socket.SOCK_STREAM) as other:
            other.settimeout(WAIT_S)
            if other.connect_ex(str(self._path)) == 0:
                raise OSError(0, "another program is listening there")
        self._path.unlink()

    def close(self) -> None:
        """End all connections, stop listening and remove the socket. A second time does nothing."""
        listens = self._listener is not None
        super().close()
        if listens:
            self._path.unlink(missing_ok=True)
