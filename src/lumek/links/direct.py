"""A panel on GPIO lines, with four or eight of them for data.

Source: HD44780U data sheet, "Bus timing characteristics" (write and read) and "Interfacing to the MPU".
"""

from lumek._harmless import quoted
from lumek.errors import HookupError, NoAnswerError
from lumek.links.byte_port import check_level
from lumek.links.dues import Dues
from lumek.links.shared import hand_over, shared

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Hashable, Iterable, Sequence

    from lumek.core.instructions import Step
    from lumek.protocols import Lines


LEVEL_NS = 500
"""Shortest level of E: E high for at least 450 ns, E cycle at least 1000 ns ("Bus timing characteristics",
2.7 to 4.5 V)."""

QUICKEST = 2
"""How much quicker the quickest genuine part (350 kHz) is than the slowest (190 kHz), rounded up."""

POLL = 8
"""Calls with which the busy flag is read once."""

PATIENCE = 10
"""Time for the busy flag to clear, in longest execution times."""


class Direct:
    """The link to a panel whose pins are GPIO lines.

    lines: anything with the methods of a lines port (`drive`, `sense`, `wait_us`). Its `drive_ns`, if it has one, says
        how many nanoseconds at least pass between two calls; without it every level is given a microsecond.
    rs, e: lines of these pins, by the number or name that the port uses.
    data: lines of D4 to D7, or of D0 to D7: four or eight of them set the mode.
    rw: line of RW, when it is not grounded: the memory can then be read back.
    busy_flag: whether the busy flag is read instead of waiting for the worst case; default: where RW has a line, unless
        the port says, by `slow_to_sense`, that a look takes longer than the wait. Where calls are so slow that a
        look takes longer than the wait, the flag is read only after "clear display" and "return home".
    cautious: whether to wait until the panel is ready before each half of a byte; see `Backpack`.
    e2: line of the second controller's E, on a 40x4.
    backlight: line that switches the backlight, lit at the level backlight_on.
    Raises HookupError when one of these is not possible.

    Several panels may share all lines but E. Make their links before the first panel, so that each E is low from
    then on.

    >>> from lumek.twin import direct_twin
    >>> twin, lines = direct_twin("16x2", {"rs": 25, "e": 24, "d4": 23, "d5": 22, "d6": 27, "d7": 5})
    >>> panel = Panel("16x2", Direct(lines, rs=25, e=24, data=(23, 22, 27, 5)))
    >>> panel[0] = "Hive 3"
    >>> twin.rows[0]
    'Hive 3          '
    """

    def __init__(
        self,
        lines: "Lines",
        rs: "Hashable",
        e: "Hashable",
        data: "Sequence[Hashable]",
        rw: "Hashable | None" = None,
        e2: "Hashable | None" = None,
        backlight: "Hashable | None" = None,
        backlight_on: int = 1,
        busy_flag: "bool | None" = None,
        cautious: bool = False,
    ) -> None:
        if not all(hasattr(lines, name) for name in ("drive", "sense", "wait_us")):
            raise HookupError(
                f"direct wiring takes GPIO lines, such as LinuxLines('/dev/gpiochip0'), not {quoted(lines)}"
            )
        if not isinstance(data, (tuple, list)) or len(data) not in (4, 8):
            raise HookupError(
                f"data takes the lines of d4 to d7, or of d0 to d7, as a tuple of 4 or 8, not {quoted(data)}"
            )
        roles = [("rs", rs), ("rw", rw), ("e", e), ("e2", e2), ("backlight", backlight)]
        roles += [(f"d{8 - len(data) + place}", line) for place, line in enumerate(data)]
        _check_lines(roles)
        check_level("backlight_on", backlight_on)
        self.lines = lines
        self.width = len(data)
        self.controllers = 1 if e2 is None else 2
        self.can_read = rw is not None
        self.has_backlight = backlight is not None
        wanted = not getattr(lines, "slow_to_sense", False) if busy_flag is None else busy_flag
        self._busy_flag = wanted and rw is not None
        self._rs, self._rw, self._data = rs, rw, list(data)
        self._enables = {1: [e], 2: [e2], 3: [e, e2]}
        self._lamp, self._lamp_on = backlight, backlight_on
        drive_ns = getattr(lines, "drive_ns", 0)
        self._hurries = drive_ns < LEVEL_NS
        self._drive_ns = 1000 if self._hurries else drive_ns
        calls = 16 // self.width + (POLL if self._busy_flag else 0)
        self.byte_us = calls * self._drive_ns // 1000
        self.turn_us = self._drive_ns // 1000
        self._dear_us = POLL * self._drive_ns // 1000 + (16 // self.width - 1) * self._drive_ns // 1000
        self._lead_us = (1 if cautious else 16 // self.width - 1) * self._drive_ns // 1000
        self._dues = Dues(lines)
        self._due: dict[int, Step | None] = {1: None, 2: None}
        self._fresh = 0
        self._shared = shared(lines)
        self.light(True)
        with (
            self._shared.lock
        ):  # no other panel is within a transfer, and what is sent to others must not reach this panel
            if hasattr(lines, "claim"):
                lines.claim([line for _, line in roles if line is not None])
            self._drive(self._low())
            hand_over(lines)

    def __repr__(self) -> str:
        return f"<Direct, {self.width} bits, on {self.lines}>"

    def light(self, on: bool) -> None:
        """Switch the backlight; it changes with the next `send`."""
        self._lit = self._lamp_on if on else 1 - self._lamp_on

    def send(self, steps: "Iterable[Step]") -> None:
        """Send steps. A controller gets its time before its next byte, by its busy flag or by the clock.

        A port with a clock is given the last wait by the next `send` or `read`, others by this one.
        Raises what the lines raise, and NoAnswerError when the busy flag never clears; the levels of all lines then
        count as unknown.
        """
        if self.controllers == 2:
            from lumek.links.pairs import in_turn  # needed only by panels with two controllers

            steps = in_turn(steps, False)
        with self._shared.lock:
            try:
                self._come_to_rest()
                self._fresh = 0
                for step in steps:
                    if step.data:
                        self._send(step)
                    else:  # a start-up begins, because nothing is known for sure
                        self._forget()
                        self._come_to_rest()
                        self._pause(step.us)
                if self._lamp is not None:
                    self._set({self._lamp: self._lit})
                if not self._dues.has_clock:
                    self._wait_for(3, 0)
                    self._dues.forget()
                hand_over(self.lines)
            except BaseException:
                self._forget()
                raise

    def read(self, rs: int, count: int, us: int, enables: int = 1) -> bytes:
        """Read bytes from a controller: its status (rs=0), or data from where its address counter is (rs=1).

        us: microseconds that the controller needs after each.
        enables: 1 for the one behind E, 2 for E2.
        """
        data = bytearray()
        with self._shared.lock:
            try:
                self._come_to_rest()
                if rs:
                    self._await(enables)
                self._wait_for(enables, 0)
                self._turn(rs)
                for _ in range(count):
                    byte = self._take(enables)
                    data.append(byte if self.width == 8 else byte << 4 | self._take(enables))
                    if us:
                        self._pause(us)
                self._set({self._rw: 0})
                hand_over(self.lines)
            except BaseException:
                self._forget()
                raise
        return bytes(data)

    def _send(self, step: "Step") -> None:
        polled = self._busy_flag and not step.single and step.us > self._dear_us
        if step.single:  # the start-up, which takes its time
            self._due = {1: None, 2: None}
        for byte in step.data:
            self._await(step.enables)
            self._set({self._rs: step.rs})
            # The controller must be ready when the last pulse of a byte ends; what leads up to that is time it has.
            self._wait_for(step.enables, 0 if step.single else self._lead_us)
            if step.single:
                self._pulse(byte if self.width == 8 else byte >> 4, step.enables)
            else:
                if self.width == 4:
                    self._pulse(byte >> 4, step.enables)
                self._pulse(byte, step.enables)
            if polled:
                self._fresh = step.enables
            self._dues.owe(step.enables, 0 if polled else step.us)
            for enable in (1, 2):
                if step.enables & enable:
                    self._due[enable] = step if polled else None

    def _wait_for(self, enables: int, lead_us: int) -> None:
        """Wait until that long before these controllers are ready."""
        left = self._dues.remaining(enables) - lead_us
        if left > 0:
            self._pause(int(-(-left // 1)))

    def _pause(self, us: int) -> None:
        self.lines.wait_us(us)
        self._dues.passed(us)

    def _pulse(self, value: int, enables: int) -> None:
        """One pulse of E. Data may change together with its rise, and nothing together with its fall."""
        known = self._shared.levels
        levels = {}
        for line in self._data:
            if known.get(line) != value & 1:
                levels[line] = known[line] = value & 1
            value >>= 1
        self._enable(enables, 1, levels)
        self._enable(enables, 0, {})

    def _enable(self, enables: int, level: int, levels: "dict[Hashable, int]") -> None:
        for line in self._enables[enables]:
            levels[line] = level
        self._drive(levels)

    def _set(self, levels: "dict[Hashable, int]") -> None:
        """Drive those lines that have another level."""
        known = self._shared.levels
        changed = {line: level for line, level in levels.items() if known.get(line) != level}
        if changed:
            self._drive(changed)
            known.update(changed)

    def _drive(self, levels: "dict[Hashable, int]") -> None:
        self.lines.drive(levels)
        self._dues.passed(self._drive_ns / 1000)
        if self._hurries:
            self.lines.wait_us(1)

    def _come_to_rest(self) -> None:
        """When the levels are unknown, lower E, should it be high, and nothing else with it; then RW.

        Whatever that sets going is over when the start-up, which begins with a pause, goes on.
        """
        known = self._shared.levels
        low = self._low()
        if any(known.get(line) != 0 for line in low):
            self._drive(low)
            known.update(low)
        self._set({self._rs: known.get(self._rs, 0)} if self._rw is None else {self._rw: 0})

    def _low(self) -> "dict[Hashable, int]":
        return dict.fromkeys(self._enables[self.controllers * 2 - 1], 0)

    def _forget(self) -> None:
        self._shared.levels.clear()
        self._due = {1: None, 2: None}
        self._dues.forget()

    def _turn(self, rs: int) -> None:
        """Turn to reading: the data lines are inputs before RW rises."""
        self.lines.sense(self._data)
        for line in self._data:
            self._shared.levels.pop(line, None)
        self._set({self._rs: rs, self._rw: 1})

    def _take(self, enables: int, places: int = 8) -> int:
        """The levels of the data lines during a pulse of E; of the highest `places` of them."""
        lines = self._data[-places:]
        self._enable(enables, 1, {})
        pins = self.lines.sense(lines)
        self._enable(enables, 0, {})
        value = 0
        for place, line in enumerate(lines):
            value |= pins[line] << place
        return value

    def _await(self, enables: int) -> None:
        """Read the busy flag until it has cleared; then let the address counter move."""
        for enable in (1, 2):
            step = self._due[enable] if enables & enable else None
            if step is None:
                continue
            self._turn(0)
            if self._fresh & enable:  # it was sent just now, and no part is quick enough to be ready
                self._pause((step.us - step.settle_us) // QUICKEST)
                self._fresh = 0
            # A poll takes longer than the two calls that raise and lower E.
            for _ in range(PATIENCE * step.us * 500 // self._drive_ns + 1):
                busy = self._take(enable, 1)
                if self.width == 4:
                    self._enable(enable, 1, {})
                    self._enable(enable, 0, {})
                if not busy:
                    break
            else:
                raise NoAnswerError(
                    f"the busy flag was set for {PATIENCE * step.us} us and more after a step that takes {step.us} us: "
                    f"check the panel's supply and the lines of RW ({self._rw!r}), E ({self._enables[enable][0]!r}) "
                    f"and D7 ({self._data[-1]!r}), or give no rw and ground that pin"
                )
            self._due[enable] = None
            self._set({self._rw: 0})
            left = step.settle_us - 2 * self._drive_ns // 1000
            if left > 0:
                self._pause(left)


def _check_lines(roles: "Iterable[tuple[str, Hashable | None]]") -> None:
    taken: dict[Hashable, str] = {}
    for role, line in roles:
        if line is None:
            if role not in ("rw", "e2", "backlight"):
                raise HookupError(f"role {quoted(role)} has no line: a panel needs it")
            continue
        try:
            known = line in taken
        except TypeError:
            raise HookupError(
                f"line of {quoted(role)} is what the port knows it by, a number or name, not {quoted(line)}"
            ) from None
        if known:
            raise HookupError(
                f"line {quoted(line)} is given to both {taken[line]!r} and {role!r}: each role needs its own"
            )
        taken[line] = role
