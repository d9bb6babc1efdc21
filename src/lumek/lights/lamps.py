"""Backlights with lines or channels of their own, and the colours that they can be asked for."""

from lumek._harmless import quoted
from lumek.errors import SettingError
from lumek.links.byte_port import check_level
from lumek.links.shared import hand_over, shared

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Hashable

    from lumek.protocols import Channel, Lines


COLOURS = {
    "white": "#ffffff", "red": "#ff0000", "green": "#00ff00", "blue": "#0000ff", "yellow": "#ffd000",
    "orange": "#ff7000", "pink": "#ff4090", "purple": "#9000ff", "cyan": "#00d0ff", "turquoise": "#20c0a0",
    "honey": "#ffa818", "black": "#000000",
}  # fmt: skip
"""Names for colours of light, as they look on a panel."""


class LineLight:
    """A backlight that a GPIO line switches.

    lines: a lines port.
    line: the line, as the port knows it.
    on: the level that lights it.
    """

    offers = "switch"

    def __init__(self, lines: "Lines", line: "Hashable", on: int = 1) -> None:
        check_level("on", on)
        self._lines, self._line, self._on = lines, line, on

    def __repr__(self) -> str:
        return f"<LineLight on line {self._line!r}>"

    def switch(self, on: bool) -> None:
        """Switch it."""
        level = self._on if on else 1 - self._on
        with shared(self._lines).lock:
            self._lines.drive({self._line: level})
            shared(self._lines).levels[self._line] = level
            hand_over(self._lines)


class ThreeChannels:
    """A backlight of three colours, each dimmed by a channel of its own."""

    offers = "colour"

    def __init__(self, red: "Channel", green: "Channel", blue: "Channel") -> None:
        self._channels = red, green, blue

    def __repr__(self) -> str:
        return f"<ThreeChannels {self._channels}>"

    def tint(self, red: float, green: float, blue: float) -> None:
        """Set the power of each colour, 0.0 to 1.0."""
        for channel, fraction in zip(self._channels, (red, green, blue)):  # noqa: B905
            channel.dim(fraction)


def tint_named(value: str) -> "tuple[float, float, float]":
    """The fractions of red, green and blue of "#rrggbb" or of a name. Raises SettingError for anything else."""
    code = COLOURS.get(value.lower(), value)
    if len(code) != 7 or code[0] != "#" or any(digit not in "0123456789abcdefABCDEF" for digit in code[1:]):
        raise SettingError(
            f"there is no colour {quoted(value)}: write it as '#20c0a0' or as one of {', '.join(sorted(COLOURS))}"
        )
    red, green, blue = [int(code[place : place + 2], 16) / 255 for place in (1, 3, 5)]
    return red, green, blue
