"""From the levels of a panel's pins to pulses of E, with what the data sheet forbids about them.

A sample is a time and a word: the levels of all pins from then on, a bit each (see `BIT`). A pulse takes what the lines
have when E falls; of what changes in the same sample it takes what was before. A pulse that breaks a limit may have
been taken or not: real parts are quicker than their sheet.

It shares no code with the links, and none with the simulated pins, which judge it in the tests.
Source: HD44780U data sheet (ADE-207-272), "Bus timing characteristics", for 2.7 to 4.5 V and for 4.5 to 5.5 V.
"""

from collections.abc import Sequence
from typing import NamedTuple

from lumek.captures.capture_source import UNSEEN
from lumek.twin.pins import Violation

ROLES = ("d0", "d1", "d2", "d3", "d4", "d5", "d6", "d7", "rs", "rw", "e", "e2", "backlight")
"""What a bit of a word is, from the lowest."""

BIT = {role: 1 << place for place, role in enumerate(ROLES)}

DATA, RS, RW, E, E2, BACKLIGHT = 0xFF, BIT["rs"], BIT["rw"], BIT["e"], BIT["e2"], BIT["backlight"]
CONTROL = RS | RW

UNDRIVEN = DATA | RS
"""The levels of pins that nothing drives: the controller pulls all up but E. RW without a wire is grounded."""


class Limits(NamedTuple):
    """Nanoseconds: from E to E, of E high, of RS and RW before and after it, of data before and after its fall."""

    cycle: int = 500
    high: int = 230
    address_before: int = 40
    address_after: int = 10
    data_before: int = 80
    data_after: int = 10


AT_5_VOLTS = Limits()
AT_3_VOLTS = Limits(1000, 450, 60, 20, 195, 10)


LONG_AGO = -(10**15)


class Pulse:
    """A pulse of E.

    rose_ns, fell_ns: its edges. enables: 1 for E, 2 for E2. rs, rw: their levels. data: D7 to D0.
    unseen: those of them whose level is not in the capture.
    violations: what is wrong with it. doubtful: whether the controller may not have taken it.
    """

    __slots__ = ("data", "doubtful", "enables", "fell_ns", "rose_ns", "rs", "rw", "unseen", "violations")

    def __init__(self, rose_ns: int, fell_ns: int, enables: int, word: int, violations: list[Violation]) -> None:
        self.rose_ns, self.fell_ns, self.enables = rose_ns, fell_ns, enables
        self.rs, self.rw = int(word & RS != 0), int(word & RW != 0)
        self.data, self.unseen = word & DATA, word >> UNSEEN & DATA
        self.violations = violations
        self.doubtful = False

    @property
    def whole(self) -> bool:
        """Whether its beginning is in the capture, too."""
        return self.rose_ns != LONG_AGO

    def __repr__(self) -> str:
        return f"<Pulse at {self.fell_ns} ns, RS {self.rs}, RW {self.rw}, {self.data:#04x}>"


NONE: Sequence["Pulse"] = ()


class Pulses:
    """Finds the pulses among samples, which it takes one by one.

    limits: of the panel's supply.
    resolution_ns: by how much a time may be wrong, as by samples that are so far apart.
    wired: the data pins that have a wire; what the others do is not looked at.
    holds: whether what comes after a pulse may come too soon; behind an expander or a register it cannot.
    unjudged: rules that could not be judged, with what they ask, because the samples are too far apart.
    """

    def __init__(
        self, limits: Limits = AT_5_VOLTS, resolution_ns: int = 0, wired: int = DATA, holds: bool = True
    ) -> None:
        self.limits = limits
        self.resolution_ns = resolution_ns
        self.unjudged: dict[str, int] = {}
        self._wired, self._heeded = wired, CONTROL | wired
        self._longest = max(limits.address_after, limits.data_after) if holds else 0
        self._word: int | None = None
        self._rose: dict[int, int] = {}
        self._rose_last: dict[int, int] = {}
        self._begun: dict[int, list[Violation]] = {}
        self._pending: list[Pulse] = []
        self._controlled = self._settled = LONG_AGO

    def take(self, at: int, word: int) -> Sequence[Pulse]:
        """Take a sample. Returns the pulses that are over: what comes shortly after one may be a violation of it."""
        old, self._word = self._word, word
        if old is None:
            return NONE
        over: Sequence[Pulse] = NONE
        changed = word ^ old
        if self._pending:
            last = self._pending[-1]
            if at - last.fell_ns >= self._longest:
                over, self._pending = self._pending, []
            elif changed & self._heeded:
                self._hold(last, changed, at)
        if changed & CONTROL:
            self._controlled = at
        if changed & (E | E2):
            for enable in (E, E2):
                if changed & enable:
                    if word & enable:
                        self._begun[enable] = self._rising(at, enable)
                    else:
                        self._fall(at, enable, old, word)
        elif old & (E | E2) and changed & CONTROL:
            for enable in (E, E2):
                if old & enable:
                    self._begun.setdefault(enable, []).append(
                        Violation(at, "address hold", f"{_names(changed & CONTROL)} changed while E was high")
                    )
        if changed & self._wired:
            self._settled = at
        if not self._longest and self._pending:
            over, self._pending = [*over, *self._pending], []
        return over

    def rest(self) -> Sequence[Pulse]:
        """The pulses that were not yet returned, at the end."""
        over, self._pending = self._pending, []
        return over

    def _fall(self, at: int, enable: int, old: int, word: int) -> None:
        # While it is read, the panel drives the data lines, up to the last sample.
        seen = (old & ~DATA) | (word & DATA) if old & RW and not word & RW else old
        rose, begun = self._rose.pop(enable, LONG_AGO), self._begun.pop(enable, None) or []
        pulse = Pulse(rose, at, 1 if enable == E else 2, seen, begun)
        self._falling(pulse, (word ^ old) & self._heeded)
        pulse.doubtful = bool(pulse.violations) or not pulse.whole
        self._pending.append(pulse)

    def _rising(self, at: int, enable: int) -> list[Violation]:
        violations: list[Violation] = []
        before = self._rose_last.get(enable, LONG_AGO)
        self._rose[enable] = self._rose_last[enable] = at
        reach = self.resolution_ns
        if at - self._controlled < self.limits.address_before + reach:
            self._judge(violations, at, "address set-up", "RS or RW changed {} before E rose", at - self._controlled,
                        self.limits.address_before)  # fmt: skip
        if at - before < self.limits.cycle + reach:
            self._judge(violations, at, "E cycle", "E rose {} after it rose before", at - before, self.limits.cycle)
        return violations

    def _falling(self, pulse: Pulse, together: int) -> None:
        at, limits = pulse.fell_ns, self.limits
        if together and not pulse.rw:
            if self.resolution_ns:
                self.unjudged["hold time"] = limits.data_after
            else:
                detail = f"{_names(together)} changed together with E falling"
                pulse.violations.append(Violation(at, "hold time", detail, 0, limits.data_after))
        if at - pulse.rose_ns < limits.high + self.resolution_ns:
            self._judge(pulse.violations, at, "E pulse", "E was high for {}", at - pulse.rose_ns, limits.high)
        if not pulse.rw and at - self._settled < limits.data_before + self.resolution_ns:
            self._judge(pulse.violations, at, "data set-up", "data changed {} before E fell", at - self._settled,
                        limits.data_before)  # fmt: skip

    def _hold(self, pulse: Pulse, changed: int, at: int) -> None:
        since = at - pulse.fell_ns
        early = changed & CONTROL if since < self.limits.address_after else 0
        asked = self.limits.address_after if early else self.limits.data_after
        if since < self.limits.data_after and not pulse.rw:
            early |= changed & self._wired
        if early:
            violations: list[Violation] = []
            self._judge(violations, at, "hold time", f"{_names(early)} changed {{}} after E fell", since, asked)
            pulse.violations += violations
            pulse.doubtful = pulse.doubtful or bool(violations)

    def _judge(self, violations: list[Violation], at: int, rule: str, detail: str, got: int, asked: int) -> None:
        """Add a violation, if it is one whatever the samples hide; where they may hide one, say so."""
        if got + self.resolution_ns < asked:
            violations.append(Violation(at, rule, detail.format(f"{got} ns"), got, asked))
        else:
            self.unjudged[rule] = asked


def _names(bits: int) -> str:
    return ", ".join(role.upper() for role in ROLES if BIT[role] & bits)
