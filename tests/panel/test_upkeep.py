"""What a panel does against disturbances: retries, refreshing, verifying, and how it says so."""

import contextlib
import gc
import random
import threading
from typing import Any

import disturbed
import injected
import pytest

import lumek
from lumek import Backpack, BusError, Direct, HookupError, Panel, SettingError, simulate
from lumek.twin import backpack_twin, direct_twin
from support.refusals import refused
from support.waiting import until

DIRECT = {"rs": 10, "rw": 11, "e": 9, "d4": 12, "d5": 16, "d6": 20, "d7": 21}
BEES = "Hive 3 🐝 ž ½\n41.4 kg ł ő\n→ ≤ ∞ ț\nbrood"


def wrong_cases(seeds: range) -> list[disturbed.Case]:
    return [case for case in disturbed.batch(seeds) if case.wrong]


def test_a_sample_of_faults_is_healed_by_one_refresh_or_two_periods() -> None:
    """`python benchmarks/disturbed.py 100000` tries more of them."""
    assert wrong_cases(range(20)) == []


@pytest.mark.slow
@pytest.mark.parametrize("first", range(1_000_000, 1_001_000, 125))
def test_more_faults_are_healed(first: int) -> None:
    assert wrong_cases(range(first, first + 125)) == []


@pytest.mark.parametrize(
    "seed", [pytest.param(seed, marks=[pytest.mark.slow] * (seed in (1, 3, 5, 7, 9, 10)))
             for seed in range(len(disturbed.WIRINGS))]
)  # fmt: skip
def test_errors_and_interrupts_at_any_call_leave_what_can_be_written_and_read(seed: int) -> None:
    """`python benchmarks/injected.py` tries every call."""
    wiring = disturbed.WIRINGS[seed]
    assert [case for case in injected.cases(wiring, every=411, first=seed) if case.wrong] == []


@pytest.mark.parametrize("wiring", disturbed.WIRINGS)
@pytest.mark.parametrize("size", ["16x2", *[pytest.param(one, marks=pytest.mark.slow) for one in ("20x1", "40x4")]])
def test_a_refresh_changes_no_dot_of_a_panel_that_is_right(wiring: str, size: str) -> None:
    twin, link = disturbed.wired(random.Random(size), wiring, size, [])
    panel = Panel(size, link, twin=twin)
    panel[:] = BEES.split("\n")[0]
    seen, take = set(), twin.take_words

    def watched(*words: int) -> None:
        take(*words)
        seen.add((str(twin.cells), str(twin.rows), twin.backlight))

    twin.take_words = watched
    panel.refresh()
    assert (len(seen), twin.violations, panel.health.restarts) == (1, [], 0)


@pytest.mark.parametrize(("text", "most"), [("", 0.035), (BEES, 0.05)])
def test_refreshing_every_second_takes_little_of_a_slow_bus(text: str, most: float) -> None:
    panel = simulate("20x4", hz=100_000)
    panel[:] = text
    panel.tend(0.0)
    panel.refresh_every_s = 1.0
    bus, before = panel.twin.port, (panel.twin.port.sent, panel.twin.port.transfers)
    for tick in range(14 * 20):
        panel.tend(tick / 20)
    clocks = 9 * (bus.sent - before[0]) + 2 * (bus.transfers - before[1])
    assert clocks / bus.hz / 14 < most
    assert (panel.twin.rows, panel.twin.violations) == (simulated_rows(text), [])


def simulated_rows(text: str) -> list[str]:
    panel = simulate("20x4")
    panel[:] = text
    return list(panel.twin.rows)


def test_a_failed_transfer_is_repeated_and_counted(caplog: pytest.LogCaptureFixture) -> None:
    panel = simulate("16x2")
    panel.twin.faults.begin("no-answer")
    for number in range(20):
        panel[0] = f"Hive {number}"
    assert (panel.twin.rows, panel.twin.faults.count) == (panel.rows, 1)
    health = panel.health
    assert (health.errors, health.retries, health.restarts, health.answers) == (1, 1, 1, True)
    assert "stopped acknowledging" in str(health.last_error)
    assert [record.message.partition(":")[0] for record in caplog.records] == ["a transfer arrived after 1 retry"]
    panel.retries = 0
    panel.twin.faults.end()
    panel.twin.faults.begin("unplugged")
    with pytest.raises(BusError):
        panel[1] = "41.4 kg"
    assert (health.errors, health.retries, health.answers) == (2, 1, False)
    assert str(health).startswith("no answer, ")
    panel.twin.faults.end()
    panel[1, 0] = "4"
    assert panel.twin.rows == panel.rows == ["Hive 19".ljust(16), "41.4 kg".ljust(16)]


def test_a_panel_that_is_gone_while_it_is_refreshed_does_not_count_as_reached(caplog: pytest.LogCaptureFixture) -> None:
    panel = simulate("16x2")
    panel[0] = "Hive 3"
    panel.tend(0)  # from now on by hand, and not by a thread
    panel.refresh_every_s = 1
    panel.tend(0)
    panel.twin.faults.begin("unplugged")
    with pytest.raises(BusError):
        panel.tend(1)
    assert (panel.health.errors, panel.health.answers, caplog.records) == (1 + panel.retries, False, [])


def test_what_was_lost_on_all_lines_comes_back_with_contrast_and_light() -> None:
    twin, bus = backpack_twin("16x2")
    dimmed: list[tuple[str, float]] = []

    class Channel:
        offers = "brightness"

        def __init__(self, name: str) -> None:
            self.name = name

        def dim(self, fraction: float) -> None:
            dimmed.append((self.name, fraction))

    panel = Panel("16x2", Backpack(bus), twin=twin, backlight=Channel("light"), contrast=Channel("contrast"))
    panel.backlight, panel.contrast = 0.5, 0.25
    dimmed.clear()
    panel.refresh()
    assert sorted(dimmed) == [("contrast", 0.25), ("light", 0.5)]


@pytest.mark.parametrize("leftward", [False, True])
@pytest.mark.parametrize("shape", [None, "block"])
@pytest.mark.parametrize("wiring", ["pcf8574", "direct 4 flag", "direct 8 rw", "mcp23008"])
def test_verifying_repairs_what_differs_and_nothing_else(wiring: str, shape: str | None, leftward: bool) -> None:
    twin, link = disturbed.wired(random.Random(1), wiring, "16x2", [])
    panel = Panel("16x2", link, twin=twin)
    panel.leftward, panel.cursor, panel.cursor_shape = leftward, (1, 3), shape
    panel[:] = "Hive 3 🐝\n41.4 kg ž"
    assert panel.verify() == 0
    chip = twin.controller
    for address in (3, 4, 0x4F):
        chip.ddram[address] ^= 0x10
    chip.cgram[5] ^= 3
    before = bytes(chip.ddram), bytes(chip.cgram)
    assert panel.verify() == 4
    assert panel.health.repaired == 4
    differs = [sum(a != b for a, b in zip(one, two, strict=True))
               for one, two in zip(before, (chip.ddram, chip.cgram), strict=True)]  # fmt: skip
    assert differs == [3, 1]
    assert (panel.read_back(), panel.verify(), twin.violations) == (panel.rows, 0, [])
    assert twin.cursor == ((1, 3) if shape else twin.cursor)


def test_a_disturbed_panel_comes_back_by_itself_while_the_program_does_something_else() -> None:
    panel = simulate("16x2")
    panel[0] = "Hive 3"
    panel.refresh_every_s, panel.verify_every_s = 0.2, 0.3
    for _ in range(2):
        with panel._lock:
            panel.twin.controller.lose_supply(panel.twin.clock.now_ns)
            panel.twin.port.wait_us(50_000)
        until(lambda: panel.twin.rows == panel.rows, "it shows what it should")
    panel.twin.port.cut()
    with contextlib.suppress(BusError):
        panel[1] = "41.4 kg"
    panel.twin.port.mend()
    until(lambda: panel.twin.rows == panel.rows, "it is back, though nothing was written since")
    panel.refresh_every_s = panel.verify_every_s = None
    until(no_thread_tends, "nothing is left to do")
    panel.refresh_every_s = 0.05
    assert not no_thread_tends()
    panel.close()
    until(no_thread_tends, "the panel is closed")
    forgotten = simulate("16x2")
    forgotten.refresh_every_s = 0.05
    del forgotten
    until(lambda: gc.collect() >= 0 and no_thread_tends(), "the panel is forgotten")


def no_thread_tends() -> bool:
    return "lumek-tend" not in {one.name for one in threading.enumerate()}


def test_a_clock_that_goes_back_begins_a_new_round() -> None:
    panel = simulate("16x2")
    panel[0] = "Hive 3"
    panel.tend(100.0)
    panel.refresh_every_s = 1.0
    panel.tend(100.0)
    panel.twin.controller.ddram[3] = 0
    for tick in range(40):
        panel.tend(tick / 20)
    assert panel.twin.rows == panel.rows


@pytest.mark.parametrize(
    ("mistake", "kind", "message"),
    [
        (lambda: simulate("16x2").__setattr__("refresh_every_s", 0), SettingError, "0.05 to 1e+06 seconds, or None"),
        (lambda: simulate("16x2").__setattr__("refresh_every_s", True), SettingError, "not True"),
        (lambda: simulate("40x4").__setattr__("verify_every_s", 5), HookupError, "its RW pin is grounded"),
        (lambda: simulate("40x4").verify(), HookupError, "its RW pin is grounded"),
        (lambda: simulate("16x2").__setattr__("retries", 11), SettingError, "up to 10, not 11"),
        (lambda: Panel("16x2", Direct(direct_twin("16x2", DIRECT)[1], rs=10, e=9, data=(12, 16, 20, 21)), retries=-1),
         SettingError, "from 0, not -1"),
        (lambda: simulate("16x2").twin.faults.begin("gremlins"), SettingError, "there is no fault 'gremlins'"),
        (lambda: simulate("16x2").twin.faults.begin("stuck d9 1"), SettingError, "needs a pin, as in 'stuck d4'"),
        (lambda: simulate("16x2").twin.faults.begin("swapped d4 d4"), SettingError, "needs two pins"),
        (lambda: simulate("16x2").twin.faults.begin("stuck d4"), SettingError, "needs a level"),
        (lambda: simulate("16x2").twin.faults.begin("bit-flip now"), SettingError, "what is 'now'"),
        (lambda: simulate("16x2").twin.faults.begin("bit-flip every day"), SettingError, "'2 s', '500 ms'"),
        (lambda: simulate("16x2").twin.faults.begin("bit-flip for 2 s"), SettingError, "is over at once"),
        (lambda: simulate("16x2").twin.faults.begin("unplugged every 2 s"), SettingError, "less than 'every'"),
    ],
)  # fmt: skip
def test_a_mistake_is_told(mistake: Any, kind: type[Exception], message: str) -> None:
    with pytest.raises(kind):
        mistake()
    assert message in refused(mistake)


def test_an_event_comes_at_the_byte_or_pulse_that_is_asked_for() -> None:
    panel = simulate("16x2")
    panel.retries = 0
    panel.twin.faults.begin("no-answer after 5")
    with pytest.raises(BusError, match="stopped acknowledging after 5 of "):
        panel[0] = "Hive 3"
    twin, port = direct_twin("16x2", DIRECT)
    panel = Panel("16x2", Direct(port, rs=10, e=9, rw=11, busy_flag=False, data=(12, 16, 20, 21)), twin=twin)
    twin.faults.begin("wire-flip after 0")  # a level of the first call
    fault = twin.faults.begin("lost-pulse after 3")
    panel[0] = "Hi"
    assert (fault.count, twin.faults.count) == (1, 2)
    panel.refresh()
    assert twin.rows == panel.rows


def test_faults_of_one_kind_do_not_get_in_each_others_way() -> None:
    twin = simulate("16x2").twin
    faults = [twin.faults.begin(text) for text in ("contrast-low", "contrast-high", "unplugged", "unplugged")]
    assert (twin.contrast > 0.85, twin.supplied) == (True, False)
    twin.faults.end(faults[1])
    twin.faults.end(faults[2])
    assert (twin.contrast < 0.15, twin.supplied) == (True, False)
    for fault in (faults[0], faults[3], faults[3]):  # that it has ended already does no harm
        twin.faults.end(fault)
    assert (twin.contrast, twin.supplied, twin.faults.on) == (0.5, True, False)


def test_states_come_and_go_by_the_clock_of_the_simulation() -> None:
    panel = simulate("16x2")
    panel[0] = "Hive 3"
    twin = panel.twin
    fault = twin.faults.begin("contrast-low at 1 s every 3 s for 1 s")
    twin.faults.begin("wrong-rom at 4 s for 1 s")
    pale = []
    for _ in range(16):
        twin.faults.update()
        pale.append((twin.contrast < 0.15, twin.rom.name))
        twin.port.wait_us(500_000)
    low, roms = zip(*pale, strict=True)
    assert list(low) == [tick in (2, 3, 8, 9, 14, 15) for tick in range(16)]
    assert [tick for tick, rom in enumerate(roms) if rom == "A02"] == [8, 9]
    assert (fault.count, repr(twin.faults)) == (3, f"<Faults: {fault.text}, wrong-rom at 4 s for 1 s>")
    twin.faults.end()
    assert (twin.contrast, twin.rom.name, twin.faults.on, list(twin.faults)) == (0.5, "A00", False, [])


def test_a_panel_without_log_or_port_of_bytes_is_disturbed_on_its_wires() -> None:
    twin, port = direct_twin("16x2", DIRECT)
    panel = Panel("16x2", Direct(port, rs=10, e=9, rw=11, data=(12, 16, 20, 21)), twin=twin)
    panel[0] = "Hive 3"
    twin.faults.begin("swapped d6 d7")
    with contextlib.suppress(lumek.PortError):
        panel[0] = "41.4 kg"
    assert twin.rows != panel.rows
    twin.faults.end()
    panel.refresh()
    assert twin.rows == panel.rows
