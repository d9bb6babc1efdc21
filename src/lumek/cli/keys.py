"""Keys of the terminal that turn pages on simulated panels, as buttons do on a real one."""

import os
import select
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from json import dumps

from lumek.messages.models import TOGGLE

ORDERS: dict[str, dict[str, object]] = {
    "n": {"next": True}, "\x1b[C": {"next": True}, "b": {"back": True}, "\x1b[D": {"back": True},
    "h": {"hold": TOGGLE}, "l": {"light": TOGGLE}, "c": {"clear": True},
}  # fmt: skip
"""Key: the message that it is."""

HELP = "keys: n next, b back, h hold, l light, c clear"

MOST_BYTES = 64


@contextmanager
def keys() -> "Iterator[Keys | None]":
    """A block in which each key counts by itself; None where there is no terminal to type at."""
    try:
        import termios
        import tty
    except ImportError:  # Windows
        yield None
        return
    number = _terminal()
    if number is None:
        yield None
        return
    before = termios.tcgetattr(number)
    tty.setcbreak(number, termios.TCSANOW)
    try:
        yield Keys(number)
    finally:
        termios.tcsetattr(number, termios.TCSADRAIN, before)


def _terminal() -> int | None:
    """The number of standard input, if it is a terminal of which this program is in the foreground."""
    try:
        number = sys.stdin.fileno()
        return number if os.isatty(number) and os.tcgetpgrp(number) == os.getpgrp() else None
    except (AttributeError, OSError, ValueError):
        return None


class Keys:
    """Keys that were typed."""

    def __init__(self, number: int) -> None:
        self._number = number

    def orders(self) -> list[str]:
        """What was asked for since this was called last, as messages."""
        if not select.select([self._number], [], [], 0)[0]:
            return []
        try:
            typed = os.read(self._number, MOST_BYTES).decode("ascii", "ignore")
        except OSError:
            return []
        asked = []
        while typed:
            key = typed[:3] if typed.startswith("\x1b[") else typed[0]
            typed = typed[len(key) :]
            if key in ORDERS:
                asked.append(dumps(ORDERS[key]))
        return asked
