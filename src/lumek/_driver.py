"""The one path by which what is wanted reaches the link. How memory comes back is in `_read_back`."""

import sys

from lumek._health import Health
from lumek.core.costs import Costs
from lumek.core.geometry import MEMORY
from lumek.core.instructions import Timing
from lumek.core.picture import Picture
from lumek.core.plan import neighbours, plan
from lumek.core.startup import POWER_UP_US, startup
from lumek.errors import HookupError, PortError

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from lumek.core.geometry import Geometry
    from lumek.core.instructions import Step
    from lumek.protocols import Link

KEEPS_STEPS = sys.implementation.name != "micropython"
"""Whether steps that were sent are kept, so that they can be explained: not where memory is scarce."""

FAILURES = PortError, OSError
"""What a port raises when a transfer fails; a port of the user's own may raise what its hardware does."""


class Driver:
    """What a panel's controllers show, as far as is known, and how to change it.

    shown: the picture of each controller, or None when it is not known.
    last, why, start_up: the steps that were sent to show something, why they began as they did ("start", "again" or
        "change"), and how many of them are a start-up; kept where memory is not scarce. See `lumek._explain`.
    retries: how often a transfer that fails is repeated: after 40 ms, 80 ms and so on. A panel that had lost its
        supply takes nothing earlier.
    Raises HookupError when the link lacks a line that the geometry needs, SettingError for an oscillator out of range.
    """

    def __init__(self, link: "Link", geometry: "Geometry", oscillator_hz: int, retries: int) -> None:
        self.link = link
        self.geometry = geometry
        self.retries = retries
        self.health = Health()
        self.timings = [Timing(oscillator_hz, 1 << number) for number in range(geometry.controllers)]
        self._all = Timing(oscillator_hz, (1 << geometry.controllers) - 1)
        self.costs = Costs(self._all, link.byte_us, getattr(link, "turn_us", 0))
        self.shown: list[Picture] | None = None
        if KEEPS_STEPS:
            self._keep([], "", 0)
        self._started = False
        self._wake_after_us: int | None = POWER_UP_US
        if geometry.controllers > link.controllers:
            raise HookupError(
                f"a {geometry.size} panel has two controllers: give the line that leads to E of the second as role 'e2'"
            )

    def forget(self) -> None:
        """Start the controllers again when something is to be shown next."""
        self.shown = None
        self._started = False

    def show(self, wanted: "list[Picture]", may_clear: bool = False) -> None:
        """Bring each controller to its picture; when what it shows is unknown, by a start-up or a repaint.

        may_clear: whether cells that stay may be blank for a moment; see `plan`.
        """
        shown, self.shown = self.shown, None  # unknown, until everything has arrived
        begun: list[Step] = []
        if shown is None:
            if self._started:
                self.health.restarts += self._wake_after_us is not None
                self.shown = self._repainted(wanted)
                return
            begun, shown = self._start()
        steps: list[Step] = []
        for number in range(len(wanted)):
            before, now = shown[number], wanted[number]
            timing = self.timings[number]
            more = neighbours(before, now, self.geometry, timing, self.costs)
            if more is None:
                more, _ = plan(before, now, self.geometry, timing, self.costs, before, may_clear)
            steps = steps + more if steps else more
            now.first, now.past = MEMORY, 0
        self.link.send(steps)
        self.health.arrived()
        if KEEPS_STEPS:
            self._keep(begun + steps, "start" if begun else "change", len(begun))
        self.shown, self._started = shown, True

    def _start(self) -> "tuple[list[Step], list[Picture]]":
        """Start the controllers; the steps that were sent, and what they show then."""
        steps = startup(self.geometry, self.link.width, self._all)
        self._send(steps)
        return steps, [Picture() for _ in self.timings]

    def nothing(self) -> None:
        """Nothing has changed since the last time: there is nothing to send, and nothing to explain."""
        if KEEPS_STEPS:
            self._keep([], "change", 0)

    def doubt(self) -> None:
        """Synchronise the controllers, and send everything, when something is to be shown next."""
        self.shown = None
        self._wake_after_us = None

    def synchronise(self, shift: bool) -> None:
        """Find the phase again, and restore entry mode, cursor and control bits; the shift, too, when asked for."""
        if self.shown is not None:
            self.send(self._synchronised(self.shown, shift))

    def write_again(self, number: int, cells: "Sequence[int]", slots: "Sequence[int]") -> None:
        """Write cells and slots of a controller again, as they should be; bring its cursor back."""
        from lumek.core.repaint import written_again

        if self.shown is not None:
            self.send(written_again(self.shown[number], self.geometry, self.timings[number], self.costs, cells, slots))

    def send(self, steps: "list[Step]") -> None:
        """Send steps that leave what is shown as `shown` has it."""
        if steps:
            shown, self.shown = self.shown, None
            self._send(steps)
            self.shown = shown

    def insist(self, act: "Callable[[], None]") -> None:
        """Do what sends or reads, and repeat it while the port fails, `retries` times at most. Raises its first error.

        What the panel shows is then unknown; the next time, and each repetition, begins with a pause that grows.
        """
        restarts = self.health.restarts
        try:
            try:
                act()
            except FAILURES as problem:
                self._repeat(act, problem)
                return
        finally:
            self._wake_after_us = POWER_UP_US
        if self.health.restarts > restarts:
            self.health.tell("the panel was synchronised, and everything was sent again")

    def _repeat(self, act: "Callable[[], None]", first: Exception) -> None:
        """Do it again after the first error, until it works or has failed too often."""
        failed, problem = 0, first
        while True:
            self.shown = None
            self.health.failed(problem)
            if failed >= self.retries:
                raise first from None  # it says what happened; the others may only say that it still does
            self._wake_after_us = POWER_UP_US << failed
            failed += 1
            self.health.retries += 1
            try:
                act()
                break
            except FAILURES as another:
                problem = another
        self.health.tell(f"a transfer arrived after {failed} {'retries' if failed > 1 else 'retry'}: "
                         f"{self.health.last_error}")  # fmt: skip

    def read(self, rs: int, count: int, us: int, enables: int) -> bytes:
        """Read from a controller; see `Link.read`."""
        shown, self.shown = self.shown, None
        data = self.link.read(rs, count, us, enables)
        self.health.arrived()
        self.shown = shown
        return data

    def _keep(self, steps: "list[Step]", why: str, start_up: int) -> None:
        """Keep steps, so that they can be explained."""
        self.last, self.why, self.start_up = steps, why, start_up

    def _send(self, steps: "list[Step]") -> None:
        self.link.send(steps)
        self.health.arrived()

    def _synchronised(
        self, shown: "list[Picture]", shift: bool, control: bool = True, wake_after_us: int | None = None
    ) -> "list[Step]":
        from lumek.core.repaint import synchronised  # needed only when something went wrong, or may have

        width = self.link.width
        return synchronised(
            shown, self.geometry, width, self.timings, self._all, self.costs, shift, control, wake_after_us
        )

    def _repainted(self, pictures: "list[Picture]") -> "list[Picture]":
        """Send everything; the pictures that are then shown. A display that was off comes on last."""
        from lumek.core.repaint import known_slots, written_again

        shown = [picture.copy() for picture in pictures]
        steps = self._synchronised(shown, True, control=False, wake_after_us=self._wake_after_us)
        for picture, timing in zip(shown, self.timings):  # noqa: B905  MicroPython's zip has no strict
            everything = range(len(picture.codes))
            steps += written_again(picture, self.geometry, timing, self.costs, everything, known_slots(picture))
            steps.append(timing.instruction(picture.control()))
        self._send(steps)
        if KEEPS_STEPS:
            self._keep(steps, "again", 0)
        return shown
