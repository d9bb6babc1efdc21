"""The simulated controller, driven at its pins with eight data lines, against the HD44780U data sheet."""

import pytest

from lumek.twin import Controller
from lumek.twin.hand import Hand


def started(first: int = 0x38, size: str = "16x2", **controller: object) -> Hand:
    """A panel that has been given its first function set."""
    hand = Hand(size, controller=Controller(**controller))
    hand.write(first)
    return hand


@pytest.mark.parametrize(
    ("two_lines", "increment", "walk"),
    [(1, 1, {0x27: 0x40, 0x67: 0}), (1, 0, {0x40: 0x27, 0: 0x67}), (0, 1, {0x4F: 0, 0x27: 0x28}), (0, 0, {0: 0x4F})],
)
def test_the_address_counter_walks_both_ways_through_memory(two_lines: int, increment: int, walk: dict) -> None:
    hand = started(0x30 | two_lines << 3)
    hand.write(0x04 | increment << 1)
    for start, end in walk.items():
        for moved in (lambda b: b.write(0x41, rs=1), lambda b: b.read(1), lambda b: b.write(0x10 | increment << 2)):
            hand.write(0x80 | start)
            moved(hand)
            assert hand.read(0) == end
    assert hand.rules == []


def test_data_is_read_back_from_ddram_and_cgram() -> None:
    hand = started()
    for address, data in ((0xC2, b"bee"), (0x48, bytes(range(0x11, 0x19)))):
        hand.write(address)
        hand.write(*data, rs=1)
        hand.write(address)
        assert bytes(hand.read(1) for _ in data) == data
    assert hand.read(0) == 0x10  # CGRAM counts on to the next glyph
    assert hand.rules == []


def test_entry_mode_shifts_the_display_against_the_writing() -> None:
    hand = started(size="8x2")
    hand.write(0x0C, 0x07, 0x88)
    hand.write(*b"ab", rs=1)
    assert hand.twin.rows[0] == "      ab"  # the picture goes left, the place of writing stays
    hand.write(0x01, 0x05, 0x80)
    hand.write(*b"ab", rs=1)
    assert (hand.chip.shift, hand.read(0)) == (2, 0x66)
    hand.write(0x02)
    assert (hand.chip.shift, hand.read(0)) == (0, 0)


def test_glyphs_cursor_and_blink_show_in_dots() -> None:
    hand = started()
    hand.write(0x0E, 0x40 | 0x18)
    hand.write(*[0x1F, 0x11] * 4, rs=1)
    hand.write(0x80 | 0x05)
    hand.write(3, 11, rs=1)
    dots = hand.twin.dots()
    assert dots[0, 5].tolist() == [[True] * 5, [True, False, False, False, True]] * 4
    assert (dots[0, 6] == dots[0, 5]).all()  # codes 8 to 15 repeat 0 to 7
    assert dots[0, 7].nonzero()[0].tolist() == [7] * 5  # the cursor, in the last row
    hand.write(0x0D)
    counts = []
    for _ in range(4):
        counts.append(int(hand.twin.dots()[0, 7].sum()))
        hand.clock.now_ns += 379_200_000  # "Display on/off control": 409.6 ms at 250 kHz, so 379.2 ms at 270 kHz
    assert counts in ([0, 40] * 2, [40, 0] * 2)
    hand.write(0x08)
    assert not hand.twin.dots().any()


@pytest.mark.parametrize(
    ("code", "hz", "us"),
    [(6, 270_000, 37), (1, 270_000, 1520), (2, 190_000, 2160), (0x80, 190_000, 52.578), (6, 350_000, 28.542)],
)
def test_it_is_busy_as_long_as_the_sheet_says(code: int, hz: int, us: float) -> None:
    for early_us, rules in ((-0.01, []), (0.5, ["busy"])):
        hand = started(oscillator_hz=hz)
        hand.write(code, wait_us=0)
        assert hand.read(0) & 0x80
        hand.clock.now_ns = hand.fell_ns + round((us - early_us) * 1000) - 500
        hand.write(0x0C)
        assert hand.rules == rules
        assert hand.chip.on is (rules == [])  # a byte that comes while busy is lost
    # Free after 37 us, but the counter moves 1.5 clocks later (note to figure 10), which is 5.6 us and not table 6's 4.
    for wait_us, rules in ((42, ["address counter"]), (43, [])):
        hand = started()
        hand.write(0x61, rs=1, wait_us=wait_us)
        assert hand.twin.cursor == (0, 1)  # where it is about to be
        hand.write(0x62, rs=1)
        assert (hand.rules, bytes(hand.chip.ddram[:2])) == (rules, b"b " if rules else b"ab")


@pytest.mark.parametrize(
    ("before", "valid"),
    [((0x80,), True), ((0x40,), True), ((0x80, 0x14), True), ((0x14,), True), ((0x01,), False), ((0x02,), False),
     ((0x80, 0x02), False), ((0x80, 0x0C), True), ((), False)],
)  # fmt: skip
def test_a_read_needs_an_address_set_or_the_cursor_moved_before_it(before: tuple[int, ...], valid: bool) -> None:
    # "Read data from CG or DDRAM": else the first data is invalid, and normal from the second read on.
    hand = started()
    hand.write(0x61, 0x62, 0x63, rs=1)
    hand.write(*before)
    for _ in range(3):
        hand.read(1)
    assert hand.rules == ([] if valid else ["read"])


def test_violations_are_kept_as_far_as_there_is_room() -> None:
    hand = started()
    for _ in range(10_300):
        hand.write(0x0C, wait_us=0)
    assert (len(hand.twin.violations), hand.twin.violations.more > 0) == (10_000, True)


# "Bus timing characteristics", with the least times of 5 V and of 2.7 V: volts, RS set-up, E pulse, data set-up, hold.
TIMES = [
    (5.0, 40, 230, 80, 10, None), (5.0, 39, 230, 80, 10, "address set-up"), (5.0, 0, 230, 80, 10, "address set-up"),
    (5.0, 40, 229, 80, 10, "E pulse"), (5.0, 40, 230, 79, 10, "data set-up"), (5.0, 40, 230, 80, 9, "hold time"),
    (5.0, 40, 230, 80, 0, "hold time"),
    (2.7, 60, 450, 195, 20, None), (2.7, 59, 450, 195, 20, "address set-up"), (2.7, 60, 449, 195, 20, "E pulse"),
    (2.7, 60, 450, 194, 20, "data set-up"), (2.7, 60, 450, 195, 19, "hold time"),
]  # fmt: skip


@pytest.mark.parametrize(("volts", "setup", "high", "data", "hold", "rule"), TIMES)
def test_bus_timing_is_held_to_the_sheet(
    volts: float, setup: int, high: int, data: int, hold: int, rule: str | None
) -> None:
    hand = started(volts=volts)
    hand.pins(1000, 0, rs=1)
    hand.pins(setup, rs=0)
    hand.pins(high - data, e=1)
    hand.pins(data, 0x0C)
    hand.pins(hold, **({} if hold else {"rs": 1}), e=0)
    hand.pins(0, 0x0D, rs=1)
    assert hand.rules[:1] == ([rule] if rule else [])
    assert hand.chip.on is (rule is None or hold in (9, 19))  # what broke a rule before E had fallen was lost
    hand.clock.now_ns += (499 if volts > 4.5 else 999) - high - hold
    hand.pins(100, e=1)
    hand.pins(0, rs=0)
    assert hand.rules[-2:] == ["E cycle", "address hold"]


@pytest.mark.parametrize(("volts", "settled_ms"), [(5.0, 15), (2.7, 40)])
def test_nothing_is_taken_right_after_power_on(volts: float, settled_ms: int) -> None:
    hand = Hand(controller=Controller(volts=volts))
    chip = hand.chip
    assert (chip.eight_bit, chip.increment) == (True, True)  # "Reset function"
    assert not any((chip.two_lines, chip.tall, chip.on, chip.shift_on_write))
    hand.clock.now_ns = settled_ms * 1_000_000 - 2000
    for rules, taken in ((["power-on time"], False), (["power-on time"], True)):
        hand.write(0x38)
        assert (hand.rules, chip.two_lines) == (rules, taken)


def test_lines_and_font_can_be_chosen_only_at_the_head() -> None:
    hand = started()
    hand.write(0x0C, 0x30, 0x0C)
    assert (hand.rules, hand.chip.two_lines) == (["function set"], True)
    hand.write(0x30, 0x30, 0x30, 0x34, 0x0C)  # "Initializing by instruction" begins anew
    assert (len(hand.rules), hand.chip.two_lines, hand.chip.tall) == (1, False, True)


def test_one_line_drives_one_row_and_four_wires_can_fall_out_of_step() -> None:
    hand = started(0x30)
    hand.write(0x0C)
    hand.write(*b"abc", rs=1)
    assert hand.twin.rows == ["abc" + " " * 13, " " * 16]
    hand.write(0x80 | 0x50)
    assert hand.rules == ["address"]
    hand.write(0x20, 0x00, 0xE0)  # to 4 bits, then 0x0E in two nibbles
    assert hand.chip.underline
    hand.write(0x00)  # half a byte too much
    hand.write(0x00, 0x80)
    assert hand.chip.on  # 0x08 did not arrive: 0x00 did, and half of something else
