"""What one kind of link does, beyond what every link does."""

import threading
from collections.abc import Hashable, Iterable, Mapping
from itertools import pairwise
from types import SimpleNamespace
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

import lumek
from lumek import Backpack, Direct, HookupError, LumekError, Panel, ShiftRegister
from lumek.links.expanders import MCP_LINES
from lumek.ports.bit_banged import SerialLines
from lumek.twin import Controller, Mcp23008, TwinBus, backpack_twin, direct_twin, shift_register_twin
from lumek.twin.light import TwinChannel, coloured_backlight

FOUR = {"rs": 10, "e": 9, "d4": 12, "d5": 16, "d6": 20, "d7": 21}
EIGHT = {**FOUR, "d0": 2, "d1": 3, "d2": 4, "d3": 17}
OUTPUTS = {"rs": 1, "e": 2, "d4": 3, "d5": 4, "d6": 5, "d7": 6}
ABCD = "\n".join(letter * 20 for letter in "abcd")


def direct(lines: Mapping[str, int], port: object, **more: object) -> Direct:
    data = tuple(lines[f"d{place}"] for place in range(0 if "d0" in lines else 4, 8))
    others = {role: line for role, line in lines.items() if role[0] != "d"}
    return Direct(port, data=data, **{**others, **more})


@pytest.mark.parametrize(("lines", "calls"), [(FOUR, 4), (EIGHT, 2)])
def test_a_character_takes_few_calls_and_only_lines_that_change(lines: Mapping[str, int], calls: int) -> None:
    twin, port = direct_twin("20x4", lines)
    panel = Panel("20x4", direct(lines, port), twin=twin)
    before, edges = port.calls, len(twin.edges)
    panel[:] = ABCD
    # An address and one change of RS for the whole picture, since rows 0, 2, 1, 3 follow one another in memory.
    assert port.calls - before <= (80 + 1) * calls + 2
    driven: dict[str, int] = {}
    for edge in list(twin.edges)[edges:]:
        assert all(driven.get(pin) != level for pin, level in edge.levels.items())
        driven.update(edge.levels)
    assert (twin.rows, twin.violations) == (panel.rows, [])


class Watched:
    """Lines of a simulated host that watch over how RW is handled."""

    drive_ns = 1000

    def __init__(self, port: Any, rw: int, data: set[int]) -> None:
        self.port, self.rw, self.data = port, rw, data
        self.outputs: dict[Hashable, int] = {}

    def drive(self, levels: Mapping[Hashable, int]) -> None:
        self.outputs.update(levels)
        assert not self.outputs.get(self.rw) or not self.data & self.outputs.keys()
        self.port.drive(levels)

    def sense(self, lines: Iterable[Hashable]) -> dict[Hashable, int]:
        for line in lines:
            self.outputs.pop(line, None)
        return self.port.sense(lines)

    def wait_us(self, us: int) -> None:
        self.port.wait_us(us)


@pytest.mark.parametrize("lines", [FOUR, EIGHT])
@pytest.mark.parametrize("hz", [190_000, 270_000, 350_000])
def test_the_busy_flag_is_waited_for_and_no_longer(lines: Mapping[str, int], hz: int) -> None:
    lines = {**lines, "rw": 11}
    twin, port = direct_twin("20x4", lines, controllers=[Controller(hz)])
    watched = Watched(port, 11, {line for pin, line in lines.items() if pin[0] == "d"})
    panel = Panel("20x4", direct(lines, watched), twin=twin)
    edges = len(twin.edges)
    panel[:] = ABCD
    levels, written = {"rw": 0}, []
    for edge in list(twin.edges)[edges:]:
        levels.update(edge.levels)
        if edge.levels.get("e") == 0 and not levels["rw"]:
            written.append(edge.time_ns)
    ends = written if "d0" in lines else written[1::2]
    assert len(ends) == 80
    # One poll and its turning of the lines is at most 12 calls of 1 us each; a byte is 4, its address counter 4 us.
    busy_us = 37 * 270_000 / hz
    assert all(busy_us < (b - a) / 1000 < busy_us + 12 + 4 + 4 * 270_000 / hz + 1 for a, b in pairwise(ends))
    assert (twin.rows, panel.read_back(), twin.violations) == (panel.rows, panel.rows, [])


def test_a_host_that_is_quicker_than_it_says_loses_what_it_sends() -> None:
    twin, port = direct_twin("16x2", FOUR, drive_ns=50)
    hasty = SimpleNamespace(drive=port.drive, sense=port.sense, wait_us=port.wait_us, drive_ns=1000)
    Panel("16x2", direct(FOUR, hasty))[0] = "Bees"
    assert {violation.rule for violation in twin.violations} == {"E pulse", "E cycle"}
    assert twin.dots()[0].all()  # as if never started
    silent = SimpleNamespace(drive=port.drive, sense=port.sense, wait_us=port.wait_us)
    Panel("16x2", direct(FOUR, silent))[0] = "Bees"
    assert twin.rows[0] == "Bees".ljust(16)


def test_a_busy_flag_that_never_clears_is_an_error_and_a_restart_mends_it() -> None:
    lines = {**FOUR, "rw": 11}
    twin, port = direct_twin("16x2", lines)
    panel = Panel("16x2", direct(lines, port), twin=twin)
    sense, port.sense = port.sense, lambda lines: dict.fromkeys(lines, 1)
    with pytest.raises(lumek.NoAnswerError, match=r"busy flag was set for .* RW \(11\), E \(9\) and D7 \(21\)"):
        panel[0] = "Bees"
    port.sense = sense
    panel[1] = "41.4 kg"
    assert twin.rows == panel.rows == ["Bees".ljust(16), "41.4 kg".ljust(16)]


def test_memory_is_read_back() -> None:
    twin, bus = backpack_twin("20x4")
    panel = Panel("20x4", Backpack(bus), twin=twin)
    panel[:] = ABCD
    panel.cursor, panel.cursor_shape = (1, 4), "block"
    twin.controller.cgram[:] = bytes(range(64))
    assert panel.memory() == (b"a" * 20 + b"c" * 20 + b"b" * 20 + b"d" * 20, bytes(range(64)), 0x44)
    twin.controller.ddram[0x41] = ord("!")
    assert panel.read_back()[1] == "b!" + "b" * 18
    bus.wait_us(100)
    assert (twin.cursor, twin.violations) == ((1, 4), [])
    for mistake, message in ((lambda: panel.memory(1), "controller 1 does not exist: this panel has 1"),
                             (lambda: lumek.simulate("40x4").read_back(), "its RW pin is grounded")):  # fmt: skip
        with pytest.raises(LumekError, match=message):
            mistake()


@pytest.mark.parametrize("expander", ["pcf8574", "mcp23008"])
def test_a_restart_mends_what_lost_its_supply(expander: str) -> None:
    board = {"expander": Mcp23008, "lines": MCP_LINES} if expander == "mcp23008" else {}
    twin, bus = backpack_twin("16x2", **board)
    panel = Panel("16x2", Backpack(bus, 0x27, expander))
    panel[0] = "Hive 3"
    for data in (b"\x05\x00", b"\x00\xff") if board else (b"\xff",):  # as the part wakes up
        bus.write(0x27, data)
    panel[0] = "Hive 4"
    panel.restart()
    assert twin.rows == panel.rows == ["Hive 4".ljust(16), " " * 16]


def test_panels_share_a_bus() -> None:
    twins, bus = [], TwinBus(lumek.twin.TwinClock(), 400_000)
    for address, size in ((0x27, "20x4"), (0x3F, "16x2"), (0x20, "40x4")):
        lines = {"rs": 0, "e2": 1, "e": 2, "d4": 4, "d5": 5, "d6": 6, "d7": 7}
        twin, _ = backpack_twin(size, address=address, lines=lines, bus=bus)
        twins.append((twin, Panel(size, Backpack(bus, address, lines=lines))))
    write_in_threads(twins)


@pytest.mark.parametrize("rw", [{}, {"rw": 11}])
def test_panels_share_every_line_but_e(rw: dict[str, int]) -> None:
    twins, port = [], None
    for e, size in ((9, "20x4"), (8, "16x2"), (7, "16x1")):
        lines = {**FOUR, **rw, "e": e}
        twin, port = direct_twin(size, lines, port=port)
        twins.append((twin, lines, size))
    links = [direct(lines, port) for _, lines, _ in twins]
    write_in_threads([(twin, Panel(size, link)) for (twin, _, size), link in zip(twins, links, strict=True)])


def test_panels_share_a_shift_register() -> None:
    first, port = shift_register_twin("16x2", OUTPUTS)
    second, _ = shift_register_twin("16x2", {**OUTPUTS, "e": 7}, port=port)
    links = ShiftRegister(port, OUTPUTS), ShiftRegister(port, {**OUTPUTS, "e": 7})
    panels = [(twin, Panel("16x2", link)) for twin, link in zip((first, second), links, strict=True)]
    for number, (_, panel) in enumerate(panels):
        panel[0] = f"Hive {number}"
    write_in_threads(panels)


def write_in_threads(panels: list[tuple[Any, Panel]]) -> None:
    def work(panel: Panel) -> None:
        for number in range(20):
            panel[-1, 0:8] = f"{number:8}"

    threads = [threading.Thread(target=work, args=(panel,)) for _, panel in panels]
    for act in (threading.Thread.start, threading.Thread.join):
        for thread in threads:
            act(thread)
    for twin, panel in panels:
        assert (twin.rows, twin.violations) == (panel.rows, [])
        assert panel[-1, 0:8] == "      19"


@given(st.lists(st.sampled_from("arst"), max_size=12), st.booleans())
def test_a_shift_register_keeps_what_is_not_the_panels(acts: str, three: bool) -> None:
    wires = {"data": 5, "clock": 6, "latch": 7} if three else None
    twin, port = shift_register_twin("16x2", {**OUTPUTS, "backlight": 7}, three_lines=wires)
    link = ShiftRegister(SerialLines(port, **wires) if wires else port, OUTPUTS)
    panel, spare = Panel("16x2", link), False
    for number, act in enumerate(acts):
        if act in "ar":
            spare = act == "a"
            link.put({7: spare})
        else:
            panel[int(act == "s"), number] = "x"
        assert twin.backlight == spare
    assert (twin.rows, twin.violations) == (panel.rows, [])
    for output in (1, 8, "d4"):
        with pytest.raises(HookupError, match="is not free: free are 0, 7"):
            link.put({output: 1})


def test_a_backlight_takes_what_it_can_show() -> None:
    twin, bus = backpack_twin("16x2")
    panel = Panel("16x2", Backpack(bus), backlight=coloured_backlight(twin), contrast=TwinChannel(twin, "contrast"))
    for value, glow in ((True, (1, 1, 1)), ("#20c0a0", (32, 192, 160)), ("Honey", (255, 168, 24)), (0.4, (0.4,) * 3)):
        panel.backlight = value
        scale = 255 if max(glow) > 1 else 1
        assert (panel.backlight, twin.glow) == (value, tuple(share / scale for share in glow))
    with panel.together():
        panel.backlight = "red"
        assert twin.glow == (0.4, 0.4, 0.4)
    panel.contrast = 0.1
    assert (twin.glow, twin.contrast, panel.contrast, twin.dots().any()) == ((1, 0, 0), 0.1, 0.1, False)
    dimmed = Panel("16x2", Backpack(bus), backlight=TwinChannel(twin, "white"))
    dimmed.backlight = 0.5
    assert dimmed.backlight == 0.5
    refused = [
        (panel, "backlight", "beige", "there is no colour 'beige': write it as .#20c0a0. or as one of black, b"),
        (panel, "backlight", "#20c0", "no colour .#20c0."),
        (panel, "backlight", 1.5, "takes True, False, a brightness"),
        (dimmed, "backlight", "red", "'red' is not possible: this backlight has a brightness, 0.0 to 1.0, and no col"),
        (lumek.simulate("16x2"), "backlight", 0.4, "0.4 is not possible: this backlight can be switched True or False"),
        (lumek.simulate("16x2"), "contrast", 0.4, "this hookup has no channel for the contrast: turn"),
        (panel, "contrast", 2, "contrast is a fraction, 0.0 to 1.0, not 2"),
    ]  # fmt: skip
    for one, name, value, message in refused:
        with pytest.raises(LumekError, match=message.replace("(", r"\(")):
            setattr(one, name, value)
    assert (panel.backlight, dimmed.backlight) == ("red", 0.5)


MISTAKES = [
    (lambda: Direct(7, rs=1, e=2, data=(3, 4, 5, 6)), "direct wiring takes GPIO lines, such as LinuxLines"),
    (lambda: Direct(direct_twin("16x2", FOUR)[1], rs=1, e=2, data=(3, 4, 5)), "as a tuple of 4 or 8, not"),
    (lambda: direct({**FOUR, "e": 10}, direct_twin("16x2", FOUR)[1]), "line 10 is given to both 'rs' and 'e'"),
    (lambda: direct({**FOUR, "e": None}, direct_twin("16x2", FOUR)[1]), "role 'e' has no line"),
    (lambda: direct(FOUR, direct_twin("16x2", FOUR)[1], backlight=1, backlight_on=5), "0 or 1, not 5"),
    (lambda: Panel("40x4", direct(FOUR, direct_twin("40x4", FOUR)[1])), "two controllers: give the line .* role 'e2'"),
    (lambda: ShiftRegister(7, OUTPUTS), "a shift register takes a serial port, such as SerialLines"),
    (lambda: ShiftRegister(shift_register_twin("16x2", OUTPUTS, hz=40_000_000)[1], OUTPUTS), "take a slower clock"),
    (lambda: ShiftRegister(shift_register_twin("16x2", OUTPUTS)[1], {"rs": 8}), "role 'e' has no line"),
    (lambda: Panel("16x2", direct(FOUR, direct_twin("16x2", FOUR)[1]), backlight=3), "backlight takes a light, such"),
    (lambda: Panel("16x2", direct(FOUR, direct_twin("16x2", FOUR)[1]), backlight=(1, 2, 3)), "or three channels, not"),
    (lambda: direct({**FOUR, "d5": None}, direct_twin("16x2", FOUR)[1]), "role 'd5' has no line"),
    (lambda: direct({**FOUR, "d5": [5]}, direct_twin("16x2", FOUR)[1]), r"line of 'd5' is .* not \[5\]"),
    (lambda: Panel("16x2", direct(FOUR, direct_twin("16x2", FOUR)[1]), contrast=3), "contrast takes a channel with"),
    (lambda: Panel("16x2", direct(FOUR, direct_twin("16x2", FOUR)[1])).read_back(), "its RW pin is grounded"),
    (lambda: setattr(Panel("16x2", direct(FOUR, direct_twin("16x2", FOUR)[1])), "backlight", True), "LineLight"),
]  # fmt: skip


@pytest.mark.parametrize(("mistake", "message"), MISTAKES)
def test_a_hookup_that_cannot_be_right_is_told(mistake: object, message: str) -> None:
    with pytest.raises(HookupError, match=message):
        mistake()
