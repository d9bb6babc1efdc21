"""The one path by which what is wanted reaches the link, and by which the panel's memory comes back."""

from collections import namedtuple

from lumek._harmless import quoted
from lumek.core.geometry import MEMORY, is_whole
from lumek.core.instructions import (
    READ_STATUS_US,
    Timing,
    address_counter,
    entry_mode_set,
    set_cgram_address,
    set_ddram_address,
)
from lumek.core.plan import Picture, plan
from lumek.core.startup import startup
from lumek.errors import HookupError, PlaceError

TYPE_CHECKING = False
if TYPE_CHECKING:
    from lumek.core.geometry import Geometry
    from lumek.protocols import Link


CGRAM = 64

Memory = namedtuple("Memory", ("ddram", "cgram", "address"))
"""What was read from a controller: 80 bytes in the order in which its address counter walks, 64 bytes, an address."""


class Driver:
    """What a panel's controllers show, as far as is known, and how to change it.

    Raises HookupError when the link lacks a line that the geometry needs, SettingError for an oscillator out of range.
    """

    def __init__(self, link: "Link", geometry: "Geometry", oscillator_hz: int) -> None:
        self.link = link
        self._geometry = geometry
        self._timings = [Timing(oscillator_hz, 1 << number) for number in range(geometry.controllers)]
        self._all = Timing(oscillator_hz, (1 << geometry.controllers) - 1)
        self._shown: list[Picture] | None = None
        if geometry.controllers > link.controllers:
            raise HookupError(
                f"a {geometry.size} panel has two controllers: give the line that leads to E of the second as role 'e2'"
            )

    def forget(self) -> None:
        """Start the controllers again when something is to be shown next."""
        self._shown = None

    def show(self, wanted: list[Picture]) -> None:
        """Bring each controller to its picture, from a start-up when what it shows is unknown."""
        shown, self._shown = self._shown, None  # unknown, until everything has arrived
        if shown is None:
            self.link.send(startup(self._geometry, self.link.width, self._all))
            shown = [Picture() for _ in wanted]
        steps, after = [], []
        for number, picture in enumerate(wanted):
            more, reached = plan(shown[number], picture, self._geometry, self._timings[number], self.link.byte_us)
            steps += more
            after.append(reached)
        self.link.send(steps)
        self._shown = after

    def memory(self, number: int) -> Memory:
        """What stands in a controller. Its address counter must be brought back by `show`.

        Raises PlaceError for a controller that is not there, HookupError when RW is not wired.
        """
        if not is_whole(number) or not 0 <= number < len(self._timings):
            raise PlaceError(f"controller {quoted(number)} does not exist: this panel has {len(self._timings)}, from 0")
        if not self.link.can_read:
            raise HookupError(
                "nothing can be read from this panel: its RW pin is grounded, or has no line given as 'rw'"
            )
        shown, self._shown = self._shown, None
        if not shown or shown[number].leftward:  # reading, too, moves the address counter as the entry mode says
            self.link.send([self._timings[number].instruction(entry_mode_set())])
        status = self.link.read(0, 1, READ_STATUS_US, self._timings[number].enables)[0]
        cgram = self._fetch(number, set_cgram_address(0), CGRAM)
        ddram = self._fetch(number, set_ddram_address(0), MEMORY)
        if shown:
            shown[number].counter, shown[number].leftward = 0, False
        self._shown = shown
        return Memory(ddram, cgram, address_counter(status))

    def _fetch(self, number: int, address: int, count: int) -> bytes:
        timing = self._timings[number]
        self.link.send([timing.instruction(address)])
        return self.link.read(1, count, timing.data_us, timing.enables)
