"""Decoding is judged by the simulated panel that took the same wires, pin by pin, with code of its own."""

from contextlib import suppress
from itertools import chain
from pathlib import Path

from hypothesis import given
from hypothesis import strategies as st
from vcd.writer import VCDWriter

from lumek.captures import decode
from lumek.captures.seen_panel import SeenPanel
from lumek.captures.vcd_file import VcdFile
from lumek.errors import CaptureError
from support.captured import Captured, check_what_is_sure, hookups, state, uses


def cut(file: Path, share: float) -> Path:
    """The rest of a capture from a sample on."""
    source = VcdFile(file)
    every = {name: 1 << place for place, name in enumerate(source.names)}
    samples = list(source.samples(every, 0))
    rest = samples[int(share * (len(samples) - 1)) :]
    part = file.with_name("part.vcd")
    with part.open("w") as out, VCDWriter(out, timescale="1 ns", comment="part", date="") as writer:
        wires = {name: writer.register_var("", name, "wire", 1, "x") for name in every}
        for at, word in rest:
            for name, mask in every.items():
                unseen = word >> 16 & mask
                writer.change(wires[name], at - rest[0][0], "z" if unseen else "1" if word & mask else "0")
    return part


@given(hookups(), uses())
def test_a_capture_from_its_first_edge_gives_what_the_simulated_panel_shows(hookup: str, doings: list) -> None:
    with Captured(hookup) as captured:
        panel = captured.run(doings)
        found = decode(captured.file, hookup=captured.hookup)
    assert not panel.twin.violations
    seen = found.panels[0]
    for follower, chip in zip(seen.followers, panel.twin.controllers, strict=True):
        assert state(follower.chip) == state(chip)
    view = seen.view(panel.twin.clock.now_ns)
    assert (view.rows, view.cursor, view.backlight) == (panel.twin.rows, panel.twin.cursor, panel.twin.backlight)
    assert (view.dots() == panel.twin.dots()).all()
    assert found.broken == {}
    # Of drawings that nobody sent, nothing is known.
    cells = zip(chain(*seen.known()), chain(*view.cells), strict=True)
    assert all(sure or code < 16 for sure, code in cells)


@given(hookups(), uses(), st.floats(0, 1))
def test_from_a_random_moment_nothing_that_is_told_as_sure_is_wrong(hookup: str, doings: list, share: float) -> None:
    with Captured(hookup) as captured:
        panel = captured.run(doings)
        panels: list[SeenPanel] = []
        with suppress(CaptureError):  # nothing is sent any more
            panels = decode(cut(captured.file, share), hookup=captured.hookup).panels
    for seen in panels:
        check_what_is_sure(seen, panel.twin)
