"""Simulated lamps behind the panel, and the supply of its contrast pin."""

from lumek._harmless import quoted
from lumek.errors import SettingError
from lumek.twin.module import Twin

LAMPS = ("white", "red", "green", "blue")


class TwinChannel:
    """A channel that feeds one lamp of a simulated panel, or its contrast.

    what: "white", "red", "green" or "blue"; or "contrast", which is right at 0.5. A lamp is dark at first.
    """

    offers = "brightness"

    def __init__(self, twin: Twin, what: str) -> None:
        if what not in (*LAMPS, "contrast"):
            raise SettingError(f"a simulated panel has no {quoted(what)}: it has {', '.join(LAMPS)} and contrast")
        self._twin = twin
        self._what = what
        if what in LAMPS:
            twin.lamps[what] = 0.0

    def dim(self, fraction: float) -> None:
        """Set its power, 0.0 to 1.0."""
        if self._what == "contrast":
            self._twin.contrast = fraction
        else:
            self._twin.lamps[self._what] = fraction


def coloured_backlight(twin: Twin) -> tuple[TwinChannel, TwinChannel, TwinChannel]:
    """Three channels for the red, green and blue lamps of a simulated panel."""
    return TwinChannel(twin, "red"), TwinChannel(twin, "green"), TwinChannel(twin, "blue")
