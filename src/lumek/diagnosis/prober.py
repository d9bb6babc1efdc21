"""What can be learned of a controller that can be read: whether it answers, holds what is written, and how fast it is.

Each test leaves display memory as it was. A link under a wrong map does no harm: at worst it writes a character.
Source: HD44780U data sheet, "Read busy flag and address", table 6; UM10204 for the time of a byte.
"""

from collections.abc import Iterator, Mapping, Sequence
from typing import NamedTuple, TypeVar

from lumek.core.geometry import CGRAM, MEMORY, Geometry
from lumek.core.glyph import ROW_BITS
from lumek.core.instructions import (
    NOMINAL_HZ,
    SLOW_US,
    Timing,
    entry_mode_set,
    return_home,
    set_cgram_address,
    set_ddram_address,
)
from lumek.core.startup import POWER_UP_US, wake
from lumek.diagnosis.timed import TimedBackpack, TimedDirect

COPIES_HZ = 60_000
"""The oscillator that the tests reckon with: copies run slower than genuine parts."""

ADDRESSES = 0x00, 0x15, 0x0A, 0x27, 0x40, 0x4A, 0x55
"""Addresses with which each bit of the counter is 0 and 1, within both lines."""

WALK = 1, 2, 4, 8, 16, 32, 40, 64
"""Indexes (see `lumek.core.geometry`) at which each bit of the counter is 1, alone or almost."""

PATTERNS = 0x55, 0xAA, 0x0F, 0xF0

Line = TypeVar("Line")

MOST_LOOKS = 14
"""At the busy flag, each of which halves what is not known."""

LONGEST_US = 12_000
"""A "return home" takes no longer at any oscillator that is of use."""


class Told(NamedTuple):
    """What came back where an address was set."""

    sent: int
    status: int

    @property
    def right(self) -> bool:
        """Whether it is that address, and not busy."""
        return self.sent == self.status


class Held(NamedTuple):
    """What of a memory came back as it was written.

    size, wrong: its bytes, and those that differed. bits: those of a byte that ever differed.
    """

    size: int
    wrong: int
    bits: int


class Prober:
    """Tests of one controller.

    link: to it, with RW wired.
    size: of the panel.
    enables: 1 for the controller behind E, 2 for the second.
    """

    def __init__(self, link: TimedBackpack | TimedDirect, size: str, enables: int = 1) -> None:
        self._link = link
        self._geometry = Geometry(size)
        self._timing = Timing(COPIES_HZ, enables)

    def wake(self) -> None:
        """Bring it to take whole bytes, by the sequence of the data sheet."""
        self._link.send(wake(self._geometry, self._link.width, self._timing, POWER_UP_US))
        self._link.send([self._timing.instruction(entry_mode_set())])

    def answers(self) -> list[Told]:
        """Set addresses, and read the counter back."""
        return list(self._answers())

    def _answers(self) -> Iterator[Told]:
        last = MEMORY // self._geometry.lines - 1
        for address in ADDRESSES:
            if self._geometry.lines == 1 and address > last:
                continue
            self._link.send([self._timing.instruction(set_ddram_address(address))])
            yield Told(address, self._status())

    def walk(self) -> list[Told]:
        """Let the counter walk from 0 by reading data, and read it back.

        Where two of eight data wires are swapped, an address that is set comes back as it was; a walk does not.
        """
        self._link.send([self._timing.instruction(set_ddram_address(0))])
        found, at = [], 0
        for index in WALK:
            self._link.read(1, index - at, self._timing.data_us, self._timing.enables)
            at = index
            found.append(Told(self._geometry.address_of(index), self._status()))
        return found

    def _status(self) -> int:
        """Its status, once it is no longer busy."""
        return self._link.read(0, 2, self._timing.data_us, self._timing.enables)[1]

    def works(self) -> bool:
        """Whether the controller answers as it should."""
        return all(answer.right for answer in self._answers()) and all(answer.right for answer in self.walk())

    def display_memory(self) -> Held:
        """Whether DDRAM holds patterns; what was in it is put back."""
        return self._held(set_ddram_address(0), MEMORY, 0xFF)

    def glyph_memory(self) -> Held:
        """Whether CGRAM holds patterns; what was in it is put back."""
        return self._held(set_cgram_address(0), CGRAM, ROW_BITS)

    def _held(self, address: int, count: int, mask: int) -> Held:
        before = self._read(address, count)
        bits, wrong = 0, set()
        for pattern in PATTERNS:
            written = bytes((pattern + place) & 0xFF for place in range(count))
            self._write(address, written)
            for place, (one, two) in enumerate(zip(written, self._read(address, count), strict=True)):
                differs = (one ^ two) & mask
                bits |= differs
                if differs:
                    wrong.add(place)
        self._write(address, before)
        return Held(count, len(wrong), bits)

    def _read(self, address: int, count: int) -> bytes:
        self._link.send([self._timing.instruction(address)])
        return self._link.read(1, count, self._timing.data_us, self._timing.enables)

    def _write(self, address: int, data: bytes) -> None:
        self._link.send([self._timing.instruction(address), self._timing.write(data)])

    def oscillator_hz(self) -> tuple[float, float] | None:
        """Between which frequencies its oscillator runs; None when the busy flag never clears.

        They follow from the time for which "return home" keeps it busy: 1.52 ms at 270 kHz.
        """
        _, high, busy = self._busy_after(LONGEST_US)
        if busy:
            return None
        low, ask = 0.0, high / 2
        for _ in range(MOST_LOOKS):
            least, most, busy = self._busy_after(ask)
            low, high = (max(low, least), high) if busy else (low, min(high, most))
            ask = (low + high) / 2
            if high - low <= self._link.finest_us:
                break
        return NOMINAL_HZ * SLOW_US / high, NOMINAL_HZ * SLOW_US / max(low, 1.0)

    def _busy_after(self, us: float) -> tuple[float, float, bool]:
        found = self._link.busy_after(return_home(), us, self._timing.enables)
        self._link.send([self._timing.pause(SLOW_US)])
        return found


def stuck_wires(answers: Sequence[Told], width: int) -> dict[str, int]:
    """The data wires that read the same level in all answers, though they should not: role -> level."""
    found = {}
    for bit in range(8 - width, 8):
        places = [bit] if width == 8 else [bit, bit - 4]
        read = {answer.status >> place & 1 for answer in answers for place in places}
        sent = {answer.sent >> place & 1 for answer in answers for place in places}
        if len(read) == 1 and read != sent:
            found[f"d{bit}"] = read.pop()
    ones = {role: level for role, level in found.items() if level}
    return ones or found  # with a wire off, the others may not be understood either


def transposed(lines: Mapping[str, Line]) -> Iterator[tuple[str, str, dict[str, Line]]]:
    """A map with two of its lines swapped, in all ways: (role, role, map)."""
    roles = [role for role in lines if role != "backlight"]
    for place, one in enumerate(roles):
        for two in roles[place + 1 :]:
            yield one, two, {**lines, one: lines[two], two: lines[one]}
