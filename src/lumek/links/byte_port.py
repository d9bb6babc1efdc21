"""Steps as port states, for hardware that sets eight lines at once by a byte.

A character is two nibbles, each with E high and then low: four states, which are made once for each byte that is
sent. Data may change together with E rising; RS may not, and nothing may change together with E falling.

*When a controller must be ready.* The data sheet counts a transfer when both nibbles are in, so a byte may begin while
the controller is busy, if it is ready when the second nibble ends, four states later. On an I2C bus of 400 kHz that is
90 us, longer than any genuine part needs (53 us and 8 us for the address counter, at 190 kHz), and nothing waits; but
the first nibble ends after 45 us. A part that takes no nibble while it is busy shows garbage at that speed: with
`cautious` it is ready before the first nibble ends. That is one more state a byte at 400 kHz, and none at 100 kHz.
Source: HD44780U data sheet, "Bus timing characteristics" and "Interfacing to the MPU" (4 bits).
"""

from lumek._harmless import quoted
from lumek.errors import HookupError
from lumek.links.dues import Dues
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

EACH = 4
"""`enables` of a step that has a byte for each controller, to be sent half by half; see `lumek.links.pairs`."""

TYPICAL_BYTE_US = 61
"""What the slowest genuine controller needs for a byte: where the wires take longer, there is nothing to wait for."""

LONG_US = 1000
"""Longer than any instruction takes but "clear display" and "return home". These are over before the next byte begins:
what would be gained is little."""

MOST_FILLERS = 8
"""Most repeated states within a transfer; for a longer time there is a wait between transfers."""

MOST_TABLES = 8


class BytePort:
    """What links that write port states have in common.

    what: its name for errors.
    port: the port that it writes to.
    lines: role -> bit.
    backlight_on: the level of the backlight line that lights it.
    state_us: the shortest time of a state, at least 0.5.
    resting: the level, 0 or 1, of lines without a role.
    cautious: whether a controller is ready before the first nibble of a byte, and not just before the second.
    """

    width = 4

    def __init__(
        self, what: str, port: "Any", lines: "Mapping[str, int]", backlight_on: int, state_us: float, resting: int,
        cautious: bool,
    ) -> None:  # fmt: skip
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
        self._lead = STATES // 2 if cautious else STATES
        self._quick_us = int(self._lead * state_us)
        self._bound = self._quick_us >= TYPICAL_BYTE_US
        self._dues = Dues(port)
        self.byte_us = int(STATES * state_us)
        self.turn_us = int(state_us)
        self._state: int | None = None
        self._tables: dict[int, list[bytes]] = {}
        self._lit = self._lamp_on

    def light(self, on: bool) -> None:
        """Switch the backlight; it changes with the next `send`."""
        self._lit = self._lamp_on if on else self._lamp_on ^ self._lamp

    def send(self, steps: "Iterable[Step]") -> None:
        """Send steps, in as few transfers as the waits allow.

        A controller gets its time by states that are repeated, or by a wait when that is shorter, before its next byte;
        a state that changes RS counts. It takes that byte when the second nibble is through, four states later at the
        earliest. A port with a clock is given the last wait by the next `send` or `read`, and others by this one.
        Raises what the port raises; the state of the lines then counts as unknown.
        """
        pending = bytearray()
        resting = self._others | self._lit
        watched = self._rs | self._lamp
        tables = self._tables
        state = self._state
        dues = self._dues
        # Of states: how many there were, and at which each controller may begin a byte; None when both may.
        paced = [0] + [self._states_for(max(0, dues.remaining(one))) for one in (1, 2)] if dues.owed else None
        if self.controllers == 2:
            from lumek.links.pairs import in_turn  # needed only by panels with two controllers

            steps = in_turn(steps, self._bound)
        try:
            for rs, data, us, _, enables, single in steps:  # all in one place: a call takes a board long
                if not data:  # a start-up begins, because nothing is known for sure
                    state = paced = None
                    self._flush(pending, us)
                    continue
                if state is None:
                    state = self._find_state()
                control = resting | self._rs if rs else resting
                if (state ^ control) & watched:
                    state = control
                    pending.append(control)  # RS must be stable before E rises
                    if paced:
                        paced[0] += 1
                if paced or single or us > self._quick_us or enables == EACH:
                    paced = self._pace(pending, data, us, enables, single, control, state, paced or [0, 0, 0])
                else:
                    pulses = tables.get(control << 8 | enables) or self._pulses(control, enables)
                    for byte in data:
                        pending += pulses[byte >> 4]
                        pending += pulses[byte & 15]
                if pending:
                    state = pending[-1]
            if state is not None and state & self._lamp != self._lit:
                state = self._control(0)
                pending.append(state)
            if paced and not dues.has_clock:
                self._idle(pending, state or 0, paced, max(paced))
            if pending:
                self._write(bytes(pending))
            self._state = state
            hand_over(self._port)
            dues.owed = False
            if paced:
                for one in (1, 2):
                    dues.owe(one, self._time_of(paced[one] - paced[0]))
        except BaseException:
            self._state = None
            raise

    def _pace(
        self, pending: bytearray, data: bytes, us: int, enables: int, single: bool, control: int, state: int,
        paced: list[int],
    ) -> list[int]:  # fmt: skip
        """Send a step when its controllers are ready, by the states that have passed; `paced` afterwards."""
        gap = 0
        if single or us > self._quick_us:
            gap = self._states_for(us) - (0 if single else self._lead if us < LONG_US else STATES // 2)
        begins = paced[enables] if enables < 3 else max(paced[1:])
        if enables == EACH:
            self._idle(pending, state, paced, begins)
            paced[0] += self._each(pending, control, data)
        else:
            pulses = self._tables.get(control << 8 | enables) or self._pulses(control, enables)
            for byte in data:
                self._idle(pending, state, paced, begins)
                pending += pulses[byte >> 4]
                if not single:
                    pending += pulses[byte & 15]
                state = pending[-1]
                paced[0] += STATES // 2 if single else STATES
                begins = paced[0] + gap
        if enables != 2:
            paced[1] = paced[0] + gap
        if enables != 1:
            paced[2] = paced[0] + gap
        return paced

    def _idle(self, pending: bytearray, state: int, paced: list[int], until: int) -> None:
        """Let states pass until this many have passed: by repeating this one, or by a wait."""
        more = until - paced[0]
        if more > MOST_FILLERS:
            self._flush(pending, self._time_of(more))
        elif more > 0:
            pending += bytes((state,)) * more
        paced[0] = max(paced[0], until)

    def _each(self, pending: bytearray, control: int, data: bytes) -> int:
        """A byte for each controller, half by half; a half that is the same for both they take at once."""
        before = len(pending)
        own = [self._tables.get(control << 8 | one) or self._pulses(control, one) for one in (1, 2, 3)]
        for shift in (4, 0):
            first, second = data[0] >> shift & 15, data[1] >> shift & 15
            if first == second:
                pending += own[2][first]
            else:
                pending += own[0][first]
                pending += own[1][second]
        return len(pending) - before

    def _rest(self) -> None:
        """Give the controllers the time that they still need."""
        left = self._dues.remaining(3) if self._dues.owed else 0
        if left > 0:
            self._wait(int(-(-left // 1)))
        self._dues.forget()

    if TYPE_CHECKING:  # what each link adds

        def _find_state(self) -> int:
            """Bring the lines to rest from any state, and return it."""

        def _write(self, states: bytes) -> None:
            """Set the lines to these states, one after the other."""

        def _wait(self, us: int) -> None:
            """Wait for at least this many microseconds."""

    def _control(self, rs: int) -> int:
        """The port state with RS and backlight as wanted, E, RW and data low."""
        return self._others | self._lit | (self._rs if rs else 0)

    def _pulses(self, control: int, enables: int) -> list[bytes]:
        """The two port states of each nibble. They are kept: sixteen a table, since memory counts."""
        if len(self._tables) >= MOST_TABLES:
            self._tables.clear()
        e = self._e[enables]
        states = [control | nibble for nibble in self._nibbles]
        found = self._tables[control << 8 | enables] = [bytes((state | e, state)) for state in states]
        return found

    def _states_for(self, us: float) -> int:
        """Port states that fill `us` microseconds."""
        return int(-(-us // self._state_us))

    def _time_of(self, states: int) -> int:
        """Microseconds, rounded up, that a number of port states takes; 0 for none."""
        return int(-(-states * self._state_us // 1)) if states > 0 else 0

    def _flush(self, pending: bytearray, us: int) -> None:
        """Write the states, and wait."""
        if pending:
            self._write(bytes(pending))
            pending[:] = b""
        self._wait(us)


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
