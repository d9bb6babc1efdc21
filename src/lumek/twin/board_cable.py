"""What leads to a simulated board: a pseudo-terminal that any program can open, or a connection within this process."""

import os
import threading
import time
from typing import Protocol

from lumek.twin.time_base import TwinClock


class Fed(Protocol):
    """A board at the end of it."""

    clock: TwinClock

    def feed(self, data: bytes, at_ns: int) -> bytes:
        """Take bytes that the host sends at a time; what the board answers."""


class TwinCable:
    """A pseudo-terminal, and the thread that carries bytes between it and a board, in real time."""

    def __init__(self, board: Fed) -> None:
        import tty

        self._ours, self._theirs = os.openpty()
        tty.setraw(self._theirs)
        self.path = os.ttyname(self._theirs)
        self._board = board
        self._began_ns = time.monotonic_ns() - board.clock.now_ns
        self._end, self._wake = os.pipe()
        self._thread = threading.Thread(target=self._carry, name="simulated board", daemon=True)
        self._thread.start()

    def cut(self) -> None:
        """End it."""
        os.close(self._wake)
        self._thread.join()
        for file in (self._ours, self._theirs, self._end):
            os.close(file)

    def _carry(self) -> None:
        from select import select

        while True:
            ready, _, _ = select([self._ours, self._end], [], [])
            if self._end in ready:
                return
            answer = self._board.feed(os.read(self._ours, 4096), time.monotonic_ns() - self._began_ns)
            if answer:
                ahead_ns = self._board.clock.now_ns - (time.monotonic_ns() - self._began_ns)
                if ahead_ns > 0:
                    time.sleep(ahead_ns / 1e9)
                os.write(self._ours, answer)


class TwinConnection:
    """What leads to a simulated board within this process, in the board's time: a connection with pyserial's methods.

    board: where it leads.
    """

    def __init__(self, board: Fed) -> None:
        self.timeout: float | None = None
        self._board = board
        self._waiting = bytearray()
        self._now_ns = 0

    @property
    def in_waiting(self) -> int:
        """How many bytes have come."""
        return len(self._waiting)

    def write(self, data: bytes) -> int:
        """Send bytes."""
        self._waiting += self._board.feed(data, self._now_ns)
        return len(data)

    def read(self, size: int = 1) -> bytes:
        """Up to this many bytes that have come; the time is over when there are none."""
        if self._waiting:
            self._now_ns = max(self._now_ns, self._board.clock.now_ns)
        else:
            self._now_ns += round((self.timeout or 0.0) * 1e9)
        data = bytes(self._waiting[:size])
        del self._waiting[:size]
        return data

    def elapsed(self) -> float:
        """Seconds since the board had its power, for the host."""
        return self._now_ns / 1e9

    def wait_us(self, us: float) -> None:
        """Let simulated time pass."""
        self._now_ns += round(us * 1000)
        self._board.clock.now_ns = max(self._board.clock.now_ns, self._now_ns)

    def close(self) -> None:
        """Let it go."""
