"""How signals end a command that runs for long."""

import signal
from collections.abc import Callable, Iterator
from contextlib import contextmanager

SIGNALS = [getattr(signal, name) for name in ("SIGINT", "SIGTERM", "SIGHUP") if hasattr(signal, name)]
"""Windows has no SIGHUP."""


class Ending:
    """What a signal does: before there is something to stop, it breaks off the start; then it calls `stop`, once."""

    def __init__(self) -> None:
        self.stop: Callable[[], None] | None = None

    def __call__(self, *_: object) -> None:
        """A signal came."""
        if self.stop is None:
            raise KeyboardInterrupt
        self.stop()


@contextmanager
def ending() -> Iterator[Ending]:
    """A block that Ctrl-C, SIGTERM and SIGHUP end in an orderly way; more of them do not disturb what is written then.

    `stop` is called within whatever is being done: it may set a flag, and wait for nothing. A signal that was ignored
    (nohup) stays so.
    """
    handler = Ending()
    before = {number: signal.getsignal(number) for number in SIGNALS}
    for number, old in before.items():
        if old != signal.SIG_IGN:
            signal.signal(number, handler)
    try:
        yield handler
    finally:
        for number, old in before.items():
            signal.signal(number, old)
