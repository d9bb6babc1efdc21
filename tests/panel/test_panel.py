"""Panel, link, port and simulated panel together."""

import contextlib
import io
import sys
import threading
import unicodedata
from types import FrameType
from typing import Any

import numpy as np
import pytest
import regex
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

import lumek
from lumek import Backpack, BusError, Glyph, LumekError, NoGlyphError, Panel, simulate
from lumek._together import Together
from lumek.core.geometry import SIZES
from lumek.roms import rom_named
from lumek.twin import Controller, TwinBus, TwinLines, backpack_twin
from lumek.twin.dots import patterns
from lumek.views.picture import picture
from support.effort import tries
from support.wirings import USB_WIRINGS, WIRINGS

ROLES = "rs", "rw", "e", "backlight", "d4", "d5", "d6", "d7"
BOARDS = [dict(zip(ROLES, bits, strict=True)) for bits in ((0, 1, 2, 3, 4, 5, 6, 7), (6, 5, 4, 7, 0, 1, 2, 3))]
BOARDS.append({"rs": 3, "rw": 0, "e": 7, "d4": 6, "d5": 1, "d6": 5, "d7": 2})
ABCD = "\n".join(letter * 20 for letter in "abcd")


def wired(size: str, hz: int = 100_000, rom: str = "A00", board: int = 0, level: int = 1, **chip: object) -> Panel:
    twin, bus = backpack_twin(size, rom, hz, 0x3F, BOARDS[board], level, [Controller(**chip) for _ in range(2)])
    return Panel(size, Backpack(bus, 0x3F, lines=BOARDS[board], backlight_on=level), rom, twin=twin)


class Model:
    """What should stand on the glass: the controller's lines as strips of text that turn under a window."""

    def __init__(self, size: str) -> None:
        columns, rows = (16, 1) if size == "8+8x1" else map(int, size.split("x"))
        lines = 4 if size == "40x4" else 1 if rows == 1 and "+" not in size else 2
        self.strips = np.full((lines, 80 if lines == 1 else 40), " ", dtype=object)
        places = np.arange(self.strips.size).reshape(self.strips.shape)
        halves = [places[0, :8], places[1, :8]] if "+" in size else []
        self.glass = np.array(
            [np.concatenate(halves)]
            if halves
            else [places[r % lines, r // lines * columns :][:columns] for r in range(rows)]
        )

    def fill(self, rows: range, columns: range, lines: list[list[str]]) -> None:
        for row, line in zip(rows, lines + [[]] * len(rows), strict=False):
            for place, written in zip(self.glass[row, columns.start : columns.stop], line + [" "] * 90, strict=False):
                self.strips.flat[place] = written

    @property
    def cells(self) -> list[list[str]]:
        return self.strips.ravel()[self.glass].tolist()


@st.composite
def spans(draw: st.DrawFn, count: int) -> tuple[object, range]:
    """An index or slice as a program may write it, and the numbers it means."""
    first, end = sorted(draw(st.lists(st.integers(0, count), min_size=2, max_size=2, unique=True)))
    if draw(st.booleans()):
        return draw(st.sampled_from((first, first - count))), range(first, first + 1)
    start = draw(st.sampled_from((first, first - count) if first else (0, None)))
    return slice(start, draw(st.sampled_from((end, end - count) if end < count else (end, None)))), range(first, end)


def lines_of(text: str) -> list[list[str]]:
    """The cells of a text as somebody else cuts it: the regex module's extended grapheme clusters."""
    return [
        regex.findall(r"\X", unicodedata.normalize("NFC", line))
        for line in regex.split("\r\n|[\r\n\u2028\u2029]", text)
    ]


# Where the rules of one script join letters, and where invisible characters begin a line, Lumek cuts otherwise.
CUT_ALIKE = regex.compile(r"(?!\p{Variation_Selector}|\p{Mc}|\p{ccc=9})(\p{GCB=Other}|\p{GCB=LV}|\p{GCB=LVT}|\p{M})")
ANYTHING = st.characters(exclude_categories=["Cc", "Cf", "Cs", "Cn"]).filter(CUT_ALIKE.match)
CLUSTERS = ["e\u0301", "x\u0304", *"жώ🐝½ł█🔋€ğ✓ア", "❤️", "👩‍🌾", "🇨🇭", "👍🏽", "1️⃣", "\r\n"]
TEXT = st.one_of(
    st.text(ANYTHING, max_size=30),
    st.text("beeÉé°→\\ ßπ\n", max_size=90),
    st.lists(st.sampled_from(CLUSTERS), max_size=40).map("".join),
)
GLYPHS = st.lists(st.integers(0, 31), min_size=8, max_size=8).map(Glyph)


def step(draw: st.DrawFn, panel: Panel, model: Model) -> None:
    """One thing that a program may do, done to both."""
    kind = draw(st.sampled_from("tttttrcskgG"))
    if kind == "c":
        panel.clear()
        model.strips[:] = " "
    elif kind == "s":
        columns = draw(st.integers(-90, 90))
        panel.slide(columns)
        model.strips = np.roll(model.strips, columns, axis=1)
    elif kind == "k":
        panel.visible = draw(st.booleans())
        panel.leftward = draw(st.booleans())
        panel.cursor = tuple(draw(st.integers(0, count - 1)) for count in panel.shape)
        panel.cursor_shape = draw(st.sampled_from((None, "underline", "block", "both")))
    elif kind == "g":
        character = draw(st.sampled_from("🐝eé½"))
        panel.glyphs[character] = draw(GLYPHS)
        panel.glyphs.prefer(character, draw(st.integers(-1, 1)))
        if draw(st.booleans()):
            del panel.glyphs[character]
    else:
        text = draw(TEXT)
        (row_key, rows), (column_key, columns) = (draw(spans(count)) for count in panel.shape)
        if kind == "r":
            column_key, columns = slice(None), range(panel.shape[1])
        lines: list[list[object]] = [*lines_of(text)]
        if kind == "G":
            lines = [[draw(GLYPHS), *lines[0]]]
            panel[row_key, column_key] = [lines[0][0], regex.split("\r|\n", text)[0]]
        else:
            panel[row_key, column_key] = text
        if panel.leftward:
            width = len(columns)
            lines = [[" "] * (width - len(line)) + line[:width][::-1] for line in lines]
        model.fill(rows, columns, lines)


def intended(panel: Panel, written: str | Glyph) -> list[list[bool]] | None:
    """The dots that somebody who wrote this wants to see."""
    if isinstance(written, Glyph):
        return written.dots
    bare = regex.sub(r"(?<=.)[\p{Variation_Selector}\p{Emoji_Modifier}]", "", written)
    code = panel.twin.rom.code(bare)
    if code is not None and bare not in panel.glyphs:
        return patterns(panel.twin.rom, bytes(64))[code].tolist()
    with contextlib.suppress(NoGlyphError):
        return panel.glyphs[bare].dots
    return None


def seen(panel: Panel) -> list[list[list[list[bool]]]]:
    """The dots of every cell, whether the display is on or off."""
    twin, rows = panel.twin, []
    for row, codes in enumerate(twin.cells):
        chip = twin.controllers[row * len(twin.controllers) // panel.shape[0]]
        rows.append(patterns(twin.rom, bytes(chip.cgram))[codes].tolist())
    return rows


def looks_right(panel: Panel, model: Model) -> None:
    """Every cell shows what was intended, or what the list of compromises says when there was nothing better."""
    twin, compromises, dots = panel.twin, panel.compromises, seen(panel)
    for row, line in enumerate(model.cells):
        chip = twin.controllers[row * len(twin.controllers) // panel.shape[0]]
        for column, written in enumerate(line):
            code, wanted = twin.cells[row][column], intended(panel, written)
            if (row, column) in compromises:
                text, shown = compromises.pop((row, column))
                assert text == ("\ufffc" if isinstance(written, Glyph) else written)
                assert text != shown or text in panel.glyphs
                assert twin.rom.find(shown) == (code, shown)
                assert wanted is None or {*range(8)} <= {*chip.ddram}  # all slots are in use
            else:
                assert dots[row][column] == wanted
    assert compromises == {}


@pytest.mark.parametrize(
    "wiring", [*WIRINGS, *[pytest.param(wiring, marks=pytest.mark.slow) for wiring in USB_WIRINGS]]
)
@pytest.mark.parametrize("size", SIZES)
@tries(8, least=1)
@given(data=st.data())
def test_the_panel_shows_what_was_wanted_without_a_violation(size: str, wiring: str, data: st.DataObject) -> None:
    rom, oscillator_hz = data.draw(st.tuples(st.sampled_from(("A00", "A02")), st.sampled_from((190, 270, 350))))
    chips = [Controller(oscillator_hz * 1000) for _ in range(2)]
    twin, link = (WIRINGS | USB_WIRINGS)[wiring](data.draw, size, chips)
    panel, model = Panel(size, link, rom, twin=twin), Model(size)
    twin.rom = rom_named(rom)
    for repeats in data.draw(st.lists(st.sampled_from((1, 1, 3)), min_size=1, max_size=8)):
        with panel.together():
            for _ in range(repeats):
                step(data.draw, panel, model)
        looks_right(panel, model)
        text = [["\ufffc" if isinstance(written, Glyph) else written for written in row] for row in model.cells]
        assert panel.rows == ["".join(row) for row in text]
        chip = twin.controllers[panel.cursor[0] * len(twin.controllers) // panel.shape[0]]
        shape = {(0, 0): None, (1, 0): "underline", (0, 1): "block", (1, 1): "both"}[chip.underline, chip.blink]
        assert (chip.on, shape) == (panel.visible, panel.cursor_shape)
        if link.can_read:
            character = twin.rom.character
            assert panel.read_back() == [
                "".join(
                    (character(code) or "\ufffd") if code > 7 else written for code, written in zip(*row, strict=True)
                )
                for row in zip(twin.cells, text, strict=True)
            ]
    panel.twin.port.wait_us(100)  # the address counter moves after the last byte has been taken
    assert panel.cursor_shape is None or panel.twin.cursor == panel.cursor
    assert panel.twin.violations == []
    if link.has_backlight:
        panel.backlight = not data.draw(st.booleans())
    assert twin.backlight == (panel.backlight or not link.has_backlight)


CALLS = "write", "read", "drive", "sense", "send"


def disturb(data: st.DataObject, port: Any, address: int) -> None:
    """What another program or a host that was reset may have done before."""
    for chance in data.draw(st.lists(st.binary(min_size=1, max_size=5), max_size=12)):
        if isinstance(port, TwinBus):
            port.write(address, chance)
        elif isinstance(port, TwinLines):
            port.drive({line: byte & 1 for line, byte in zip(list(port.levels)[chance[0] % 8 :], chance, strict=False)})
        else:
            port.send(chance)


@pytest.mark.parametrize("wiring", WIRINGS)
@tries(30)
@given(st.data(), st.integers(0, 999), st.sampled_from(sorted(SIZES)))
def test_start_up_works_from_any_state(wiring: str, data: st.DataObject, seed: int, size: str) -> None:
    chips = [Controller(slow_supply=True, seed=seed + number, oscillator_hz=190_000) for number in range(2)]
    twin, link = WIRINGS[wiring](data.draw, size, chips)
    twin.port.wait_us(60_000)
    disturb(data, twin.port, getattr(link, "address", 0))
    panel = Panel(size, link, twin=twin)
    panel[0, :5] = "Hello"
    assert twin.rows == ["Hello".ljust(panel.shape[1])] + [" " * panel.shape[1]] * (panel.shape[0] - 1)
    panel.slide(panel.shape[1])
    assert "".join(twin.rows).replace("Hello", "").strip() == ""


@pytest.mark.parametrize(
    "wiring", [pytest.param(wiring, marks=[pytest.mark.slow] * (wiring == "direct 8 busy flag")) for wiring in WIRINGS]
)
@tries(40)
@given(st.data(), st.sampled_from(["16x2", "40x4"]), st.integers(1, 400))
def test_ctrl_c_at_any_moment_loses_nothing(wiring: str, data: st.DataObject, size: str, calls: int) -> None:
    twin, link = WIRINGS[wiring](data.draw, size, [Controller(190_000), Controller(350_000)])
    panel = Panel(size, link, twin=twin)
    panel[:] = "stands ž\nsince ж before"
    panel.slide(2)
    real = {name: getattr(twin.port, name) for name in CALLS if hasattr(twin.port, name)}
    left = [calls if "direct" in wiring or "lines" in wiring else calls % 5]

    def stopped(name: str) -> object:
        def call(*arguments: object) -> object:
            left[0] -= 1
            if left[0] < 0:
                raise KeyboardInterrupt
            return real[name](*arguments)

        return call

    for name in real:
        setattr(twin.port, name, stopped(name))
    with contextlib.suppress(KeyboardInterrupt):
        panel[:] = "a\nb λž"
        panel.glyphs["ž"] = Glyph([21] * 8)
        panel.slide(-1)
    for name, call in real.items():
        setattr(twin.port, name, call)
    panel[0, 5] = "!"
    assert seen(panel) == [[intended(panel, written) for written in line] for line in panel.rows]


@pytest.mark.parametrize("hz", [100_000, 400_000])
def test_few_bytes_go_over_the_bus(hz: int) -> None:
    panel = wired("20x4", hz)
    bus = panel.twin.port
    panel[2, 3] = "!"
    costs = []
    for key, text in ((slice(None), ABCD), ((1, 4), "7"), ((1, 4), "7")):
        before = bus.sent, bus.transfers
        panel[key] = text
        costs.append((bus.sent - before[0], bus.transfers - before[1]))
    # The limit of a full redraw is 327: the address, 5 states to position, 1 for RS, 4 for each of 80 characters.
    assert costs[0] <= (340, 1)
    assert costs[1:] == [(11, 1), (0, 0)]
    assert panel.twin.rows == ["a" * 20, "bbbb7" + "b" * 15, "c" * 20, "d" * 20]


def test_shorter_text_leaves_nothing_behind_and_all_can_be_read_back() -> None:
    with lumek.simulate("16x2") as panel:
        panel[0] = "Good morning"
        panel[0] = "Bees"
        panel[1, 4:12] = "41.4 kg too long"
        panel[1, -4:] = "½漢π"
    assert panel.twin.rows == ["Bees            ", "    41.4 kg \ufffd?π "]
    assert panel.rows == ["Bees            ", "    41.4 kg ½漢π "]
    assert panel[0:2, 0:5] == "Bees \n    4"
    assert panel.compromises == {(1, 13): ("漢", "?")}
    assert (panel.size, panel.shape) == ("16x2", (2, 16))
    assert [repr(one) for one in (panel, panel.twin, panel.twin.port)] == [
        "<Panel 16x2, ROM A00, <Backpack at 0x27>>", "<Twin 16x2, ROM A00, 0 violations>",
        "<TwinBus 100000 Hz, devices at 0x27>",
    ]  # fmt: skip
    with pytest.raises(lumek.ClosedError, match="was closed"):
        panel[0] = "x"


def test_the_backlight_goes_with_the_text() -> None:
    for board, level, lit in ((0, 1, False), (1, 0, True), (1, 0, False)):
        panel = wired("16x2", board=board, level=level)
        panel.backlight = lit
        assert panel.twin.backlight is lit
        panel[0] = f"lit: {lit}"
        assert (panel.backlight, panel.twin.backlight, panel.twin.violations) == (lit, lit, [])
    panel = wired("16x2", board=2)
    assert panel.twin.backlight  # a board without the line has it on the supply
    with pytest.raises(LumekError, match="has no backlight line"):
        panel.backlight = True


@pytest.mark.parametrize(
    ("mistake", "kind", "message"),
    [
        (lambda p: p.__setitem__(2, "x"), IndexError, "row 2 does not exist on a 16x2 panel (rows are 0 and 1)"),
        (lambda p: p.__getitem__((0, slice(9, 99))), IndexError, "columns 9:99 are not on a 16x2 panel"),
        (lambda p: p.__setitem__(0, True), TypeError, "cells take text, a number, a Glyph or Text, not True (bool)"),
        (lambda p: p.__setitem__(0, "a\tb"), ValueError, "a control character (U+0009) cannot be shown in a cell"),
        (lambda p: p.__setitem__(0, ["a", 1]), TypeError, "parts of a row are text and glyphs, not 1"),
        (
            lambda p: p.glyphs.__setitem__("ab", Glyph([0] * 8)),
            ValueError,
            "of one character, such as '🐝', not of 'ab'",
        ),
        (lambda p: p.glyphs.__setitem__("a", [0] * 8), ValueError, "is a Glyph, such as Glyph('"),
        (lambda p: p.glyphs["漢"], LookupError, "panel.glyphs['漢'] = Glyph(...) adds one"),
        (lambda p: p.glyphs.__delitem__("a"), LookupError, "no glyph was given to 'a': there are none"),
        (lambda p: p.glyphs.prefer("a", 0.5), ValueError, "is a whole number, not 0.5"),
        (lambda p: Glyph("#"), ValueError, "a glyph has 8 rows, not 1"),
        (lambda p: p.__setitem__(None, "x"), IndexError, "a row is a whole number or a slice, not None"),
        (lambda p: setattr(p, "cursor", 3), IndexError, "place is (row, column), not 3"),
        (lambda p: setattr(p, "cursor_shape", "hand"), ValueError, "'underline', 'block', 'both' and None"),
        (lambda p: setattr(p, "visible", "yes"), ValueError, "visible is True or False, not 'yes'"),
        (
            lambda p: setattr(p, "backlite", False),
            AttributeError,
            "no attribute 'backlite': you can set backlight, contrast",
        ),
        (lambda p: p.slide(1.5), ValueError, "whole number of columns, not 1.5"),
        (
            lambda p: lumek.simulate("16x2", rom=["A00"]),
            ValueError,
            "there is no ROM ['A00']: ROMs are A00 (Japanese), A02 (European)",
        ),
        (lambda p: Panel(16, p.twin.port), ValueError, "a panel takes a link, such as Backpack(bus), not <"),
        (lambda p: Backpack(1, 0x27), ValueError, "a backpack takes a bus with its clock in hz, such as LinuxBus(1)"),
        (lambda p: lumek.simulate("16x2", hz=0), ValueError, "at 0 Hz"),
        (
            lambda p: Backpack(p.twin.port, 0x50),
            ValueError,
            "0x50 is not one of a backpack: possible are mcp23008 0x20",
        ),
        (lambda p: Backpack(p.twin.port, "27", "pcf8574a"), ValueError, "'27' is not one of pcf8574a"),
        (lambda p: Backpack(p.twin.port, lines={"rs": 0}), ValueError, "role 'e' has no line"),
        (lambda p: Backpack(p.twin.port, lines={**BOARDS[0], "d7": 6}), ValueError, "both 'd6' and 'd7'"),
        (lambda p: Backpack(p.twin.port, backlight_on=2), ValueError, "0 or 1, not 2"),
        (lambda p: Panel("16x2", Backpack(p.twin.port, 0x20)), OSError, "no device acknowledges at address 0x20"),
    ],
)
def test_a_mistake_is_one_clear_error_and_changes_nothing(mistake: object, kind: type, message: str) -> None:
    panel = lumek.simulate("16x2")
    panel[0] = "Hive 3"
    with pytest.raises(LumekError) as caught:
        mistake(panel)
    assert isinstance(caught.value, kind)
    assert message in str(caught.value)
    panel[1] = "41.4 kg"
    assert panel.twin.rows == panel.rows == ["Hive 3".ljust(16), "41.4 kg".ljust(16)]


@tries(60)
@given(st.integers(0, 320), st.sampled_from((100_000, 1_000_000)))
def test_a_bus_that_fails_in_the_middle_loses_nothing(after: int, hz: int) -> None:
    panel = wired("20x4", hz)
    panel[2:] = "stands\nsince before"
    panel.slide(2)
    panel.backlight = False
    panel.twin.port.cut(after)
    with pytest.raises(BusError):
        panel[:] = ABCD
    panel.twin.port.mend()
    panel[0, 0] = "!"
    assert panel.rows == panel.twin.rows == ["!" + "a" * 19, "b" * 20, "c" * 20, "d" * 20]
    assert not panel.twin.backlight
    # Where the wire came off between two nibbles, the restart finds the other half of a byte.
    assert {violation.rule for violation in panel.twin.violations} <= {"nibble phase"}
    panel.twin.port.write(0x3F, b"\x3c\x38" * 3)  # another program switches it to eight data lines
    panel[0, 0] = "?"
    assert panel.rows != panel.twin.rows
    panel.restart()
    assert panel.rows == panel.twin.rows


def test_an_error_inside_together_still_brings_what_was_assigned() -> None:
    panel = lumek.simulate("16x2")
    transfers = panel.twin.port.transfers
    with pytest.raises(KeyError), panel.together(), panel.together():  # noqa: PT012
        panel[:] = "first\nsecond"
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
    for act in (threading.Thread.start, threading.Thread.join):
        for thread in threads:
            act(thread)
    assert panel.twin.rows == panel.rows == [f"{row}:39      {39:>10}" for row in range(4)]
    assert panel.twin.violations == []


def test_rows_can_be_given_as_a_list() -> None:
    panel = simulate("16x2")
    panel[:] = ["Hive 3", "41.4 kg"]
    assert panel.twin.rows == ["Hive 3          ", "41.4 kg         "]
    panel[0] = ["Hive ", "4"]  # the parts of any other list come side by side
    assert panel.twin.rows[0] == "Hive 4          "


@pytest.mark.slow
def test_characters_that_cannot_be_shown_cost_the_same_after_thousands_of_them() -> None:
    panel = simulate("20x4")
    for first in range(0x20000, 0x20000 + 15_000, 80):
        panel[:] = "\n".join("".join(map(chr, range(first + row, first + row + 20))) for row in range(0, 80, 20))
    assert panel.twin.rows == ["?" * 20] * 4


def test_an_interrupt_anywhere_in_a_block_leaves_the_panel_alive() -> None:
    """Between any two instructions of entering and leaving: nothing may be held, and everything is shown afterwards."""
    codes = {Together.__enter__.__code__, Together.__exit__.__code__}
    panel = simulate("16x2")
    for place in range(1000):
        steps = 0

        def traced(frame: FrameType, event: str, argument: object, place: int = place) -> Any:
            nonlocal steps
            frame.f_trace_opcodes = True
            if event == "opcode":
                steps += 1
                if steps == place:
                    raise KeyboardInterrupt
            return traced

        before = sys.gettrace()  # of a measurement of coverage
        sys.settrace(lambda frame, *_: traced if frame.f_code in codes else None)
        try:
            with panel.together():
                panel[0] = str(place)
        except KeyboardInterrupt:
            pass
        finally:
            sys.settrace(before)
        other = threading.Thread(target=panel.__setitem__, args=(1, f"after {place}"), daemon=True)
        other.start()
        other.join(5)
        assert not other.is_alive(), f"step {place} keeps the lock"
        assert panel.twin.rows == panel.rows
        if steps < place:
            break
    assert 20 < place < 999


def test_restart_shows_everything_even_when_a_block_was_left_open() -> None:
    panel = simulate("16x2")
    left_open = panel.together()
    left_open.__enter__()
    panel[0] = "Hive 3"
    assert panel.twin.rows[0] == " " * 16
    panel.restart()
    panel[1] = "41.4 kg"
    assert panel.twin.rows == ["Hive 3          ", "41.4 kg         "]


def test_print_draws_the_glass_and_a_notebook_shows_its_picture() -> None:
    """The picture of a real panel is that of a simulated one which is given the same."""
    simulated = simulate("16x2")
    twin, bus = backpack_twin("16x2")
    real = Panel("16x2", Backpack(bus))
    pictures = []
    for panel in (simulated, real):
        panel.glyphs["x"] = Glyph([31] * 8)
        panel[0] = "Hive 3 🐝 x"
        panel[1, 4] = Glyph([21] * 8)
        assert str(panel).splitlines()[:2] == ["╭──────────────────╮", "│ Hive 3 🐝 x       │"]
        pictures.append(np.asarray(Image.open(io.BytesIO(panel._repr_png_()))))
        panel.visible = False
        assert set(str(panel).splitlines()[1]) == {"│", " "}
    assert real.twin is None
    assert (pictures[0] == pictures[1]).all()
    assert (pictures[1] != np.asarray(picture(twin))).any()  # its real one was made blank meanwhile


def test_a_panel_that_may_be_cleared_takes_less_to_another_face_and_shows_the_same() -> None:
    sent = {}
    for may_clear in (False, True):
        panel = lumek.simulate("20x4")
        panel[:] = "\n".join(["abcdefghijklmnopqrst"] * 4)
        before = panel.twin.port.sent
        with panel.together(), panel.together(may_clear=may_clear):
            panel[:] = "Hive 3\n\n      41.4 kg"
        sent[may_clear] = panel.twin.port.sent - before
        assert (panel.twin.rows, panel.twin.violations) == (panel.rows, [])
        before = panel.twin.port.sent
        with panel.together():  # what was allowed is over
            panel[0] = "H"
        assert panel.twin.port.sent - before > 20
    assert sent[True] < sent[False] / 2
