"""How a panel has been: what went wrong on its wires, and what was mended."""

import time

from lumek._notice import notice

TYPE_CHECKING = False
if TYPE_CHECKING:
    from typing import Any

QUIET_S = 60
"""From one notice to the next, so that a bad wire does not fill a log. Events in between are only counted."""

COUNTED = (
    ("transfers", "transfer"), ("errors", "error"), ("retries", "retry"), ("restarts", "restart"),
    ("repaired", "repaired"),
)  # fmt: skip
"""The counters, and what one of each is called."""


class Health:
    """Counters of a panel, from its start on: `panel.health`.

    transfers: what was sent or read in one piece.
    errors: transfers that failed, retries included.
    retries: transfers that were repeated after an error.
    restarts: how often the panel was started or synchronised again, because what it shows was not known.
    repaired: bytes of memory, and address counters, that `verify` found different and wrote again.
    last_error: the text of the last error, or None.
    since: Unix time since which the panel has been answering, or has not: see `answers`.
    answers: whether the last transfer arrived.
    """

    def __init__(self) -> None:
        self.transfers = self.errors = self.retries = self.restarts = self.repaired = 0
        self.last_error: str | None = None
        self.answers = True
        self.since = time.time()
        self._told_at: float | None = None

    def __repr__(self) -> str:
        return f"<Health: {self}>"

    def __str__(self) -> str:
        """The counters in words."""
        state = "" if self.answers else "no answer, "
        counts = [(getattr(self, name), name, one) for name, one in COUNTED]
        return state + ", ".join([f"{count} {one if count == 1 else name}" for count, name, one in counts])

    def as_dict(self) -> "dict[str, Any]":
        """All of it, for a program."""
        found = {name: getattr(self, name) for name, _ in COUNTED}
        found.update(last_error=self.last_error, answers=self.answers, since=self.since)
        return found

    def failed(self, problem: BaseException) -> None:
        """A transfer failed."""
        self.errors += 1
        self.last_error = str(problem)
        if self.answers:
            self._change(False)

    def arrived(self) -> None:
        """A transfer arrived."""
        self.transfers += 1
        if not self.answers:
            self._change(True)

    def tell(self, what: str) -> None:
        """Give notice of something, with the counters; not more often than every QUIET_S."""
        now = time.time()
        if self._told_at is None or not 0 <= now - self._told_at < QUIET_S:
            self._told_at = now
            notice(f"{what} ({self})")

    def _change(self, answers: bool) -> None:
        self.answers, self.since = answers, time.time()
