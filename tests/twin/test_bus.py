"""The simulated bus and expander."""

import pytest

from lumek import BusError, SizeError
from lumek.core.rom import rom_named
from lumek.twin import Clock, Twin, backpack_twin


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
        Twin("20x5", rom_named("A00"), Clock())


def test_a_wire_comes_off_in_the_middle() -> None:
    twin, bus = backpack_twin("16x2")
    bus.cut(after=3)
    for data, message in ((b"\x00\x08\x00\x08", "after 2 of 4 bytes"), (b"\x00", "nobody acknowledges")):
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
