"""What all links on one port must know together: several panels may share its lines."""

from lumek._lock import new_lock

TYPE_CHECKING = False
if TYPE_CHECKING:
    from typing import Any


class Shared:
    """The lock that a link holds while it sends, and the levels of the port's outputs.

    levels: line -> level of GPIO lines; a line that is missing has an unknown level.
    outputs: the byte in a shift register.
    used: the bits of it that have a role.
    """

    def __init__(self) -> None:
        self.lock = new_lock()
        self.levels: dict[Any, int] = {}
        self.outputs = self.used = 0


def hand_over(port: "Any") -> None:
    """Let a port that holds things back send them: a link is done."""
    flush = getattr(port, "flush", None)
    if flush is not None:
        flush()


def shared(port: "Any") -> Shared:
    """The one `Shared` of a port. It stays with the port, as its attribute `lumek_shared`."""
    found: Shared | None = getattr(port, "lumek_shared", None)
    if found is None:
        found = Shared()
        try:
            port.lumek_shared = found
        except AttributeError:
            return found  # a port that takes no attributes cannot be shared
    return found
