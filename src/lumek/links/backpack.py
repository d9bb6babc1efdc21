"""A panel behind an 8-bit port expander on an I2C bus.

Every port state is one byte on the bus. A character is two nibbles, each with E high and then low: four states,
which are made once for every byte and joined.
Source: PCF8574/PCF8574A data sheet; HD44780U data sheet, table 12 (bus timing) and "4-bit operation".
"""

from lumek.errors import HookupError

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping
    from typing import Protocol

    from lumek.core.instructions import Step

    class Bus(Protocol):
        """An I2C bus: see `lumek.ports`."""

        hz: int

        def write(self, address: int, data: bytes) -> None:
            """One transfer of bytes; raises NoAnswerError when nobody acknowledges."""

        def read(self, address: int, count: int) -> bytes:
            """So many bytes from a device; raises NoAnswerError when nobody acknowledges."""

        def wait_us(self, us: int) -> None:
            """Wait at least so long."""


EXPANDERS = {"pcf8574": 0x20, "pcf8574a": 0x38}
"""Expander: its address with all three pads bridged; the pads add 0 to 7."""

LINES = {"rs": 0, "rw": 1, "e": 2, "backlight": 3, "d4": 4, "d5": 5, "d6": 6, "d7": 7}
"""Role -> bit of the expander, on most boards."""

NEEDED = "rs", "e", "d4", "d5", "d6", "d7"
POSSIBLE = "rs", "rw", "e", "backlight", "d4", "d5", "d6", "d7"

STATES = 4
"""Port states of a byte: E high and low for each nibble."""

SETTLE_US = 5_000
"""Longer than whatever a pulse of E that was found half done may have started."""

MOST_FILLERS = 8
"""Up to so many repeated states a transfer goes on; a longer time is waited for between transfers."""


class Backpack:
    """The link to a panel behind an I2C port expander.

    bus: anything with the methods of a bus port (`hz`, `write`, `read`, `wait_us`).
    address: 7 bits, 0x20-0x27 (PCF8574) or 0x38-0x3F (PCF8574A).
    expander: "pcf8574" or "pcf8574a"; found from the address when not given.
    lines: role -> bit of the expander: rs, e, d4 to d7, and rw and backlight where the board has them.
    backlight_on: the level of the backlight line that lights it, 1 or 0.
    Raises HookupError when one of these cannot be right.
    """

    width = 4

    def __init__(
        self,
        bus: "Bus",
        address: int = 0x27,
        expander: str | None = None,
        lines: "Mapping[str, int] | None" = None,
        backlight_on: int = 1,
    ) -> None:
        hz = getattr(bus, "hz", 0)
        complete = all(hasattr(bus, name) for name in ("write", "read", "wait_us"))
        if not complete or not isinstance(hz, (int, float)) or hz <= 0:
            raise HookupError(
                f"a backpack takes a bus with its clock in hz, such as LinuxBus(1), not {bus!r} at {hz!r} Hz"
            )
        lines = LINES if lines is None else lines
        _check_lines(lines)
        if backlight_on not in (0, 1):
            raise HookupError(f"backlight_on is the level that lights it, 0 or 1, not {backlight_on!r}")
        self.bus = bus
        self.address = _checked_address(address, expander)
        self.has_backlight = "backlight" in lines
        self._e = 1 << lines["e"]
        self._rs = 1 << lines["rs"]
        self._lamp = 1 << lines["backlight"] if self.has_backlight else 0
        self._lamp_on = self._lamp if backlight_on else 0
        used = 0
        for bit in lines.values():
            used |= 1 << bit
        # Lines without a role keep the level of power-up, a weak 1; RW stays 0.
        self._nibbles = [0xFF & ~used] * 16
        for nibble in range(16):
            for weight, role in enumerate(("d4", "d5", "d6", "d7")):
                if nibble >> weight & 1:
                    self._nibbles[nibble] |= 1 << lines[role]
        self._state_us = 9_000_000 / hz
        self._state: int | None = None
        self._tables: dict[tuple[int, int], list[bytes]] = {}
        self.light(True)

    def __repr__(self) -> str:
        return f"<Backpack at {self.address:#04x}>"

    def light(self, on: bool) -> None:
        """Switch the backlight; it changes with the next `send`."""
        self._lit = self._lamp_on if on else self._lamp_on ^ self._lamp

    def send(self, steps: "Iterable[Step]") -> None:
        """Send steps, in as few transfers as the waits allow, and return when the last may be followed.

        Raises what the bus raises; the state of the expander then counts as unknown.
        """
        pending = bytearray()
        try:
            for step in steps:
                if step.data:
                    if self._state is None:
                        self._find_state()
                    self._append(pending, step)
                if not step.rs:
                    self._give_time(pending, step)
            if self._state is not None and self._state & self._lamp != self._lit:
                pending.append(self._control(0))
                self._state = pending[-1]
            self._write(pending)
        except BaseException:
            self._state = None
            raise

    def _append(self, pending: bytearray, step: "Step") -> None:
        control = self._control(step.rs)
        if self._state is None or (self._state ^ control) & (self._rs | self._lamp):
            pending.append(control)  # RS must stand before E rises
        if step.single:
            pending += self._pulse(control, step.data[0] >> 4)
        elif step.rs:
            table = self._table(control, step.us)
            pending += b"".join([table[byte] for byte in step.data])
        else:
            for byte in step.data:
                pending += self._pulse(control, byte >> 4) + self._pulse(control, byte & 15)
        self._state = pending[-1]

    def _give_time(self, pending: bytearray, step: "Step") -> None:
        """Give the controller its time after an instruction: by states sent again, or by a wait when that is shorter.

        The next byte is taken when its second nibble is through, four states from now at the earliest.
        """
        lead = 0 if step.single or not step.data else STATES
        fillers = self._states_for(step.us) - lead
        if fillers > (MOST_FILLERS if step.data else 0):
            self._write(pending)
            self.bus.wait_us(step.us)
        elif fillers > 0:
            pending += bytes((pending[-1],)) * fillers

    def _control(self, rs: int) -> int:
        """The port state with RS and backlight as wanted, E, RW and data low."""
        return self._nibbles[0] | self._lit | (self._rs if rs else 0)

    def _pulse(self, control: int, nibble: int) -> bytes:
        state = control | self._nibbles[nibble]
        return bytes((state | self._e, state))

    def _table(self, control: int, us: int) -> list[bytes]:
        """For each data byte its port states, with those that let time pass on a bus quicker than the controller."""
        table = self._tables.get((control, us))
        if table is None:
            pulses = [self._pulse(control, nibble) for nibble in range(16)]
            fillers = max(0, self._states_for(us) - STATES)
            table = [pulses[byte >> 4] + pulses[byte & 15] + pulses[byte & 15][1:] * fillers for byte in range(256)]
            self._tables[control, us] = table
        return table

    def _states_for(self, us: int) -> int:
        """Port states that fill `us` microseconds."""
        return int(-(-us // self._state_us))

    def _find_state(self) -> None:
        """Lower E, should it be high, and nothing else with it; then bring all lines to rest.

        At power-up every line is high, and a host that was reset may have left E so in the middle of a pulse.
        """
        state = self.bus.read(self.address, 1)[0]
        if state & self._e:
            self.bus.write(self.address, bytes((state & ~self._e,)))
            self.bus.wait_us(SETTLE_US)
        self._state = self._control(0)
        self.bus.write(self.address, bytes((self._state,)))

    def _write(self, pending: bytearray) -> None:
        if pending:
            self.bus.write(self.address, bytes(pending))
            pending[:] = b""


def _checked_address(address: int, expander: str | None) -> int:
    ranges = ", ".join(f"{name} {base:#04x} to {base + 7:#04x}" for name, base in EXPANDERS.items())
    if expander is not None and expander not in tuple(EXPANDERS):
        raise HookupError(f"expander {expander!r} is not known: known are {ranges}")
    bases = list(EXPANDERS.values()) if expander is None else [EXPANDERS[expander]]
    if isinstance(address, int) and any(base <= address <= base + 7 for base in bases):
        return address
    given = f"{address:#04x}" if isinstance(address, int) else repr(address)
    raise HookupError(f"address {given} is not one of {expander or 'a backpack'}: possible are {ranges}")


def _check_lines(lines: "Mapping[str, int]") -> None:
    for role in lines:
        if role not in POSSIBLE:
            raise HookupError(f"role {role!r} is not one of a backpack: roles are {', '.join(POSSIBLE)}")
    for role in NEEDED:
        if role not in lines:
            raise HookupError(f"role {role!r} has no line: a backpack needs {', '.join(NEEDED)}")
    taken: dict[int, str] = {}
    for role, bit in lines.items():
        if not isinstance(bit, int) or not 0 <= bit <= 7:
            raise HookupError(f"line of {role!r} is a bit of the expander, 0 to 7, not {bit!r}")
        if bit in taken:
            raise HookupError(f"bit {bit} is given to both {taken[bit]!r} and {role!r}: each role needs its own")
        taken[bit] = role
