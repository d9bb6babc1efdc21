"""Drawing in the terminal: key by key, with the mouse, back and forth, and what is left of it after a crash."""

import asyncio
import contextlib
import fcntl
import os
import pty
import signal
import struct
import subprocess
import sys
import termios
import threading
from collections.abc import Awaitable, Callable
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from textual.pilot import Pilot
from textual.widget import Widget
from textual.widgets import Input

import lumek
from cli.test_cli import run
from lumek import BusError, Glyph, Panel, simulate
from lumek.glyphs import GlyphSet, load, save, shipped
from lumek.glyphs.draft import Draft
from lumek.glyphs.editor.app import Editor
from lumek.glyphs.editor.dot_canvas import DotCanvas, GlyphList
from lumek.glyphs.sketch import Sketch
from support.effort import tries
from support.waiting import until

BEE = simulate("16x2").glyphs["🐝"]
EMPTY = GlyphSet({})


class Hand:
    """A pilot that knows when all of what it did is done, however slow the machine is."""

    def __init__(self, pilot: Pilot[None], app: Editor) -> None:
        self._pilot, self._app = pilot, app

    async def press(self, *keys: str) -> None:
        """Press keys."""
        for key in keys:
            await self._pilot.press(key)
        await self.settle()

    async def answer(self, key: str, text: str) -> None:
        """Press a key, and answer what is asked then."""
        await self.press(key)
        self._app.query_one("#prompt", Input).value = text
        await self.press("enter")

    async def mouse(self, what: str, x: int, y: int, on: type[Widget] = DotCanvas) -> None:
        """Do something with the mouse."""
        await getattr(self._pilot, what)(on, offset=(x, y))
        await self.settle()

    async def settle(self) -> None:
        """Wait for every message so far: an event goes from the program to a widget, and its action back."""
        for node in (self._app, self._app.focused or self._app, self._app.query_one(GlyphList), self._app):
            done = asyncio.Event()
            node.call_after_refresh(done.set)
            with contextlib.suppress(TimeoutError):  # a program that ends answers no more
                await asyncio.wait_for(done.wait(), 60 if self._app.is_running else 0.1)


@pytest.fixture(autouse=True)
def quick_pilot(monkeypatch: pytest.MonkeyPatch) -> None:
    """A pilot waits after each key; the hand knows better."""
    monkeypatch.setattr("textual._wait.SLEEP_GRANULARITY", 0.001, raising=False)


def drive(
    path: Path, act: Callable[[Hand, Editor], Awaitable[object]], glyphs: GlyphSet = EMPTY, real: Panel | None = None,
    size: tuple[int, int] = (80, 24),
) -> Editor:  # fmt: skip
    """Let a pilot drive the editor of a file."""

    async def driven() -> Editor:
        app = Editor(path, glyphs, simulate("20x2"), real)
        async with app.run_test(size=size) as pilot:
            await act(Hand(pilot, app), app)
        return app

    return asyncio.run(driven())


def title(app: Editor) -> str:
    return str(app.query_one("#title").render())


def test_the_bee_is_drawn_key_by_key_and_works_at_once(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    path = tmp_path / "bees.toml"
    real = simulate("16x2")

    async def act(hand: Hand, app: Editor) -> None:
        for row, line in enumerate(BEE.dots):
            for dot in line:
                await hand.press(*(["space"] if dot else []), "right")
            await hand.press("down")
            assert app.sketch.dots[row] == line
            assert f"0x{BEE.numbers[row]:02X}" in str(app.query_one(DotCanvas).render())
        assert np.array_equal(real.twin.dots()[0, 5], BEE.dots)
        await hand.press("u", "u", "U", "U", "U", "m", "m", "i", "i", "o", "o")
        await hand.answer("e", "bee 🐝")
        assert title(app) == "bees.toml (not saved): bee 🐝 | 1 of 8 slots"
        await hand.press("s")
        assert title(app) == "bees.toml: bee 🐝 | 1 of 8 slots | saved"
        await hand.press("q")

    drive(path, act, real=real)
    bees = load(path)
    assert (bees.drawings, [one.name for one in tmp_path.iterdir()]) == ({"🐝": BEE}, ["bees.toml"])
    panel = simulate("16x2")
    panel.glyphs.update(bees)
    assert run(capsys, "show", "Hive 🐝", "--glyphs", path)[0] == 0


def test_the_mouse_draws_erases_and_chooses(tmp_path: Path) -> None:
    async def act(hand: Hand, app: Editor) -> None:
        for row, line in enumerate(BEE.dots):
            for column, dot in enumerate(line):
                if dot:
                    await hand.mouse("click", 2 * column, row)
        assert app.sketch.glyphs["glyph_1"] == BEE
        await hand.press("m", "m", "x")
        await hand.mouse("mouse_down", 0, 0, DotCanvas)
        await hand.mouse("hover", 8, 4, DotCanvas)  # what is between is drawn, too
        await hand.mouse("hover", 30, 4, DotCanvas)  # beside the picture
        await hand.mouse("mouse_up", 8, 4, DotCanvas)
        assert app.sketch.dots == [[row == column for column in range(5)] for row in range(8)]
        await hand.mouse("click", 3, 1, DotCanvas)
        assert not app.sketch.dots[1][1]
        await hand.press("u", "u")  # a stroke is one step
        assert not any(map(any, app.sketch.dots))
        await hand.press("n", "n")
        await hand.mouse("click", 6, 2, GlyphList)
        assert app.sketch.state.name == "glyph_2"
        await hand.mouse("click", 6, 20, GlyphList)
        assert app.sketch.state.name == "glyph_2"

    drive(tmp_path / "a.toml", act)


def test_dots_are_larger_where_there_is_room(tmp_path: Path) -> None:
    async def act(hand: Hand, app: Editor) -> None:
        scale = app.query_one(DotCanvas).scale
        assert scale == 3
        await hand.mouse("click", 2 * scale * 4 + 5, 7 * scale + 2)
        assert [
            (row, column) for row, line in enumerate(app.sketch.dots) for column, dot in enumerate(line) if dot
        ] == [(7, 4)]
        assert len(str(app.query_one(DotCanvas).render()).split("\n")) == 8 * scale + 1

    drive(tmp_path / "a.toml", act, size=(120, 45))


@pytest.mark.slow
def test_every_key_does_what_the_screen_says(tmp_path: Path) -> None:
    async def act(hand: Hand, app: Editor) -> None:
        def art() -> str:
            return app.sketch.glyphs[app.sketch.state.name].art.replace("\n", " ").rstrip(". ")

        await hand.press("r", "c")
        assert art() == "##### #.... #.... #.... #.... #.... #.... #"
        await hand.press("t")
        await hand.press("u", "shift+right", "shift+down")
        assert art() == ".#... ##### .#... .#... .#... .#... .#... .#"
        await hand.press("k", "n", "v", "d", "x", "tab", "shift+tab")
        assert [glyph.art for glyph in app.sketch.glyphs.values()][:2] == 2 * [app.sketch.glyphs["glyph_1"].art]
        assert (app.sketch.state.name, len(app.sketch.glyphs), art()) == ("glyph_3", 3, "")
        await hand.press("D", "D", "D")
        assert title(app).endswith("a set keeps at least one glyph: clear it, or add another one first")
        await hand.answer("w", "no place")
        assert title(app).endswith("put {} where the glyph belongs")
        await hand.answer("w", "bee {}")
        assert app.seen.rows[0].startswith("bee ￼")
        await hand.answer("e", "x too much")
        assert "draws one character" in title(app)
        await hand.press("e", "escape", "b", "escape", "n", "a")
        turn = app.turn
        while app.turn == turn:
            await asyncio.sleep(0.05)
        await hand.press("a")
        await hand.answer("b", "5x1")
        assert title(app).endswith("'5x1' is not a block: write it as 2x1, at most 4x2 cells")
        await hand.answer("b", "2x2")
        assert len(app.query_one(DotCanvas).render().plain.split("\n")) == 18
        await hand.press("up")
        assert app.query_one("#drawing").scroll_y > 0  # the last row is in sight
        await hand.press("down", *6 * ["right"], "space")  # over the gap
        assert app.sketch.block.cells[0][1].numbers == (0b01000, 0, 0, 0, 0, 0, 0, 0)
        assert not app.sketch.dots[0][5]
        await hand.answer("e", "logo")
        await hand.press("D")
        assert (app.sketch.glyphs.blocks, len(app.sketch.glyphs)) == ({}, 2)
        for key, step in (("u", app.sketch.undo), ("U", app.sketch.redo)):
            while step():
                pass
            await hand.press(key)
            assert title(app).endswith("nothing left to undo or redo")

    drive(tmp_path / "a.toml", act)


def test_changes_are_not_lost_by_leaving_or_by_a_crash(tmp_path: Path) -> None:
    path = tmp_path / "bees.txt"
    before = GlyphSet({"bee": BEE}, {"bee": "🐝"})
    save(before, path)

    async def crash(hand: Hand, app: Editor) -> None:
        await hand.press("i")

    async def stay(hand: Hand, app: Editor) -> None:
        assert app.sketch.glyphs["bee"] == ~BEE
        assert title(app).endswith("unsaved changes restored; u undoes them")
        await hand.press("q", "escape", "u")
        assert app.sketch.glyphs == before
        assert app.is_running
        await hand.press("U", "q", "s")

    drive(path, crash, before)
    assert load(path) == before
    drive(path, stay, before)
    assert load(path)["bee"] == ~BEE
    assert Draft(path).found() is None

    async def drop(hand: Hand, app: Editor) -> None:
        await hand.press("x", "q", "d")

    drive(path, drop, load(path))
    assert load(path)["bee"] == ~BEE
    assert [one.name for one in tmp_path.iterdir()] == ["bees.txt"]

    async def elsewhere(hand: Hand, app: Editor) -> None:
        await hand.answer("S", str(tmp_path / "none" / "a.toml"))
        assert "not saved: No such file or directory" in title(app)
        await hand.answer("S", str(tmp_path / "bees.gif"))
        assert "has no known ending" in title(app)
        await hand.answer("b", "2x1")
        await hand.answer("S", str(tmp_path / "bees.h"))
        assert title(app).endswith("saved; c holds no blocks: block left out")

    drive(path, elsewhere, before)
    assert load(tmp_path / "bees.h")["bee"] == BEE


def test_a_panel_that_goes_away_is_told_and_shows_the_glyph_when_it_is_back(tmp_path: Path) -> None:
    panel = simulate("16x2")
    bus, write = panel.twin.port, panel.twin.port.write

    def failing(address: int, data: bytes) -> None:
        raise BusError("the wire is loose")

    async def act(hand: Hand, app: Editor) -> None:
        bus.write = failing
        await hand.press("space")
        assert title(app).endswith("the wire is loose")
        bus.write = write
        await hand.press("i", "i")
        assert panel.twin.dots()[0, 5, 0, 0]
        await hand.press("q", "d")

    drive(tmp_path / "a.toml", act, real=panel)


STEPS = st.sampled_from(
    ["mirror", "upend", "invert", "turn", "clear", "keep", "add", "undo", "redo", "remove", "paste"]
)


@tries(60)
@given(st.lists(STEPS | st.tuples(st.integers(-2, 20), st.integers(-2, 30)), max_size=25), st.booleans())
def test_every_step_can_be_undone_and_redone(steps: list[object], block: bool) -> None:
    sketch = Sketch(shipped("faces"))
    if block:
        sketch.add_block(3, 2)
    states = []
    for step in steps:
        with contextlib.suppress(lumek.GlyphError):
            if isinstance(step, tuple):
                sketch.toggle(*step)
                sketch.fill_row(step[0])
                sketch.shift(*step)
            else:
                getattr(sketch, str(step))()
        states.append(sketch.state)
        assert sketch.places
        assert not any(dot and not sketch.is_dot(row, column) for row, line in enumerate(sketch.dots)
                       for column, dot in enumerate(line))  # fmt: skip
    while sketch.undo():
        pass
    assert sketch.glyphs == shipped("faces")
    while sketch.redo():
        pass
    for twice in (sketch.mirror, sketch.upend, sketch.invert):
        before = sketch.dots
        twice()
        twice()
        assert sketch.dots == before


def test_four_quarters_are_a_whole_turn_where_nothing_is_cut() -> None:
    sketch = Sketch(GlyphSet({"a": Glyph([0, 0, 0b10000, 0b11110, 0, 0, 0, 0])}))
    seen = []
    for _ in range(4):
        sketch.turn()
        seen.append(sum(map(sum, sketch.dots)))
    assert (seen, sketch.glyphs["a"]) == ([5] * 4, Glyph([0, 0, 0b10000, 0b11110, 0, 0, 0, 0]))


def test_a_killed_editor_leaves_what_was_drawn(tmp_path: Path) -> None:
    path = tmp_path / "bees.toml"

    def started() -> tuple[subprocess.Popen[bytes], int]:
        main, other = pty.openpty()
        fcntl.ioctl(other, termios.TIOCSWINSZ, struct.pack("HHHH", 24, 80, 0, 0))
        command = [sys.executable, "-m", "lumek", "glyph", "edit", str(path)]
        program = subprocess.Popen(command, stdin=other, stdout=other, stderr=other, close_fds=True,
                                   env={**os.environ, "TERM": "xterm-256color"}, start_new_session=True)  # fmt: skip
        os.close(other)
        return program, main

    def seen(main: int) -> list[bytes]:
        """What the terminal was sent, while it goes on."""
        parts: list[bytes] = []

        def read() -> None:
            with contextlib.suppress(OSError):
                while part := os.read(main, 65536):
                    parts.append(part)

        threading.Thread(target=read, daemon=True).start()
        return parts

    program, main = started()
    shown = seen(main)
    until(lambda: b"animate" in b"".join(shown), "the keys on the screen")
    os.write(main, b"r")
    draft = Draft(path)
    until(lambda: draft.found() is not None, "what was drawn")
    program.send_signal(signal.SIGKILL)
    program.wait()
    assert draft.found()["glyph_1"] == Glyph([31, 0, 0, 0, 0, 0, 0, 0])
    os.close(main)
    program, main = started()
    shown = seen(main)
    until(lambda: b"animate" in b"".join(shown), "the keys on the screen")
    os.write(main, b"s")
    until(path.exists, "the file")
    os.write(main, b"q")
    assert program.wait(60) == 0
    os.close(main)
    assert load(path)["glyph_1"] == Glyph([31, 0, 0, 0, 0, 0, 0, 0])


def test_without_textual_the_extra_is_named(
    capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    for name in [name for name in sys.modules if name.startswith(("textual", "lumek.glyphs.editor"))]:
        monkeypatch.delitem(sys.modules, name)
    monkeypatch.setitem(sys.modules, "textual", None)
    code, _, err = run(capsys, "glyph", "edit", "a.toml")
    assert (code, err) == (1, "lumek: lumek glyph edit needs textual: pip install 'lumek[edit]'\n")
