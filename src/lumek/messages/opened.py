"""A desk that is open: with the ways in that bring to it, and the broker to which the panels are published."""

from collections.abc import Mapping
from typing import TYPE_CHECKING

from lumek._notice import notice
from lumek.messages.desk import Desk

if TYPE_CHECKING:
    from lumek.messages.broker import Broker
    from lumek.messages.ways.way import WayIn


STEADY_S = 2.0
"""How long a trouble lasts before it is reported."""


class OpenDesk:
    """A desk, the ways in that bring to it, and the broker to which the panels are published."""

    def __init__(self, desk: Desk, ways: "Mapping[str, WayIn]", broker: "Broker | None" = None) -> None:
        self.desk, self.ways, self.broker = desk, ways, broker
        self._told: dict[str, str] = {}
        self._seen: dict[str, tuple[str, float]] = {}

    def tell(self, seconds: float) -> None:
        """Report ways in that fail, each cause once, and those that work again; what passes at once is left out.

        seconds: now; they never go back.
        """
        everything = {f"messages from {name}": way.trouble for name, way in self.ways.items()}
        if self.broker is not None:
            everything["[broker]"] = self.broker.trouble
        for name, trouble in everything.items():
            seen, since = self._seen.get(name, ("", seconds))
            if trouble != seen or name not in self._seen:
                self._seen[name] = trouble, seconds
            elif trouble != self._told.get(name, "") and seconds - since >= STEADY_S:
                self._told[name] = trouble
                notice(f"{name}: {trouble or 'working again'}")

    @property
    def over(self) -> bool:
        """Whether its ways have ended, and everything was shown that came."""
        ended = bool(self.ways) and self.broker is None and all(way.ended for way in self.ways.values())
        return ended and not any(len(inbox) or inbox.showing for inbox in self.desk)
