"""Backlights: what can be asked of one, and those that have lines or channels of their own.

A light offers one of three things, which its attribute `offers` names, and has the method for it:

| offers | method |
|---|---|
| "switch" | `switch(on)`: on or off |
| "brightness" | `dim(fraction)`: 0.0, dark, to 1.0 |
| "colour" | `tint(red, green, blue)`: each 0.0 to 1.0 |
"""

from lumek.errors import HookupError, SettingError
from lumek.links.shared import shared
from lumek.links.states import check_level

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Hashable
    from typing import Any, Protocol

    from lumek.links.direct import Lines

    class Channel(Protocol):
        """Something that can be dimmed: a PWM channel, an LED."""

        def dim(self, fraction: float) -> None:
            """Give it so much of its full power, 0.0 to 1.0."""


CAN = {
    "switch": "can be switched True or False only",
    "brightness": "has a brightness, 0.0 to 1.0, and no colour",
    "colour": "takes True, False, a brightness from 0.0 to 1.0, or a colour",
}
"""What an error says of a light that offers this."""

COLOURS = {
    "white": "#ffffff", "red": "#ff0000", "green": "#00ff00", "blue": "#0000ff", "yellow": "#ffd000",
    "orange": "#ff7000", "pink": "#ff4090", "purple": "#9000ff", "cyan": "#00d0ff", "turquoise": "#20c0a0",
    "honey": "#ffa818", "black": "#000000",
}  # fmt: skip
"""Names for colours of light, as they look on a panel."""


class LineLight:
    """A backlight that a GPIO line switches.

    lines: a lines port. line: the line, as the port knows it. on: the level that lights it.
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


class ThreeChannels:
    """A backlight of three colours, each dimmed by a channel of its own."""

    offers = "colour"

    def __init__(self, red: "Channel", green: "Channel", blue: "Channel") -> None:
        self._channels = red, green, blue

    def __repr__(self) -> str:
        return f"<ThreeChannels {self._channels}>"

    def tint(self, red: float, green: float, blue: float) -> None:
        """Give each colour so much of its full power, 0.0 to 1.0."""
        for channel, fraction in zip(self._channels, (red, green, blue)):  # noqa: B905
            channel.dim(fraction)


class LinkLight:
    """The backlight that a link itself switches, with whatever it sends next."""

    offers = "switch"

    def __init__(self, link: "Any") -> None:
        self.switch = link.light


class Backlight:
    """What a panel asks of its light.

    light: an object that `offers` something, three channels, or None when there is no light to control.
    Raises HookupError for what is none of these.
    """

    def __init__(self, light: "Any") -> None:
        if isinstance(light, (tuple, list)) and len(light) == 3:
            light = ThreeChannels(*light)
        if light is not None and getattr(light, "offers", None) not in CAN:
            raise HookupError(
                "backlight takes a light, such as LinuxPwm(0, 1), LineLight(lines, 18) or three channels, "
                f"not {light!r}"
            )
        self._light = light
        self._tint = 1.0, 1.0, 1.0
        self._shown: tuple[float, float, float] | None = None
        self.value: bool | float | str = light is not None
        """What was asked for last."""

    def ask(self, value: "bool | float | str") -> None:
        """Ask for a value that `show` then brings about; see `Panel.backlight`."""
        if self._light is None:
            raise HookupError(
                "this hookup has no backlight line: give the link one as role 'backlight', or the panel a light, "
                "Panel(..., backlight=LineLight(lines, 18))"
            )
        self._tint = tint_of(value, self._light.offers)
        self.value = bool(value) if self._light.offers == "switch" else value

    def show(self) -> None:
        """Bring about what was asked for, if that has not been done."""
        if self._light is None or self._shown == self._tint:
            return
        self._shown = None
        if self._light.offers == "colour":
            self._light.tint(*self._tint)
        elif self._light.offers == "brightness":
            self._light.dim(max(self._tint))
        else:
            self._light.switch(any(self._tint))
        self._shown = self._tint


def tint_of(value: "bool | float | str", offers: str) -> "tuple[float, float, float]":
    """The fractions of red, green and blue that a value asks for.

    value: True, False, a fraction, "#rrggbb", or a name of COLOURS. offers: what the light does.
    Raises SettingError when the value is none of these, or more than the light offers.
    """
    if isinstance(value, str):
        if offers == "colour":
            return _tint_named(value)
        raise SettingError(f"backlight {value!r} is not possible: this backlight {CAN[offers]}")
    possible = isinstance(value, (bool, int, float)) and 0 <= value <= 1 and (offers != "switch" or value in (0, 1))
    if not possible:
        raise SettingError(f"backlight {value!r} is not possible: this backlight {CAN[offers]}")
    return float(value), float(value), float(value)


def _tint_named(value: str) -> "tuple[float, float, float]":
    code = COLOURS.get(value.lower(), value)
    try:
        if len(code) != 7 or code[0] != "#":
            raise ValueError(code)
        red, green, blue = [int(code[place : place + 2], 16) / 255 for place in (1, 3, 5)]
    except ValueError:
        raise SettingError(
            f"there is no colour {value!r}: write it as '#20c0a0' or as one of {', '.join(sorted(COLOURS))}"
        ) from None
    return red, green, blue
