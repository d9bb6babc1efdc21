"""One deck on its panels: what is to be seen there now, of its faces and of messages, and in which light."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import ExitStack, contextmanager

from lumek._harmless import quoted
from lumek._notice import notice
from lumek.errors import ClosedError, PortError
from lumek.faces.deck import Deck
from lumek.faces.face import Face
from lumek.faces.light_plan import Backlight, LightPlan
from lumek.faces.orders import Orders
from lumek.faces.wall import Wall
from lumek.fields.field import Moment
from lumek.messages.delivery import Delivery, Showing
from lumek.messages.inbox import Inbox
from lumek.messages.seen import Seen
from lumek.panel import Panel
from lumek.readings.reading import Reading, one_line

RETRY_S = 1.0
"""How long a panel that does not answer is left alone."""


class Stand:
    """One deck and the panels that show it: usually one; a real one and its simulated double are alike.

    light: what their backlights do; None leaves them alone.
    inbox: messages that take the place of faces; None for none.
    shown: the face that is seen, once there is one; None while a message takes its place.
    answers: whether the panels took the last drawing.
    """

    def __init__(
        self, name: str, deck: Deck, panels: Sequence[Panel], light: LightPlan | None = None, inbox: Inbox | None = None
    ) -> None:
        self.name = name
        self.deck = deck
        self.panels = list(panels)
        self.light = light
        self.inbox = inbox
        self.shown: Face | None = None
        self.answers = True
        self._showing: Showing | None = None
        self._orders = Orders(self)
        self._usual_light: Backlight | None = None
        self._again_at: float | None = None
        self._whole = True
        self._wall: Wall[str] = Wall(f"the panel{self._named}: ")

    def __str__(self) -> str:
        return f"the panel{self._named}"

    def draw(
        self, readings: Mapping[str, Reading], now: Moment, ready: bool, local: Callable[[float], Sequence[int]]
    ) -> None:
        """Bring the panels to what they are to show. A panel that does not answer is noted, and tried again."""
        if self.inbox is not None:
            self._orders.take(self.inbox, now)
        face = self.deck.turn(now.seconds, readings, ready)
        for other in self.deck:
            other.take(readings, now, local, seen=other is face)
        if self._again_at is not None and now.seconds < self._again_at:
            return
        showing = None
        if self.inbox is not None:
            showing = self.inbox.turn(now, self.panels[0].shape, urgent_only=face is not None and bool(face.alarm))
        try:
            with ExitStack() as stack:
                for panel in self.panels:
                    stack.enter_context(panel.together())
                self._compose(face, showing, readings, now)
            for panel in self.panels:
                panel.tend(now.seconds)
        except PortError as problem:
            if self._again_at is None:
                notice(f"{self} does not answer; trying again every {RETRY_S:g} s: {problem}")
            self._again_at, self._whole, self.answers = now.seconds + RETRY_S, True, False
            return
        if self._again_at is not None:
            notice(f"{self} answers again")
        self._again_at, self._whole, self.answers = None, False, True
        if self.inbox is not None:
            self.inbox.is_seen(self.panels[0], now)
            self._orders.carried_out(self.inbox)

    def _compose(
        self, face: Face | None, showing: Showing | None, readings: Mapping[str, Reading], now: Moment
    ) -> None:
        """Write what is to be seen: the face, a message in its place or over it, and the light."""
        whole = self._whole or showing is not self._showing
        if self._showing is not None and showing is not self._showing:
            self._showing.leave(self.panels)
        if showing is not None and not self._can_show(showing, face, whole, now):
            showing, whole = None, True
        self._showing = showing
        self._shine(showing, readings, now)
        if showing is not None and showing.whole:
            self.shown = None
            return
        whole = whole or face is not self.shown
        if whole:
            for panel in self.panels:
                with panel.together(may_clear=True):
                    panel[:] = ""
        if face is not None:
            face.draw(self.panels, whole)
        self.shown = face
        if showing is not None:
            showing.draw(self.panels, now)

    def _can_show(self, showing: Showing, face: Face | None, whole: bool, now: Moment) -> bool:
        """Write a message; when it is to blame that this cannot be, it is answered so."""
        with self.blaming(showing.delivery):
            if whole:
                if showing.whole:
                    for panel in self.panels:
                        with panel.together(may_clear=True):
                            panel[:] = ""
                elif face is not None:
                    face.give_way(showing.delivery.message.text or "", self.panels)
                showing.arrive(self.panels)
                if showing.light is not None:
                    self._orders.refuse_light(showing.light)
            showing.draw(self.panels, now)
            return True
        showing.leave(self.panels)
        return False

    def _shine(self, showing: Showing | None, readings: Mapping[str, Reading], now: Moment) -> None:
        """Let the backlight do what the message, an order or the file says, in this order."""
        backlight: Backlight | None = None if showing is None else showing.light
        if backlight is None:
            backlight = self._orders.light(now)
        if backlight is not None and self._usual_light is None:
            self._usual_light = self.panels[0].backlight
        if backlight is None and self.light is not None:
            with self._wall.around("its light"):
                backlight = self.light.now(readings, now)
        elif backlight is None:
            backlight = self._usual_light
        if backlight is None:
            return
        for panel in self.panels:
            if panel.backlight != backlight:
                panel.backlight = backlight

    @contextmanager
    def blaming(self, delivery: Delivery) -> Iterator[None]:
        """A block of a message. An error in it is the message's fault, but for those of ports."""
        try:
            yield
        except (PortError, ClosedError):
            raise
        except Exception as problem:
            assert self.inbox is not None
            self.inbox.failed(delivery, one_line(problem))

    def seen(self) -> Seen:
        """What is seen here, for those who are told of it."""
        showing = None if self.inbox is None else self.inbox.showing
        return Seen(
            self.name, self.panels[0], None if self.shown is None else self.shown.name, self.deck.choices,
            None if showing is None else showing.delivery.message.id or "", self.deck.held, self.answers,
            0 if self.inbox is None else len(self.inbox),
        )  # fmt: skip

    def leave(self) -> None:
        """Leave the panels as the deck says, in their usual light."""
        for panel in self.panels:
            try:
                if self.light is not None:
                    panel.backlight = self.light.usual
                if self.deck.farewell is not None:
                    panel[:] = self.deck.farewell
            except PortError as problem:
                notice(f"{self} could not be left as its file says: {problem}")

    @property
    def _named(self) -> str:
        return f" {quoted(self.name)}" if self.name else ""
