"""When a controller gets its time: before the next byte that needs it, by the clock where there is one."""

from types import SimpleNamespace
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lumek import Backpack, Direct, Panel, ShiftRegister
from lumek.links.expanders import E2_LINES, LINES
from lumek.ports.bit_banged import SerialLines
from lumek.twin import Controller, Mcp23008, backpack_twin, direct_twin, shift_register_twin

PINS = {"rs": 10, "e": 9, "e2": 8, "d4": 12, "d5": 16, "d6": 20, "d7": 21}
WIRES = {"data": 5, "clock": 6, "latch": 7}
NAMES = "PCF8574", "PCF8574, quick", "MCP23008, quick", "SPI", "three lines", "lines", "slow lines", "busy flag"


def with_clock(port: Any, clock: str) -> Any:
    """The port, with its clock, without one, or with one of whole microseconds that starts anew every millisecond."""
    if clock == "its own":
        return port
    names = ("hz", "drive", "sense", "write", "read", "send", "wait_us", "drive_ns", "state_us", "longest")
    other = SimpleNamespace(**{name: getattr(port, name) for name in names if hasattr(port, name)})
    if clock == "anew":
        other.now_us = lambda: int(port.now_us()) % 1000
    return other


def wired(name: str, size: str, clock: str, cautious: bool = False) -> tuple[Any, Panel]:
    """A panel of the slowest genuine controllers, on a link of that name."""
    two = size == "40x4"
    chips = [Controller(190_000, strict_nibbles=cautious) for _ in range(2)]
    if name in ("PCF8574", "PCF8574, quick", "MCP23008, quick"):
        lines = E2_LINES if two else LINES
        hz = 100_000 if name == "PCF8574" else 400_000 if name[0] == "P" else 1_700_000
        part = {"expander": Mcp23008} if name[0] == "M" else {}
        twin, port = backpack_twin(size, hz=hz, lines=lines, controllers=chips, **part)
        kind = "mcp23008" if part else None
        return twin, Panel(size, Backpack(with_clock(port, clock), 0x27, kind, lines, cautious=cautious), twin=twin)
    if name in ("SPI", "three lines"):
        outputs = {role: bit for role, bit in E2_LINES.items() if two or role != "e2"}
        wires = WIRES if name == "three lines" else None
        twin, port = shift_register_twin(size, outputs, controllers=chips, three_lines=wires)
        serial = with_clock(port, clock)
        link = ShiftRegister(SerialLines(serial, **WIRES) if wires else serial, outputs, cautious=cautious)
        return twin, Panel(size, link, twin=twin)
    pins = {**{role: line for role, line in PINS.items() if two or role != "e2"}, "rw": 11}
    twin, port = direct_twin(size, pins, controllers=chips, drive_ns=10_000 if name == "slow lines" else 1000)
    more = {role: line for role, line in pins.items() if role[0] != "d"}
    link = Direct(
        with_clock(port, clock), data=(12, 16, 20, 21), busy_flag=name == "busy flag", cautious=cautious, **more
    )
    return twin, Panel(size, link, twin=twin)


@given(
    st.sampled_from(NAMES), st.sampled_from(("16x2", "40x4")), st.sampled_from(("its own", "none", "anew")),
    st.booleans(),
    st.lists(st.tuples(st.integers(0, 7), st.sampled_from((0, 0, 3, 50, 900, 3000))), max_size=12),
)  # fmt: skip
def test_nothing_comes_too_early_whenever_it_comes(
    name: str, size: str, clock: str, cautious: bool, acts: list[tuple[int, int]]
) -> None:
    twin, panel = wired(name, size, clock, cautious)
    for number, (act, pause_us) in enumerate(acts):
        if act < 4:
            panel[act % panel.shape[0], number : number + 2 * act + 1] = "Hive 3"
        elif act == 4:
            panel.clear()
        elif act == 5:
            panel[:] = "\n".join(["abc" * 12, "abd" * 12] * 2)
        elif act == 6:
            panel.slide(9)
        elif size == "16x2" and name not in ("SPI", "three lines", "MCP23008, quick"):
            assert panel.read_back() == panel.rows
        twin.port.wait_us(pause_us)
    assert (twin.rows, twin.violations) == (panel.rows, [])


def took_us(twin: Any, panel: Panel, text: str) -> float:
    """What an assignment takes until it returns, once the panel is at rest."""
    twin.port.wait_us(5000)
    before = twin.clock.now_ns
    panel[0, 3] = text
    return (twin.clock.now_ns - before) / 1000


@pytest.mark.parametrize(("name", "share"), [("lines", 0.6), ("SPI", 0.8), ("MCP23008, quick", 0.8)])
def test_the_last_wait_is_left_to_the_next_assignment_where_a_clock_knows_it(name: str, share: float) -> None:
    (twin, panel), (other_twin, other) = wired(name, "16x2", "its own"), wired(name, "16x2", "none")
    assert took_us(twin, panel, "x") < share * took_us(other_twin, other, "x")


@pytest.mark.parametrize("name", ["lines", "SPI", "PCF8574"])
def test_two_controllers_take_hardly_longer_than_one(name: str) -> None:
    # What both need they take at once; where they wait, each is served in the other's wait.
    times = []
    for size in ("40x2", "40x4"):
        twin, panel = wired(name, size, "its own")
        twin.port.wait_us(5000)
        before = twin.clock.now_ns
        panel[:] = "\n".join(["the bees of hive three", "bring nectar", "of linden", "and lavender"][: panel.shape[0]])
        times.append(twin.clock.now_ns - before)
    assert times[1] < (1.7 if name == "PCF8574" else 1.25) * times[0]


def test_where_calls_are_dear_the_busy_flag_is_read_after_clearing_alone() -> None:
    pins = {**{role: line for role, line in PINS.items() if role != "e2"}, "rw": 11}
    twin, port = direct_twin("20x4", pins, drive_ns=10_000)
    panel = Panel("20x4", Direct(port, 10, 9, (12, 16, 20, 21), 11), twin=twin)
    panel[:] = "abcd" * 5
    before = port.calls
    panel[:] = "dcba" * 5
    assert port.calls - before <= 4 * 21 + 3
    panel.clear()
    panel[0, 0] = "x"
    assert port.calls - before > 8 * 21
    assert (twin.rows, twin.violations) == (panel.rows, [])


@pytest.mark.parametrize("hz", [100_000, 400_000, 1_000_000])
def test_a_panel_that_takes_no_half_of_a_byte_while_it_is_busy_is_driven_cautiously(hz: int) -> None:
    for cautious in (True, False):
        twin, bus = backpack_twin("16x2", hz=hz, controllers=[Controller(190_000, strict_nibbles=True)])
        panel = Panel("16x2", Backpack(bus, cautious=cautious), twin=twin)
        panel[:] = "Hive 3\n41.4 kg"
        right = cautious or hz == 100_000
        assert (twin.rows == panel.rows, not twin.violations) == (right, right)
