"""The simulated bus and expander."""

import pytest

from lumek import BusError, SizeError
from lumek.roms import rom_named
from lumek.twin import Mcp23008, Pcf8574, Twin, TwinBus, TwinClock, backpack_twin, direct_twin, shift_register_twin


@pytest.mark.parametrize("hz", [100_000, 400_000, 1_000_000])
def test_time_passes_with_every_bit_and_wait(hz: int) -> None:
    _, bus = backpack_twin("16x2", hz=hz)
    bus.write(0x27, bytes(10))
    bus.wait_us(2.5)
    assert (bus.sent, bus.transfers, bus.clock.now_ns) == (11, 1, (1 + 11 * 9 + 1) * 1_000_000_000 // hz + 2500)


def test_an_address_that_nobody_has_is_not_acknowledged() -> None:
    _, bus = backpack_twin("16x2", address=0x3F)
    for call in (lambda: bus.write(0x27, b"x"), lambda: bus.read(0x27, 1)):
        with pytest.raises(BusError, match=r"0x27 .*there is 0x3f"):
            call()
    with pytest.raises(SizeError, match="40x2"):
        Twin("20x5", rom_named("A00"), TwinClock())


def test_a_wire_comes_off_in_the_middle() -> None:
    twin, bus = backpack_twin("16x2")
    bus.cut(after=3)
    for data, message in ((b"\x00\x08\x00\x08", "after 2 of 4 bytes"), (b"\x00", "no device acknowledges")):
        with pytest.raises(BusError, match=message):
            bus.write(0x27, data)
    assert twin.edges[-1].levels == {"backlight": 1}
    bus.mend()
    assert bus.read(0x27, 1) == b"\x08"


def test_lines_are_pulled_up_weakly_and_down_strongly() -> None:
    twin, bus = backpack_twin("16x2")
    bus.wait_us(50_000)
    assert bus.read(0x27, 1) == b"\x2f"  # E and RW high: the panel drives the upper half of a space, 0x20
    bus.write(0x27, b"\xfb\x0a\x0e")
    assert bus.read(0x27, 1) == b"\x0e"
    bus.write(0x27, b"\x0a\xfe")
    assert bus.read(0x27, 1) == b"\x0e"  # reads busy flag and address, 0x00
    assert twin.violations == []
    bus.write(0x27, b"\xfa\x0b\x0f")
    bus.wait_us(100)
    assert bus.read(0x27, 1) == b"\x0f"
    assert str(twin.violations[0]).endswith("contention: D5 is held low while the panel drives it high")


LINES = {"rs": 0, "rw": 1, "e": 2, "d4": 4, "d5": 5, "d6": 6, "d7": 7}
STATES = (0x02, 0x06, 0x06, 0x02)  # data held low, RW high, a pulse of E; the panel answers with 0x20, a space


def written(port: TwinBus, prefix: bytes) -> None:
    for state in STATES:
        port.write(0x27, prefix + bytes((state | 1,)))


PORTS = [
    (lambda: backpack_twin("16x2", lines=LINES, expander=Pcf8574), lambda bus: written(bus, b"")),
    (lambda: backpack_twin("16x2", lines=LINES, expander=Mcp23008), lambda bus: (
        bus.write(0x27, b"\x05\x20"), bus.write(0x27, b"\x00\x00"), written(bus, b"\x09"))),
    (lambda: shift_register_twin("16x2", LINES), lambda serial: serial.send(bytes(state | 1 for state in STATES))),
    (lambda: direct_twin("16x2", LINES), lambda lines: [
        lines.drive({bit: (state | 1) >> bit & 1 for bit in LINES.values()}) for state in STATES]),
]  # fmt: skip


@pytest.mark.parametrize(("make", "write"), PORTS)
def test_an_output_held_against_the_panels_own_is_contention(make: object, write: object) -> None:
    twin, port = make()
    port.wait_us(50_000)
    write(port)
    found = {str(violation).split(": ", 1)[1] for violation in twin.violations if violation.rule != "read"}
    assert found == {"contention: D5 is held low while the panel drives it high"}
    assert twin.controller.ddram == b" " * 128  # nothing was written


def test_the_last_edges_are_kept_in_little_memory() -> None:
    twin, _ = backpack_twin("16x2")
    for number in range(25_000):
        twin.set_pins({"d4": number % 2, "rs": None if number % 3 else 1}, 1000 * number)
    edges = twin.edges
    assert len(edges) == 20_000
    assert [edge.time_ns for edge in edges] == sorted(edge.time_ns for edge in edges)
    assert (edges[-1].time_ns, edges[-1].levels["d4"]) == (24_999_000, 1)
    assert [edge.time_ns for edge in edges[-2:]] == [24_998_000, 24_999_000]
    with pytest.raises(IndexError, match="edge 20000 does not exist"):
        edges[20_000]
