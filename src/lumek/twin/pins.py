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
        self.violations = Violations()
        self.eight_bit = True
        # The controller pulls up what is not driven, except E.
        self._levels: dict[str, int] = {**dict.fromkeys(PINS, 1), "e": 0}
        self._open = set(PINS)
        self._ever_driven: set[str] = set()
        self._changed_ns = dict.fromkeys(PINS, -1_000_000_000)
        self._rose_ns = self._fell_ns = -1_000_000_000
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
        undriven = {pin for pin, level in levels.items() if level is None}
        if "e" in self._open and levels.get("e") is None:
            self._check_enable(levels, now_ns)
        self._change({pin: int(pin != "e") if level is None else level for pin, level in levels.items()}, now_ns)
        if undriven or not self._open.isdisjoint(levels):
            driven = levels.keys() - undriven
            self._open = self._open - driven | undriven
            self._ever_driven |= driven

    def _change(self, levels: Mapping[str, int], now_ns: int) -> None:
        changes = {pin for pin, level in levels.items() if level != self._levels[pin]}
        if not changes:
            return
        # While it is read, the controller itself drives the data lines; what others do there is not taken.
        heeded = changes - {"e"} - (set(DATA_PINS) if self._levels["rw"] else set())
        if "e" in changes and levels["e"] == 0:
            self._fall(heeded, now_ns)
        else:
            self._check_hold(heeded, now_ns)
        for pin in changes:
            self._levels[pin] = levels[pin]
            self._changed_ns[pin] = now_ns
        if "e" in changes and levels["e"] == 1:
            self._rise(now_ns)
        elif self._levels["e"] and changes & {"rs", "rw"}:
            self._spoil(now_ns, "address hold", f"{_names(changes)} changed while E was high")

    def output(self, now_ns: int) -> dict[str, int] | None:
        """The levels that the controller drives onto its data pins, or None while it does not."""
        if not (self._levels["rw"] and self._levels["e"]):
            return None
        if now_ns - self._rose_ns < self.limits.data_delay:
            return None
        byte = self._answer(self._levels["rs"], now_ns)
        if not self.eight_bit:
            byte = byte << 4 & 0xF0 if self._upper is not None else byte & 0xF0
        driven = DATA_PINS if self.eight_bit else FOUR_PINS
        return {pin: byte >> int(pin[1]) & 1 for pin in driven}

    def _rise(self, now_ns: int) -> None:
        self._spoilt = False
        settled = now_ns - max(self._changed_ns["rs"], self._changed_ns["rw"])
        if settled < self.limits.address_setup:
            self._spoil(now_ns, "address set-up", f"RS or RW changed {settled} ns before E rose")
        if now_ns - self._rose_ns < self.limits.cycle:
            self._spoil(now_ns, "E cycle", f"E rose {now_ns - self._rose_ns} ns after it rose before")
        self._rose_ns = now_ns

    def _fall(self, together: set[str], now_ns: int) -> None:
        self._fell_ns = now_ns
        if together:
            self._spoil(now_ns, "hold time", f"{_names(together)} changed together with E falling")
        if now_ns - self._rose_ns < self.limits.pulse and not self._spoilt:
            self._spoil(now_ns, "E pulse", f"E was high for {now_ns - self._rose_ns} ns")
        stood = now_ns - max(self._changed_ns[pin] for pin in DATA_PINS)
        if not self._levels["rw"] and stood < self.limits.data_setup and not self._spoilt:
            self._spoil(now_ns, "data set-up", f"data changed {stood} ns before E fell")
        if self._spoilt:
            return
        self._check_driven(now_ns)
        lines = sum(self._levels[pin] << int(pin[1]) for pin in DATA_PINS)
        address = self._levels["rs"], self._levels["rw"]
        if self.eight_bit:
            self.transfer(lines, *address, now_ns)
        elif self._upper is None:
            if self.strict_nibbles and not address[1] and self.busy(now_ns):
                self._violate(
                    now_ns, "busy", f"half a byte, {lines >> 4:#x}, came while the panel was busy and was lost"
                )
                return
            self._upper, self._upper_lines = lines & 0xF0, address
        else:
            if address != self._upper_lines:
                self._violate(now_ns, "nibble phase", "RS or RW changed between the two halves of a byte")
            byte, self._upper = self._upper | lines >> 4, None
            self.transfer(byte, *address, now_ns)

    def _check_enable(self, levels: Mapping[str, int | None], now_ns: int) -> None:
        """Record, once, that nothing drives E while other lines are driven: nothing of it arrives."""
        if not self._enable_missed and any(
            level == 1 - self._levels[pin] for pin, level in levels.items() if level is not None and pin != "rw"
        ):
            self._enable_missed = True
            self._violate(now_ns, "floating", "E was not driven while other lines changed")

    def _check_driven(self, now_ns: int) -> None:
        """Data and control are driven by somebody; D0 to D3 may be left open by a host with four lines."""
        needed = {"rs", "rw"}
        if not self._levels["rw"]:
            needed.update(DATA_PINS if self.eight_bit and self._ever_driven.intersection(DATA_PINS[:4]) else FOUR_PINS)
        if needed & self._open:
            names = _names(needed & self._open)
            self._violate(now_ns, "floating", f"{names} was not driven, and read as 1")

    def _check_hold(self, changes: set[str], now_ns: int) -> None:
        since = now_ns - self._fell_ns
        limits = self.limits
        early = {pin for pin in changes if since < (limits.data_hold if pin in DATA_PINS else limits.address_hold)}
        if early:
            self._violate(now_ns, "hold time", f"{_names(early)} changed {since} ns after E fell")

    def _spoil(self, now_ns: int, rule: str, detail: str) -> None:
        """Take nothing from the pulse of E that is under way."""
        self._spoilt = True
        self._violate(now_ns, rule, f"{detail}; the transfer was lost")

    def _violate(self, now_ns: int, rule: str, detail: str) -> None:
        self.violations.append(Violation(now_ns, rule, detail))


def _names(pins: set[str]) -> str:
    return ", ".join(pin.upper() for pin in PINS if pin in pins)
