"""What messages order beside text: which face is seen, the backlight, the contrast."""

from typing import TYPE_CHECKING

from lumek.errors import PortError
from lumek.faces.light_plan import Backlight, LightPlan
from lumek.fields.field import Moment
from lumek.messages.delivery import Delivery
from lumek.messages.inbox import Inbox
from lumek.messages.models import TOGGLE, USUAL, Message

if TYPE_CHECKING:
    from lumek.faces.stand import Stand


class Orders:
    """Orders to a stand: carried out before a drawing, and answered once that drawing is on the glass."""

    def __init__(self, stand: "Stand") -> None:
        self._stand = stand
        self._done: list[Delivery] = []
        self._held_until: float | None = None
        self._light: Backlight | None = None
        self._light_until = float("inf")

    def take(self, inbox: Inbox, now: Moment) -> None:
        """Carry out what has come."""
        if self._held_until is not None and now.seconds >= self._held_until:
            self._held_until, self._stand.deck.held = None, False
        for delivery in inbox.commands():
            try:
                with self._stand.blaming(delivery):
                    self._carry_out(delivery, inbox, now)
                    self._done.append(delivery)
            except PortError as problem:
                inbox.failed(delivery, str(problem))

    def carried_out(self, inbox: Inbox) -> None:
        """The panels have taken what came of it."""
        done, self._done = self._done, []
        for delivery in done:
            inbox.carried_out(delivery)

    def light(self, now: Moment) -> Backlight | None:
        """What the backlight is ordered to do; None for what is usual."""
        if now.seconds >= self._light_until:
            self._light = None
        return self._light

    def refuse_light(self, light: Backlight) -> None:
        """Raise FaceError for what a backlight cannot do."""
        for panel in self._stand.panels:
            LightPlan(light).check(panel)

    def _carry_out(self, delivery: Delivery, inbox: Inbox, now: Moment) -> None:
        message, deck = delivery.message, self._stand.deck
        if message.clear:
            inbox.clear(delivery)
        if message.contrast is not None:
            for panel in self._stand.panels:
                panel.contrast = message.contrast
        if message.light is not None:
            self._order_light(message, now)
        if message.face is not None:
            deck.choose(message.face, now.seconds)
        if message.next:
            deck.step(now.seconds)
        if message.back:
            deck.step(now.seconds, back=True)
        if message.hold is not None:
            self._hold(message.hold, now)

    def _hold(self, hold: bool | float | str, now: Moment) -> None:
        deck = self._stand.deck
        deck.held = not deck.held if hold == TOGGLE else bool(hold)
        timed = isinstance(hold, (int, float)) and not isinstance(hold, bool)
        self._held_until = now.seconds + float(hold) if timed else None

    def _order_light(self, message: Message, now: Moment) -> None:
        light = None if message.light == USUAL else message.light
        if light == TOGGLE:
            light = not self._stand.panels[0].backlight if self._light is None else None
        if light is not None:
            self.refuse_light(light)
        self._light = light
        self._light_until = float("inf") if message.seconds is None else now.seconds + message.seconds
