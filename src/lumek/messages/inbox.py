"""The inbox of a panel: what waits, what is seen now, and what becomes of the rest."""

import threading
from collections import deque
from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

from lumek._harmless import quoted
from lumek._notice import notice
from lumek.errors import GarbledError
from lumek.fields.field import Moment
from lumek.messages.delivery import MOST_REPLIES, Delivery, Showing, Usual, send_answer
from lumek.messages.models import LEVELS, Answer, State, iso
from lumek.messages.record import Record
from lumek.readings.time_source import TimeSource

if TYPE_CHECKING:
    from lumek.panel import Panel

URGENT = len(LEVELS) - 1

LEAST_S = 1.0
"""A message that was interrupted with less time left is not shown again."""

TELL_S = 60.0
"""From one line about messages that were dropped to the next."""


class Inbox:
    """Messages for one panel. `put` may be called from any thread, the rest by the one that draws.

    name: of the panel; "" for the only one.
    record: of what was shown.
    most: messages that wait at most.
    usual: how a text is shown that does not say so itself.
    showing: the message that is seen, or about to be.
    """

    def __init__(self, name: str, record: Record, most: int, usual: Usual, clock: TimeSource) -> None:
        self.name = name
        self.showing: Showing | None = None
        self._record, self._most, self._clock = record, most, clock
        self._usual = usual
        self._commands: deque[Delivery] = deque()
        self._waiting: list[deque[Delivery]] = [deque() for _ in LEVELS]
        self._open: dict[str, Delivery] = {}
        """Id -> the message that was not answered yet."""
        self._lock = threading.Lock()
        self._ended = False
        self._dropped, self._told_at = 0, float("-inf")

    def __len__(self) -> int:
        """How many texts wait."""
        return sum(map(len, self._waiting))

    def put(self, delivery: Delivery) -> Answer | None:
        """Let a message wait for its turn.

        Returns an answer that is known already: to an id that was shown. Otherwise everybody gets theirs later.
        """
        id = delivery.message.id
        dropped: Delivery | None = None
        with self._lock:
            if self._ended:
                return delivery.answer_of("ended", "the host has ended")
            if id is not None:
                waits = self._open.get(id)
                if waits is not None:
                    waits.replies += delivery.replies[: MOST_REPLIES - len(waits.replies)]
                    return None
                if (known := self._record.known(self.name, id)) is not None:
                    return known.model_copy(update={"again": True})
                self._open[id] = delivery
            if delivery.message.text is None:
                self._commands.append(delivery)
                if len(self._commands) > self._most:
                    dropped = self._commands.popleft()
            else:
                self._waiting[delivery.level].append(delivery)
                if len(self) > self._most:
                    dropped = next(waiting for waiting in self._waiting if waiting).popleft()
        if dropped is not None:
            self._dropped += 1
            self._answer(
                dropped,
                "dropped",
                f"{self._most} messages are waiting, and this one was the oldest of the lowest level",
            )
        return None

    def commands(self) -> Iterator[Delivery]:
        """The messages that are commands, each once."""
        while True:
            with self._lock:
                if not self._commands:
                    return
                delivery = self._commands.popleft()
            if self._noted(delivery):
                yield delivery

    def _noted(self, delivery: Delivery) -> bool:
        """Whether the record knows that a message is about to be shown or carried out."""
        if delivery.answer is not None:
            return True
        try:
            self._record.showing(self.name, delivery.message.id, self._clock.time())
        except OSError as problem:
            self._answer(delivery, "refused", f"the host cannot write its record: {problem.strerror or problem}")
            return False
        return True

    def turn(self, now: Moment, shape: tuple[int, int], urgent_only: bool = False) -> Showing | None:
        """What is to be seen now; None for the faces.

        shape: rows and columns of the panel.
        urgent_only: whether a message that is not urgent has to wait, as during an alarm.
        """
        self._tell(now.seconds)
        for one in self._expired(now.unix):
            self._answer(one, "expired", "its time ran out before its turn came")
        showing = self.showing
        if showing is not None and showing.delivery.expired(now.unix) and showing.began is None:
            self._answer(showing.delivery, "unsure", "its time ran out before the panel answered")
        if showing is not None and (
            showing.delivery.expired(now.unix)
            or (showing.began is not None and now.seconds - showing.began >= showing.seconds)
        ):
            showing = None
        while (following := self._following(showing, now, urgent_only)) is not None:
            showing = self._begun(following, shape)
            if showing is not None:
                break
        if showing is not None and urgent_only and showing.delivery.level < URGENT:
            self._put_aside(showing, now)
            showing = None
        self.showing = showing
        return showing

    def _expired(self, unix: float) -> list[Delivery]:
        """Take out what waited for too long."""
        with self._lock:
            gone = [one for waiting in self._waiting for one in waiting if one.expired(unix)]
            for one in gone:
                self._waiting[one.level].remove(one)
        return gone

    def _following(self, showing: Showing | None, now: Moment, urgent_only: bool) -> Delivery | None:
        """Take out the message that comes next, if its turn is now; what it interrupts is put aside."""
        with self._lock:
            level = max((level for level, waiting in enumerate(self._waiting) if waiting), default=-1)
            if level < (URGENT if urgent_only else 0):
                return None
            if showing is not None and not (level == URGENT and showing.delivery.level < URGENT):
                return None
            following = self._waiting[level].popleft()
        if showing is not None:
            self._put_aside(showing, now)
        return following

    def _begun(self, delivery: Delivery, shape: tuple[int, int]) -> Showing | None:
        """Begin with a message; None where that is not possible."""
        try:
            showing = Showing(delivery, shape, self._usual)
        except GarbledError as problem:
            self._answer(delivery, "refused", str(problem))
            return None
        return showing if self._noted(delivery) else None

    def _put_aside(self, showing: Showing, now: Moment) -> None:
        """Let a message go on later, for the time that is left."""
        delivery = showing.delivery
        if showing.began is not None:
            delivery.left_s = showing.seconds - (now.seconds - showing.began)
            if delivery.left_s < LEAST_S:
                return
        with self._lock:
            self._waiting[delivery.level].appendleft(delivery)

    def is_seen(self, panel: "Panel", now: Moment) -> None:
        """The panel has taken what is to be seen: write that into the record, and answer, the first time."""
        showing = self.showing
        if showing is None or showing.began is not None:
            return
        showing.began = now.seconds
        if showing.delivery.answer is not None:
            return
        seen, until = self._clock.time(), showing.delivery.expires
        ends = seen + showing.seconds
        self._done(
            showing.delivery, "shown", seen, until=iso(ends if until is None else min(ends, until)),
            compromises=showing.compromises(panel),
        )  # fmt: skip

    def carried_out(self, delivery: Delivery) -> None:
        """Commands were carried out."""
        self._done(delivery, "done", self._clock.time())

    def _done(self, delivery: Delivery, state: State, unix: float, **more: Any) -> None:
        """Record and answer what was done with a message."""
        answer = delivery.answer_of(state, shown=iso(unix), **more)
        try:
            self._record.shown(answer, delivery.message.text or " ".join(delivery.message.asks))
        except OSError as problem:
            notice(f"the record of messages cannot be written: {problem.strerror or problem}")
        self._send(delivery, answer)

    def failed(self, delivery: Delivery, why: str) -> None:
        """A message cannot be shown or carried out, for a reason of its own: answer that, and go on without it."""
        if self.showing is not None and self.showing.delivery is delivery:
            self.showing = None
        if delivery.message.id is not None:
            self._record.forget(self.name, delivery.message.id)
        self._answer(delivery, "refused", why)

    def clear(self, order: Delivery) -> None:
        """Show none of the texts any more that came before an order."""
        self._take_away("cleared", "a clear command removed it", order.number)
        self.showing = None

    def end(self) -> None:
        """Answer what waits: the host ends."""
        with self._lock:
            self._ended = True
        self._take_away("ended", "the host ended before its turn came")
        while self._commands:
            self._answer(self._commands.popleft(), "ended", "the host ended before its turn came")

    def _take_away(self, state: State, why: str, before: float = float("inf")) -> None:
        """Answer the texts that wait, those that came before a number."""
        gone = []
        with self._lock:
            for level, waiting in enumerate(self._waiting):
                gone += [one for one in waiting if one.number < before]
                self._waiting[level] = deque(one for one in waiting if one.number >= before)
        for one in gone:
            self._answer(one, state, why)
        if self.showing is not None and self.showing.began is None:
            self._answer(self.showing.delivery, "unsure", f"the panel had not answered yet; {why}")

    def _answer(self, delivery: Delivery, state: State, why: str) -> None:
        """Answer a message that is not shown; one that was shown before, and interrupted, has its answer."""
        if delivery.answer is None:
            self._send(delivery, delivery.answer_of(state, why))

    def _send(self, delivery: Delivery, answer: Answer) -> None:
        with self._lock:
            delivery.answer = answer
            replies, delivery.replies = delivery.replies, []
            if delivery.message.id is not None:
                self._open.pop(delivery.message.id, None)
        for reply in replies:
            send_answer(reply, answer)

    def _tell(self, seconds: float) -> None:
        if self._dropped and seconds - self._told_at >= TELL_S:
            for_panel = f" for the panel {quoted(self.name)}" if self.name else ""
            count, self._dropped, self._told_at = self._dropped, 0, seconds
            notice(f"{count} message{'s' if count > 1 else ''}{for_panel} dropped: more arrive than the panel can show")
