"""What a panel asks of its backlight, and of the channel that feeds its contrast pin."""

from lumek._harmless import quoted
from lumek.errors import HookupError, SettingError

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Sequence
    from typing import Any

    from lumek.protocols import Channel, Light, Link

CAN = {
    "switch": "can be switched True or False only",
    "brightness": "has a brightness, 0.0 to 1.0, and no colour",
    "colour": "takes True, False, a brightness from 0.0 to 1.0, or a colour",
}
"""What an error says of a light that offers this."""


class LinkLight:
    """The backlight that a link itself switches, with whatever it sends next."""

    offers = "switch"

    def __init__(self, link: "Link") -> None:
        self.switch = link.light


class Backlight:
    """What a panel asks of its light.

    light: an object that `offers` something, three channels, or None when there is no light to control.
    Raises HookupError for anything else.
    """

    def __init__(self, light: "Light | Sequence[Channel] | None") -> None:
        if isinstance(light, (tuple, list)) and len(light) == 3 and all(hasattr(one, "dim") for one in light):
            from lumek.lights.lamps import ThreeChannels

            light = ThreeChannels(*light)
        if light is not None and getattr(light, "offers", None) not in CAN:
            raise HookupError(
                "backlight takes a light, such as LinuxPwm(0, 1), LineLight(lines, 26) or three channels, "
                f"not {quoted(light)}"
            )
        self._light: Any = light
        self._tint = 1.0, 1.0, 1.0
        self._shown: tuple[float, float, float] | None = None
        self.value: bool | float | str = light is not None
        """What was asked for last."""

    def ask(self, value: "bool | float | str") -> None:
        """Ask for a value that `show` then brings about; see `Panel.backlight`."""
        if self._light is None:
            raise HookupError(
                "this hookup has no backlight line: give the link one as role 'backlight', or the panel a light, "
                "Panel(..., backlight=LineLight(lines, 26))"
            )
        self._tint = tint_of(value, self._light.offers)
        self.value = bool(value) if self._light.offers == "switch" else value

    def forget(self) -> None:
        """Bring about once more what was asked for, with the next `show`."""
        self._shown = None

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


class Contrast:
    """What a panel asks of its contrast.

    channel: that feeds the contrast pin, or None when there is none to control.
    Raises HookupError for anything else.
    """

    def __init__(self, channel: "Channel | None") -> None:
        if channel is not None and not hasattr(channel, "dim"):
            raise HookupError(
                f"contrast takes a channel with dim(fraction), such as LinuxPwm(0, 1), not {quoted(channel)}"
            )
        self._channel = channel
        self.value: float | None = None
        """What was asked for last."""

    def dim(self, fraction: float) -> None:
        """Set the power of the channel; see `Panel.contrast`."""
        if self._channel is None:
            raise HookupError(
                "this hookup has no channel for the contrast: turn the potentiometer, or give the panel one as "
                "Panel(..., contrast=LinuxPwm(0, 1))"
            )
        if not isinstance(fraction, (int, float)) or not 0 <= fraction <= 1:
            raise SettingError(f"contrast is a fraction, 0.0 to 1.0, not {quoted(fraction)}")
        self._channel.dim(float(fraction))
        self.value = float(fraction)

    def restore(self) -> None:
        """Set what was set last once more."""
        if self._channel is not None and self.value is not None:
            self._channel.dim(self.value)


def tint_of(value: "bool | float | str", offers: str) -> "tuple[float, float, float]":
    """The fractions of red, green and blue that a value asks for.

    value: True, False, a fraction, "#rrggbb", or a name of `lumek.lights.lamps.COLOURS`.
    offers: what the light does.
    Raises SettingError when the value is anything else, or more than the light offers.
    """
    if isinstance(value, str):
        if offers == "colour":
            from lumek.lights.lamps import tint_named  # not needed by most programs

            return tint_named(value)
        raise SettingError(f"backlight {quoted(value)} is not possible: this backlight {CAN[offers]}")
    possible = isinstance(value, (bool, int, float)) and 0 <= value <= 1 and (offers != "switch" or value in (0, 1))
    if not possible:
        raise SettingError(f"backlight {quoted(value)} is not possible: this backlight {CAN[offers]}")
    return float(value), float(value), float(value)
