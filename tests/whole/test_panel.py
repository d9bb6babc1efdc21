"""Panel, backpack, bus and simulated panel together."""

import threading

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import lumek
from lumek import Backpack, BusError, LumekError, Panel
from lumek.core.geometry import SIZES
from lumek.core.rom import rom_named
from lumek.twin import Controller, backpack_twin

BOARDS = [
    {"rs": 0, "rw": 1, "e": 2, "backlight": 3, "d4": 4, "d5": 5, "d6": 6, "d7": 7},
    {"rs": 6, "rw": 5, "e": 4, "backlight": 7, "d4": 0, "d5": 1, "d6": 2, "d7": 3},
    {"rs": 4, "rw": 5, "e": 6, "backlight": 7, "d4": 0, "d5": 1, "d6": 2, "d7": 3},
    {"rs": 3, "rw": 0, "e": 7, "d4": 6, "d5": 1, "d6": 5, "d7": 2},
]


def wired(
    size: str, hz: int = 100_000, rom: str = "A00", board: int = 0, level: int = 1, **controller: object
) -> Panel:
    lines = BOARDS[board]
    twin, bus = backpack_twin(size, rom, hz, 0x3F, lines, level, Controller(**controller))
    return Panel(size, Backpack(bus, 0x3F, lines=lines, backlight_on=level), rom, twin=twin)


class Model:
    """What should stand on the glass: the controller's lines as strips of text that turn under a window."""

    def __init__(self, size: str) -> None:
        columns, count = (16, 1) if size == "8+8x1" else map(int, size.split("x"))
        two = count > 1 or size == "8+8x1"
        self.shape = count, columns
        self.strips = [[" "] * 40, [" "] * 40] if two else [[" "] * 80]
        if size == "8+8x1":
            self.where = [[(column // 8, column % 8) for column in range(16)]]
        else:
            self.where = [[(row % 2, row // 2 * columns + c) for c in range(columns)] for row in range(count)]

    def slide(self, columns: int) -> None:
        for strip in self.strips:
            turn = -columns % len(strip)
            strip[:] = strip[turn:] + strip[:turn]

    def clear(self) -> None:
        for strip in self.strips:
            strip[:] = [" "] * len(strip)

    def fill(self, rows: range, columns: range, text: str) -> None:
        lines = text.replace("\r\n", "\n").split("\n") + [""] * len(rows)
        for row, line in zip(rows, lines, strict=False):
            for column, character in zip(columns, line.ljust(len(columns)), strict=False):
                strip, place = self.where[row][column]
                self.strips[strip][place] = character

    @property
    def rows(self) -> list[str]:
        return ["".join(self.strips[strip][place] for strip, place in row) for row in self.where]


@st.composite
def spans(draw: st.DrawFn, count: int) -> tuple[object, range]:
    """An index or slice as a program may write it, and the numbers it means."""
    first, last = sorted((draw(st.integers(0, count - 1)), draw(st.integers(0, count - 1))))
    if draw(st.booleans()):
        return draw(st.sampled_from((first, first - count))), range(first, first + 1)
    start = draw(st.sampled_from((first, first - count) if first else (0, None)))
    stop = draw(st.sampled_from((last + 1, last + 1 - count) if last + 1 < count else (count, None)))
    return slice(start, stop), range(first, last + 1)


TEXT = st.one_of(st.text(max_size=30), st.text("beeÉé°→\\ ßπ\n", max_size=90))


def step(data: st.DataObject, panel: Panel, model: Model) -> None:
    """One thing that a program may do, done to both."""
    kind = data.draw(st.sampled_from("tttttrcsvk"))
    if kind == "c":
        panel.clear()
        model.clear()
    elif kind == "s":
        columns = data.draw(st.integers(-90, 90))
        panel.slide(columns)
        model.slide(columns)
    elif kind == "v":
        panel.visible = data.draw(st.booleans())
    elif kind == "k":
        panel.cursor = data.draw(st.integers(0, model.shape[0] - 1)), data.draw(st.integers(0, model.shape[1] - 1))
        panel.cursor_shape = data.draw(st.sampled_from((None, "underline", "block", "both")))
    else:
        text = data.draw(TEXT)
        (row_key, rows), (column_key, columns) = (data.draw(spans(count)) for count in model.shape)
        if kind == "r":
            columns = range(model.shape[1])
        panel[row_key if kind == "r" else (row_key, column_key)] = text
        model.fill(rows, columns, text)


@pytest.mark.parametrize("hz", [100_000, 400_000, 1_000_000])
@pytest.mark.parametrize("size", SIZES)
@settings(max_examples=25, deadline=None)
@given(data=st.data())
def test_the_panel_shows_what_was_wanted_without_a_violation(size: str, hz: int, data: st.DataObject) -> None:
    rom = data.draw(st.sampled_from(("A00", "A02")))
    oscillator_hz = data.draw(st.sampled_from((190_000, 270_000, 350_000)))
    panel = wired(
        size, hz, rom, data.draw(st.integers(0, 3)), data.draw(st.integers(0, 1)), oscillator_hz=oscillator_hz
    )
    model = Model(size)
    for _ in range(data.draw(st.integers(1, 8))):
        if data.draw(st.booleans()):
            step(data, panel, model)
        else:
            with panel.together():
                for _ in range(3):
                    step(data, panel, model)
        find = rom_named(rom).find
        assert panel.twin.cells == [[find(character)[0] for character in row] for row in model.rows]
        assert panel.rows == model.rows
        chip = panel.twin.controller
        assert chip.on == panel.visible
        assert (chip.underline, chip.blink) == (
            panel.cursor_shape in ("underline", "both"),
            panel.cursor_shape in ("block", "both"),
        )
    panel.twin.port.wait_us(100)  # the address counter moves after the last byte has been taken
    assert panel.cursor_shape is None or panel.twin.cursor == panel.cursor
    assert panel.twin.violations == []


@settings(max_examples=150, deadline=None)
@given(
    garbage=st.binary(max_size=40),
    seed=st.integers(0, 999),
    board=st.integers(0, 3),
    size=st.sampled_from(sorted(SIZES)),
)
def test_start_up_works_from_any_state(garbage: bytes, seed: int, board: int, size: str) -> None:
    controller = Controller(slow_supply=True, seed=seed, oscillator_hz=190_000)
    twin, bus = backpack_twin(size, "A00", 100_000, 0x27, BOARDS[board], controller=controller)
    bus.wait_us(60_000)
    bus.write(0x27, garbage)
    panel = Panel(size, Backpack(bus, 0x27, lines=BOARDS[board]), twin=twin)
    panel[0, :5] = "Hello"
    assert twin.rows == ["Hello".ljust(panel.shape[1])] + [" " * panel.shape[1]] * (panel.shape[0] - 1)
    panel.slide(panel.shape[1])
    assert "".join(twin.rows).replace("Hello", "").strip() == ""


@pytest.mark.parametrize("hz", [100_000, 400_000])
def test_few_bytes_go_over_the_bus(hz: int) -> None:
    panel = wired("20x4", hz)
    bus = panel.twin.port
    panel[2, 3] = "!"

    def cost(key: object, text: str) -> tuple[int, int]:
        before = bus.sent, bus.transfers
        panel[key] = text
        return bus.sent - before[0], bus.transfers - before[1]

    everything = "\n".join(letter * 20 for letter in "abcd")
    full_bytes, full_transfers = cost(slice(None), everything)
    assert full_bytes <= 340  # 327 is the limit: address, 5 states, 1 for RS, 4 for each of 80 characters
    assert full_transfers == 1
    assert cost((1, 4), "7") <= (12, 1)
    assert cost((1, 4), "7") == (0, 0)
    assert panel.twin.rows[1] == "bbbb7" + "b" * 15


def test_shorter_text_leaves_nothing_behind() -> None:
    panel = lumek.simulate("16x2")
    panel[0] = "Good morning"
    panel[0] = "Bees"
    panel[1, 4:12] = "41.4 kg too long"
    panel[1, -1] = "π"
    assert panel.rows == panel.twin.rows == ["Bees            ", "    41.4 kg    π"]
    assert panel[1, 4:12] == "41.4 kg "
    assert panel[0:2, 0:5] == "Bees \n    4"


def test_the_backlight_goes_with_the_text() -> None:
    for board, level in ((0, 1), (1, 0)):
        panel = wired("16x2", board=board, level=level)
        assert panel.twin.backlight
        panel.backlight = False
        assert not panel.twin.backlight
        panel[0] = "still dark"
        assert (panel.backlight, panel.twin.backlight, panel.twin.violations) == (False, False, [])
    with pytest.raises(LumekError, match="has no backlight line"):
        wired("16x2", board=3).backlight = True


def test_what_was_replaced_can_be_found_out() -> None:
    panel = lumek.simulate("16x2")
    panel[1, 3:6] = "é½m"
    assert panel.compromises == {(1, 3): ("é", "e"), (1, 4): ("½", "?")}
    assert panel.twin.rows[1].strip() == "e?m"


MISTAKES = [
    (lambda p: p.__setitem__(2, "x"), IndexError, "row 2 does not exist on a 16x2 panel (rows are 0 and 1)"),
    (lambda p: p.__setitem__((0, 16), "x"), IndexError, "columns are 0 to 15"),
    (lambda p: p.__setitem__((0, 1, 2), "x"), IndexError, "not (0, 1, 2)"),
    (lambda p: p.__getitem__((0, slice(9, 99))), IndexError, "columns 9:99 are not on a 16x2 panel"),
    (lambda p: p.__setitem__(0, 41.4), TypeError, "cells take text, not 41.4 (float)"),
    (lambda p: p.__setitem__(0, None), TypeError, "not None"),
    (lambda p: setattr(p, "cursor", 3), TypeError, "cursor takes (row, column), not 3"),
    (lambda p: setattr(p, "cursor", (0, 40)), IndexError, "column 40 does not exist"),
    (lambda p: setattr(p, "cursor_shape", "hand"), ValueError, "'underline', 'block', 'both' and None"),
    (lambda p: setattr(p, "visible", "yes"), ValueError, "visible is True or False, not 'yes'"),
    (lambda p: setattr(p, "backlight", 0.5), ValueError, "backlight is True or False, not 0.5"),
    (lambda p: p.slide(1.5), ValueError, "whole number of columns, not 1.5"),
    (lambda p: Panel("17x2", None), ValueError, "there is no '17x2' panel"),
    (lambda p: lumek.simulate("16x2", rom="B01"), ValueError, "there is no ROM 'B01'"),
    (lambda p: Backpack(p.twin.port, 0x50), ValueError, "0x50 is not one of a backpack: possible are pcf8574 0x20"),
    (lambda p: Backpack(p.twin.port, "27"), ValueError, "address '27'"),
    (lambda p: Backpack(p.twin.port, 0x27, "pcf8574a"), ValueError, "0x27 is not one of pcf8574a"),
    (lambda p: Backpack(p.twin.port, expander="mcp23017"), ValueError, "'mcp23017' is not known"),
    (lambda p: Backpack(p.twin.port, lines={"rs": 0}), ValueError, "role 'e' has no line"),
    (lambda p: Backpack(p.twin.port, lines={**BOARDS[0], "d7": 6}), ValueError, "both 'd6' and 'd7'"),
    (lambda p: Backpack(p.twin.port, lines={**BOARDS[0], "d7": 8}), ValueError, "0 to 7, not 8"),
    (lambda p: Backpack(p.twin.port, lines={**BOARDS[0], "reset": 1}), ValueError, "role 'reset' is not one"),
    (lambda p: Backpack(p.twin.port, backlight_on=2), ValueError, "0 or 1, not 2"),
    (lambda p: Panel("16x2", Backpack(p.twin.port, 0x20)), OSError, "nobody acknowledges at address 0x20"),
]


@pytest.mark.parametrize(("mistake", "kind", "message"), MISTAKES)
def test_a_mistake_is_one_clear_error_and_changes_nothing(mistake: object, kind: type, message: str) -> None:
    panel = lumek.simulate("16x2")
    panel[0] = "Hive 3"
    with pytest.raises(LumekError) as caught:
        mistake(panel)
    assert isinstance(caught.value, kind)
    assert message in str(caught.value)
    assert "\n" not in str(caught.value)
    panel[1] = "41.4 kg"
    assert panel.twin.rows == panel.rows == ["Hive 3".ljust(16), "41.4 kg".ljust(16)]


@settings(max_examples=60, deadline=None)
@given(after=st.integers(0, 330), hz=st.sampled_from((100_000, 1_000_000)))
def test_a_bus_that_fails_in_the_middle_loses_nothing(after: int, hz: int) -> None:
    panel = wired("20x4", hz)
    panel[2:] = "stands\nsince before"
    panel.slide(2)
    panel.backlight = False
    panel.twin.port.cut(after)
    text = "\n".join(letter * 20 for letter in "abcd")
    failed = False
    try:
        panel[:] = text
    except BusError:
        failed = True
    assert failed or after > 300
    panel.twin.port.mend()
    panel[0, 0] = "!"
    assert panel.rows == panel.twin.rows == ["!" + "a" * 19, "b" * 20, "c" * 20, "d" * 20]
    assert not panel.twin.backlight
    assert [v for v in panel.twin.violations if v.rule == "busy"] == []


def test_an_error_inside_together_still_brings_what_was_assigned() -> None:
    panel = lumek.simulate("16x2")
    transfers = panel.twin.port.transfers
    with pytest.raises(KeyError), panel.together(), panel.together():
        panel[0] = "first"
        panel[1] = "second"
        assert panel.twin.rows == [" " * 16] * 2
        raise KeyError("program's own")
    assert panel.twin.rows == panel.rows
    assert panel.twin.port.transfers == transfers + 1


def test_several_threads_write_without_harm() -> None:
    panel = lumek.simulate("20x4", hz=400_000)

    def work(row: int) -> None:
        for number in range(40):
            with panel.together():
                panel[row, 0:10] = f"{row}:{number}"
                panel[row, 10:] = f"{number:>10}"

    threads = [threading.Thread(target=work, args=(row,)) for row in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert panel.twin.rows == panel.rows == [f"{row}:39      {39:>10}" for row in range(4)]
    assert panel.twin.violations == []


def test_a_closed_panel_keeps_its_text_and_takes_no_more() -> None:
    with lumek.simulate("8x2") as panel:
        panel[:] = "Hive\n3"
    with pytest.raises(lumek.ClosedError, match="was closed"):
        panel[0] = "x"
    assert panel.twin.rows == ["Hive    ", "3       "]
    assert (panel.size, panel.shape, repr(panel)) == ("8x2", (2, 8), "<Panel 8x2, ROM A00, Backpack>")
