"""What `lumek run` reports to the service manager that started it, and how it ends when drawing hangs.

Source: sd_notify(3): datagrams of KEY=VALUE lines to the socket named in NOTIFY_SOCKET, where a leading "@" means
the abstract namespace; WATCHDOG_USEC and WATCHDOG_PID say how often WATCHDOG=1 is expected, and from whom.
"""

import os
import socket
import threading
from contextlib import suppress
from time import monotonic

from lumek.cli.output import tell

HANGS_S = 60.0
"""After so long without a drawing the program ends, when no service manager says how long."""

STATUS_S = 10.0


class Service:
    """The service manager, if there is one, and a watch over the drawing.

    A block starts the watch with the first `beat`, and ends it.
    """

    def __init__(self) -> None:
        self._address = os.environ.get("NOTIFY_SOCKET", "")
        usec, of = os.environ.get("WATCHDOG_USEC", ""), os.environ.get("WATCHDOG_PID", "")
        watched = usec.isdecimal() and int(usec) > 0 and of in ("", str(os.getpid()))
        self._limit_s = int(usec) / 1e6 if watched else HANGS_S
        self._watched = watched
        self._beat_at: float | None = None
        self._told_at = self._status_at = float("-inf")
        self._ended = threading.Event()
        self._thread = threading.Thread(target=self._watch, daemon=True, name="lumek watchdog")

    def beat(self, status: str) -> None:
        """Drawing goes on. The first time says that the program is ready. status: a line for people."""
        now = monotonic()
        first, self._beat_at = self._beat_at is None, now
        lines = []
        if first:
            lines.append("READY=1")
            self._thread.start()
        if self._watched and now - self._told_at >= self._limit_s / 4:
            lines.append("WATCHDOG=1")
            self._told_at = now
        if now - self._status_at >= STATUS_S:
            lines.append(f"STATUS={status}")
            self._status_at = now
        self._send(lines)

    def __enter__(self) -> "Service":
        return self

    def __exit__(self, *exc: object) -> None:
        self._ended.set()
        self._send(["STOPPING=1"])

    def _send(self, lines: list[str]) -> None:
        if not lines or self._address[:1] not in ("/", "@") or not hasattr(socket, "AF_UNIX"):
            return
        address = "\0" + self._address[1:] if self._address[0] == "@" else self._address
        with suppress(OSError), socket.socket(socket.AF_UNIX, socket.SOCK_DGRAM) as manager:
            manager.setblocking(False)
            manager.sendto("\n".join(lines).encode(), address)

    def _watch(self) -> None:
        """End the program, whatever it hangs in, when drawing does not go on."""
        while not self._ended.wait(self._limit_s / 10):
            if self._beat_at is not None and monotonic() - self._beat_at > self._limit_s:
                tell(f"nothing was drawn for {self._limit_s:g} s: the program ends, to be started again")
                os._exit(1)
