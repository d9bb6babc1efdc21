"""Many probes polled off the drawing thread, so that none of them delays it or another.

One thread, the leader, polls all probes in turn while they answer at once: no thread has to be woken for a reading. The
first poll of each is made in a thread of its own; a probe that takes longer than `PATIENCE_S` keeps it. One that does
so later keeps the leader's thread, and a new leader takes over the others.
"""

import threading
from collections.abc import Callable, Iterable, Iterator
from heapq import heapify, heappop, heappush
from time import monotonic, sleep

from lumek._harmless import quoted
from lumek._notice import notice
from lumek.errors import ProbeError, SettingError
from lumek.readings.probe import AGING, Polled, aged, lifetime, may_come
from lumek.readings.reading import Reading, one_line
from lumek.readings.settings import duration
from lumek.readings.time_source import HOST_CLOCK, TimeSource

PATIENCE_S = 0.02

NOT_POLLED = "not polled yet"

SOON_S = 0.2
"""A probe for which nothing has come so far, and may come by itself, is polled so often at least."""


class _Entry:
    """A probe, when it is due, and what it gave last."""

    def __init__(self, probe: Polled, every_s: float, due: float, place: int) -> None:
        self.probe = probe
        self.place = place
        self.every_s = max(every_s, probe.shortest_s)
        self.due = due
        self.began: float | None = None
        self.wake: threading.Event | None = None
        """Set for the thread that polls it alone, if one does: it may be due earlier, or the poller has ended."""
        self.thread: threading.Thread | None = None
        """The one that polls it, while that is not the leader between two probes."""
        self.last: tuple[Reading, float] | None = None
        self.waits = True
        self.reported: tuple[float, str | None] | None = None


class Poller:
    """Polls probes by itself, and has their readings at hand: `poller["weight"]` is the last one, with its age.

    probes: anything with `poll`, `close`, `name`, `shortest_s` and `lifetime_s`.
    every_s: how often each is polled; a probe with a longer `shortest_s` less often.
    limit_s: a probe that has not answered for so long is stale, or missing if it never did.
    each: called with every new reading, in the thread that polled it; a `Log`, for example.
    clock: the host's by default.
    threads: False polls nothing by itself; `poll_due` polls what is due in the caller's thread, for a clock that is
        moved by hand.

    Raises SettingError for two probes with one name and times that are not above 0.
    """

    def __init__(
        self,
        probes: Iterable[Polled] = (),
        every_s: float = 0.5,
        *,
        limit_s: float = 2.0,
        each: Callable[[Reading], object] | None = None,
        clock: TimeSource = HOST_CLOCK,
        threads: bool = True,
    ) -> None:
        self.every_s = duration(every_s, "every_s")
        self.limit_s = duration(limit_s, "limit_s")
        self._each = each
        self._clock = clock
        self._entries: dict[str, _Entry] = {}
        self._due: list[tuple[float, int, _Entry]] = []
        self._turn = threading.Condition()
        self._ended = False
        self._leader: threading.Thread | None = None
        self._watcher: threading.Thread | None = None
        self._busy: float | None = None
        for probe in probes:
            self.add(probe)
        if threads:
            self._take_lead()
            self._start_watch()

    def add(self, probe: Polled, every_s: float | None = None) -> None:
        """Poll one more probe, from now on.

        every_s: how often, if otherwise than the others.
        """
        if not isinstance(probe, Polled):
            raise SettingError(f"{quoted(probe)} is not a probe: one has poll, close, name, shortest_s and lifetime_s")
        every_s = self.every_s if every_s is None else duration(every_s, "every_s")
        with self._turn:
            if probe.name in self._entries:
                raise SettingError(f"there are two probes named {quoted(probe.name)}: give one of them another name")
            entry = _Entry(probe, every_s, self._clock.elapsed(), len(self._entries))
            self._entries[probe.name] = entry
            self._again(entry)
            self._turn.notify_all()

    def __getitem__(self, name: str) -> Reading:
        """The reading of a probe as it is now: with its age, stale when that is more than its lifetime.

        It is missing before the first answer. Raises KeyError (a LumekError) for a name that no probe has.
        """
        entry = self._entries.get(name)
        if entry is None:
            raise ProbeError(f"there is no probe {quoted(name)}: there are {', '.join(self._entries) or 'none'}")
        now = self._clock.elapsed()
        began, last = entry.began, entry.last
        hangs = began is not None and now - began > self.limit_s
        why = f"no answer for {now - began:.3g} s" if hangs and began is not None else NOT_POLLED
        if last is None:
            return Reading(None, name, getattr(entry.probe, "unit", ""), self._clock.time(), cause=why)
        reading, at = last
        age_s = max(0.0, now - at) + reading.age_s
        if hangs and reading.flaw in AGING:
            return reading.but(flaw="stale", cause=why, age_s=age_s)
        return aged(reading, age_s, lifetime(entry.probe, entry.every_s))

    def __iter__(self) -> Iterator[str]:
        return iter(list(self._entries))

    def __len__(self) -> int:
        return len(self._entries)

    def readings(self) -> dict[str, Reading]:
        """All readings as they are now, by name."""
        return {name: self[name] for name in self}

    def wait(self, limit_s: float = 5.0, names: Iterable[str] | None = None) -> bool:
        """Wait until every probe, or those of these names, have answered once, or for limit_s seconds.

        Returns whether all have.
        """
        wanted = self._entries if names is None else names
        awaited = [self._entries[name] for name in wanted if name in self._entries]
        if all(entry.last is not None for entry in awaited):
            return True

        def all_have() -> bool:
            return self._ended or all(entry.last is not None for entry in awaited)

        with self._turn:
            return self._turn.wait_for(all_have, limit_s)

    def poll_now(self, limit_s: float = 1.0) -> None:
        """Poll every probe as soon as possible, whenever it was due, and wait until all have answered, or limit_s."""
        with self._turn:
            now = self._clock.elapsed()
            for entry in self._entries.values():
                entry.due = min(entry.due, now)
            self._due = [(entry.due, place, entry) for _, place, entry in self._due]
            heapify(self._due)
            self._turn.notify_all()
        self._wake_all()
        until = monotonic() + limit_s
        while monotonic() < until and any(e.last is None or e.last[1] < now for e in self._entries.values()):
            sleep(PATIENCE_S)

    def revive(self) -> None:
        """Start threads again that an error has ended, and give notice of it; a show calls it with each drawing."""
        if self._ended or self._watcher is None:
            return
        if not self._watcher.is_alive():
            notice("the thread that watches probes was ended by an error, and is started again")
            self._start_watch()
        for entry in self._entries.values():
            thread = entry.thread
            if thread is None or thread.ident is None or thread.is_alive():
                continue  # it is the leader's, about to start, or well
            if entry.thread is thread:
                notice(f"the thread that polls {quoted(entry.probe.name)} was ended by an error, and is started again")
                entry.began = None
                self._start(entry, self._go_alone)

    def awaited(self, names: Iterable[str] | None = None) -> list[str]:
        """The probes that have not answered yet, or whose last answer was that nothing has come, and may.

        names: of which; all by default.
        """
        wanted = self._entries if names is None else [name for name in names if name in self._entries]
        return [name for name in wanted if self._entries[name].last is None or self._entries[name].waits]

    def _wake_all(self) -> None:
        for entry in list(self._entries.values()):
            if entry.wake is not None:
                entry.wake.set()

    def poll_due(self) -> None:
        """Poll the probes that are due, in this thread; for a poller without threads."""
        while True:
            with self._turn:
                if not self._due or self._due[0][0] > self._clock.elapsed():
                    return
                entry = heappop(self._due)[2]
            try:
                self._poll(entry)
            finally:  # a program may be stopped here, and go on
                with self._turn:
                    self._again(entry)

    def close(self) -> None:
        """End the polling and close the probes, but those that hang. A second time does nothing."""
        with self._turn:
            if self._ended:
                return
            self._ended = True
            self._turn.notify_all()
        self._wake_all()
        if self._leader is not None and self._leader is not threading.current_thread():
            self._leader.join(self.limit_s)
        for entry in self._entries.values():
            if entry.began is None:
                try:
                    entry.probe.close()
                except Exception as problem:
                    notice(f"{entry.probe.name} cannot be closed: {one_line(problem)}")

    def __enter__(self) -> "Poller":
        return self

    def __exit__(self, *exc: object) -> None:
        self.close()

    def _start_watch(self) -> None:
        self._watcher = threading.Thread(target=self._watch, daemon=True, name="lumek watch")
        self._watcher.start()

    def _start(self, entry: _Entry, work: Callable[[_Entry], None]) -> None:
        """Give a probe a thread of its own."""
        entry.thread = threading.Thread(target=work, args=(entry,), daemon=True, name="lumek probe")
        entry.thread.start()

    def _take_lead(self) -> None:
        self._leader = threading.Thread(target=self._lead, daemon=True, name="lumek poller")
        self._leader.start()

    def _lead(self) -> None:
        """Poll what is due, until another thread has the lead."""
        me = threading.current_thread()
        while True:
            with self._turn:
                if self._ended:
                    return
                now = self._clock.elapsed()
                if not self._due or self._due[0][0] > now:
                    self._turn.wait(self._due[0][0] - now if self._due else None)
                    continue
                entry = heappop(self._due)[2]
                self._busy = None if entry.last is None else now
            if entry.last is None:
                self._start(entry, self._try)
                continue
            entry.thread = me
            self._poll(entry)
            with self._turn:
                if self._leader is me:
                    self._busy = entry.thread = None
                    self._again(entry)
                    continue
            self._go_alone(entry)
            return

    def _try(self, entry: _Entry) -> None:
        """Poll a probe for the first time, which may take long, and leave it to the leader if it did not."""
        began = self._clock.elapsed()
        self._poll(entry)
        if self._clock.elapsed() - began > PATIENCE_S:
            self._go_alone(entry)
            return
        with self._turn:
            entry.thread = None
            self._again(entry)
            self._turn.notify_all()

    def _again(self, entry: _Entry) -> None:
        """Put a probe among those that will be due."""
        heappush(self._due, (entry.due, entry.place, entry))

    def _go_alone(self, entry: _Entry) -> None:
        """Poll one slow probe, in a thread of its own."""
        wake = entry.wake = threading.Event()
        while True:
            while not self._ended and (delay := entry.due - self._clock.elapsed()) > 0:
                wake.wait(delay)
                wake.clear()
            if self._ended:
                return
            self._poll(entry)

    def _watch(self) -> None:
        """Replace a leader whom a probe keeps."""
        while True:
            with self._turn:
                self._turn.wait_for(lambda: self._ended, PATIENCE_S)
                if self._ended:
                    return
                if self._leader is not None and not self._leader.is_alive():
                    notice("the thread that polls probes was ended by an error, and is started again")
                    self._busy = None
                    self._take_lead()
                if self._busy is not None and self._clock.elapsed() - self._busy > PATIENCE_S:
                    self._busy = None
                    self._take_lead()

    def _poll(self, entry: _Entry) -> None:
        """Poll a probe now, and say when it is due again."""
        now = entry.began = self._clock.elapsed()
        may = False
        try:
            may = entry.waits and may_come(entry.probe)
            reading = entry.probe.poll()
            if not isinstance(reading, Reading):
                reading = Reading.of(reading, entry.probe.name)
        except (Exception, SystemExit) as problem:  # a probe of the user's own may raise
            reading = Reading(None, entry.probe.name, time=self._clock.time(), cause=one_line(problem))
        first = entry.last is None
        waits = entry.waits = may and reading.flaw == "missing"
        entry.last = reading, self._clock.elapsed()
        entry.began = None
        late = now - entry.due
        every_s = min(entry.every_s, max(SOON_S, entry.probe.shortest_s)) if waits else entry.every_s
        entry.due += every_s if late < every_s else late + every_s
        if first:
            with self._turn:
                self._turn.notify_all()
        if self._each is not None and not self._ended and entry.reported != (reading.time, reading.flaw):
            entry.reported = reading.time, reading.flaw
            try:
                self._each(reading)
            except Exception as problem:
                notice(f"a reading of {reading.name} could not be passed on: {one_line(problem)}")
