"""A message on its way: who waits for its answer, and how it is seen on the panel."""

from collections.abc import Callable, Sequence
from itertools import count
from typing import TYPE_CHECKING, Any, NamedTuple

from lumek._harmless import LONGEST_LINE, harmless
from lumek._notice import notice
from lumek.core.glyph import Glyph
from lumek.errors import GarbledError
from lumek.fields.field import Moment
from lumek.messages.models import LEVELS, TOGGLE, USUAL, Answer, State, iso, unix_of
from lumek.messages.pages import Pages
from lumek.messages.reading import Understood

if TYPE_CHECKING:
    from lumek.panel import Panel

Reply = Callable[[Answer], object]
"""Sends an answer back by the way that the message came. It must not block."""

MOST_REPLIES = 8
"""Senders of one message that are answered."""


NUMBERS = count()


class Delivery:
    """A message for one panel, from when it came until it was answered.

    number: of those that came later is higher.
    replies: who waits for its answer.
    answer: what they got, once they have.
    expires: seconds since 1970 at which it is of no use any more; None for never.
    left_s: seconds that it is still to be shown, once it was interrupted.
    """

    def __init__(self, panel: str, read: Understood, unix: float, reply: Reply | None) -> None:
        self.panel, self.message, self.drawings, self.left_out = panel, read.message, read.drawings, read.left_out
        self.received = unix
        self.number = next(NUMBERS)
        self.replies = [] if reply is None else [reply]
        self.answer: Answer | None = None
        self.expires = None if read.message.until is None else unix_of(read.message.until)
        self.left_s: float | None = None

    @property
    def level(self) -> int:
        """Its level: higher is more urgent."""
        return LEVELS.index(self.message.level)

    def expired(self, unix: float) -> bool:
        """Whether it is of no use any more."""
        return self.expires is not None and unix >= self.expires

    def answer_of(self, state: State, why: str = "", **more: Any) -> Answer:
        """An answer to it."""
        return Answer(
            id=self.message.id, panel=self.panel, state=state, received=iso(self.received), left_out=self.left_out,
            why=harmless(why, LONGEST_LINE), **more,
        )  # fmt: skip


def send_answer(reply: Reply, answer: Answer) -> None:
    """Send an answer; a sender who has gone costs nobody else anything."""
    try:
        reply(answer)
    except Exception as problem:
        notice(f"a message could not be answered: {type(problem).__name__}: {problem}")


class Usual(NamedTuple):
    """How texts are shown on a host; see `Desk`."""

    seconds: float
    page_s: float
    longest_s: float
    fit: str


class Showing:
    """A message that is on the glass, or about to be.

    delivery: the message.
    shape: rows and columns of the panel.
    usual: what holds unless the message says so itself.
    whole: whether it takes the whole panel.
    began: seconds at which it was seen first; None before.
    seconds: how long it is shown.
    Raises GarbledError for a place that the panel does not have.
    """

    def __init__(self, delivery: Delivery, shape: tuple[int, int], usual: Usual) -> None:
        self.delivery = delivery
        self.began: float | None = None
        message = delivery.message
        self.whole = message.row is None
        rows, columns = range(shape[0]), range(shape[1])
        if message.row is not None:
            rows = rows[message.row : message.row + message.height or None]
            right = None if message.width is None else message.column + message.width
            columns = columns[message.column : right or None]
        if not columns or len(rows) < (1 if self.whole else message.height):
            raise GarbledError(f"its place does not exist on a {shape[1]}x{shape[0]} panel")
        self.key = slice(rows[0], rows[-1] + 1), slice(columns[0], columns[-1] + 1)
        fit = message.fit or usual.fit
        self._pages = Pages(message.text or "", len(rows), len(columns), fit, message.align, usual.page_s)
        self.seconds = max(usual.seconds, self._pages.needs_s)
        if message.seconds is not None:
            self.seconds = message.seconds
        elif delivery.expires is not None:
            self.seconds = max(self.seconds, delivery.expires - delivery.received)
        self.seconds = min(self.seconds, usual.longest_s)
        if delivery.left_s is not None:
            self.seconds = delivery.left_s
        self._before: dict[str, Glyph | None] = {}

    @property
    def light(self) -> bool | float | str | None:
        """The backlight while it is shown; None for the usual one."""
        light = self.delivery.message.light
        return None if light in (USUAL, TOGGLE) else light

    def draw(self, panels: "Sequence[Panel]", now: Moment) -> None:
        """Put what is to be seen of it now on panels."""
        seen = 0.0 if self.began is None else now.seconds - self.began
        for panel in panels:
            panel[self.key] = self._pages.at(seen, self.seconds)

    def arrive(self, panels: "Sequence[Panel]") -> None:
        """Give the panels its glyphs."""
        for panel in panels:
            given = {character: panel.glyphs[character] for character in panel.glyphs}
            for character, glyph in self.delivery.drawings.items():
                self._before.setdefault(character, given.get(character))
                panel.glyphs[character] = glyph

    def leave(self, panels: "Sequence[Panel]") -> None:
        """Take its glyphs back."""
        for panel in panels:
            for character, before in self._before.items():
                if before is not None:
                    panel.glyphs[character] = before
                elif character in panel.glyphs:
                    del panel.glyphs[character]

    def compromises(self, panel: "Panel") -> dict[str, str]:
        """Of its characters that a panel lacks: what is shown instead."""
        rows, columns = self.key
        return {
            written: shown
            for (row, column), (written, shown) in panel.compromises.items()
            if rows.start <= row < rows.stop and columns.start <= column < columns.stop
        }
