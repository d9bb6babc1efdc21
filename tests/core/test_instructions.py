"""HD44780U data sheet, table 6: every instruction's code and its time at 270 kHz."""

import pytest

from lumek import SettingError
from lumek.core import instructions as i
from lumek.core.geometry import Geometry
from lumek.core.startup import startup
from lumek.core.words import step_words

CODES = [
    (i.clear_display(), 0x01, 1520, "clear display"), (i.return_home(), 0x02, 1520, "return home"),
    (i.entry_mode_set(), 0x06, 37, "entry mode: increment"),
    (i.entry_mode_set(increment=False, shift=True), 0x05, 37, "entry mode: decrement, shift display"),
    (i.display_control(on=False), 0x08, 37, "display control: all off"),
    (i.display_control(on=True, blink=True), 0x0D, 37, "display control: display, blink on"),
    (i.display_control(on=True, underline=True), 0x0E, 37, "display control: display, underline on"),
    (i.shift_cursor(right=True), 0x14, 37, "shift cursor right"),
    (i.shift_display(right=False), 0x18, 37, "shift display left"),
    (i.function_set(eight_bit=False, two_lines=True), 0x28, 37, "function set: 4 bits, two lines, 5x8 dots"),
    (i.function_set(eight_bit=True, two_lines=False, tall=True), 0x34, 37, "function set: 8 bits, one line, 5x10 dots"),
    (i.set_cgram_address(0x3F), 0x7F, 37, "set CGRAM address 0x3f"),
    (i.set_ddram_address(0x40), 0xC0, 37, "set DDRAM address 0x40"),
]  # fmt: skip


@pytest.mark.parametrize(("made", "code", "us", "words"), CODES)
def test_codes_times_and_words_are_those_of_the_sheet(made: int, code: int, us: int, words: str) -> None:
    step = i.Timing(270_000).instruction(made)
    assert (step.rs, step.data, step.us, step_words(step)) == (0, bytes([code]), us, words)


def test_other_steps_have_words_too() -> None:
    timing = i.Timing(270_000)
    assert step_words(timing.write(b"Hive")) == "write 'Hive'"
    assert step_words(timing.write(b"\0\x1f")) == "write 0x00 0x1f"
    assert step_words(timing.write(b"a" * 80)) == f"write '{'a' * 40}' and 40 more"
    assert step_words(timing.pause(40_000)) == "wait 40000 us"
    assert step_words(i.Timing(270_000, 3).single(0x30, 4100)).startswith("pulse E once: function set: 8 bits")
    assert [step_words(i.Timing(270_000, which).instruction(0x80)) for which in (2, 3)] == [
        f"set DDRAM address 0x00 (controller {which})" for which in ("1", "0 and 1")
    ]


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
