"""A panel behind a shift register: eight latched outputs, which cannot be read back.

Source: 74HC595 data sheet. All outputs change together at the rising edge of the latch clock.
"""

from lumek._harmless import quoted
from lumek.errors import HookupError
from lumek.links.byte_port import SETTLE_US, BytePort
from lumek.links.shared import hand_over, shared

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping

    from lumek.core.instructions import Step
    from lumek.protocols import Serial


QUICKEST_US = 0.5
"""Shortest state: E high for at least 450 ns, E cycle at least 1000 ns (data sheet,
"Bus timing characteristics", 2.7 to 4.5 V)."""


class ShiftRegister(BytePort):
    """The link to a panel behind a 74HC595 or its like.

    serial: anything with the methods of a serial port (`send`, `wait_us`). Its `state_us`, if it has one, says how many
        microseconds at least pass from one latch pulse to the next; else 0.5 is assumed.
    lines: role -> output of the register, 0 (QA) to 7 (QH): rs, e, d4 to d7, and rw, e2 and backlight where wired.
    backlight_on: the level of the backlight line that lights it, 1 or 0.
    cautious: whether to wait until the panel is ready before each half of a byte; see `Backpack`.
    Raises HookupError when one of these is not possible.

    Outputs without a role belong to the program, which sets them by `put`; several links on one `serial` may have
    outputs of one register. All start at 0.

    >>> from lumek.twin import shift_register_twin
    >>> outputs = {"rs": 0, "e": 1, "d4": 2, "d5": 3, "d6": 4, "d7": 5}
    >>> twin, serial = shift_register_twin("16x2", outputs)
    >>> register = ShiftRegister(serial, outputs)
    >>> panel = Panel("16x2", register)
    >>> panel[0] = "Hive 3"
    >>> register.put({7: 1})
    >>> twin.rows[0]
    'Hive 3          '
    """

    can_read = False

    def __init__(
        self, serial: "Serial", lines: "Mapping[str, int]", backlight_on: int = 1, cautious: bool = False
    ) -> None:
        state_us = getattr(serial, "state_us", QUICKEST_US)
        if not all(hasattr(serial, name) for name in ("send", "wait_us")):
            raise HookupError(
                f"a shift register takes a serial port, such as SerialLines(lines, data=10, clock=11, latch=8), "
                f"not {quoted(serial)}"
            )
        if state_us < QUICKEST_US:
            raise HookupError(
                f"{quoted(serial)} latches every {state_us} us, and a panel needs {QUICKEST_US} us: take a slower clock"
            )
        self.serial = serial
        self._shared = shared(serial)
        super().__init__("a shift register", serial, lines, backlight_on, state_us, resting=0, cautious=cautious)
        self._shared.used |= self._used

    def __repr__(self) -> str:
        return f"<ShiftRegister on {self.serial}>"

    def put(self, levels: "Mapping[int, int]") -> None:
        """Set outputs, 0 to 7, that have no role: output -> level. The others stay.

        Raises HookupError for an output that a panel uses or that does not exist.
        """
        with self._shared.lock:
            wanted, used = self._shared.outputs, self._shared.used
            for output, level in levels.items():
                if output not in range(8) or used >> output & 1:
                    free = ", ".join([str(bit) for bit in range(8) if not used >> bit & 1]) or "none"
                    raise HookupError(f"output {quoted(output)} is not free: free are {free}")
                wanted = wanted | 1 << output if level else wanted & ~(1 << output)
            self._write(bytes((wanted,)))
            hand_over(self.serial)

    def send(self, steps: "Iterable[Step]") -> None:
        """Send steps; see `BytePort.send`. Outputs without a role keep their levels."""
        with self._shared.lock:
            self._others = self._shared.outputs & ~self._used
            if self._state is not None:
                self._state = self._shared.outputs
            super().send(steps)

    def read(self, rs: int, count: int, us: int, enables: int = 1) -> bytes:
        """Raise HookupError: outputs cannot be read."""
        raise HookupError("nothing can be read through a shift register: its outputs are outputs only")

    def _find_state(self) -> int:
        rest = self._control(0)
        self._write(bytes((rest,)))
        self._wait(SETTLE_US)
        return rest

    def _write(self, states: bytes) -> None:
        self.serial.send(states)
        self._shared.outputs = states[-1]

    def _wait(self, us: int) -> None:
        self.serial.wait_us(us)
