"""Decks running on their panels: the loop that draws at its rate, whatever probes and panels do."""

import math
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from datetime import UTC, datetime, tzinfo
from threading import Thread
from time import monotonic, sleep
from typing import Self
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from lumek._harmless import quoted
from lumek._notice import notice
from lumek.errors import FaceError
from lumek.faces.stand import Stand
from lumek.faces.wall import Wall
from lumek.fields.field import Moment
from lumek.readings.poller import Poller
from lumek.readings.settings import duration, positive
from lumek.readings.time_source import HOST_CLOCK, TimeSource
from lumek.readings.troubles import Troubles

PATIENCE_S = 0.1
"""So often somebody who waits looks whether to stop.

A signal handler may call `stop` within whatever this thread is doing, a wait included; so it only sets a flag, and
nothing that has a lock is waited for.
"""


class Show:
    """Decks on their panels, fed by a poller: `draw` draws once, `run` draws at a rate until it is stopped.

    stands: decks with their panels.
    poller: has the readings; its probes are those that faces may name.
    refresh_hz: drawings a second.
    start_s: a start face gives way after this many seconds, even if a probe has not answered yet.
    zone: time zone of clocks, "Europe/Vienna"; the host's by default.
    clock: the host's by default; with one that is moved by hand call `draw`.
    troubles: what turns flaws of readings into lines.
    report: called with each line about a probe that fails, fails otherwise, or is good again.
    began: when it began, of the clock's `elapsed`; default: now. For a show that goes on with others' messages.
    over: asked after each drawing of `run`: whether nothing more will come; `run` then draws once more, and ends.
    after: what it is, in words -> what is called after each drawing, with its moment.
    leaves: whether the panels are left as their decks say when its block ends.

    Raises FaceError for faces that name other probes or do not fit their panel, and for an unknown zone.
    """

    def __init__(
        self,
        stands: Sequence[Stand],
        poller: Poller,
        *,
        refresh_hz: float = 5.0,
        start_s: float = 10.0,
        zone: str | None = None,
        clock: TimeSource = HOST_CLOCK,
        troubles: Troubles | None = None,
        report: Callable[[str], object] = notice,
        began: float | None = None,
    ) -> None:
        self.stands = list(stands)
        self.poller = poller
        self.troubles = troubles or Troubles()
        self._report = report
        self.period_s = duration(1 / positive(refresh_hz, "refresh_hz"), "1 / refresh_hz")
        self.start_s = duration(start_s, "start_s", or_zero=True)
        self._clock = clock
        self.began = clock.elapsed() if began is None else began
        self._ended = False
        self._wall: Wall[object] = Wall()
        self.over: Callable[[], bool] = lambda: False
        self.after: dict[str, Callable[[Moment], object]] = {}
        self.leaves = True
        self._zone = zone_of(zone)
        for stand in self.stands:
            stand.deck.bind(list(poller))
            if stand.light is not None:
                stand.light.bind(list(poller))
            for panel in stand.panels:
                stand.deck.check(panel)
                if stand.light is not None:
                    stand.light.check(panel)

    def local(self, unix: float) -> tuple[int, ...]:
        """A time, in seconds since 1970 UTC, as a time tuple of the zone."""
        return tuple(datetime.fromtimestamp(unix, self._zone).timetuple()[:8])

    @property
    def elapsed(self) -> float:
        """Seconds since it began."""
        return self._clock.elapsed() - self.began

    @property
    def ready(self) -> bool:
        """Whether every probe has answered once, or has had its time to."""
        return self.elapsed >= self.start_s or self.poller.wait(0)

    def wait(self, limit_s: float | None = None) -> None:
        """Wait until every probe has answered once, and what arrives by itself has; leave out start faces.

        limit_s: seconds that it waits at most; default: start_s. `stop` ends it, too.
        """
        limit_s = self.start_s if limit_s is None else limit_s
        while not self._ended and self.elapsed < limit_s and self.poller.awaited():
            sleep(min(PATIENCE_S, max(0.0, limit_s - self.elapsed)))
        for stand in self.stands:
            stand.deck.skip_start()

    def draw(self) -> None:
        """Draw everything once, as it is now, and tend the panels.

        A panel that does not answer is not an error; it is tried again. An error in the code of a field, a light or a
        panel costs that alone, and is reported once.
        """
        unix = self._clock.time()
        now = Moment(self.elapsed, unix, self.local(unix))
        readings = self.poller.readings()
        ready = self.ready
        for stand in self.stands:
            with self._wall.around(stand):
                stand.draw(readings, now, ready, self.local)
        for what, act in self.after.items():
            with self._wall.around(what):
                act(now)
        self.poller.revive()
        for line in self.troubles.news(readings, now.seconds):
            self._report(line)

    def run(self, seconds: float | None = None, each: Callable[[], object] | None = None) -> None:
        """Draw at the rate until `stop`, until nothing more will come, or until the time is over.

        each: called after each drawing.
        """
        begin = due = monotonic()
        over = False
        while not self._ended and (seconds is None or due - begin < seconds):
            self.draw()
            if each is not None:
                each()
            if over:
                break
            if over := self.over():
                self.poller.poll_now()
            # What is late is left out: the next drawing shows what is then.
            due += self.period_s * max(1, math.ceil((monotonic() - due) / self.period_s))
            self._sleep_until(due if seconds is None else min(due, begin + seconds))

    @contextmanager
    def in_background(self) -> Iterator[Self]:
        """A block during which `run` draws in a thread of its own; it is stopped at the end of the block."""
        thread = Thread(target=self.run)
        thread.start()
        try:
            yield self
        finally:
            self.stop()
            thread.join()

    def _sleep_until(self, moment: float) -> None:
        while not self._ended and (left := moment - monotonic()) > 0:
            sleep(min(left, PATIENCE_S))

    def stop(self) -> None:
        """Let `run` end, within a tenth of a second and the drawing that it is at.

        May be called from another thread, and from a signal handler at any moment.
        """
        self._ended = True

    @property
    def ended(self) -> bool:
        """Whether `stop` was called."""
        return self._ended

    def leave(self) -> None:
        """Leave each panel as its deck says."""
        for stand in self.stands:
            stand.leave()

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *exc: object) -> None:
        if self.leaves:
            self.leave()


def zone_of(name: str | None) -> tzinfo | None:
    """The time zone of a name, or None for the host's. Raises FaceError for an unknown one."""
    try:
        return None if name is None else UTC if name == "UTC" else ZoneInfo(name)
    except (ZoneInfoNotFoundError, ValueError, OSError):
        raise FaceError(f"there is no time zone {quoted(name)}: one is 'UTC', or named as 'Europe/Vienna'") from None
