"""lumek show - and --serial: text that comes bit by bit, and scrolls up through a panel."""

import codecs
import os
import select
import sys
from abc import ABC, abstractmethod
from collections.abc import Sequence
from time import monotonic, sleep
from typing import TYPE_CHECKING, Any

import click
from rich.console import Console

from lumek.cli.ending import ending
from lumek.cli.output import tell
from lumek.errors import PortError
from lumek.messages.scroll import Scroll
from lumek.readings.extras import wanted_by
from lumek.readings.reading import one_line
from lumek.views.changing import ChangingView
from lumek.views.terminal import terminal_view

if TYPE_CHECKING:
    from lumek import Panel

WAIT_S = 0.1
"""How long is waited for text before it is looked whether to end."""

PACE_S = 0.05
"""From one drawing to the next, at least."""

RETRY_S = 1.0

MOST_BYTES = 65_536
"""At once."""


class TextInput(ABC):
    """Where text comes from."""

    @abstractmethod
    def read(self) -> bytes:
        """What has come within `WAIT_S`. Raises EOFError when nothing more will."""


class FromInput(TextInput):
    """Standard input."""

    def __init__(self) -> None:
        try:
            self._number = sys.stdin.fileno()
        except (AttributeError, OSError, ValueError):
            raise click.UsageError("standard input is closed; nothing to show") from None

    def read(self) -> bytes:
        """What has come."""
        if os.name != "nt" and not select.select([self._number], [], [], WAIT_S)[0]:
            return b""
        data = os.read(self._number, MOST_BYTES)
        if not data:
            raise EOFError
        return data


class FromSerial(TextInput):
    """A serial port, which is opened again when it was unplugged."""

    def __init__(self, port: str, speed: int) -> None:
        with wanted_by("--serial", "serial"):
            import serial
        self._serial = serial
        self._place = port, speed
        self._port: Any = self._open()
        self._again_at = 0.0

    def _open(self) -> Any:
        try:
            return self._serial.Serial(*self._place, timeout=WAIT_S, exclusive=True)
        except (OSError, ValueError) as problem:
            from lumek.ports.usb.cable import why_not_open

            raise PortError(why_not_open(self._place[0], problem)) from None

    def read(self) -> bytes:
        """What has come."""
        try:
            if self._port is None:
                if monotonic() < self._again_at:
                    sleep(WAIT_S)
                    return b""
                self._port = self._open()
                tell(f"{self._place[0]} is back")
            data: bytes = self._port.read(max(1, min(self._port.in_waiting, MOST_BYTES)))
            return data
        except (OSError, PortError) as problem:
            if self._port is not None:
                tell(f"{self._place[0]} is gone; trying again every {RETRY_S:g} s: {one_line(problem)}")
                self._port.close()
            self._port, self._again_at = None, monotonic() + RETRY_S
            return b""


class Stream:
    """Text from somewhere on panels, until it ends or a signal comes.

    panels: that show the same.
    shown: the simulated one of them, which is drawn in the terminal.
    live: whether it is drawn while text comes.
    """

    def __init__(self, source: TextInput, panels: "Sequence[Panel]", shown: "Panel", scheme: str, live: bool) -> None:
        self._source, self._panels, self._shown, self._scheme = source, panels, shown, scheme
        self._scroll = Scroll(*shown.shape)
        self._console = Console()
        self._live = ChangingView(console=self._console) if live and self._console.is_terminal else None
        self._ended = self._fails = False
        self._drawn_at = 0.0
        self._is_new = True

    def run(self) -> None:
        """Show what comes."""
        decoder = codecs.getincrementaldecoder("utf-8")("replace")
        with ending() as signals:
            signals.stop = self._stop
            if self._live is not None:
                self._live.start()
            try:
                while not self._ended:
                    try:
                        came = self._source.read()
                    except EOFError:
                        break
                    if came:
                        self._scroll.feed(decoder.decode(came))
                        self._is_new = True
                    self._draw()
                self._scroll.feed(decoder.decode(b"", final=True))
                self._draw(at_once=True)
            finally:
                if self._live is not None:
                    self._live.stop()
        if self._live is None:
            self._console.print(self._view())

    def _stop(self) -> None:
        self._ended = True

    def _draw(self, at_once: bool = False) -> None:
        """Bring the panels up to date, at a pace."""
        now = monotonic()
        if not self._is_new or (now < self._drawn_at + (RETRY_S if self._fails else PACE_S) and not at_once):
            return
        self._drawn_at = now
        try:
            for panel in self._panels:
                panel[:] = self._scroll.text
        except PortError as problem:
            if not self._fails:
                tell(f"the panel does not answer; trying again every {RETRY_S:g} s: {problem}")
            self._fails = True
            return
        if self._fails:
            tell("the panel answers again")
        self._fails = self._is_new = False
        if self._live is not None:
            self._live.update(self._view(), refresh=True)

    def _view(self) -> Any:
        return terminal_view(self._shown.twin, self._console, self._scheme, self._shown.rows)
