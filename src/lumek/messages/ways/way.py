"""What ways in have in common."""

import hmac
import threading
from abc import ABC, abstractmethod
from collections.abc import Callable, Collection, Mapping
from time import monotonic, sleep
from typing import Any, ClassVar, Self

from lumek._harmless import quoted
from lumek.errors import SettingError
from lumek.messages.delivery import Reply
from lumek.messages.desk import Desk

MOST_PER_S, BURST = 2000.0, 500.0
"""Messages that a way takes in a second, and at once; the sender of more has to wait."""

LOOPBACK = ("localhost", "127.", "::1")

SHORTEST_TOKEN = 8


class WayIn(ABC):
    """A way in. `open` begins to listen, in threads of its own.

    ended: whether nothing more will come.
    """

    kind: ClassVar[str]
    extra: ClassVar[str] = ""
    modules: ClassVar[tuple[str, ...]] = ()

    def __init__(self) -> None:
        self.ended = False
        self._trouble = ""
        self._desk: Desk | None = None
        self._allow: Collection[str] | None = None
        self._pace = Pace()
        self._closing = threading.Event()

    @staticmethod
    @abstractmethod
    def place_of(settings: Mapping[str, object]) -> str:
        """Where it listens, for people."""

    def open(self, desk: Desk, allow: Collection[str] | None = None) -> Self:
        """Begin to listen.

        desk: where messages are brought.
        allow: what its messages may ask for; default: what the desk allows.
        Raises PortError where that is not possible and will not heal by itself.
        """
        self._desk, self._allow = desk, allow
        self._begin()
        return self

    @abstractmethod
    def _begin(self) -> None:
        """Begin to listen."""

    def bring(self, content: bytes, reply: Reply | None = None, **more: Any) -> int:
        """Bring a message to the desk, at the pace at which this is possible; see `Desk.bring`."""
        self._pace.keep(self._closing)
        assert self._desk is not None
        return self._desk.bring(content, reply, allow=self._allow, **more)

    @property
    def trouble(self) -> str:
        """Why nothing comes, for people; empty while all is well."""
        return self._trouble

    def _failed(self, why: str) -> None:
        """Nothing comes, and why; "" when all is well."""
        self._trouble = why

    def close(self) -> None:
        """Stop listening. A second time does nothing."""
        self._closing.set()

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *exc: object) -> None:
        self.close()


class Pace:
    """A pace that is not exceeded: 2,000 messages a second, 500 of them at once."""

    def __init__(self, clock: Callable[[], float] = monotonic) -> None:
        self._clock = clock
        self._left = BURST
        self._at = clock()

    def keep(self, ended: threading.Event) -> None:
        """Count a message; wait where it is too early."""
        now = self._clock()
        self._left = min(BURST, self._left + (now - self._at) * MOST_PER_S) - 1
        self._at = now
        if self._left < 0 and not ended.is_set():
            sleep(-self._left / MOST_PER_S)


def is_loopback(host: str) -> bool:
    """Whether an address is reached from this host alone."""
    return host.lower().startswith(LOOPBACK)


def checked_token(host: str, token: str | None, key: str) -> bytes | None:
    """The token that is asked for. Raises SettingError where one is needed and there is none, or a short one."""
    if token is None:
        if not is_loopback(host):
            raise SettingError(
                f"host = {quoted(host)} accepts other computers, so a token is required: {key}_from = 'env:NAME' or "
                "'file:PATH'"
            )
        return None
    if len(token) < SHORTEST_TOKEN or not token.isascii() or not token.isprintable():
        raise SettingError(f"the token has {len(token)} characters; it must have at least {SHORTEST_TOKEN}, all ASCII")
    return token.encode()


def is_token(given: bytes, token: bytes) -> bool:
    """Whether a token is the right one, in a time that does not tell how much of it is."""
    return hmac.compare_digest(given, token)
