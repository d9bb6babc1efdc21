"""The simulated port expanders: eight lines of a panel behind an I2C address.

Source: data sheets of the PCF8574/PCF8574A ("Quasi-bidirectional I/Os", "Writing to the port") and of the MCP23008
(section 1.2 "Serial interface", 1.6 "Register description").
"""

from abc import ABC, abstractmethod
from collections.abc import Mapping
from typing import Protocol

from lumek.twin.pins import Violation, Violations, words_of


class Wired(Protocol):
    """What is at the end of lines."""

    violations: Violations

    def set_pins(self, levels: Mapping[str, int | None], now_ns: int) -> None:
        """These pins take these levels at the same moment; None is not driven."""

    def output(self, now_ns: int) -> dict[str, int] | None:
        """The levels that it drives onto its pins, or None while it does not."""

    def at_rest(self, pin: str) -> int:
        """The level of a pin that is not driven."""

    def held_low(self, pin: str) -> bool:
        """Whether the wire of a pin is held at 0, against a weak pull-up."""


def check_contention(panel: Wired, driven: Mapping[str, int | None], now_ns: int) -> None:
    """Record it when lines are driven against the panel's own output.

    driven: pin -> strong level, else None.
    """
    for pin, level in (panel.output(now_ns) or {}).items():
        if driven.get(pin) == 1 - level:
            held, drives = ("low", "high") if level else ("high", "low")
            detail = f"{pin.upper()} is held {held} while the panel drives it {drives}"
            panel.violations.append(Violation(now_ns, "contention", detail))


class Module(Wired, Protocol):
    """A panel, to which levels may come as words."""

    def set_words(self, mask: int, undriven: int, high: int, now_ns: int) -> None:
        """Levels as `lumek.twin.pins.words_of` gives them."""


class Expander(ABC):
    """Eight lines of a panel behind an I2C address.

    panel: what the lines lead to.
    lines: pin of the panel, or "backlight" -> bit of the expander.
    """

    names: tuple[str, ...] = ()
    """The chips that work like this, as a hookup file names them."""

    def __init__(self, panel: Module, lines: Mapping[str, int]) -> None:
        self._panel = panel
        self._lines = dict(lines)
        self._words: dict[int, tuple[int, int, int]] = {}

    def start(self) -> None:  # noqa: B027  most chips need not know
        """A transfer begins."""

    @abstractmethod
    def wake(self) -> Mapping[str, int | None]:
        """The supply comes on. Returns what the lines then drive."""

    @abstractmethod
    def write(self, byte: int, now_ns: int) -> None:
        """Take a byte at its acknowledge."""

    @abstractmethod
    def read(self, now_ns: int) -> int:
        """Give a byte."""


def expander_named(name: str) -> type[Expander]:
    """The simulated chip of that name. Raises StopIteration when there is none, which a test rules out."""
    return next(kind for kind in Expander.__subclasses__() if name in kind.names)


class Pcf8574(Expander):
    """The PCF8574 or PCF8574A."""

    names = ("pcf8574", "pcf8574a")

    def __init__(self, panel: Module, lines: Mapping[str, int]) -> None:
        super().__init__(panel, lines)
        self.wake()
        self._set(0)

    def wake(self) -> Mapping[str, int | None]:
        """All lines are high, weakly."""
        self.latch = 0xFF
        return dict.fromkeys(self._lines, 1)

    def write(self, byte: int, now_ns: int) -> None:
        """Set all lines at once, as at the acknowledge of a byte. A 1 is only a weak pull-up."""
        self._check(now_ns)
        self.latch = byte
        self._set(now_ns)

    def read(self, now_ns: int) -> int:
        """The levels of the lines: a line reads 0 when either end pulls it down."""
        self._check(now_ns)
        byte, output = self.latch, self._panel.output(now_ns) or {}
        for pin, bit in self._lines.items():
            if not output.get(pin, 1) or self._panel.held_low(pin):
                byte &= ~(1 << bit)
        return byte

    def _set(self, now_ns: int) -> None:
        latch = self.latch
        if latch not in self._words:
            self._words[latch] = words_of({pin: latch >> bit & 1 for pin, bit in self._lines.items()})
        self._panel.set_words(*self._words[latch], now_ns)

    def _check(self, now_ns: int) -> None:
        if self._panel.output(now_ns):
            driven = {pin: None if self.latch >> bit & 1 else 0 for pin, bit in self._lines.items()}
            check_contention(self._panel, driven, now_ns)


class Mcp23008(Expander):
    """The MCP23008. Its registers are `registers`, 0x00 to 0x0A."""

    names = ("mcp23008",)

    IODIR, IOCON, GPIO, OLAT = 0x00, 0x05, 0x09, 0x0A

    def __init__(self, panel: Module, lines: Mapping[str, int]) -> None:
        super().__init__(panel, lines)
        self.wake()
        self._set(0)

    def wake(self) -> Mapping[str, int | None]:
        """All lines are inputs."""
        self.registers = bytearray(11)
        self.registers[self.IODIR] = 0xFF
        self._pointer = 0
        self._pointed = False
        return dict.fromkeys(self._lines)

    def start(self) -> None:
        """A transfer begins: the first byte written sets the register pointer."""
        self._pointed = False

    def write(self, byte: int, now_ns: int) -> None:
        """Take the register pointer, or the next register's content."""
        if not self._pointed:
            self._pointer, self._pointed = byte, True
            return
        register = self.OLAT if self._pointer == self.GPIO else self._pointer
        if register < len(self.registers):
            if self._panel.output(now_ns):
                check_contention(self._panel, self._driven(), now_ns)
            self.registers[register] = byte
            self._set(now_ns)
        self._step()

    def read(self, now_ns: int) -> int:
        """Give the register that the pointer names."""
        register = self._pointer
        self._step()
        if register != self.GPIO:
            return self.registers[register] if register < len(self.registers) else 0
        driven = self._driven()
        check_contention(self._panel, driven, now_ns)
        output = self._panel.output(now_ns) or {}
        byte = 0
        for pin, bit in self._lines.items():
            level = driven[pin]
            if level is None:
                level = output.get(pin, self._panel.at_rest(pin))
            byte |= level << bit
        return byte

    def _step(self) -> None:
        """In sequential mode the pointer goes on to the next register, and round after the last."""
        if not self.registers[self.IOCON] & 0x20:
            self._pointer = (self._pointer + 1) % len(self.registers)

    def _driven(self) -> dict[str, int | None]:
        direction, latch = self.registers[self.IODIR], self.registers[self.OLAT]
        return {pin: None if direction >> bit & 1 else latch >> bit & 1 for pin, bit in self._lines.items()}

    def _set(self, now_ns: int) -> None:
        state = self.registers[self.IODIR] << 8 | self.registers[self.OLAT]
        if state not in self._words:
            self._words[state] = words_of(self._driven())
        self._panel.set_words(*self._words[state], now_ns)
