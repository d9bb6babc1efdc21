"""HD44780U data sheet, table 6: every instruction's code and its time at 270 kHz."""

import pytest

from lumek import SettingError
from lumek.core import instructions as i
from lumek.core.geometry import Geometry
from lumek.core.startup import startup

CODES = [
    (i.clear_display(), 0x01, 1520), (i.return_home(), 0x02, 1520), (i.entry_mode_set(), 0x06, 37),
    (i.entry_mode_set(increment=False, shift=True), 0x05, 37), (i.display_control(on=True, blink=True), 0x0D, 37),
    (i.display_control(on=True, underline=True), 0x0E, 37), (i.shift_cursor(right=True), 0x14, 37),
    (i.shift_display(right=False), 0x18, 37), (i.function_set(eight_bit=False, two_lines=True), 0x28, 37),
    (i.function_set(eight_bit=True, two_lines=False, tall=True), 0x34, 37),
    (i.set_cgram_address(0x3F), 0x7F, 37), (i.set_ddram_address(0x40), 0xC0, 37),
]  # fmt: skip


@pytest.mark.parametrize(("made", "code", "us"), CODES)
def test_codes_and_times_are_those_of_the_sheet(made: int, code: int, us: int) -> None:
    step = i.Timing(270_000).instruction(made)
    assert (step.rs, step.data, step.us) == (0, bytes([code]), us)


def test_the_slowest_genuine_part_gets_its_time() -> None:
    slowest = i.Timing()
    assert slowest.instruction(0x80).us == 53  # 37 us x 270 / 190
    assert slowest.instruction(0x01).us == 2160  # 1.52 ms x 270 / 190
    assert (i.busy_flag(0xC2), i.busy_flag(0x42), i.address_counter(0xC2), i.READ_STATUS_US) == (True, False, 0x42, 0)
    assert slowest.write(b"x").us >= 53 + 5  # and t_ADD, 4 us x 270 / 190


def test_what_is_impossible_is_refused() -> None:
    for hertz in (270, 0, "fast", 2_000_000):
        with pytest.raises(SettingError, match="50000 to 1000000"):
            i.Timing(hertz)
    for make, address in ((i.set_cgram_address, 0x40), (i.set_ddram_address, 0x80)):
        with pytest.raises(ValueError, match=hex(address)):
            make(address)


@pytest.mark.parametrize(
    ("size", "width", "singles", "then"),
    [("20x4", 4, "30303020", "28080106"), ("16x1", 4, "30303020", "20080106"), ("16x2", 8, "303030", "38080106")],
)
def test_start_up_is_that_of_figures_23_and_24(size: str, width: int, singles: str, then: str) -> None:
    pause, *steps = startup(Geometry(size), width, i.Timing(270_000))
    assert (pause.data, pause.us >= 40_000, steps[0].us >= 4100, steps[1].us >= 100) == (b"", True, True, True)
    assert [b"".join(s.data for s in steps if s.single is single).hex() for single in (True, False)] == [singles, then]
