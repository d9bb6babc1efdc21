"""The simulated HD44780U, from its pins up.

It shares no code with the driver: instructions are decoded here a second time, from the data sheet (ADE-207-272;
table 6 for instructions and times, tables 11 to 13 and figures 27 and 28 for bus timing, "Reset function" for
power-on). What the sheet forbids is recorded as a `Violation` and has its consequence.
"""

import random
from collections.abc import Mapping
from dataclasses import dataclass

PINS = ("rs", "rw", "e", "d0", "d1", "d2", "d3", "d4", "d5", "d6", "d7")
DATA_PINS = PINS[3:]
FOUR_PINS = DATA_PINS[4:]

RESET_NS = 10_000_000
"""Busy after power-on, while the internal reset runs."""

BLINK_CLOCKS = 102_400
"""Oscillator clocks between two states of the blinking block: 0.38 s at 270 kHz."""


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
    """Something the data sheet forbids: when, which rule, and what happened."""

    time_ns: int
    rule: str
    detail: str

    def __str__(self) -> str:
        return f"{self.time_ns / 1000:.3f} us: {self.rule}: {self.detail}"


class Controller:
    """One controller.

    oscillator_hz: its clock; execution times scale with 270 kHz / oscillator.
    volts: its supply; bus timing is that of 5 V from 4.5 V, that of 2.7 V below.
    slow_supply: the supply rises too slowly for the internal reset, so every state is random (from `seed`).
    """

    def __init__(
        self, oscillator_hz: int = 270_000, volts: float = 5.0, slow_supply: bool = False, seed: int = 0
    ) -> None:
        self.oscillator_hz = oscillator_hz
        self.limits = LIMITS_5V if volts >= 4.5 else LIMITS_3V
        self.violations: list[Violation] = []
        self.ddram = bytearray(b" " * 128)
        self.cgram = bytearray(64)
        self.eight_bit = True
        self.two_lines = False
        self.tall = False
        self.increment = True
        self.shift_on_write = False
        self.on = self.underline = self.blink = False
        self.shift = 0
        self.address = 0
        self.in_cgram = False
        # What nobody drives is pulled up inside the controller, but for E.
        self._levels: dict[str, int] = {**dict.fromkeys(PINS, 1), "e": 0}
        self._open = set(PINS)
        self._ever_driven: set[str] = set()
        self._changed_ns = dict.fromkeys(PINS, -1_000_000_000)
        self._rose_ns = self._fell_ns = -1_000_000_000
        self._spoilt = True
        self._upper: int | None = None
        self._upper_lines = (0, 0)
        self._busy_until_ns = RESET_NS
        self._moves_at_ns: int | None = None
        self._read_buffer = 0x20
        self._functions_in_a_row = 0
        self._function_locked = False
        self._function_ignored: str | None = None
        if slow_supply:
            self._randomise(random.Random(seed))

    def _randomise(self, chance: random.Random) -> None:
        self.ddram[:] = chance.randbytes(128)
        self.cgram[:] = chance.randbytes(64)
        self.eight_bit, self.two_lines, self.increment = (chance.random() < 0.5 for _ in range(3))
        self.shift_on_write, self.on, self.underline, self.blink = (chance.random() < 0.5 for _ in range(4))
        self.in_cgram, self._function_locked = (chance.random() < 0.5 for _ in range(2))
        self.address = chance.randrange(64 if self.in_cgram else 0x28)
        self.shift = chance.randrange(40)
        self._upper = chance.choice((None, 0, 0x80, 0x20)) if not self.eight_bit else None

    def busy(self, now_ns: int) -> bool:
        """Whether the busy flag is set."""
        return now_ns < self._busy_until_ns

    def settle(self, now_ns: int) -> None:
        """Let the address counter move, if its time has come after data was read or written."""
        if self._moves_at_ns is not None and now_ns >= self._moves_at_ns:
            self._moves_at_ns = None
            self._move(self.increment)
            self._fetch()

    def blink_phase(self, now_ns: int) -> bool:
        """Whether the blinking block covers its cell at this time."""
        return now_ns * self.oscillator_hz // (BLINK_CLOCKS * 1_000_000_000) % 2 == 1

    def set_pins(self, levels: Mapping[str, int | None], now_ns: int) -> None:
        """The pins take these levels, all at the same moment; a pin at None is driven by nobody."""
        undriven = {pin for pin, level in levels.items() if level is None}
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
        self.settle(now_ns)
        byte = self._read_buffer if self._levels["rs"] else self.busy(now_ns) << 7 | self.address
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
            self._transfer(lines, now_ns)
        elif self._upper is None:
            self._upper, self._upper_lines = lines & 0xF0, address
        else:
            if address != self._upper_lines:
                self._violate(now_ns, "nibble phase", "RS or RW changed between the two halves of a byte")
            byte, self._upper = self._upper | lines >> 4, None
            self._transfer(byte, now_ns)

    def _check_driven(self, now_ns: int) -> None:
        """Data and control are driven by somebody; D0 to D3 may be left open by a host with four lines."""
        needed = {"rs", "rw"}
        if not self._levels["rw"]:
            needed.update(DATA_PINS if self.eight_bit and self._ever_driven.intersection(DATA_PINS[:4]) else FOUR_PINS)
        if needed & self._open:
            names = _names(needed & self._open)
            self._violate(now_ns, "floating", f"{names} was driven by nobody, and read as 1")

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

    def _transfer(self, byte: int, now_ns: int) -> None:
        """A whole byte has gone one way or the other: "4-bit operation" completes with the second nibble."""
        rs, rw = self._levels["rs"], self._levels["rw"]
        if rw and not rs:
            return
        what = ("data" if rs else "instruction") + (" read" if rw else f" {byte:#04x}")
        if now_ns < self.limits.settle:
            self._violate(now_ns, "power-on time", f"{what} came {now_ns / 1e6:.3f} ms after power-on and was lost")
            return
        if self.busy(now_ns):
            left_us = (self._busy_until_ns - now_ns) / 1000
            self._violate(now_ns, "busy", f"{what} came {left_us:.1f} us too early and was lost")
            return
        if self._moves_at_ns is not None and now_ns < self._moves_at_ns:
            self._violate(now_ns, "address counter", f"{what} came before the address counter had moved")
            self._moves_at_ns = None
        self.settle(now_ns)
        if rs:
            self._leave_head(now_ns)
            if not rw:
                self._store(byte)
            self._busy(now_ns, 37)
            self._moves_at_ns = self._busy_until_ns + self._scaled_ns(4)
        else:
            self._execute(byte, now_ns)

    def _scaled_ns(self, us: int) -> int:
        return us * 1000 * 270_000 // self.oscillator_hz

    def _busy(self, now_ns: int, us: int) -> None:
        self._busy_until_ns = now_ns + self._scaled_ns(us)

    def _store(self, byte: int) -> None:
        if self.in_cgram:
            self.cgram[self.address] = byte
            return
        self.ddram[self.address] = byte
        if self.shift_on_write:
            self._shift_display(right=not self.increment)

    def _fetch(self) -> None:
        self._read_buffer = self.cgram[self.address] if self.in_cgram else self.ddram[self.address]

    def _move(self, forward: bool) -> None:
        step = 1 if forward else -1
        if self.in_cgram:
            self.address = (self.address + step) % 64
            return
        if self.two_lines:
            ends = {0x27: 0x40, 0x67: 0x00} if forward else {0x40: 0x27, 0x00: 0x67}
        else:
            ends = {0x4F: 0x00} if forward else {0x00: 0x4F}
        self.address = ends.get(self.address, (self.address + step) % 128)

    def _shift_display(self, right: bool) -> None:
        self.shift = (self.shift + (1 if right else -1)) % (40 if self.two_lines else 80)

    def _execute(self, code: int, now_ns: int) -> None:
        us = 37
        if not code & 0xC0 and code & 0x20:
            self._function_set(code)
            self._busy(now_ns, us)
            return
        self._leave_head(now_ns)
        if code & 0x80:
            self._address_set(code & 0x7F, False, now_ns)
        elif code & 0x40:
            self._address_set(code & 0x3F, True, now_ns)
        elif code & 0x10:
            if code & 0x08:
                self._shift_display(right=bool(code & 0x04))
            else:
                self._move(bool(code & 0x04))
                self._fetch()
        elif code & 0x08:
            self.on, self.underline, self.blink = bool(code & 4), bool(code & 2), bool(code & 1)
        elif code & 0x04:
            self.increment, self.shift_on_write = bool(code & 2), bool(code & 1)
        elif code:
            us = 1520
            self.shift = 0
            if code & 0xFE == 0:
                self.ddram[:] = b" " * 128
                self.increment = True
            self._address_set(0, False, now_ns)
        self._busy(now_ns, us)

    def _address_set(self, address: int, in_cgram: bool, now_ns: int) -> None:
        if not in_cgram and (0x28 <= address < 0x40 or address >= 0x68 if self.two_lines else address >= 0x50):
            self._violate(now_ns, "address", f"DDRAM has no address {address:#04x} with {1 + self.two_lines} lines")
        self.address, self.in_cgram = address, in_cgram
        self._fetch()

    def _function_set(self, code: int) -> None:
        """Lines and font can be chosen at the head of a program only: the sheet's "Function set".

        That is before any other instruction, after the data length changed, or after three function sets for
        8 bits in a row, with which "Initializing by instruction" begins.
        """
        eight_bit, two_lines, tall = bool(code & 0x10), bool(code & 0x08), bool(code & 0x04)
        self._functions_in_a_row = self._functions_in_a_row + 1 if eight_bit and self.eight_bit else 1
        if eight_bit != self.eight_bit or self._functions_in_a_row >= 3:
            self._function_locked = False
            self._function_ignored = None
        self.eight_bit = eight_bit
        if not self._function_locked:
            self.two_lines, self.tall = two_lines, tall and not two_lines
        elif (two_lines, tall) != (self.two_lines, self.tall):
            self._function_ignored = f"{code:#04x}"

    def _leave_head(self, now_ns: int) -> None:
        """Something other than a function set came."""
        self._function_locked = True
        self._functions_in_a_row = 0
        if self._function_ignored:
            self._violate(now_ns, "function set", f"{self._function_ignored} came too late to change lines or font")
            self._function_ignored = None


def _names(pins: set[str]) -> str:
    return ", ".join(pin.upper() for pin in PINS if pin in pins)
