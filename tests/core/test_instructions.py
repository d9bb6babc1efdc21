"""HD44780U data sheet, table 6: every instruction's code and its time at 270 kHz."""

import pytest

from lumek import SettingError
from lumek.core import instructions as i
from lumek.core.geometry import Geometry
from lumek.core.startup import startup

SHEET = [
    (i.clear_display(), 0x01, 1520),
    (i.return_home(), 0x02, 1520),
    (i.entry_mode_set(), 0x06, 37),
    (i.entry_mode_set(increment=False, shift=True), 0x05, 37),
    (i.display_control(on=False), 0x08, 37),
    (i.display_control(on=True, underline=True), 0x0E, 37),
    (i.display_control(on=True, blink=True), 0x0D, 37),
    (i.shift_cursor(right=True), 0x14, 37),
    (i.shift_display(right=False), 0x18, 37),
    (i.shift_display(right=True), 0x1C, 37),
    (i.function_set(eight_bit=False, two_lines=True), 0x28, 37),
    (i.function_set(eight_bit=True, two_lines=False, tall=True), 0x34, 37),
    (i.set_cgram_address(0x3F), 0x7F, 37),
    (i.set_ddram_address(0x40), 0xC0, 37),
]


@pytest.mark.parametrize(("made", "code", "us"), SHEET)
def test_codes_and_times_are_those_of_the_sheet(made: int, code: int, us: int) -> None:
    step = i.Timing(270_000).instruction(made)
    assert (step.rs, step.data, step.us) == (0, bytes([code]), us)


def test_the_slowest_genuine_part_gets_its_time() -> None:
    slowest = i.Timing()
    assert slowest.instruction(0x80).us == 53  # 37 us x 270 / 190
    assert slowest.instruction(0x01).us == 2160  # 1.52 ms x 270 / 190
    assert slowest.write(b"x").us >= 53 + 5  # and t_ADD, 4 us x 270 / 190


@pytest.mark.parametrize("hertz", [270, 0, -1, "fast", 2_000_000])
def test_an_impossible_oscillator_is_refused(hertz: int) -> None:
    with pytest.raises(SettingError, match="50000 to 1000000"):
        i.Timing(hertz)


@pytest.mark.parametrize(("make", "address"), [(i.set_cgram_address, 0x40), (i.set_ddram_address, 0x80)])
def test_an_address_outside_the_memory_is_refused(make: "type[int]", address: int) -> None:
    with pytest.raises(ValueError, match=hex(address)):
        make(address)


@pytest.mark.parametrize(
    ("size", "width", "codes"),
    [
        ("20x4", 4, "30 30 30 20 28 08 01 06"),  # figure 24
        ("16x1", 4, "30 30 30 20 20 08 01 06"),
        ("16x2", 8, "30 30 30 38 08 01 06"),  # figure 23
    ],
)
def test_start_up_is_that_of_the_sheet(size: str, width: int, codes: str) -> None:
    steps = startup(Geometry(size), width, i.Timing(270_000))
    assert not steps[0].data
    assert steps[0].us >= 40_000
    assert b"".join(step.data for step in steps) == bytes.fromhex(codes)
    assert [step.data[0] for step in steps if step.single] == [0x30, 0x30, 0x30, 0x20][: 4 if width == 4 else 3]
    assert steps[1].us >= 4100
    assert steps[2].us >= 100
