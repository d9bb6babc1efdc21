"""Whether a start-up follows the data sheet: which steps came, and how long after each other.

Source: HD44780U data sheet (ADE-207-272), "Initializing by instruction", figures 23 and 24.
"""

from lumek.captures.meanings import time_words
from lumek.twin.pins import Violation

STEPS_NS = 4_100_000, 100_000
"""From the first function set to the second, and from there to the third."""

TIMES = 3
"""How often the function set for 8 bits comes."""

OTHERS = {0x01: "clear display", 0x04: "entry mode"}
"""Highest bit -> what else must have come before data: the reset by supply leaves memory and mode as they should be."""


class StartUp:
    """The start-up at the head of a capture.

    expected: whether the capture seems to begin with one.
    width: data lines, 4 or 8.
    going_on: whether it is not over yet.
    """

    def __init__(self, expected: bool, width: int) -> None:
        self.going_on = expected
        self._width = width
        self._eights = self._fours = 0
        self._last_ns = 0
        self._seen: set[int] = set()
        self._counted = False

    @property
    def asked_ns(self) -> int:
        """What the data sheet asks to wait after the function set that came last."""
        return STEPS_NS[self._eights - 1] if self.going_on and 1 <= self._eights < TIMES else 0

    @staticmethod
    def words(code: int) -> str:
        """A pulse that is a byte by itself, on four lines."""
        if code & 0xE0 == 0x20:
            return f"function set: {8 if code & 0x10 else 4} bits, by one pulse of E"
        return f"a single pulse of {code >> 4:#03x}, while bytes of 8 lines are taken"

    def check(self, code: int, rs: int, now_ns: int) -> list[Violation]:
        """What is wrong with the next byte."""
        function_set = not rs and code & 0xE0 == 0x20
        violations: list[Violation] = []
        if function_set and code & 0x10 and self._eights < TIMES:
            asked, got = self.asked_ns, now_ns - self._last_ns
            if got < asked:
                detail = f"it came {time_words(got)} after the function set before it"
                violations.append(Violation(now_ns, "start-up", detail, got, asked))
            self._eights, self._last_ns = self._eights + 1, now_ns
            return violations
        if not self._counted and self._eights < TIMES:
            times = f"{self._eights} time{'' if self._eights == 1 else 's'}"
            detail = (
                f"the function set for 8 bits came {times}, not {TIMES}: this works only after a reset by the supply"
            )
            violations.append(Violation(now_ns, "start-up", detail))
        self._counted = True
        if function_set:
            self._fours += not code & 0x10
        elif not rs:
            self._seen.add(1 << code.bit_length() >> 1)
        else:
            self.going_on = False
            missing = [name for bit, name in OTHERS.items() if bit not in self._seen]
            if self._width == 4 and self._fours < 2:
                missing.append("function set with lines and font")
            if missing:
                violations.append(Violation(now_ns, "start-up", f"data came without {' and '.join(missing)} before it"))
        return violations
