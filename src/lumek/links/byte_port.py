"""Steps as port states, for hardware that sets eight lines at once by a byte.

A character is two nibbles, each with E high and then low: four states, which are made once for each byte that is
sent. Data may change together with E rising; RS may not, and nothing may change together with E falling.
Source: HD44780U data sheet, "Bus timing characteristics" and "Interfacing to the MPU" (4 bits).
"""

from lumek._harmless import quoted
from lumek.errors import HookupError
from lumek.links.shared import hand_over

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping
    from typing import Any

    from lumek.core.instructions import Step

NEEDED = "rs", "e", "d4", "d5", "d6", "d7"
POSSIBLE = "rs", "rw", "e", "e2", "backlight", "d4", "d5", "d6", "d7"
DATA = "d4", "d5", "d6", "d7"

STATES = 4
"""Port states of a byte: E high and low for each nibble."""

SETTLE_US = 5_000
"""Longer than whatever a pulse of E that was found half done may have started."""

MOST_FILLERS = 8
"""Most repeated states within a transfer; for a longer time there is a wait between transfers."""

MOST_TABLES = 4


class BytePort:
    """What links that write port states have in common.

    what: its name for errors.
    port: the port that it writes to.
    lines: role -> bit.
    backlight_on: the level of the backlight line that lights it.
    state_us: the shortest time of a state, at least 0.5.
    resting: the level, 0 or 1, of lines without a role.
    """

    width = 4

    def __init__(
        self, what: str, port: "Any", lines: "Mapping[str, int]", backlight_on: int, state_us: float, resting: int
    ) -> None:
        _check_lines(what, lines)
        check_level("backlight_on", backlight_on)
        self._port = port
        self.has_backlight = "backlight" in lines
        self.controllers = 2 if "e2" in lines else 1
        bits = {role: 1 << bit for role, bit in lines.items()}
        self._rs, self._rw = bits["rs"], bits.get("rw", 0)
        first, second = bits["e"], bits.get("e2", 0)
        self._e = (0, first, second, first | second)
        self._lamp = bits.get("backlight", 0)
        self._lamp_on = self._lamp if backlight_on else 0
        self._used = sum(bits.values())
        self._others = 0xFF & ~self._used if resting else 0
        self._nibbles = [0] * 16
        for nibble in range(16):
            for weight, role in enumerate(DATA):
                if nibble >> weight & 1:
                    self._nibbles[nibble] |= bits[role]
        self._state_us = state_us
        self.byte_us = int(STATES * state_us)
        self._state: int | None = None
        self._tables: dict[tuple[int, int, int], dict[int, bytes]] = {}
        self.light(True)

    def light(self, on: bool) -> None:
        """Switch the backlight; it changes with the next `send`."""
        self._lit = self._lamp_on if on else self._lamp_on ^ self._lamp

    def send(self, steps: "Iterable[Step]") -> None:
        """Send steps, in as few transfers as the waits allow, and return when the last may be followed.

        Raises what the port raises; the state of the lines then counts as unknown.
        """
        pending = bytearray()
        try:
            for step in steps:
                if step.data:
                    if self._state is None:
                        self._state = self._find_state()
                    self._append(pending, step)
                else:  # a start-up begins, because nothing is known for sure
                    self._state = None
                if not step.rs:
                    self._give_time(pending, step)
            if self._state is not None and self._state & self._lamp != self._lit:
                pending.append(self._control(0))
                self._state = pending[-1]
            self._flush(pending)
            hand_over(self._port)
        except BaseException:
            self._state = None
            raise

    if TYPE_CHECKING:  # what each link adds

        def _find_state(self) -> int:
            """Bring the lines to rest from any state, and return it."""

        def _write(self, states: bytes) -> None:
            """Set the lines to these states, one after the other."""

        def _wait(self, us: int) -> None:
            """Wait for at least this many microseconds."""

    def _append(self, pending: bytearray, step: "Step") -> None:
        control = self._control(step.rs)
        if self._state is None or (self._state ^ control) & (self._rs | self._lamp):
            pending.append(control)  # RS must be stable before E rises
        e = self._e[step.enables]
        if step.single:
            pending += self._pulse(control, e, step.data[0] >> 4)
        elif not step.rs:
            for byte in step.data:
                pending += self._pulse(control, e, byte >> 4) + self._pulse(control, e, byte & 15)
        elif self._states_for(step.us) - STATES <= MOST_FILLERS:
            pending += b"".join(self._states_of(control, step))
        else:
            for byte in step.data:
                pending += self._pulse(control, e, byte >> 4) + self._pulse(control, e, byte & 15)
                self._state = pending[-1]
                self._flush(pending)
                self._wait(step.us)
        if pending:
            self._state = pending[-1]

    def _give_time(self, pending: bytearray, step: "Step") -> None:
        """Give the controller its time after an instruction: by states sent again, or by a wait when that is shorter.

        The next byte is taken when its second nibble is through, four states from now at the earliest.
        """
        lead = 0 if step.single or not step.data else STATES
        fillers = self._states_for(step.us) - lead
        if fillers > (MOST_FILLERS if step.data else 0):
            self._flush(pending)
            self._wait(step.us)
        elif fillers > 0:
            pending += bytes((pending[-1],)) * fillers

    def _control(self, rs: int) -> int:
        """The port state with RS and backlight as wanted, E, RW and data low."""
        return self._others | self._lit | (self._rs if rs else 0)

    def _pulse(self, control: int, e: int, nibble: int) -> bytes:
        state = control | self._nibbles[nibble]
        return bytes((state | e, state))

    def _states_of(self, control: int, step: "Step") -> list[bytes]:
        """The port states of each data byte, with those that let time pass on a port quicker than the controller."""
        key = control, step.enables, step.us
        table = self._tables.get(key)
        if table is None:
            if len(self._tables) >= MOST_TABLES:
                self._tables.clear()
            table = self._tables[key] = {}
        try:
            return [table[byte] for byte in step.data]
        except KeyError:  # made when first sent: most programs send few of the 256, and memory counts
            fillers = max(0, self._states_for(step.us) - STATES)
            for byte in step.data:
                if byte not in table:
                    lower = self._pulse(control, self._e[step.enables], byte & 15)
                    upper = self._pulse(control, self._e[step.enables], byte >> 4)
                    table[byte] = upper + lower + lower[1:] * fillers
            return [table[byte] for byte in step.data]

    def _states_for(self, us: int) -> int:
        """Port states that fill `us` microseconds."""
        return int(-(-us // self._state_us))

    def _flush(self, pending: bytearray) -> None:
        if pending:
            self._write(bytes(pending))
            pending[:] = b""


def check_level(what: str, level: int) -> None:
    """Raise HookupError for anything but the level, 0 or 1, at which something is on."""
    if level not in (0, 1):
        raise HookupError(f"{what} is the level that lights it, 0 or 1, not {quoted(level)}")


def _check_lines(what: str, lines: "Mapping[str, int]") -> None:
    for role in lines:
        if role not in POSSIBLE:
            raise HookupError(f"role {quoted(role)} is not one of {what}: roles are {', '.join(POSSIBLE)}")
    for role in NEEDED:
        if role not in lines:
            raise HookupError(f"role {quoted(role)} has no line: {what} needs {', '.join(NEEDED)}")
    taken: dict[int, str] = {}
    for role, bit in lines.items():
        if not isinstance(bit, int) or not 0 <= bit <= 7:
            raise HookupError(f"line of {quoted(role)} is a bit of the port, 0 to 7, not {quoted(bit)}")
        if bit in taken:
            raise HookupError(
                f"bit {bit} is given to both {quoted(taken[bit])} and {quoted(role)}: each role needs its own"
            )
        taken[bit] = role
