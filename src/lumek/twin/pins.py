"""The pins of the simulated HD44780U: bus timing, nibbles and bytes, and what is driven by whom.

It shares no code with the driver. Source: HD44780U data sheet (ADE-207-272), "Bus timing characteristics" for 2.7 to
4.5 V and for 4.5 to 5.5 V, "Interfacing to the MPU" for nibbles. What the sheet forbids is recorded as a `Violation`
and has its consequence.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING

PINS = ("rs", "rw", "e", "d0", "d1", "d2", "d3", "d4", "d5", "d6", "d7")
DATA_PINS = PINS[3:]
FOUR_PINS = DATA_PINS[4:]

WIRES = (*PINS, "e2", "backlight")
"""All wires of a panel. In a word, each has the bit of its place here."""

BITS = {pin: 1 << place for place, pin in enumerate(WIRES)}
RS, RW, E, E2 = BITS["rs"], BITS["rw"], BITS["e"], BITS["e2"]
DATA = sum(BITS[pin] for pin in DATA_PINS)
UPPER_DATA = sum(BITS[pin] for pin in FOUR_PINS)
OWN = sum(BITS[pin] for pin in PINS)
D0 = PINS.index("d0")

LONG_AGO_NS = -1_000_000_000


def words_of(levels: Mapping[str, int | None]) -> tuple[int, int, int]:
    """Levels as words: the wires that they are of, those that are not driven, and those that are high."""
    mask = undriven = high = 0
    for pin, level in levels.items():
        bit = BITS[pin]
        mask |= bit
        if level is None:
            undriven |= bit
        elif level:
            high |= bit
    return mask, undriven, high


@dataclass(frozen=True)
class Limits:
    """Bus timing in nanoseconds, and the time to leave the controller alone after power-on."""

    cycle: int
    pulse: int
    address_setup: int
    address_hold: int
    data_setup: int
    data_hold: int
    data_delay: int
    settle: int


LIMITS_5V = Limits(500, 230, 40, 10, 80, 10, 160, 15_000_000)
LIMITS_3V = Limits(1000, 450, 60, 20, 195, 10, 360, 40_000_000)


@dataclass(frozen=True)
class Violation:
    """Something the data sheet forbids: when, which rule, and what happened.

    got_ns, asked_ns: what was and what should be, where that is a time and was measured.
    """

    time_ns: int
    rule: str
    detail: str
    got_ns: int | None = None
    asked_ns: int | None = None

    def __str__(self) -> str:
        return f"{self.time_ns / 1000:.3f} us: {self.rule}: {self.detail}"


MOST_VIOLATIONS = 10_000


class Violations(list[Violation]):
    """What was done that the data sheets forbid, in the order in which it was done: the first 10,000.

    `more` counts those that came after them.
    """

    more = 0

    def append(self, violation: Violation) -> None:
        """Record one, as long as there is room."""
        if len(self) < MOST_VIOLATIONS:
            super().append(violation)
        else:
            self.more += 1


class Interface:
    """The pins, and the bytes that go through them.

    limits: the bus timing of its supply.
    eight_bit: whether a byte takes one pulse of E, or two.
    strict_nibbles: whether it takes no half of a byte either while it is busy.
    """

    strict_nibbles = False

    def __init__(self, limits: Limits) -> None:
        self.limits = limits
        self._longest_hold = max(limits.data_hold, limits.address_hold)
        self.violations = Violations()
        self.eight_bit = True
        self._word = OWN & ~E  # the controller pulls up what is not driven, except E
        self._open = OWN
        self._ever_driven = 0
        self._control_ns = self._data_ns = LONG_AGO_NS
        self._rose_ns = self._fell_ns = LONG_AGO_NS
        self._spoilt = True
        self._upper: int | None = None
        self._upper_lines = (0, 0)
        self._enable_missed = False

    if TYPE_CHECKING:  # what the controller behind the pins adds

        def transfer(self, byte: int, rs: int, rw: int, now_ns: int) -> None:
            """A whole byte has gone one way or the other."""

        def busy(self, now_ns: int) -> bool:
            """Whether the busy flag is set."""

        def _answer(self, rs: int, now_ns: int) -> int:
            """The byte that is read now."""

    def set_pins(self, levels: Mapping[str, int | None], now_ns: int) -> None:
        """The pins take these levels, all at the same moment; a pin at None is not driven."""
        self.take_words(*words_of(levels), now_ns)

    def take_words(self, mask: int, undriven: int, high: int, now_ns: int) -> None:
        """The same, with levels as words; see `words_of`."""
        if self._open & E and (undriven & E or not mask & E):
            self._check_enable(mask & ~undriven, high, now_ns)
        word = self._word
        changes = ((high | undriven & ~E) ^ word) & mask
        if changes:
            # While it is read, the controller itself drives the data lines; what others do there is not taken.
            heeded = changes & ~(E | DATA if word & RW else E)
            if changes & E and word & E:
                self._fall(heeded, now_ns)
            elif now_ns - self._fell_ns < self._longest_hold:
                self._check_hold(heeded, now_ns)
            word ^= changes
            self._word = word
            if changes & (RS | RW):
                self._control_ns = now_ns
            if changes & DATA:
                self._data_ns = now_ns
            if changes & E and word & E:
                self._rise(now_ns)
            elif word & E and changes & (RS | RW):
                self._spoil(now_ns, "address hold", f"{_names(changes)} changed while E was high")
        if undriven or self._open & mask:
            driven = mask & ~undriven
            self._open = self._open & ~driven | undriven
            self._ever_driven |= driven

    def output(self, now_ns: int) -> dict[str, int] | None:
        """The levels that the controller drives onto its data pins, or None while it does not."""
        if self._word & (RW | E) != RW | E or now_ns - self._rose_ns < self.limits.data_delay:
            return None
        byte = self._answer(self._word & RS, now_ns)
        if not self.eight_bit:
            byte = byte << 4 & 0xF0 if self._upper is not None else byte & 0xF0
        driven = DATA_PINS if self.eight_bit else FOUR_PINS
        return {pin: byte >> int(pin[1]) & 1 for pin in driven}

    def _rise(self, now_ns: int) -> None:
        self._spoilt = False
        settled = now_ns - self._control_ns
        if settled < self.limits.address_setup:
            self._spoil(now_ns, "address set-up", f"RS or RW changed {settled} ns before E rose")
        if now_ns - self._rose_ns < self.limits.cycle:
            self._spoil(now_ns, "E cycle", f"E rose {now_ns - self._rose_ns} ns after it rose before")
        self._rose_ns = now_ns

    def _fall(self, together: int, now_ns: int) -> None:
        self._fell_ns = now_ns
        limits, word = self.limits, self._word
        if together:
            self._spoil(now_ns, "hold time", f"{_names(together)} changed together with E falling")
        if now_ns - self._rose_ns < limits.pulse and not self._spoilt:
            self._spoil(now_ns, "E pulse", f"E was high for {now_ns - self._rose_ns} ns")
        stood = now_ns - self._data_ns
        if not word & RW and stood < limits.data_setup and not self._spoilt:
            self._spoil(now_ns, "data set-up", f"data changed {stood} ns before E fell")
        if self._spoilt:
            return
        if self._open:
            self._check_driven(now_ns)
        lines, rs, rw = word >> D0 & 0xFF, word & RS and 1, word & RW and 1
        if self.eight_bit:
            self.transfer(lines, rs, rw, now_ns)
        elif self._upper is None:
            if self.strict_nibbles and not rw and self.busy(now_ns):
                self._violate(now_ns, "busy", f"the half {lines >> 4:#x} of a byte came too early and was lost")
                return
            self._upper, self._upper_lines = lines & 0xF0, (rs, rw)
        else:
            if (rs, rw) != self._upper_lines:
                self._violate(now_ns, "nibble phase", "RS or RW changed between the two halves of a byte")
            byte, self._upper = self._upper | lines >> 4, None
            self.transfer(byte, rs, rw, now_ns)

    def _check_enable(self, driven: int, high: int, now_ns: int) -> None:
        """Record, once, that nothing drives E while other lines are driven: nothing of it arrives."""
        if not self._enable_missed and (high ^ self._word) & driven & ~RW:
            self._enable_missed = True
            self._violate(now_ns, "floating", "E was not driven while other lines changed")

    def _check_driven(self, now_ns: int) -> None:
        """Data and control are driven by somebody; D0 to D3 may be left open by a host with four lines."""
        needed = RS | RW
        if not self._word & RW:
            needed |= DATA if self.eight_bit and self._ever_driven & DATA & ~UPPER_DATA else UPPER_DATA
        if needed & self._open:
            self._violate(now_ns, "floating", f"{_names(needed & self._open)} was not driven, and read as 1")

    def _check_hold(self, changes: int, now_ns: int) -> None:
        since, limits = now_ns - self._fell_ns, self.limits
        early = changes & DATA if since < limits.data_hold else 0
        early |= changes & ~DATA if since < limits.address_hold else 0
        if early:
            self._violate(now_ns, "hold time", f"{_names(early)} changed {since} ns after E fell")

    def _spoil(self, now_ns: int, rule: str, detail: str) -> None:
        """Take nothing from the pulse of E that is under way."""
        self._spoilt = True
        self._violate(now_ns, rule, f"{detail}; the transfer was lost")

    def _violate(self, now_ns: int, rule: str, detail: str) -> None:
        self.violations.append(Violation(now_ns, rule, detail))


def _names(pins: int) -> str:
    return ", ".join(pin.upper() for pin in PINS if pins & BITS[pin])
