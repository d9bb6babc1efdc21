"""The one path by which what is wanted reaches the link. How memory comes back is in `_read_back`."""

from lumek.core.instructions import Timing
from lumek.core.plan import Picture, plan
from lumek.core.startup import startup
from lumek.errors import HookupError

TYPE_CHECKING = False
if TYPE_CHECKING:
    from lumek.core.geometry import Geometry
    from lumek.protocols import Link


class Driver:
    """What a panel's controllers show, as far as is known, and how to change it.

    shown: the picture of each controller, or None when it is not known.
    Raises HookupError when the link lacks a line that the geometry needs, SettingError for an oscillator out of range.
    """

    def __init__(self, link: "Link", geometry: "Geometry", oscillator_hz: int) -> None:
        self.link = link
        self.geometry = geometry
        self.timings = [Timing(oscillator_hz, 1 << number) for number in range(geometry.controllers)]
        self._all = Timing(oscillator_hz, (1 << geometry.controllers) - 1)
        self.shown: list[Picture] | None = None
        if geometry.controllers > link.controllers:
            raise HookupError(
                f"a {geometry.size} panel has two controllers: give the line that leads to E of the second as role 'e2'"
            )

    def forget(self) -> None:
        """Start the controllers again when something is to be shown next."""
        self.shown = None

    def show(self, wanted: list[Picture]) -> None:
        """Bring each controller to its picture, from a start-up when what it shows is unknown."""
        shown, self.shown = self.shown, None  # unknown, until everything has arrived
        if shown is None:
            self.link.send(startup(self.geometry, self.link.width, self._all))
            shown = [Picture() for _ in wanted]
        steps, after = [], []
        for number, picture in enumerate(wanted):
            more, reached = plan(shown[number], picture, self.geometry, self.timings[number], self.link.byte_us)
            steps += more
            after.append(reached)
        self.link.send(steps)
        self.shown = after
