"""From bytes to the levels of eight lines: what port expanders and shift registers make of what they are sent.

It shares no code with the links. What a chip was sent before the capture began is not known, and where that matters
`guessed` says so.
Sources: data sheets of the PCF8574/PCF8574A ("Writing to the port"), of the MCP23008 (table 1-3, section 1.2), and of
the 74HC595.
"""

from collections.abc import Iterable, Iterator

REGISTERS = {0x00: "IODIR", 0x01: "IPOL", 0x02: "GPINTEN", 0x03: "DEFVAL", 0x04: "INTCON", 0x05: "IOCON",
             0x06: "GPPU", 0x07: "INTF", 0x08: "INTCAP", 0x09: "GPIO", 0x0A: "OLAT"}  # fmt: skip
IODIR, IOCON, GPIO, OLAT = 0x00, 0x05, 0x09, 0x0A
SEQUENTIAL_OFF = 0x20

PCF8574, PCF8574A = range(0x20, 0x28), range(0x38, 0x40)
"""Addresses, 7 bits each, by the parts' address pins. The MCP23008 has those of the PCF8574."""


class PlainPort:
    """An expander whose lines a byte sets: the PCF8574 and PCF8574A."""

    name = "pcf8574"

    guessed = False
    """Whether something that was not seen had to be assumed for the last byte."""

    def begins(self) -> None:
        """A transfer begins."""

    def takes(self, byte: int) -> int | None:
        """A byte is written. Returns the levels of the lines that follow, None for the same."""
        return byte

    def gives(self, byte: int) -> int | None:
        """A byte is read. Returns the levels of the lines, None where it says nothing about them."""
        return byte


class RegisterPort:
    """An expander with registers: the MCP23008. Lines that are inputs read as they are pulled: as 1."""

    name = "mcp23008"

    def __init__(self) -> None:
        self.registers: dict[int, int] = {}
        self.guessed = False
        self._pointer: int | None = None
        self._pointed = False
        self._count = 0

    def begins(self) -> None:
        """A transfer begins: the first byte that is written is the register."""
        self._pointed, self._count = False, 0

    def takes(self, byte: int) -> int | None:
        """A byte is written: a register's number, or its content."""
        if not self._pointed:
            self._pointed, self._pointer = True, byte
            return None
        register, self._count = self._pointer, self._count + 1
        self.guessed = IODIR not in self.registers or (IOCON not in self.registers and self._count > 1)
        self._step()
        if register not in REGISTERS:
            return None
        self.registers[OLAT if register == GPIO else register] = byte
        return self._levels() if register in (IODIR, GPIO, OLAT) else None

    def gives(self, byte: int) -> int | None:
        """A byte is read."""
        register = self._pointer
        self._step()
        return byte if register == GPIO else None

    def _step(self) -> None:
        """Move on. Where IOCON was not seen, the pointer stays at the lines: only so do several bytes make sense."""
        if self._pointer is None:
            return
        still = self.registers.get(IOCON)
        if still is None:
            if self._pointer in (GPIO, OLAT):
                return
        elif still & SEQUENTIAL_OFF:
            return
        self._pointer = (self._pointer + 1) % len(REGISTERS)

    def _levels(self) -> int | None:
        latch = self.registers.get(OLAT)
        if latch is None:
            return None
        return latch | self.registers.get(IODIR, 0)


DATA_WIRE, CLOCK_WIRE, LATCH_WIRE = 1, 2, 4
"""Bits of a word of samples of a register."""


def register_states(samples: Iterable[tuple[int, int]]) -> Iterator[tuple[int, int]]:
    """The outputs of a 74HC595 at each latch pulse, from the samples of its three wires; QA is the lowest bit."""
    old: int | None = None
    bits = 0
    for at, word in samples:
        if old is not None:
            risen = word & ~old
            if risen & CLOCK_WIRE:
                bits = (bits << 1 | (word & DATA_WIRE)) & 0xFF
            if risen & LATCH_WIRE:
                yield at, bits
        old = word
