"""A panel behind an 8-bit port expander on an I2C bus: every port state is one byte on the bus.

What is known of each expander, and from where, is in `lumek.links.expanders`.
"""

from lumek._harmless import quoted
from lumek.errors import HookupError
from lumek.links.byte_port import SETTLE_US, BytePort
from lumek.links.expanders import EXPANDERS, address_ranges, at_address
from lumek.links.shared import hand_over

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Mapping

    from lumek.protocols import Bus


class Backpack(BytePort):
    """The link to a panel behind an I2C port expander.

    bus: anything with the methods of a bus port (`hz`, `write`, `read`, `wait_us`).
    address: 7 bits, 0x20-0x27 (PCF8574, MCP23008) or 0x38-0x3F (PCF8574A).
    expander: "pcf8574", "pcf8574a" or "mcp23008"; when not given, one of the first two, found from the address.
    lines: role -> bit of the expander: rs, e, d4 to d7, and rw, e2 and backlight where the board has them.
    backlight_on: the level of the backlight line that lights it, 1 or 0.
    cautious: whether to wait until the panel is ready before each half of a byte, not just before the second. For
        panels that show garbage at 400 kHz, where it makes text a quarter slower. See `lumek.links.byte_port`.
    Raises HookupError when one of these is not possible.

    >>> from lumek.twin import backpack_twin
    >>> twin, bus = backpack_twin("16x2")
    >>> panel = Panel("16x2", Backpack(bus, 0x27))
    >>> panel[0] = "Hive 3"
    >>> twin.rows[0]
    'Hive 3          '
    """

    def __init__(
        self,
        bus: "Bus",
        address: int = 0x27,
        expander: str | None = None,
        lines: "Mapping[str, int] | None" = None,
        backlight_on: int = 1,
        cautious: bool = False,
    ) -> None:
        hz = getattr(bus, "hz", 0)
        complete = all(hasattr(bus, name) for name in ("write", "read", "wait_us"))
        if not complete or not isinstance(hz, (int, float)) or hz <= 0:
            raise HookupError(
                f"a backpack takes a bus with its clock in hz, such as LinuxBus(1), not {quoted(bus)} at "
                f"{quoted(hz)} Hz"
            )
        self.bus = bus
        self.address = _checked_address(address, expander)
        part = EXPANDERS[expander or at_address(address)[0]]
        self._registers = part.registers
        if lines is None:
            lines = part.lines
        self.can_read = "rw" in lines
        # A line without a role keeps the level of power-up: a weak 1, or with an MCP23008 none, as an input.
        super().__init__("a backpack", bus, lines, backlight_on, 9_000_000 / hz, resting=0 if self._registers else 1,
                         cautious=cautious)  # fmt: skip
        self._prefix = bytes((self._registers.pins,)) if self._registers else b""
        longest = getattr(bus, "longest", None)
        self._piece = longest - len(self._prefix) if longest else 0
        if longest and self._piece < 1:
            raise HookupError(f"an {expander} needs transfers of 2 bytes, and {quoted(bus)} carries 1")

    def __repr__(self) -> str:
        return f"<Backpack at {self.address:#04x}>"

    def read(self, rs: int, count: int, us: int, enables: int = 1) -> bytes:
        """Read bytes from a controller: its status (rs=0), or data from where its address counter is (rs=1).

        us: microseconds that the controller needs after each.
        enables: 1 for the one behind E, 2 for E2.
        """
        data = bytearray()
        try:
            if self._state is None:
                self._state = self._find_state()
            self._rest()
            rest = self._control(rs) | self._rw | self._nibbles[15]  # lines at 1 can be pulled down: inputs
            high = rest | self._e[enables]
            self._data_lines(inputs=True)
            self._write(bytes((self._control(rs) | self._nibbles[15], rest)))
            for _ in range(count):
                self._write(bytes((high,)))
                upper = self.bus.read(self.address, 1)[0]
                self._write(bytes((rest, high)))
                lower = self.bus.read(self.address, 1)[0]
                self._write(bytes((rest,)))
                data.append(self._nibble(upper) << 4 | self._nibble(lower))
                if us:
                    self._wait(us)
            self._state = self._control(rs) | self._nibbles[15]
            self._write(bytes((self._state,)))
            self._data_lines(inputs=False)
            hand_over(self.bus)
        except BaseException:
            self._state = None
            raise
        return bytes(data)

    def _nibble(self, pins: int) -> int:
        return self._nibbles.index(pins & self._nibbles[15])

    def _data_lines(self, inputs: bool) -> None:
        if self._registers:
            direction = 0xFF & ~self._used | (self._nibbles[15] if inputs else 0)
            self.bus.write(self.address, bytes((self._registers.direction, direction)))

    def _find_state(self) -> int:
        """Lower E, should it be high, and nothing else with it; then bring all lines to rest.

        At power-up every line is high, and a host that was reset may have left E so in the middle of a pulse.
        """
        if self._registers:
            self.bus.write(self.address, self._registers.setup)
            self.bus.write(self.address, bytes((self._registers.latch,)))
        state = self.bus.read(self.address, 1)[0]
        if state & self._e[3]:
            self._write(bytes((state & ~self._e[3],)))
            self._wait(SETTLE_US)
        rest = self._control(0)
        self._write(bytes((rest,)))
        self._data_lines(inputs=False)
        return rest

    def _write(self, states: bytes) -> None:
        if not self._piece and not self._prefix:
            self.bus.write(self.address, states)
            return
        piece = self._piece or len(states)
        for start in range(0, len(states), piece):
            self.bus.write(self.address, self._prefix + states[start : start + piece])

    def _wait(self, us: int) -> None:
        self.bus.wait_us(us)


def _checked_address(address: int, expander: str | None) -> int:
    if expander is not None and expander not in tuple(EXPANDERS):
        raise HookupError(f"expander {quoted(expander)} is not known: known are {address_ranges()}")
    if isinstance(address, int) and (at_address(address) if expander is None else expander in at_address(address)):
        return address
    given = f"{address:#04x}" if isinstance(address, int) else repr(address)
    raise HookupError(f"address {given} is not one of {expander or 'a backpack'}: possible are {address_ranges()}")
