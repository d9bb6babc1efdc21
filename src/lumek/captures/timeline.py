"""The events of a capture in lines: runs of data in one, and the polls of a busy flag in one."""

from collections.abc import Iterable, Iterator, Sequence
from typing import NamedTuple

from lumek.captures.follower import DATA, HALF, INSTRUCTION, LOST, READ, SINGLE, STATUS, Event
from lumek.captures.meanings import data_words, time_words
from lumek.captures.seen_panel import SeenPanel
from lumek.twin.pins import Violation

LONGEST = 200
"""Events in a line."""

FIRST_CHARACTER = 16
"""Codes below it draw glyphs."""


class Entry(NamedTuple):
    """A line of a timeline.

    time_ns: when its first byte was in. panel, controller: whose it is. codes: its bytes. words: what they do.
    wait_ns: from its last byte to the next. needs_ns: what the data sheet asks there. violations, sure: of its events.
    """

    time_ns: int
    panel: int
    controller: int
    kind: str
    codes: bytes
    words: str
    wait_ns: int | None
    needs_ns: int
    violations: tuple[Violation, ...]
    sure: bool


def entries(events: Iterable[Event], panels: Sequence[SeenPanel]) -> Iterator[Entry]:
    """The lines of events, in the order in which they begin."""
    run: list[Event] = []
    for event in events:
        if run and not (_together(run[-1], event) and len(run) < LONGEST):
            yield _entry(run, panels[run[0].panel])
            run = []
        run.append(event)
    if run:
        yield _entry(run, panels[run[0].panel])


def _together(one: Event, other: Event) -> bool:
    same = (one.panel, one.controller, one.kind, one.sure) == (other.panel, other.controller, other.kind, other.sure)
    return same and one.kind in (DATA, STATUS, READ) and not one.violations and not other.violations and (
        one.in_cgram == other.in_cgram)  # fmt: skip


def _entry(run: Sequence[Event], panel: SeenPanel) -> Entry:
    first, last = run[0], run[-1]
    codes = bytes(event.code for event in run)
    return Entry(
        first.time_ns, first.panel, first.controller, first.kind, codes, _words(run, codes, panel), last.wait_ns,
        last.needs_ns, tuple(one for event in run for one in event.violations), all(event.sure for event in run),
    )  # fmt: skip


def _words(run: Sequence[Event], codes: bytes, panel: SeenPanel) -> str:
    first, last = run[0], run[-1]
    if first.kind == DATA and not first.in_cgram:
        return data_words([_character(code, panel) for code in codes])
    if first.kind == DATA:
        return f"write rows of glyphs: {' '.join(f'{code:#04x}' for code in codes)}"
    if first.kind == READ and len(run) > 1:
        return f"read {' '.join(f'{code:#04x}' for code in codes)}"
    if first.kind == STATUS and len(run) > 1:
        return f"{len(run)} times the busy flag, then {last.words}"
    if first.kind == INSTRUCTION and first.code & 0x80:
        place = panel.place_of(first.code & 0x7F, first.controller)
        return first.words if place is None else f"{first.words} (row {place[0]}, column {place[1]})"
    return first.words


def _character(code: int, panel: SeenPanel) -> str:
    character = panel.rom.character(code)
    return character if character and code >= FIRST_CHARACTER else f"⟨{code:#04x}⟩"


def entry_lines(entry: Entry, panels: Sequence[SeenPanel]) -> list[str]:
    """A line of the timeline, and one for each thing in it that breaks the data sheet.

    The first is marked with ! where there is such a thing, and with ? where it is not sure. Of several panels it has
    the label, with a b for the second controller.
    """
    label = f"{panels[entry.panel].label}{'b' if entry.controller else ''} " if len(panels) > 1 else ""
    code = f"{len(entry.codes)} x"
    if len(entry.codes) == 1:
        code = f"{entry.codes[0]:#03x}" if entry.kind in (SINGLE, HALF, LOST) else f"{entry.codes[0]:#04x}"
    waits = ""
    if entry.wait_ns is not None and entry.kind != STATUS:
        waits = f"; then {time_words(entry.wait_ns)}"
        if entry.needs_ns:
            waits += f" ({time_words(entry.needs_ns)} asked)"
    mark = "!" if entry.violations else " " if entry.sure else "?"
    return [
        f"{entry.time_ns / 1e6:11.4f} ms {mark} {label}{code:>5}  {entry.words}{waits}",
        *(f"{'':24}{one.rule}: {one.detail}{_asked(one.asked_ns)}" for one in entry.violations),
    ]


def _asked(asked_ns: int | None) -> str:
    return "" if asked_ns is None else f" (at least {time_words(asked_ns)} asked)"
