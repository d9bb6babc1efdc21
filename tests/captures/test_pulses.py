"""Pins, treated well and badly: the decoder's view of them is judged by the simulated controller's own."""

from itertools import pairwise
from pathlib import Path
from tempfile import TemporaryDirectory

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lumek.captures import Capture, Decoding, decode
from lumek.captures.steady import without_glitches
from lumek.core.geometry import Geometry
from lumek.core.instructions import Timing
from lumek.core.startup import startup
from lumek.links.direct import Direct
from lumek.twin import Controller, Twin, direct_twin
from support.captured import check_what_is_sure, state

PINS = {"rs": "rs", "rw": "rw", "e": "e", "d4": "d4", "d5": "d5", "d6": "d6", "d7": "d7"}

PIN_RULES = {"address set-up", "address hold", "E cycle", "E pulse", "data set-up", "hold time"}

WAITS_NS = st.sampled_from((10, 20, 30, 50, 100, 240, 600, 40_000, 60_000, 1_600_000))


def driven(moves: list[tuple[dict[str, int], int]], volts: float, started: bool = True) -> tuple[Twin, Decoding]:
    """Levels driven one after the other, each followed by a pause; what the panel and the decoder make of them."""
    with TemporaryDirectory() as folder:
        twin, lines = direct_twin("16x2", PINS, drive_ns=0, controllers=[Controller(volts=volts)])
        lines.clock.now_ns = 50_000_000
        with Capture(Path(folder) / "wires.vcd") as capture:
            port = capture.around(lines, lines={name: name for name in PINS})
            link = Direct(port, rs="rs", e="e", rw="rw", data=("d4", "d5", "d6", "d7"), busy_flag=False)
            link.send(startup(Geometry("16x2"), 4, Timing()) if started else [])
            lines.clock.now_ns += 100_000
            for levels, pause_ns in moves:
                port.drive(levels)
                lines.clock.now_ns += pause_ns
            port.drive({"e": 0})
        return twin, decode(Path(folder) / "wires.vcd", size="16x2", volts=volts)


LEVELS = st.dictionaries(st.sampled_from(("rs", "e", "e", "d4", "d5", "d6", "d7")), st.integers(0, 1), min_size=1)


@given(st.lists(st.tuples(LEVELS, WAITS_NS), max_size=40), st.sampled_from((5.0, 3.3)))
def test_of_any_levels_the_decoder_takes_what_the_simulated_panel_takes(moves: list, volts: float) -> None:
    twin, found = driven([({**levels}, pause) for levels, pause in moves], volts)
    assert state(found.panels[0].followers[0].chip) == state(twin.controller)
    check_what_is_sure(found.panels[0], twin)
    theirs = {one.rule for one in twin.violations}
    # Of a pulse that is spoilt already, the simulated pins look no further.
    assert theirs & PIN_RULES <= found.broken.keys()
    assert bool(theirs & PIN_RULES) == bool(PIN_RULES & found.broken.keys())
    assert ("busy" in found.broken, "nibble phase" in found.broken) == ("busy" in theirs, "nibble phase" in theirs)


def byte(value: int, rs: int = 1, high_ns: int = 300, before_ns: int = 100, between_ns: int = 600) -> list:
    """A byte, with times that can be set."""
    moves: list[tuple[dict[str, int], int]] = [({"rs": rs}, before_ns)]
    for half in (value >> 4, value & 15):
        bits = {f"d{4 + bit}": half >> bit & 1 for bit in range(4)}
        moves += [({**bits, "e": 1}, high_ns), ({"e": 0}, between_ns)]
    return [*moves[:-1], ({"e": 0}, 60_000)]


# Data sheet ADE-207-272, "Bus timing characteristics", write, 4.5 to 5.5 V and 2.7 to 4.5 V.
@pytest.mark.parametrize(
    ("changed", "rule", "got", "asked"),
    [
        ({"high_ns": 220}, "E pulse", 220, 230),
        ({"before_ns": 30}, "address set-up", 30, 40),
        ({"high_ns": 240, "between_ns": 250}, "E cycle", 490, 500),
        ({"high_ns": 440, "volts": 3.3}, "E pulse", 440, 450),
        ({"high_ns": 460, "before_ns": 50, "volts": 3.3}, "address set-up", 50, 60),
        ({"high_ns": 460, "between_ns": 530, "volts": 3.3}, "E cycle", 990, 1000),
    ],
)
def test_what_breaks_the_data_sheet_is_told_with_by_how_much(changed: dict, rule: str, got: int, asked: int) -> None:
    volts = changed.pop("volts", 5.0)
    _, found = driven(byte(0x48, **changed), volts)
    violations = [violation for event in found.events for violation in event.violations if violation.rule == rule]
    assert (violations[0].got_ns, violations[0].asked_ns) == (got, asked)


# Table 6: clear display takes 1.52 ms; a write 37 us, and the counter moves 4 us later.
@pytest.mark.parametrize(("first", "rs", "asked_us"), [(0x01, 0, 1520), (0x48, 1, 41), (0xC0, 0, 37)])
def test_a_byte_that_comes_too_early_is_told(first: int, rs: int, asked_us: int) -> None:
    early = [*byte(first, rs)[:-1], ({"e": 0}, 20_000)]
    _, found = driven(early + byte(0x69), 5.0)
    violation = next(violation for event in found.events for violation in event.violations)
    assert (violation.rule, violation.asked_ns) == ("busy", asked_us * 1000)
    assert not found.events[-1].sure


@given(st.lists(st.tuples(st.integers(1, 200), st.integers(0, 3)), min_size=1, max_size=30), st.integers(1, 150))
def test_no_pulse_is_left_that_is_shorter_than_what_is_to_be_left_out(steps: list, shorter: int) -> None:
    at, samples = 0, []
    for pause, word in steps:
        samples.append((at, word))
        at += pause
    left = list(without_glitches(samples, shorter))
    for mask in (1, 2):
        changes = [at for (at, word), (_, before) in zip(left[1:], left, strict=False) if (word ^ before) & mask]
        assert all(later - earlier >= shorter for earlier, later in pairwise(changes))
    assert left[-1][1] == samples[-1][1] or at - samples[-1][0] < shorter or left[-1][0] <= samples[-1][0]


@pytest.mark.parametrize(
    ("steps", "words"),
    [
        (["0x3", "0x3", "0x2", "0x28", "0x0c", "0x01", "0x06"], "came 2 times, not 3"),
        (["0x3", "0x3 soon", "0x3", "0x2", "0x28", "0x01", "0x06"], "came 1 ms after the function set before it"),
        (["0x3", "0x3", "0x3", "0x2", "0x28", "0x0c", "0x06"], "data came without clear display before it"),
        (["0x3", "0x3", "0x3", "0x2", "0x01", "0x06"], "data came without function set with lines and font before it"),
    ],
)
def test_a_start_up_with_a_step_too_few_is_told(steps: list[str], words: str) -> None:
    moves: list = []
    for step in steps:
        code = int(step.split()[0], 16)
        if len(step.split()[0]) == 3:
            bits = {f"d{4 + bit}": code >> bit & 1 for bit in range(4)}
            pause = 1_000_000 if steps[len(moves) // 3 + 1 :][:1] == ["0x3 soon"] else 5_000_000
            moves += [({"rs": 0}, 100), ({**bits, "e": 1}, 300), ({"e": 0}, pause)]
        else:
            moves += [*byte(code, 0)[:-1], ({"e": 0}, 2_000_000)]
    _, found = driven(moves + byte(0x48), 5.0, started=False)
    told = [
        violation.detail for event in found.events for violation in event.violations if violation.rule == "start-up"
    ]
    assert any(words in one for one in told), told
