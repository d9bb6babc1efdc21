"""The simulated controller, driven at its pins with eight data lines, against the HD44780U data sheet."""

import pytest

from lumek.core.rom import rom_named
from lumek.twin import Clock, Controller, Twin


class Bench:
    """Wires on the pins of a panel, 50 ms after power-on, and somebody who moves them by hand."""

    def __init__(self, size: str = "16x2", first: int = 0x38, **controller: object) -> None:
        self.clock = Clock()
        self.clock.now_ns = 50_000_000
        self.chip = Controller(**controller)
        self.twin = Twin(size, rom_named("A00"), self.clock, controller=self.chip)
        self.twin.set_pins({"rs": 0, "rw": 0}, 0)
        if first:
            self.write(first)

    def pins(self, then_ns: int, data: int | None = None, **levels: int) -> None:
        """Set these pins and, given a byte, the data lines; then let time pass."""
        if data is not None:
            levels.update({f"d{bit}": data >> bit & 1 for bit in range(8)})
        self.twin.set_pins(levels, self.clock.now_ns)
        self.clock.now_ns += then_ns

    def write(self, *data: int, rs: int = 0, wait_us: int = 3000) -> None:
        for byte in data:
            self.pins(40, rs=rs, rw=0)
            self.pins(460, byte, e=1)
            self.fell_ns = self.clock.now_ns
            self.pins(40 + wait_us * 1000, e=0)

    def read(self, rs: int) -> int:
        self.pins(60, rs=rs, rw=1)
        self.pins(360, e=1)
        driven = self.twin.output(self.clock.now_ns)
        self.pins(140, **driven)
        self.pins(60_000 if rs else 500, e=0)
        self.pins(0, rw=0)
        return sum(level << int(pin[1]) for pin, level in driven.items())

    @property
    def rules(self) -> list[str]:
        return [violation.rule for violation in self.twin.violations]


@pytest.mark.parametrize(
    ("two_lines", "increment", "walk"),
    [(1, 1, {0x27: 0x40, 0x67: 0}), (1, 0, {0x40: 0x27, 0: 0x67}), (0, 1, {0x4F: 0, 0x27: 0x28}), (0, 0, {0: 0x4F})],
)
def test_the_address_counter_walks_both_ways_through_memory(two_lines: int, increment: int, walk: dict) -> None:
    bench = Bench(first=0x30 | two_lines << 3)
    bench.write(0x04 | increment << 1)
    for start, end in walk.items():
        for moved in (lambda b: b.write(0x41, rs=1), lambda b: b.read(1), lambda b: b.write(0x10 | increment << 2)):
            bench.write(0x80 | start)
            moved(bench)
            assert bench.read(0) == end
    assert bench.rules == []


def test_data_is_read_back_from_ddram_and_cgram() -> None:
    bench = Bench()
    for address, data in ((0xC2, b"bee"), (0x48, bytes(range(0x11, 0x19)))):
        bench.write(address)
        bench.write(*data, rs=1)
        bench.write(address)
        assert bytes(bench.read(1) for _ in data) == data
    assert bench.read(0) == 0x10  # CGRAM counts on to the next glyph
    assert bench.rules == []


def test_entry_mode_shifts_the_display_against_the_writing() -> None:
    bench = Bench("8x2")
    bench.write(0x0C, 0x07, 0x88)
    bench.write(*b"ab", rs=1)
    assert bench.twin.rows[0] == "      ab"  # the picture goes left, the place of writing stays
    bench.write(0x01, 0x05, 0x80)
    bench.write(*b"ab", rs=1)
    assert (bench.chip.shift, bench.read(0)) == (2, 0x66)
    bench.write(0x02)
    assert (bench.chip.shift, bench.read(0)) == (0, 0)


def test_glyphs_cursor_and_blink_show_in_dots() -> None:
    bench = Bench()
    bench.write(0x0E, 0x40 | 0x18)
    bench.write(*[0x1F, 0x11] * 4, rs=1)
    bench.write(0x80 | 0x05)
    bench.write(3, 11, rs=1)
    dots = bench.twin.dots()
    assert dots[0, 5].tolist() == [[True] * 5, [True, False, False, False, True]] * 4
    assert (dots[0, 6] == dots[0, 5]).all()  # codes 8 to 15 repeat 0 to 7
    assert dots[0, 7].nonzero()[0].tolist() == [7] * 5  # the cursor, in the last row
    bench.write(0x0D)
    counts = []
    for _ in range(4):
        counts.append(int(bench.twin.dots()[0, 7].sum()))
        bench.clock.now_ns += 379_200_000  # "Display on/off control": 409.6 ms at 250 kHz, so 379.2 ms at 270 kHz
    assert counts in ([0, 40] * 2, [40, 0] * 2)
    bench.write(0x08)
    assert not bench.twin.dots().any()


@pytest.mark.parametrize(
    ("code", "hz", "us"),
    [(6, 270_000, 37), (1, 270_000, 1520), (2, 190_000, 2160), (0x80, 190_000, 52.578), (6, 350_000, 28.542)],
)
def test_it_is_busy_as_long_as_the_sheet_says(code: int, hz: int, us: float) -> None:
    for early_us, rules in ((-0.01, []), (0.5, ["busy"])):
        bench = Bench(oscillator_hz=hz)
        bench.write(code, wait_us=0)
        assert bench.read(0) & 0x80
        bench.clock.now_ns = bench.fell_ns + round((us - early_us) * 1000) - 500
        bench.write(0x0C)
        assert bench.rules == rules
        assert bench.chip.on is (rules == [])  # a byte that comes while busy is lost
    bench = Bench()
    bench.write(0x61, rs=1, wait_us=38)  # free after 37 us, but the counter moves 4 us later
    bench.write(0x62, rs=1)
    assert (bench.rules, bytes(bench.chip.ddram[:2])) == (["address counter"], b"b ")


@pytest.mark.parametrize(
    ("volts", "setup", "high", "data", "hold", "rule"),
    [
        (5.0, 40, 230, 80, 10, None),  # "Bus timing characteristics" at 5 V: these are its least times
        (5.0, 39, 230, 80, 10, "address set-up"),
        (5.0, 0, 230, 80, 10, "address set-up"),
        (5.0, 40, 229, 80, 10, "E pulse"),
        (5.0, 40, 230, 79, 10, "data set-up"),
        (5.0, 40, 230, 80, 9, "hold time"),
        (5.0, 40, 230, 80, 0, "hold time"),
        (2.7, 60, 450, 195, 20, None),  # and at 2.7 V
        (2.7, 59, 450, 195, 20, "address set-up"),
        (2.7, 60, 449, 195, 20, "E pulse"),
        (2.7, 60, 450, 194, 20, "data set-up"),
        (2.7, 60, 450, 195, 19, "hold time"),
    ],
)
def test_bus_timing_is_held_to_the_sheet(
    volts: float, setup: int, high: int, data: int, hold: int, rule: str | None
) -> None:
    bench = Bench(volts=volts)
    bench.pins(1000, 0, rs=1)
    bench.pins(setup, rs=0)
    bench.pins(high - data, e=1)
    bench.pins(data, 0x0C)
    bench.pins(hold, **({} if hold else {"rs": 1}), e=0)
    bench.pins(0, 0x0D, rs=1)
    assert bench.rules[:1] == ([rule] if rule else [])
    assert bench.chip.on is (rule is None or hold in (9, 19))  # what broke a rule before E had fallen was lost
    bench.clock.now_ns += (499 if volts > 4.5 else 999) - high - hold
    bench.pins(100, e=1)
    bench.pins(0, rs=0)
    assert bench.rules[-2:] == ["E cycle", "address hold"]


@pytest.mark.parametrize(("volts", "settled_ms"), [(5.0, 15), (2.7, 40)])
def test_nothing_is_taken_right_after_power_on(volts: float, settled_ms: int) -> None:
    bench = Bench(first=0, volts=volts)
    chip = bench.chip
    assert (chip.eight_bit, chip.increment) == (True, True)  # "Reset function"
    assert not any((chip.two_lines, chip.tall, chip.on, chip.shift_on_write))
    bench.clock.now_ns = settled_ms * 1_000_000 - 2000
    for rules, taken in ((["power-on time"], False), (["power-on time"], True)):
        bench.write(0x38)
        assert (bench.rules, chip.two_lines) == (rules, taken)


def test_lines_and_font_can_be_chosen_only_at_the_head() -> None:
    bench = Bench()
    bench.write(0x0C, 0x30, 0x0C)
    assert (bench.rules, bench.chip.two_lines) == (["function set"], True)
    bench.write(0x30, 0x30, 0x30, 0x34, 0x0C)  # "Initializing by instruction" begins anew
    assert (len(bench.rules), bench.chip.two_lines, bench.chip.tall) == (1, False, True)


def test_one_line_drives_one_row_and_four_wires_can_fall_out_of_step() -> None:
    bench = Bench(first=0x30)
    bench.write(0x0C)
    bench.write(*b"abc", rs=1)
    assert bench.twin.rows == ["abc" + " " * 13, " " * 16]
    bench.write(0x80 | 0x50)
    assert bench.rules == ["address"]
    bench.write(0x20, 0x00, 0xE0)  # to 4 bits, then 0x0E in two nibbles
    assert bench.chip.underline
    bench.write(0x00)  # half a byte too much
    bench.write(0x00, 0x80)
    assert bench.chip.on  # 0x08 did not arrive: 0x00 did, and half of something else
