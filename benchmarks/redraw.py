"""What a redraw costs through a PCF8574: bytes, simulated time on the wire, Python time.

python benchmarks/redraw.py prints a Markdown table: Lumek beside the limit of the physics and beside a plain driver,
which writes every port state in a transfer of its own and waits the worst case after every byte.
"""

import time
from collections.abc import Callable

from lumek import Backpack, Panel
from lumek.twin import backpack_twin

SIZE = "20x4"
ROWS = (0x00, 0x40, 0x14, 0x54)
REPEATS = 200


class CountingBus:
    """A bus that costs nothing, for the Python time of the driver alone."""

    def __init__(self, hz: int) -> None:
        self.hz = hz

    def write(self, address: int, data: bytes) -> None:
        """Take it."""

    def read(self, address: int, count: int) -> bytes:
        """Give the lines as they are at power-up."""
        return b"\xff" * count

    def wait_us(self, us: int) -> None:
        """Return at once."""


class Plain:
    """The plain way: position, then every character, each port state in a transfer of its own."""

    def __init__(self, bus: object) -> None:
        self.bus = bus

    def byte(self, rs: int, byte: int) -> None:
        """Send one byte."""
        for nibble in (byte & 0xF0, byte << 4 & 0xF0):
            for state in (nibble | rs | 8, nibble | rs | 12, nibble | rs | 8):
                self.bus.write(0x27, bytes((state,)))
        self.bus.wait_us(53)

    def text(self, row: int, column: int, text: str) -> None:
        """Write text at a place."""
        self.byte(0, 0x80 | ROWS[row] + column)
        for character in text:
            self.byte(1, ord(character))


def full_plain(plain: Plain, letter: str) -> None:
    """Every cell, row by row."""
    for row in range(4):
        plain.text(row, 0, letter * 20)


def full(panel: Panel, letter: str) -> None:
    """Every cell."""
    panel[:] = "\n".join([letter * 20] * 4)


def digit(panel: Panel, letter: str) -> None:
    """One cell."""
    panel[1, 4] = letter


def digit_plain(plain: Plain, letter: str) -> None:
    """One cell."""
    plain.text(1, 4, letter)


def wire(make: Callable[[object], object], work: Callable[[object, str], None], hz: int) -> tuple[int, float]:
    """Bytes and milliseconds on the simulated wire."""
    _, bus = backpack_twin(SIZE, hz=hz)
    target = make(bus)
    work(target, "a")
    bytes_before, ns_before = bus.sent, bus.clock.now_ns
    work(target, "b")
    return bus.sent - bytes_before, (bus.clock.now_ns - ns_before) / 1e6


def python_us(make: Callable[[object], object], work: Callable[[object, str], None], hz: int) -> float:
    """Microseconds of Python, the median of many."""
    target = make(CountingBus(hz))
    times = []
    for number in range(REPEATS):
        start = time.perf_counter()
        work(target, "ab"[number % 2])
        times.append(time.perf_counter() - start)
    return sorted(times)[REPEATS // 2] * 1e6


def main() -> None:
    """Print the table."""
    print(
        "| what | bus | bytes: Lumek / limit / plain | wire ms: Lumek / plain | of the limit | plain is | Python us |"
    )
    print("|---|---|---|---|---|---|---|")
    for name, ours, plain, limit in (("full redraw", full, full_plain, 327), ("one digit", digit, digit_plain, 11)):
        for hz in (100_000, 400_000, 1_000_000):
            sent, ms = wire(lambda bus: Panel(SIZE, Backpack(bus)), ours, hz)
            plain_sent, plain_ms = wire(Plain, plain, hz)
            ours_us = python_us(lambda bus: Panel(SIZE, Backpack(bus)), ours, hz)
            limit_ms = limit * 9e3 / hz
            print(
                f"| {name} | {hz // 1000} kHz | {sent} / {limit} / {plain_sent} | {ms:.2f} / {plain_ms:.2f} "
                f"| {ms / limit_ms:.2f} x | {plain_ms / ms:.1f} x slower | {ours_us:.0f} |"
            )


if __name__ == "__main__":
    main()
