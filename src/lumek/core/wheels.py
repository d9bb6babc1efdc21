"""The digits of a counter as wheels: what they roll through, and what they show on their way."""

from lumek.core.bundled import drawing_of
from lumek.core.glyph import ROWS, Glyph

TYPE_CHECKING = False
if TYPE_CHECKING:
    from lumek.protocols import Content


def wheel_of(old: "Content", new: "Content", down: bool) -> str:
    """The digits from one to the other, or a blank and a digit; "" where nothing rolls."""
    digits = "0123456789"
    if not isinstance(old, str) or not isinstance(new, str) or old == new:
        return ""
    if old in digits and new in digits:
        way = -1 if down else 1
        return "".join([digits[(int(old) + way * at) % 10] for at in range((int(new) - int(old)) * way % 10 + 1)])
    return old + new if {old, new} & {" "} and (old in digits or new in digits) else ""


def between(wheel: str, moved: int, down: bool) -> "Content":
    """What a wheel shows that moved by this many dots."""
    place, part = divmod(moved, ROWS)
    if place >= len(wheel) - 1:
        return wheel[-1]
    if not part:
        return wheel[place]
    first, second = [list(drawing_of(digit) or bytes(ROWS)) for digit in wheel[place : place + 2]]
    if down:
        return Glyph(second[ROWS - part :] + first[: ROWS - part])
    return Glyph(first[part:] + second[:part])
