"""The simulated controller, driven at its pins with eight data lines, against the HD44780U data sheet."""

import pytest

from lumek.core.rom import rom_named
from lumek.twin import Clock, Controller, Twin

LATER_NS = 50_000_000


class Bench:
    """Wires on the pins of a panel, and somebody who moves them by hand."""

    def __init__(self, size: str = "16x2", eight_bit: bool = True, **controller: object) -> None:
        self.clock = Clock()
        self.clock.now_ns = LATER_NS
        self.twin = Twin(size, rom_named("A00"), self.clock, controller=Controller(**controller))
        self.chip = self.twin.controller
        self.twin.set_pins({"rs": 0, "rw": 0}, 0)
        if eight_bit:
            self.write(0x38)

    def pass_ns(self, ns: int) -> None:
        self.clock.now_ns += ns

    def set(self, **levels: int) -> None:
        self.twin.set_pins(levels, self.clock.now_ns)

    def lines(self, byte: int) -> None:
        self.set(**{f"d{bit}": byte >> bit & 1 for bit in range(8)})

    def write(self, *data: int, rs: int = 0, wait_us: int = 3000) -> None:
        for byte in data:
            self.set(rs=rs, rw=0)
            self.pass_ns(40)
            self.lines(byte)
            self.set(e=1)
            self.pass_ns(460)
            self.set(e=0)
            self.fell_ns = self.clock.now_ns
            self.pass_ns(40 + wait_us * 1000)

    def read(self, rs: int) -> int:
        """Read a byte with eight lines, and let its time pass."""
        self.set(rs=rs, rw=1)
        self.pass_ns(60)
        self.set(e=1)
        self.pass_ns(360)
        driven = self.twin.output(self.clock.now_ns)
        self.pass_ns(140)
        self.set(e=0)
        self.pass_ns(60_000 if rs else 500)
        self.set(rw=0)
        return sum(level << int(pin[1]) for pin, level in driven.items())

    @property
    def rules(self) -> list[str]:
        return [violation.rule for violation in self.twin.violations]


def test_after_power_on_it_is_as_the_internal_reset_leaves_it() -> None:
    chip = Bench(eight_bit=False).chip
    assert (chip.eight_bit, chip.two_lines, chip.tall, chip.on, chip.increment, chip.shift_on_write) == (
        True, False, False, False, True, False,
    )  # fmt: skip


@pytest.mark.parametrize(
    ("two_lines", "increment", "walk"),
    [
        (1, 1, {0x27: 0x40, 0x67: 0x00, 0x05: 0x06}),
        (1, 0, {0x40: 0x27, 0x00: 0x67, 0x05: 0x04}),
        (0, 1, {0x4F: 0x00, 0x27: 0x28}),
        (0, 0, {0x00: 0x4F, 0x28: 0x27}),
    ],
)
def test_the_address_counter_walks_both_ways_through_memory(two_lines: int, increment: int, walk: dict) -> None:
    bench = Bench(eight_bit=False)
    bench.write(0x30 | two_lines << 3, 0x04 | increment << 1)
    for start, end in walk.items():
        for moved in (lambda b: b.write(0x41, rs=1), lambda b: b.read(1), lambda b: b.write(0x10 | increment << 2)):
            bench.write(0x80 | start)
            moved(bench)
            assert bench.read(0) == end
    assert bench.rules == []


def test_data_is_read_back_from_ddram_and_cgram() -> None:
    bench = Bench()
    bench.write(0x80 | 0x42)
    bench.write(*b"bee", rs=1)
    bench.write(0x40 | 0x08)
    bench.write(*range(0x11, 0x19), rs=1)
    bench.write(0x80 | 0x42)
    assert bytes(bench.read(1) for _ in range(3)) == b"bee"
    bench.write(0x40 | 0x08)
    assert [bench.read(1) for _ in range(8)] == list(range(0x11, 0x19))
    assert bench.read(0) == 0x10  # CGRAM counts on to the next glyph
    assert bench.rules == []


def test_entry_mode_shifts_the_display_against_the_writing() -> None:
    bench = Bench("8x2")
    bench.write(0x0C, 0x07, 0x80 | 0x08)
    bench.write(*b"ab", rs=1)
    assert bench.twin.rows[0] == "      ab"  # the picture goes left, the place of writing stays
    bench.write(0x01, 0x05, 0x80)
    bench.write(*b"ab", rs=1)
    assert bench.chip.shift == 2
    assert bench.read(0) == 0x66
    bench.write(0x02)
    assert bench.chip.shift == 0
    assert bench.read(0) == 0


def test_a_line_turns_as_a_ring_into_the_row_two_below() -> None:
    bench = Bench("20x4")
    bench.write(0x0C, 0x80 | 0x13)
    bench.write(*b"X", rs=1)
    bench.write(0x1C)
    assert bench.twin.rows[0].strip() == ""
    assert bench.twin.rows[2] == "X" + " " * 19
    bench.write(0x18, 0x18)
    assert bench.twin.rows[0] == " " * 18 + "X "


def test_glyphs_cursor_and_blink_show_in_dots() -> None:
    bench = Bench()
    bench.write(0x0E, 0x40 | 0x18)
    bench.write(*[0x1F, 0x11] * 4, rs=1)
    bench.write(0x80 | 0x05)
    bench.write(3, 11, rs=1)
    dots = bench.twin.dots()
    assert dots.shape == (2, 16, 8, 5)
    assert dots[0, 5].tolist() == [[True] * 5, [True, False, False, False, True]] * 4
    assert (dots[0, 6] == dots[0, 5]).all()  # codes 8 to 15 repeat 0 to 7
    assert dots[0, 7].sum() == 5  # the cursor, in the last row
    assert dots[0, 7, 7].all()
    bench.write(0x0D)
    counts = set()
    for _ in range(4):
        counts.add(int(bench.twin.dots()[0, 7].sum()))
        bench.pass_ns(379_300_000)  # data sheet, "Display on/off control": 379.2 ms at 270 kHz
    assert counts == {0, 40}
    bench.write(0x08)
    assert not bench.twin.dots().any()


@pytest.mark.parametrize(
    ("code", "oscillator_hz", "us"),
    [
        (0x06, 270_000, 37),
        (0x01, 270_000, 1520),
        (0x02, 190_000, 2160),
        (0x80, 190_000, 52.578),
        (0x06, 350_000, 28.542),
    ],
)
def test_it_is_busy_as_long_as_the_sheet_says(code: int, oscillator_hz: int, us: float) -> None:
    for early_us, rules in ((-0.01, []), (0.5, ["busy"])):
        bench = Bench(oscillator_hz=oscillator_hz)
        bench.write(code, wait_us=0)
        assert bench.read(0) & 0x80
        bench.clock.now_ns = bench.fell_ns + round((us - early_us) * 1000) - 500
        bench.write(0x0C)
        assert bench.rules == rules
        assert bench.chip.on is (rules == [])  # a byte that comes while busy is lost


def test_data_before_the_counter_has_moved_lands_in_the_old_place() -> None:
    bench = Bench()
    bench.write(0x80)
    bench.write(0x61, rs=1, wait_us=38)  # free after 37 us, but the counter moves 4 us later
    bench.write(0x62, rs=1)
    assert bench.rules == ["address counter"]
    assert bytes(bench.chip.ddram[:2]) == b"b "


def pulse(setup: int = 60, high: int = 450, data: int = 200, hold: int = 20, volts: float = 5.0) -> Bench:
    """One write of 0x0C with these times in nanoseconds, data changing `data` before E falls."""
    bench = Bench(volts=volts)
    bench.lines(0)
    bench.set(rs=1)
    bench.pass_ns(1000)
    bench.set(rs=0)
    bench.pass_ns(setup)
    bench.set(e=1)
    bench.pass_ns(high - data)
    bench.lines(0x0C)
    bench.pass_ns(data)
    if hold:
        bench.set(e=0)
        bench.pass_ns(hold)
        bench.lines(0xFF)
    else:
        bench.set(e=0, d0=1)
    return bench


@pytest.mark.parametrize(
    ("limits", "rule"),
    [
        ({"setup": 40, "high": 230, "data": 80, "hold": 10}, None),  # table 11, 5 V
        ({"setup": 39}, "address set-up"),
        ({"setup": 0}, "address set-up"),
        ({"high": 229}, "E pulse"),
        ({"data": 79}, "data set-up"),
        ({"hold": 9}, "hold time"),
        ({"hold": 0}, "hold time"),
        ({"volts": 2.7}, None),  # table 12, 2.7 V: 60, 450, 195, 10
        ({"volts": 2.7, "setup": 59}, "address set-up"),
        ({"volts": 2.7, "high": 449}, "E pulse"),
        ({"volts": 2.7, "data": 194}, "data set-up"),
    ],
)
def test_bus_timing_is_held_to_the_sheet(limits: dict, rule: str | None) -> None:
    bench = pulse(**limits)
    assert bench.rules == ([rule] if rule else [])
    if rule != "hold time" or limits["hold"] == 0:
        assert bench.chip.on is (rule is None)  # what broke a rule was lost


def test_rs_that_moves_while_e_is_high_and_pulses_too_close_are_seen() -> None:
    bench = Bench()
    bench.set(e=1)
    bench.pass_ns(300)
    bench.set(rs=1)
    bench.set(e=0)
    assert bench.rules == ["address hold"]
    bench = Bench()
    for _ in range(2):
        bench.set(e=1)
        bench.pass_ns(240)
        bench.set(e=0)
        bench.pass_ns(240)
    assert "E cycle" in bench.rules


@pytest.mark.parametrize(("volts", "settled_ms"), [(5.0, 15), (2.7, 40)])
def test_nothing_is_taken_right_after_power_on(volts: float, settled_ms: int) -> None:
    bench = Bench(eight_bit=False, volts=volts)
    bench.clock.now_ns = settled_ms * 1_000_000 - 2000
    bench.write(0x38)
    assert bench.rules == ["power-on time"]
    assert not bench.chip.two_lines
    bench.write(0x38)
    assert bench.chip.two_lines


def test_lines_and_font_can_be_chosen_only_at_the_head() -> None:
    bench = Bench()
    bench.write(0x0C, 0x30, 0x0C)
    assert bench.rules == ["function set"]
    assert bench.chip.two_lines
    bench.write(0x30, 0x30, 0x30, 0x34, 0x0C)  # "Initializing by instruction" begins anew
    assert len(bench.rules) == 1
    assert (bench.chip.two_lines, bench.chip.tall) == (False, True)


def test_with_one_line_only_the_first_row_is_driven() -> None:
    bench = Bench("16x2", eight_bit=False)
    bench.write(0x30, 0x0C)
    bench.write(*b"abc", rs=1)
    assert bench.twin.rows == ["abc" + " " * 13, " " * 16]
    bench.write(0x80 | 0x50)
    assert bench.rules == ["address"]


def test_four_lines_take_nibbles_and_can_fall_out_of_step() -> None:
    bench = Bench()
    bench.write(0x20, 0x00, 0xE0)  # to 4 bits, then 0x0E in two nibbles
    assert bench.chip.on
    assert bench.chip.underline
    bench.write(0x00)  # half a byte too much
    bench.write(0x00, 0xC0)
    assert bench.chip.underline  # 0x0C did not arrive: 0x00 did, and half of something else
    bench.set(rs=0, rw=1)
    bench.pass_ns(60)
    assert bench.twin.output(bench.clock.now_ns) is None
