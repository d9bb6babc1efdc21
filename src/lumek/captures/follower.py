"""One controller of a capture: from pulses of E to bytes, and to what they do.

*Phases.* With four data lines a byte takes two pulses, and a capture that begins in the middle does not say which of
them comes first; nor does it say whether the controller still takes bytes of eight lines. A phase is a pair of these:
whether eight lines are taken at once, and the half that is there. The main phase is the likeliest, and others are kept
beside it. Each takes every pulse. One that comes to equal the main phase is dropped: the start-up sequence makes all of
them equal, whatever they were, and so does the sequence with which Lumek refreshes. While there are others, nothing is
sure. A pulse that the controller may not have taken makes another phase, in which it did.

*What bytes do* is worked out by the simulated controller, which has a state from the beginning. Which part of that
state is known is in `Known`. When the other phases are gone, nothing is known of what was before, and all that follows
is.

*Early bytes.* A byte that comes while the controller is busy, at the oscillator that is assumed, is lost there; a
quicker part takes it. What it would have changed is then not known.
Source: HD44780U data sheet (ADE-207-272), "Interfacing to the MPU", "Initializing by instruction", table 6.
"""

from lumek.captures.known import Known
from lumek.captures.meanings import instruction_words, time_words
from lumek.captures.pulses import Pulse
from lumek.captures.startup_steps import StartUp
from lumek.twin.controller import Controller
from lumek.twin.pins import Violation, Violations

INSTRUCTION, DATA, STATUS, READ = "instruction", "data", "status", "read"
"""Kinds of events: an instruction; data written; busy flag and counter read; data read."""

SINGLE, HALF, LOST = "single", "half", "lost"
"""More of them: a pulse of four lines that is a byte by itself, as at a start-up; the second half of a byte whose first
is not in the capture; a pulse that breaks a limit, so that it may not count. Their code is D7 to D4."""

LONG_AGO = -(10**15)

PENDING = -1
"""A half that came before the capture began."""

EXECUTION_NS, SLOW_NS, SETTLE_NS = 37_000, 1_520_000, 4_000
SLOW_BELOW, CLEAR = 0x04, 0x01

MEMORY = 128
"""Addresses of DDRAM, whether or not they exist."""

NOMINAL_HZ = 270_000


class Event:
    """Something that a controller was sent, or gave.

    panel: number of the panel, from 0. controller: 0, or 1 behind E2.
    began_ns, time_ns: when its first pulse rose, and its last fell.
    kind: INSTRUCTION, DATA, STATUS, READ, SINGLE, HALF or LOST.
    code: the byte. words: what it does; "" where kind and code say it.
    needs_ns: how long the data sheet asks to wait after it. wait_ns: how long it was until the next byte was in; None
        for the last.
    violations: what breaks the data sheet.
    sure: whether nothing about it is a guess.
    in_cgram: whether it is data of glyphs.
    """

    __slots__ = (
        "_words",
        "began_ns",
        "code",
        "controller",
        "in_cgram",
        "kind",
        "needs_ns",
        "panel",
        "sure",
        "time_ns",
        "violations",
        "wait_ns",
    )

    def __init__(
        self, panel: int, controller: int, began_ns: int, time_ns: int, kind: str, code: int, words: str,
        needs_ns: int, violations: list[Violation], sure: bool,
    ) -> None:  # fmt: skip
        self.panel, self.controller, self.began_ns, self.time_ns = panel, controller, began_ns, time_ns
        self.kind, self.code, self._words, self.needs_ns = kind, code, words, needs_ns
        self.violations, self.sure = violations, sure
        self.wait_ns: int | None = None
        self.in_cgram = False

    @property
    def words(self) -> str:
        """What it does, in words."""
        if self._words:
            return self._words
        if self.kind == INSTRUCTION:
            return instruction_words(self.code)
        return f"{'write' if self.kind == DATA else 'read'} {self.code:#04x}"

    def __repr__(self) -> str:
        return f"<Event at {self.time_ns / 1000:.3f} us: {self.words}>"


class Followed(Controller):
    """A controller whose bytes come from samples that are `tolerance_ns` apart."""

    tolerance_ns = 0

    def busy(self, now_ns: int) -> bool:
        """Whether it is busy, whatever the samples hide."""
        return super().busy(now_ns + self.tolerance_ns)


class Follower:
    """A controller.

    width: its data lines, 4 or 8.
    phase: how it takes the first pulse: "eight" (as a byte), "upper" or "lower" (as a half).
    oscillator_hz, volts: of the controller.
    tolerance_ns: by how much a time may be wrong.
    panel, controller: for its events.
    touched: the DDRAM addresses that were written to, in the main phase.
    """

    def __init__(
        self, width: int, phase: str, oscillator_hz: int = NOMINAL_HZ, volts: float = 5.0, tolerance_ns: int = 0,
        panel: int = 0, controller: int = 0,
    ) -> None:  # fmt: skip
        self.chip = Controller(oscillator_hz, volts, supplied_ns=LONG_AGO)
        if tolerance_ns:
            self.chip = Followed(oscillator_hz, volts, supplied_ns=LONG_AGO)
            self.chip.tolerance_ns = tolerance_ns
        self.chip.violations = Violations()
        self.chip.eight_bit = phase == "eight"
        self.known = Known()
        self.touched: set[int] = set()
        self._width, self._panel, self._number = width, panel, controller
        self._data_ns, self._slow_ns, self._instruction_ns = (
            int(ns * NOMINAL_HZ / oscillator_hz) for ns in (EXECUTION_NS + SETTLE_NS, SLOW_NS, EXECUTION_NS)
        )
        self._upper: int | None = PENDING if phase == "lower" else None
        self._upper_lines = (0, 0)
        self._upper_violations: list[Violation] = []
        self._began = self._upper_unseen = 0
        self._last_ns, self._needed_ns = LONG_AGO, 0
        # With eight lines, a driver that takes them takes all of them.
        phases: set[tuple[bool, int | None]] = {(True, None), (False, None), (False, PENDING)}
        self._all_phases = phases if width == 4 else set()
        self._others = self._all_phases - {self._main}
        self._start_up = StartUp(phase == "eight", width)
        if phase != "eight":  # a panel that is in use
            self.chip.two_lines = self.chip.on = True

    def miss_something(self) -> None:
        """Something was sent that the capture does not have: nothing is known, until all phases are equal again."""
        self.known.forget()
        self._others |= self._all_phases - {self._main}

    @property
    def sure(self) -> bool:
        """Whether it is sure which pulses belong together."""
        return not self._others

    @property
    def _main(self) -> tuple[bool, int | None]:
        return self.chip.eight_bit, self._upper

    def take(self, pulse: Pulse) -> Event | None:
        """Take a pulse. Returns what it completes."""
        if self._others:
            self._advance_others(pulse)
        chip, rs, rw = self.chip, pulse.rs, pulse.rw
        if pulse.doubtful:
            return self._lose(pulse)
        began = pulse.rose_ns
        if chip.eight_bit:
            byte = pulse.data if self._width == 8 else pulse.data | 0x0F
            violations, unseen = pulse.violations, pulse.unseen & 0x7F
        elif self._upper is None:
            self._upper, self._upper_lines, self._began = pulse.data & 0xF0, (rs, rw), began
            self._upper_violations, self._upper_unseen = pulse.violations, pulse.unseen & 0x70
            return None
        elif self._upper == PENDING:
            self._upper = None
            return self._event(began, pulse, HALF, pulse.data >> 4, "the second half of a byte", 0, pulse.violations)
        else:
            byte, began = self._upper | pulse.data >> 4, self._began
            violations = self._upper_violations + pulse.violations
            if (rs, rw) != self._upper_lines:
                violations.append(
                    Violation(pulse.fell_ns, "nibble phase", "RS or RW changed between the halves of a byte")
                )
            unseen = self._upper_unseen | pulse.unseen >> 4
            self._upper = None
        event = self._whole(byte, began, pulse, violations, unseen)
        self._join()
        return event

    def _whole(self, byte: int, began: int, pulse: Pulse, violations: list[Violation], unseen: int) -> Event:
        """A whole byte has gone one way or the other.

        unseen: its lower seven bits that are not in the capture.
        """
        chip, rs, rw, now = self.chip, pulse.rs, pulse.rw, pulse.fell_ns
        if rw and not rs:
            words = "busy" if byte & 0x80 else "ready"
            if not (unseen or byte & 0x80):
                words += f", the address counter is at {byte & 0x7F:#04x}"
            return self._event(began, pulse, STATUS, byte, words, 0, violations)
        single = chip.eight_bit and self._width == 4
        in_cgram = bool(rs) and chip.in_cgram
        needs = self._data_ns if rs else self._slow_ns if byte < SLOW_BELOW else self._instruction_ns
        if self._start_up.going_on and not rw:
            violations += self._start_up.check(byte, rs, now)
        lost = chip.busy(now)
        if lost:
            got = now - self._last_ns
            detail = f"it came {time_words(got)} after the one before, and may be lost"
            violations.append(Violation(now, "busy", detail, got, self._needed_ns))
            self.known.doubted(chip, byte, rs, rw)
            if not rs and self._is_function_set(byte):
                self._others.add((bool(byte & 0x10), None))
        else:
            chip.settle(now)
            self.known.taken(chip, byte, rs, rw)
            if rs and not rw and not chip.in_cgram:
                self.touched.add(chip.address)
            elif byte == CLEAR and not rs:
                self.touched.update(range(MEMORY))
        chip.transfer(byte, rs, rw, now)
        if chip.violations:
            for violation in chip.violations:
                if violation.rule != "busy":
                    violations.append(Violation(violation.time_ns, violation.rule, violation.detail))
                    if violation.rule == "address counter":
                        self.known.doubted(chip, byte, rs, rw)
            chip.violations.clear()
        if not lost:
            self._last_ns, self._needed_ns = now, needs
        kind, words = INSTRUCTION, ""
        if rs:
            kind = READ if rw else DATA
        elif single:
            kind, words = SINGLE, self._start_up.words(byte)
            needs = max(needs, self._start_up.asked_ns)
        event = self._event(began, pulse, kind, byte >> 4 if kind == SINGLE else byte, words, needs, violations)
        event.in_cgram = in_cgram
        return event

    def _event(
        self, began: int, pulse: Pulse, kind: str, code: int, words: str, needs: int, violations: list[Violation]
    ) -> Event:
        sure = not self._others and not violations
        return Event(self._panel, self._number, began, pulse.fell_ns, kind, code, words, needs, violations, sure)

    def _lose(self, pulse: Pulse) -> Event:
        """A pulse that breaks a limit: in the main phase it does not count."""
        if self.chip.eight_bit:
            byte = pulse.data if self._width == 8 else pulse.data | 0x0F
            self.known.doubted(self.chip, byte, pulse.rs, pulse.rw)
        self._others |= self._advanced(self._main, pulse)
        self._join()
        words = "a pulse that may not count" if pulse.whole else "the end of a pulse that began before the capture"
        began = pulse.rose_ns if pulse.whole else pulse.fell_ns
        return self._event(began, pulse, LOST, pulse.data >> 4, words, 0, pulse.violations)

    def _join(self) -> None:
        """Drop the phases that now equal the main one."""
        if self._others:
            self._others.discard(self._main)
            if not self._others:
                self.known.forget()

    def _advance_others(self, pulse: Pulse) -> None:
        advanced = set() if not pulse.doubtful else set(self._others)
        for phase in self._others:
            advanced |= self._advanced(phase, pulse)
        self._others = advanced

    def _advanced(self, phase: tuple[bool, int | None], pulse: Pulse) -> set[tuple[bool, int | None]]:
        """What a phase becomes with a pulse."""
        eight, half = phase
        if not eight and half is None:
            return {(False, pulse.data & 0xF0)}
        if half == PENDING:
            return {(False, None)} if pulse.rs or pulse.rw else {(False, None), (True, None)}
        byte = pulse.data | 0x0F if eight and self._width == 4 else pulse.data
        if not eight:
            byte = (half or 0) | pulse.data >> 4
        if pulse.rs == pulse.rw == 0 and self._is_function_set(byte):
            eight = bool(byte & 0x10)
        return {(eight, None)}

    @staticmethod
    def _is_function_set(code: int) -> bool:
        return not code & 0xC0 and code & 0x20 != 0
