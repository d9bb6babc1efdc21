"""What a redraw and one digit cost on every link: pytest benchmarks/links.py prints the table of docs/performance.md.

Lumek is compared with the least that the wires and the controller allow, and with the plain driver of plain.py. Calls,
bytes and time on the wire are those of the simulated host; Python time is that of the driver alone, on ports that do
nothing.
"""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import plain
import pytest

from lumek import Backpack, Direct, Panel, ShiftRegister
from lumek.ports.bit_banged import SerialLines
from lumek.twin import Mcp23008, backpack_twin, direct_twin, shift_register_twin

SIZE = "20x4"
BOARD = {"rs": 0, "e": 2, "backlight": 3, "d4": 4, "d5": 5, "d6": 6, "d7": 7}
LINES = {"rs": 10, "e": 9, "d4": 12, "d5": 16, "d6": 20, "d7": 21}
EIGHT = {**LINES, "d0": 2, "d1": 3, "d2": 4, "d3": 17}
WIRES = {"data": 5, "clock": 6, "latch": 7}
STATES = 4
"""States of a byte on four lines, or behind what sets eight lines at once."""

TYPICAL_US = 37, 42.6
"""What the simulated controller, at 270 kHz, takes for an instruction and for a byte of data."""


class Idle:
    """A port that does nothing, for the Python time of a driver alone."""

    drive_ns = 1000
    state_us = 8

    def __init__(self, hz: int = 100_000) -> None:
        self.hz = hz

    def write(self, address: int, data: bytes) -> None:
        """Take it."""

    def read(self, address: int, count: int) -> bytes:
        """Give the lines as they are at power-up."""
        return b"\xff" * count

    def send(self, data: bytes) -> None:
        """Take it."""

    def drive(self, levels: dict[int, int]) -> None:
        """Take it."""

    def sense(self, lines: list[int]) -> dict[int, int]:
        """All lines are low: never busy."""
        return dict.fromkeys(lines, 0)

    def wait_us(self, us: int) -> None:
        """Return at once."""


@dataclass(frozen=True)
class Case:
    """A link: how to make it and the plain driver on a port, and what its limits follow from.

    unit: what is counted, an attribute of the simulated port. per_byte, extra: units for a byte that a panel takes,
    and for a whole transfer besides. unit_us: time that each takes on the wire. polls: units for a look at the busy
    flag.
    """

    twin: Callable[[], tuple[Any, Any]]
    link: Callable[[Any], Any]
    plain: Callable[[Any], plain.Plain]
    unit: str
    per_byte: int
    extra: int
    unit_us: float
    hz: int = 100_000
    polls: int = 0

    def limit(self, cells: int) -> tuple[int, float]:
        """The least units, and milliseconds until the last is through, for an address and a number of cells."""
        units, byte_us = self.per_byte * (1 + cells) + self.extra, self.per_byte * self.unit_us
        instruction, data = (max(us, byte_us) for us in TYPICAL_US)
        return units, max(units * self.unit_us, byte_us + instruction + (cells - 1) * data) / 1000


def pcf8574(hz: int) -> Case:
    """A PCF8574 on a bus."""
    return Case(
        lambda: backpack_twin(SIZE, hz=hz, lines=BOARD), lambda bus: Backpack(bus, lines=BOARD),
        lambda bus: plain.over_bus(bus, 0x27), "sent", 4, 3, 9e6 / hz, hz,
    )  # fmt: skip


def mcp23008(hz: int) -> Case:
    """An MCP23008 on a bus."""
    return Case(
        lambda: backpack_twin(SIZE, hz=hz, lines=BOARD, expander=Mcp23008),
        lambda bus: Backpack(bus, 0x27, "mcp23008", BOARD), lambda bus: plain.over_bus(bus, 0x27, b"\x09"), "sent",
        4, 4, 9e6 / hz, hz,
    )  # fmt: skip


def direct(lines: dict[str, int], busy_flag: bool) -> Case:
    """GPIO lines."""
    data = tuple(lines[pin] for pin in sorted(lines) if pin[0] == "d")
    wired = {**lines, "rw": 11} if busy_flag else lines
    # A poll turns the lines, sets RS and RW, raises E, reads, lowers E and sets RS and RW; four bits pulse E again.
    polls = (8 if len(data) == 4 else 6) if busy_flag else 0
    return Case(
        lambda: direct_twin(SIZE, wired), lambda port: Direct(port, 10, 9, data, 11 if busy_flag else None),
        lambda port: plain.over_lines(port, 10, 9, data), "calls", 16 // len(data) + polls, 1, 1.0,
        polls=polls,
    )  # fmt: skip


CASES = {
    "PCF8574, 100 kHz": pcf8574(100_000),
    "PCF8574, 400 kHz": pcf8574(400_000),
    "MCP23008, 400 kHz": mcp23008(400_000),
    "MCP23008, 1.7 MHz": mcp23008(1_700_000),
    "direct, 4 lines": direct(LINES, False),
    "direct, 4 lines, busy flag": direct(LINES, True),
    "direct, 8 lines": direct(EIGHT, False),
    "direct, 8 lines, busy flag": direct(EIGHT, True),
    "74HC595, SPI at 1 MHz": Case(
        lambda: shift_register_twin(SIZE, BOARD), lambda port: ShiftRegister(port, BOARD), plain.over_register,
        "sent", 4, 1, 8.0,
    ),
    "74HC595, three lines": Case(
        lambda: shift_register_twin(SIZE, BOARD, three_lines=WIRES),
        lambda port: ShiftRegister(SerialLines(port, **WIRES), BOARD),
        lambda port: plain.over_register(SerialLines(port, **WIRES)), "calls", 4 * 17, 17, 1.0,
    ),
}  # fmt: skip


def full(letter: str) -> list[str]:
    """Rows of which every cell changes with the letter."""
    return [letter * 20] * 4


def digit(letter: str) -> list[str]:
    """Rows of which one cell changes."""
    return ["Hive 3", "Weight  41." + letter, "", ""]


WORKS = {"full redraw": (full, 80), "one digit": (digit, 1)}


def on_wire(case: Case, write: Callable[[list[str]], None], port: Any, work: Callable[[str], list[str]]) -> tuple:
    """Units and milliseconds on the simulated wire, once the panel shows something else."""
    port.wait_us(5000)  # what is left to wait is not this update's
    write(work("a"))
    port.wait_us(5000)
    units, ns = getattr(port, case.unit), port.clock.now_ns
    write(work("b"))
    return getattr(port, case.unit) - units, (port.clock.now_ns - ns) / 1e6


def writers(case: Case, port: Any, plain_port: Any) -> tuple[Callable, Callable]:
    """What writes rows by Lumek, and by the plain driver."""
    panel, driver = Panel(SIZE, case.link(port)), case.plain(plain_port)

    def rewrite(rows: list[str]) -> None:
        driver.rewrite([f"{row:20}" for row in rows])

    return lambda rows: panel.__setitem__(slice(None), "\n".join(rows)), rewrite


@pytest.mark.benchmark(max_time=0.2, min_rounds=20)
@pytest.mark.parametrize("way", ["Lumek", "plain"])
@pytest.mark.parametrize("work", WORKS)
@pytest.mark.parametrize("name", CASES)
def test_link(benchmark: Any, name: str, work: str, way: str) -> None:
    """Count on the simulated wire, then time the driver on a port that does nothing."""
    case, (rows, cells) = CASES[name], WORKS[work]
    twin, port = case.twin()
    # The plain driver needs a panel that somebody started.
    write = writers(case, port, port)[way == "plain"]
    units, ms = on_wire(case, write, port, rows)
    assert twin.rows == [f"{row:20}" for row in rows("b")]
    assert twin.violations == []
    limit_units, limit_ms = case.limit(cells)
    benchmark.extra_info.update(
        name=name, work=work, way=way, unit=case.unit, units=units, ms=ms, limit_units=limit_units, limit_ms=limit_ms
    )
    idle = writers(case, Idle(case.hz), Idle(case.hz))[way == "plain"]
    letters = [rows("a"), rows("b")]
    benchmark(lambda: (idle(letters[0]), idle(letters[1])))
