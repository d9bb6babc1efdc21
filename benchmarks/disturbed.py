"""Seeded faults on every kind of wiring, and what becomes of them: python benchmarks/disturbed.py 100000.

Each case makes a panel of some size behind some wiring, lets something go wrong while it is started, written, given
glyphs, slid or read, ends that, and refreshes once, or lets two periods of `refresh_every_s` pass. The panel must then
show, dot for dot, what an undisturbed one shows that was given the same; all its memory counts, also what is not on the
glass. The program ends with 1 when one does not.
"""

import logging
import os
import random
import sys
import time
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from typing import Any, NamedTuple

from lumek import Backpack, Direct, Glyph, Panel, ShiftRegister
from lumek.core.geometry import SIZES
from lumek.errors import PortError
from lumek.links.expanders import EXPANDERS
from lumek.ports.bit_banged import SerialLines
from lumek.twin import Controller, Twin, backpack_twin, direct_twin, shift_register_twin
from lumek.twin.dots import patterns
from lumek.twin.expander import expander_named
from lumek.twin.fault_words import EVENTS, PINS_OF, STATES

NEEDED = ["rs", "e", "d4", "d5", "d6", "d7"]
WIRINGS = [
    *EXPANDERS, "direct 4", "direct 8", "direct 4 rw", "direct 8 rw", "direct 4 flag", "direct 8 flag",
    "register, SPI", "register, lines",
]  # fmt: skip
MOMENTS = ["start-up", "text", "glyphs", "slide", "reading", "anything"]
BATCH, WAVE = 50, 16
"""Cases that a process does at once, and batches between two lines of progress."""

COSTLY = {"stuck-flag": 0.02}
"""Faults for which the simulation takes long, and the share of cases in which they are kept when they come up."""


class Case(NamedTuple):
    """What came of one case.

    faults: how many there were. wrong: what differs, empty when nothing does.
    """

    seed: int
    wiring: str
    fault: str
    moment: str
    faults: int
    loud: bool
    silently_wrong: bool
    wrong: str


def wired(chance: random.Random, wiring: str, size: str, chips: list[Controller]) -> tuple[Twin, Any]:
    """A simulated panel behind a wiring with lines in any order, and its link."""
    wide = ["e2"] if size == "40x4" else []

    def lines_of(roles: list[str], count: int) -> dict[str, Any]:
        return dict(zip(roles, chance.sample(range(count), len(roles)), strict=True))

    if wiring in EXPANDERS:
        lines = lines_of([*NEEDED, *(wide or ["rw"]), "backlight"], 8)
        address, hz = EXPANDERS[wiring].base + 1, chance.choice((100_000, 400_000, 1_000_000))
        twin, bus = backpack_twin(size, "A00", hz, address, lines, 1, chips, expander_named(wiring))
        return twin, Backpack(bus, address, wiring, lines)
    if wiring.startswith("direct"):
        _, width, *more = wiring.split()
        eight = [f"d{bit}" for bit in range(4)] if width == "8" else []
        lines = lines_of([*eight, *NEEDED, *wide, *(["rw"] if more else []), "backlight"], 20)
        twin, port = direct_twin(size, lines, drive_ns=chance.choice((1000, 5000, 20_000)), controllers=chips)
        data = [lines.pop(f"d{bit}") for bit in range(8 - int(width), 8)]
        return twin, Direct(port, data=data, busy_flag="flag" in more, **lines)
    lines = lines_of([*NEEDED, *wide, "backlight"], 8)
    three = {"data": 1, "clock": 2, "latch": 3} if "lines" in wiring else None
    twin, serial = shift_register_twin(size, lines, controllers=chips, three_lines=three)
    return twin, ShiftRegister(SerialLines(serial, **three) if three else serial, lines)  # type: ignore[arg-type]


def fault_text(chance: random.Random) -> str:
    """Something that goes wrong, in words."""
    while True:
        kind = chance.choice([*EVENTS, *STATES])
        if chance.random() < COSTLY.get(kind, 1):
            break
    count, leveled = PINS_OF.get(kind, (0, False))
    pins = chance.sample(NEEDED, count)
    words = [kind, *pins, *([str(chance.randrange(2))] if leveled else [])]
    if kind in EVENTS and chance.random() < 0.5:
        words += ["every", f"{chance.choice((1, 5, 20))} ms"]
    return " ".join(words)


class Program:
    """What a program does to a panel: the same things each time it is made with the same seed."""

    def __init__(self, seed: int, can_read: bool, reads: bool) -> None:
        self.chance, self.can_read, self.reads = random.Random(seed), can_read, reads

    def act(self, panel: Panel, moment: str) -> None:
        """One thing."""
        chance = self.chance
        kind = chance.choice(["text", "glyphs", "slide", "reading", "cursor"]) if moment == "anything" else moment
        rows, columns = panel.shape
        row, column, word = chance.randrange(rows), chance.randrange(columns), chance.choice(
            ("41.4 kg", "Hive 3 🐝", "ž ½ é", "a" * 20, "")
        )  # fmt: skip
        number, shape = chance.randrange(-9, 9), chance.choice((None, "underline", "block"))
        drawing = Glyph([chance.randrange(32) for _ in range(8)])
        if kind == "reading" and self.can_read:
            if self.reads:
                panel.memory()
            return
        with panel.together():  # an error, which comes at its end, leaves nothing out
            if kind == "glyphs":
                panel.glyphs[chance.choice("🐝ž½")] = drawing
                panel[row, column:] = "🐝ž½"
            elif kind == "slide":
                panel.slide(number)
            elif kind == "cursor":
                panel.cursor, panel.cursor_shape, panel.leftward = (row, column), shape, number > 4
                panel.backlight, panel.visible = number > -5, number > -7
            else:
                panel[row, column:] = word


def state(twin: Twin) -> tuple[Any, ...]:
    """All that is seen, and what a slide would bring."""
    chips = twin.controllers
    drawn = [
        patterns(twin.rom, bytes(chip.cgram))[list(chip.ddram[:40] + chip.ddram[64:104] if chip.two_lines
                                                   else chip.ddram[:80])].tobytes()
        for chip in chips
    ]  # fmt: skip
    bits = [(c.on, c.underline, c.blink, c.two_lines, c.eight_bit, c.shift, c.increment, c.shift_on_write, c._upper)
            for c in chips]  # fmt: skip
    return bits, twin.backlight, twin.cursor if any(c.underline or c.blink for c in chips) else None, drawn


def run(seed: int, periods: float = 0.0) -> Case:
    """One case.

    periods: how many periods of `refresh_every_s` pass; 0 refreshes once instead.
    """
    chance = random.Random(seed)
    wiring, size, moment = chance.choice(WIRINGS), chance.choice(list(SIZES)), chance.choice(MOMENTS)
    hz = chance.choice((190_000, 270_000, 350_000))
    twin, link = wired(chance, wiring, size, [Controller(hz), Controller(hz)])
    alike = "direct 8" if link.width == 8 else "direct 4"
    other, other_link = wired(random.Random(seed), alike, size, [Controller(hz), Controller(hz)])
    programs = Program(seed, link.can_read, True), Program(seed, link.can_read, False)
    text, loud, panel = fault_text(chance), False, None
    if moment == "start-up":
        twin.faults.begin(text, seed)
        try:
            panel = Panel(size, link, twin=twin)
        except PortError:
            loud = True
            twin.faults.end()
    panel = panel or Panel(size, link, twin=twin)
    undisturbed = Panel(size, other_link, twin=other)
    for step in range(6):
        if step == 2 and moment != "start-up":
            twin.faults.begin(text, seed)
        try:
            programs[0].act(panel, "text" if step < 2 or moment == "start-up" else moment)
        except PortError:
            loud = True
        programs[1].act(undisturbed, "text" if step < 2 or moment == "start-up" else moment)
    twin.faults.end()
    twin.port.wait_us(45_000)
    wanted = state(other)
    silently_wrong = not loud and state(twin) != wanted
    if periods:
        panel.tend(0.0)
        panel.refresh_every_s = 1.0
        begin = chance.random() * 3
        for tick in range(int(begin * 20) + int(periods * 20) + 1):
            panel.tend(tick / 20)
    else:
        panel.refresh()
    twin.port.wait_us(5_000)
    for chip in twin.controllers:
        chip.settle(twin.clock.now_ns)
    found = state(twin)
    wrong = [
        what for what, one, two in zip(("bits", "light", "cursor", "memory"), found, wanted, strict=True) if one != two
    ]
    what = f"{', '.join(wrong)}: {text} {size}" if wrong else ""
    return Case(seed, wiring, text.split()[0], moment, twin.faults.count, loud, silently_wrong, what)


def silence() -> None:
    """Leave notices out."""
    logging.getLogger("lumek").setLevel(logging.ERROR)


def batch(seeds: range) -> list[Case]:
    """Several cases; of every fifth the healing by time is tried."""
    return [run(seed, 2.0 if seed % 5 == 0 else 0.0) for seed in seeds]


def main() -> int:
    """Run cases until there were as many faults as the argument says, on all processors."""
    wanted = int(sys.argv[1]) if len(sys.argv) > 1 else 1000
    first = int(sys.argv[2]) if len(sys.argv) > 2 else 0
    began, cases, faults = time.perf_counter(), list[Case](), 0
    with ProcessPoolExecutor(os.cpu_count(), initializer=silence) as pool:
        while faults < wanted:
            ranges = [range(start, start + BATCH) for start in range(first, first + WAVE * BATCH, BATCH)]
            first += WAVE * BATCH
            cases += [case for some in pool.map(batch, ranges) for case in some]
            faults = sum(case.faults for case in cases)
            wrong = [case for case in cases if case.wrong]
            seconds = time.perf_counter() - began
            print(f"{faults} faults in {len(cases)} cases, {len(wrong)} wrong, {seconds:.0f} s", flush=True)
    for what in ("wiring", "fault", "moment"):
        counts: Counter[str] = Counter()
        for case in cases:
            counts[getattr(case, what)] += case.faults
        print(f"faults by {what}: {dict(counts)}")
    loud, silent = sum(case.loud for case in cases), sum(case.silently_wrong for case in cases)
    print(f"{loud} cases raised an error, {silent} left a wrong picture without one; after one refresh, or two periods "
          f"of refresh_every_s (every fifth case), {len(wrong)} were wrong")  # fmt: skip
    for case in wrong[:20]:
        print(f"  {case}")
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
