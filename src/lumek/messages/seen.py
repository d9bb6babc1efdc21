"""What is seen on a panel, for those who are told of it."""

from collections.abc import Collection
from typing import TYPE_CHECKING, NamedTuple

if TYPE_CHECKING:
    from lumek.panel import Panel


class Seen(NamedTuple):
    """A panel, as it is seen now.

    name: as its host's file calls it; "" for the only one.
    face: the face that is shown; None while a message takes its place.
    faces: those that may be chosen.
    message: the id of the message that is shown, "" for one without; None for none.
    held: whether the face stays.
    answers: whether the panel took the last drawing.
    waiting: messages that wait for their turn.
    """

    name: str
    panel: "Panel"
    face: str | None
    faces: Collection[str]
    message: str | None
    held: bool
    answers: bool
    waiting: int
