"""The simulated HD44780U behind its pins: memory, instructions and time.

It shares no code with the driver: instructions are decoded here a second time, from the data sheet (ADE-207-272;
table 6 for instructions and times, "Reset function" for power-on). What the sheet forbids is recorded as a violation
and has its consequence.
"""

import random

from lumek.twin.pins import LIMITS_3V, LIMITS_5V, Interface

RESET_NS = 10_000_000
"""Busy after power-on, while the internal reset runs."""

BLINK_CLOCKS = 102_400
"""Oscillator clocks between two states of the blinking block: 0.38 s at 270 kHz."""


class Controller(Interface):
    """One controller.

    oscillator_hz: its clock; execution times scale with 270 kHz / oscillator.
    volts: its supply; bus timing is that of 5 V from 4.5 V, that of 2.7 V below.
    slow_supply: the supply rises too slowly for the internal reset, so every state is random (from `seed`).
    strict_nibbles: no half of a byte is taken while it is busy. The sheet counts a transfer when both halves are in
        ("Interfacing to the MPU").
    supplied_ns: when the supply comes on, by the time of all that follows.
    """

    def __init__(
        self,
        oscillator_hz: int = 270_000,
        volts: float = 5.0,
        slow_supply: bool = False,
        seed: int = 0,
        supplied_ns: int = 0,
        strict_nibbles: bool = False,
    ) -> None:
        super().__init__(LIMITS_5V if volts >= 4.5 else LIMITS_3V)
        self.oscillator_hz = oscillator_hz
        self.strict_nibbles = strict_nibbles
        self.flag_stuck = False
        """A fault: the busy flag reads as set for ever."""
        self._reset(supplied_ns)
        if slow_supply:
            self._randomise(random.Random(seed))

    def lose_supply(self, now_ns: int, slow_supply: bool = False, seed: int = 0) -> None:
        """The supply fails for a moment, and is back at this time: see `Controller` for what is then in it."""
        self._reset(now_ns)
        self._upper = None
        if slow_supply:
            self._randomise(random.Random(seed))

    def _reset(self, now_ns: int) -> None:
        """The supply comes on: "Reset function"."""
        self.eight_bit = True
        self.ddram = bytearray(b" " * 128)
        self.cgram = bytearray(64)
        self.two_lines = False
        self.tall = False
        self.increment = True
        self.shift_on_write = False
        self.on = self.underline = self.blink = False
        self.shift = 0
        self.address = 0
        self.in_cgram = False
        self._supplied_ns = now_ns
        self._busy_until_ns = now_ns + RESET_NS
        self._moves_at_ns: int | None = None
        self._read_buffer = 0x20
        # "Read data from CG or DDRAM": what is read first is invalid unless an address was set, or the cursor moved
        # in DDRAM, before it.
        self._designated = False
        self.functions_in_a_row = 0
        self.function_locked = False
        self._function_ignored: str | None = None

    def _randomise(self, chance: random.Random) -> None:
        self.ddram[:] = chance.randbytes(128)
        self.cgram[:] = chance.randbytes(64)
        self.eight_bit, self.two_lines, self.increment = (chance.random() < 0.5 for _ in range(3))
        self.shift_on_write, self.on, self.underline, self.blink = (chance.random() < 0.5 for _ in range(4))
        self.in_cgram, self.function_locked = (chance.random() < 0.5 for _ in range(2))
        self.address = chance.randrange(64 if self.in_cgram else 0x28)
        self.shift = chance.randrange(40)
        self._upper = chance.choice((None, 0, 0x80, 0x20)) if not self.eight_bit else None

    @property
    def ready_ns(self) -> int:
        """When it takes the next byte: it is not busy, and its address counter has moved."""
        return max(self._busy_until_ns, self._moves_at_ns or 0)

    def busy(self, now_ns: int) -> bool:
        """Whether the busy flag is set."""
        return now_ns < self._busy_until_ns

    def settle(self, now_ns: int) -> None:
        """Let the address counter move, if its time has come after data was read or written."""
        if self._moves_at_ns is not None and now_ns >= self._moves_at_ns:
            self._moves_at_ns = None
            self._move(self.increment)
            if self._designated:
                self._fetch()

    @property
    def resting_address(self) -> int:
        """The address at which the counter is once it has moved after the data that was written or read last."""
        return self.address if self._moves_at_ns is None else self._moved(self.increment)

    def blink_phase(self, now_ns: int) -> bool:
        """Whether the blinking block covers its cell at this time."""
        return now_ns * self.oscillator_hz // (BLINK_CLOCKS * 1_000_000_000) % 2 == 1

    def _answer(self, rs: int, now_ns: int) -> int:
        """The data that is ready, or busy flag and address counter."""
        self.settle(now_ns)
        return self._read_buffer if rs else (self.flag_stuck or self.busy(now_ns)) << 7 | self.address

    def transfer(self, byte: int, rs: int, rw: int, now_ns: int) -> None:
        """A whole byte has gone one way or the other: "4-bit operation" completes with the second nibble."""
        if rw and not rs:
            return
        supplied_ns = now_ns - self._supplied_ns
        if supplied_ns < self.limits.settle:
            detail = f"{_what(byte, rs, rw)} came {supplied_ns / 1e6:.3f} ms after power-on and was lost"
            self._violate(now_ns, "power-on time", detail)
            return
        if self.busy(now_ns):
            left_us = (self._busy_until_ns - now_ns) / 1000
            self._violate(now_ns, "busy", f"{_what(byte, rs, rw)} came {left_us:.1f} us too early and was lost")
            return
        if self._moves_at_ns is not None and now_ns < self._moves_at_ns:
            what = _what(byte, rs, rw)
            self._violate(now_ns, "address counter", f"{what} came before the address counter had moved")
            self._moves_at_ns = None
        self.settle(now_ns)
        if rs:
            self._leave_head(now_ns)
            if not rw:
                self._store(byte)
            elif not self._designated and self._rose_ns - self._supplied_ns >= self.limits.settle:
                # A pulse that lasted since power-on (as on an expander's lines) is over now, and its data is not taken.
                self._violate(now_ns, "read", "data was read without an address set, or the cursor moved, before it")
            self._designated = bool(rw)
            self._busy(now_ns, 37)
            # The note to figure 10, "Address counter update", is longer than the 4 us of table 6.
            self._moves_at_ns = self._busy_until_ns + max(self._scaled_ns(4), 1_500_000_000 // self.oscillator_hz)
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
        self.address = self._moved(forward)

    def _moved(self, forward: bool) -> int:
        """The address that follows, or (backwards) comes before, where the counter is."""
        step = 1 if forward else -1
        if self.in_cgram:
            return (self.address + step) % 64
        if self.two_lines:
            ends = {0x27: 0x40, 0x67: 0x00} if forward else {0x40: 0x27, 0x00: 0x67}
        else:
            ends = {0x4F: 0x00} if forward else {0x00: 0x4F}
        return ends.get(self.address, (self.address + step) % 128)

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
                self._designated = self._designated or not self.in_cgram
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
            self._designated = False
        self._busy(now_ns, us)

    def _address_set(self, address: int, in_cgram: bool, now_ns: int) -> None:
        if not in_cgram and (0x28 <= address < 0x40 or address >= 0x68 if self.two_lines else address >= 0x50):
            self._violate(now_ns, "address", f"DDRAM has no address {address:#04x} with {1 + self.two_lines} lines")
        self.address, self.in_cgram = address, in_cgram
        self._designated = True
        self._fetch()

    def _function_set(self, code: int) -> None:
        """Lines and font can be chosen at the head of a program only: the sheet's "Function set".

        That is before any other instruction, after the data length changed, or after three function sets for
        8 bits in a row, with which "Initializing by instruction" begins.
        """
        eight_bit, two_lines = bool(code & 0x10), bool(code & 0x08)
        tall = bool(code & 0x04) and not two_lines  # "N = 1: F is not used"
        self.functions_in_a_row = self.functions_in_a_row + 1 if eight_bit and self.eight_bit else 1
        if eight_bit != self.eight_bit or self.functions_in_a_row >= 3:
            self.function_locked = False
            self._function_ignored = None
        self.eight_bit = eight_bit
        if not self.function_locked:
            self.two_lines, self.tall = two_lines, tall
        elif (two_lines, tall) != (self.two_lines, self.tall):
            self._function_ignored = f"{code:#04x}"

    def _leave_head(self, now_ns: int) -> None:
        """Something other than a function set came."""
        self.function_locked = True
        self.functions_in_a_row = 0
        if self._function_ignored:
            self._violate(now_ns, "function set", f"{self._function_ignored} came too late to change lines or font")
            self._function_ignored = None


def _what(byte: int, rs: int, rw: int) -> str:
    return ("data" if rs else "instruction") + (" read" if rw else f" {byte:#04x}")
