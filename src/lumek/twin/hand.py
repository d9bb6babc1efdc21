"""Somebody who moves the pins of a simulated panel by hand, to learn what the part does or to test the twin."""

from lumek.roms import rom_named
from lumek.twin.controller import Controller
from lumek.twin.module import Twin
from lumek.twin.pins import DATA_PINS
from lumek.twin.time_base import TwinClock


class Hand:
    """A simulated panel with eight data wires and nothing at their other end.

    size, rom: of the panel.
    controller: a `Controller`, a new one when not given. The clock starts 50 ms after power-on, with RS, RW and E low;
        the controller has not been started.
    """

    def __init__(self, size: str = "16x2", rom: str = "A00", controller: Controller | None = None) -> None:
        self.clock = TwinClock()
        self.clock.now_ns = 50_000_000
        self.chip = controller or Controller()
        self.twin = Twin(size, rom_named(rom), self.clock, controllers=[self.chip])
        self.twin.set_pins({"rs": 0, "rw": 0, "e": 0}, 0)
        self.fell_ns = 0
        """When E fell at the end of the last write."""

    def pins(self, then_ns: int, data: int | None = None, **levels: int) -> None:
        """Set pins to levels, and all data pins given a byte, at one moment; then let time pass."""
        if data is not None:
            levels.update({pin: data >> bit & 1 for bit, pin in enumerate(DATA_PINS)})
        self.twin.set_pins(levels, self.clock.now_ns)
        self.clock.now_ns += then_ns

    def write(self, *data: int, rs: int = 0, wait_us: int = 3000) -> None:
        """Write bytes, as instructions or (rs=1) as data, and wait after each."""
        for byte in data:
            self.pins(60, rs=rs, rw=0)
            self.pins(450, byte, e=1)
            self.fell_ns = self.clock.now_ns
            self.pins(20 + wait_us * 1000, e=0)

    def read(self, rs: int) -> int:
        """Read the busy flag and address counter, or (rs=1) a byte of data, whose time then passes."""
        self.pins(60, rs=rs, rw=1)
        self.pins(360, e=1)
        driven = self.twin.output(self.clock.now_ns) or {}
        self.pins(90)
        self.pins(60_000 if rs else 500, e=0)
        self.pins(0, rw=0)
        return sum(level << DATA_PINS.index(pin) for pin, level in driven.items())

    @property
    def rules(self) -> list[str]:
        """The rules that were broken so far."""
        return [violation.rule for violation in self.twin.violations]
