"""Feeds: where values arrive by themselves, several under one roof, each with a probe of its own."""

import threading
from abc import abstractmethod
from itertools import islice
from typing import Unpack

from lumek._harmless import quoted
from lumek.readings.guarded import guarded_thread
from lumek.readings.probe import SourceSettings, Taken
from lumek.readings.probes.source import Source, SourceProbe
from lumek.readings.reading import Reading
from lumek.readings.time_source import HOST_CLOCK, TimeSource

FEED_LIFETIME_S = 60.0
CLOSE_S = 1.0


MOST_KEYS, LONGEST_KEY = 1000, 200
"""Names that a feed remembers, and their characters; garbage may bring a new one with every line."""

MOST_NAMED = 10
"""Names listed in an error about another one."""


class Feed(Source):
    """What has arrived last under each key, and when. Subclasses call `arrive` from wherever things arrive.

    trouble: why nothing arrives, for people; empty while all is well.
    ended: whether nothing more will arrive.
    rejected: how many lines or messages made no sense so far.
    """

    def __init__(self, clock: TimeSource = HOST_CLOCK) -> None:
        super().__init__(clock)
        self.trouble = ""
        self.ended = False
        self.rejected = 0
        self._last: dict[str, Taken] = {}
        self._lock = threading.Lock()

    @property
    def keys(self) -> list[str]:
        """The keys under which something has arrived so far."""
        with self._lock:
            return list(self._last)

    def has(self, key: str) -> bool:
        """Whether something has arrived under a key."""
        return key in self._last

    def arrive(self, key: str, value: object, ago_s: float = 0.0) -> None:
        """A value came, now or some seconds ago.

        A feed remembers 1000 keys of at most 200 characters; what comes under others is rejected.
        """
        if len(key) > LONGEST_KEY:
            self.reject(f"a name of {len(key)} characters is left out: {LONGEST_KEY} at most")
            return
        taken = Taken(value, self.clock.elapsed() - ago_s, self.clock.time() - ago_s)
        with self._lock:
            known = key in self._last or len(self._last) < MOST_KEYS
            if known:
                self._last[key] = taken
        if not known:
            self.reject(f"{quoted(key)} is left out: {MOST_KEYS} other names came before it")

    def latest(self, key: str) -> Taken:
        """What came last under a key. Raises LookupError before anything has."""
        with self._lock:
            taken = self._last.get(key)
            there = ", ".join(map(quoted, islice(self._last, MOST_NAMED))) if taken is None else ""
            more = ", ..." if len(self._last) > MOST_NAMED else ""
        if taken is None:
            but = f", but for {there}{more}" if there else ""
            raise LookupError(self.trouble or f"nothing has come for {quoted(key)} yet{but}")
        return taken

    def reject(self, why: str) -> None:
        """Something came that makes no sense."""
        self.rejected += 1
        self.trouble = why


class ThreadedFeed(Feed):
    """A feed that a thread of its own reads, from when that is started until it is closed."""

    def __init__(self, clock: TimeSource = HOST_CLOCK) -> None:
        super().__init__(clock)
        self._ended = threading.Event()
        self._thread = guarded_thread(f"lumek {type(self).__name__}", self._run, self._ended, self._failed)

    @abstractmethod
    def _run(self) -> None:
        """Read until `_ended` is set."""

    def _failed(self, why: str) -> None:
        self.trouble = why

    def close(self) -> None:
        """End it, usually within half a second. A second time does nothing."""
        self._ended.set()
        if self._thread is not threading.current_thread():
            self._thread.join(CLOSE_S)


class FeedProbe(SourceProbe[Feed]):
    """What arrives under one key of a feed; the `probe` of a feed makes it."""

    def __init__(self, feed: Feed, name: str, unit: str, key: str, **settings: Unpack[SourceSettings]) -> None:
        settings.setdefault("lifetime_s", FEED_LIFETIME_S)
        super().__init__(feed, name, unit, **settings)
        self._key = key

    def take(self) -> object:
        """What came last."""
        return self.source.latest(self._key)

    @property
    def may_come(self) -> bool:
        """Whether nothing has come under its key so far, and may."""
        return not self.source.ended and not self.source.has(self._key)

    def poll(self) -> Reading:
        """The current reading; a stale one also has the feed's trouble as its cause."""
        reading = super().poll()
        trouble = self.source.trouble
        return reading.but(cause=f"{reading.cause}; {trouble}") if reading.flaw == "stale" and trouble else reading
