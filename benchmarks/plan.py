"""What updates take on the wires, of what they take at least: python benchmarks/plan.py [UPDATES] prints two tables.

Twenty-four kinds of updates go over ten links to panels of three sizes. What a byte, an address and an instruction take
on a link is measured first; `optimum.py`, which shares no code with Lumek, then says from the simulated controllers'
memory before and after each update what the update takes at least with the same slots. A third table compares the
slots with those that are best for each update by itself. Ends with 1 where a mean is above MEAN, an update above WORST,
or the sum for a kind with drawings above SLOTS.
"""

import random
import sys
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from statistics import mean
from typing import Any

sys.path.insert(0, str(Path(__file__).parent))

from optimum import Memory, Prices, least, reslotted

import links
from lumek import Backpack, Direct, Glyph, Panel, ShiftRegister
from lumek.fields import Bar, Trend
from lumek.links.expanders import E2_LINES
from lumek.twin import backpack_twin, direct_twin, shift_register_twin

UPDATES, MEAN, WORST, SLOTS = 40, 1.01, 1.10, 1.05
SIZES = "16x2", "20x4", "40x2"
TEXT = "bee comb honey hive drone queen wax smoke frame nectar pollen swarm flower"
WORDS = TEXT.split()
GREEK = "αβγδεζηθλμπστφψω"
STEP_MS = 5

Update = Callable[[Panel, random.Random, int], None]


def phrase(chance: random.Random, width: int) -> str:
    """Some words, cut to a width."""
    return " ".join(chance.choices(WORDS, k=width // 4 + 1))[:width]


def one_digit(panel: Panel, chance: random.Random, number: int) -> None:
    """A digit in the middle of a row."""
    panel[0, 9] = str(number % 10)


def a_number(panel: Panel, chance: random.Random, number: int) -> None:
    """A reading with two decimals."""
    panel[0, 4:12] = round(41.37 + chance.gauss(0, 3), 2)


def numbers(panel: Panel, chance: random.Random, number: int) -> None:
    """A reading in each half of each row."""
    rows, columns = panel.shape
    with panel.together():
        for row in range(rows):
            for column in (0, columns // 2):
                panel[row, column : column + 7] = round(chance.uniform(10, 99), 1)


def a_word(panel: Panel, chance: random.Random, number: int) -> None:
    """A word in a place of eight cells."""
    panel[1, 3:11] = chance.choice(WORDS)


def a_row(panel: Panel, chance: random.Random, number: int) -> None:
    """A row of words."""
    panel[1] = phrase(chance, panel.shape[1])


def rows(panel: Panel, chance: random.Random, number: int) -> None:
    """Two rows of words."""
    with panel.together():
        for row in (0, -1):
            panel[row] = phrase(chance, panel.shape[1])


def scattered(panel: Panel, chance: random.Random, number: int) -> None:
    """Some cells, anywhere."""
    count, columns = panel.shape
    with panel.together():
        for _ in range(chance.randint(2, 12)):
            panel[chance.randrange(count), chance.randrange(columns)] = chance.choice("abcdef")


def ticker(panel: Panel, chance: random.Random, number: int) -> None:
    """A row of text that moves on by a cell."""
    text = "the bees of the terrace bring nectar of linden and lavender home "
    at = number % len(text)
    panel[0] = (text[at:] + text)[: panel.shape[1]]


def clock(panel: Panel, chance: random.Random, number: int) -> None:
    """The time of day."""
    minutes, seconds = divmod(number * 7 + 3590, 60)
    panel[1, 2:10] = f"{minutes // 60 % 24:02}:{minutes % 60:02}:{seconds:02}"


BAR = Bar(low=0, high=60)


def bar(panel: Panel, chance: random.Random, number: int) -> None:
    """A bar over a row."""
    panel[1] = BAR(chance.uniform(0, 60))


def full(panel: Panel, chance: random.Random, number: int) -> None:
    """Every cell."""
    panel[:] = "\n".join(["abcdefghij"[number % 10] * panel.shape[1]] * panel.shape[0])


def a_face(panel: Panel, chance: random.Random, number: int) -> None:
    """Another face: labels and readings, with blanks between them. It may be cleared on the way."""
    count, columns = panel.shape
    with panel.together(may_clear=True):
        panel[:] = ""
        for row in range(count):
            panel[row, : chance.randint(2, columns // 2)] = phrase(chance, columns // 2)
            if chance.random() < 0.5:
                panel[row, columns - 5 :] = round(chance.uniform(10, 99), 1)


def cleared(panel: Panel, chance: random.Random, number: int) -> None:
    """Nothing, or a few words."""
    with panel.together(may_clear=True):
        panel[:] = "" if number % 2 else phrase(chance, 14)


def typed(panel: Panel, chance: random.Random, number: int) -> None:
    """A character, and the cursor after it."""
    columns = panel.shape[1]
    with panel.together():
        panel.cursor_shape = "underline"
        panel[number // columns % 2, number % columns] = chance.choice("abc")
        panel.cursor = (number + 1) // columns % 2, (number + 1) % columns


def cursor(panel: Panel, chance: random.Random, number: int) -> None:
    """The cursor goes elsewhere; a reading changes."""
    count, columns = panel.shape
    with panel.together():
        panel.cursor_shape = "block"
        panel.cursor = chance.randrange(count), chance.randrange(columns)
        if number % 2:
            panel[0, 0:6] = round(chance.uniform(10, 99), 1)


def slid(panel: Panel, chance: random.Random, number: int) -> None:
    """The window slides, by any number of columns."""
    panel.slide(chance.randint(1, 39))


def slid_back(panel: Panel, chance: random.Random, number: int) -> None:
    """The window slides, or is back where it was with another word."""
    if number % 2:
        panel.slide(chance.randint(1, 12))
    else:
        with panel.together():
            panel.slide(-panel._cells.shift)
            panel[0, 0:6] = chance.choice(WORDS)


def leftward(panel: Panel, chance: random.Random, number: int) -> None:
    """Words in two places, on a panel that writes from right to left."""
    with panel.together():
        panel.leftward = True
        panel[0, 2:9] = chance.choice(WORDS)
        panel[1, 4:9] = chance.choice(WORDS)


def a_glyph(panel: Panel, chance: random.Random, number: int) -> None:
    """A character with a drawing comes, goes, or takes the place of another."""
    panel[0, chance.randrange(8)] = chance.choice(GREEK + "   ")


def glyphs(panel: Panel, chance: random.Random, number: int) -> None:
    """A word of one to eight drawings."""
    panel[1, 2:10] = "".join(chance.sample(GREEK, chance.randint(1, 8)))


def redrawn(panel: Panel, chance: random.Random, number: int) -> None:
    """The drawing of a character in two cells, and a reading beside it."""
    with panel.together():
        panel[0, 0], panel[0, 12] = "b", "b"
        panel.glyphs["b"] = Glyph([chance.randrange(32) if chance.random() < 0.4 else 14 for _ in range(8)])
        panel[0, 1:7] = round(chance.uniform(10, 99), 1)


def trend(rows: int, columns: int, filled: bool) -> Update:
    """A trend of this size whose values wander."""
    value = [0.5]

    def update(panel: Panel, chance: random.Random, number: int) -> None:
        if not number:
            update.field = Trend(low=0, high=1, filled=filled)  # type: ignore[attr-defined]
        value[0] = min(1, max(0, value[0] + chance.gauss(0, 0.15)))
        field = update.field  # type: ignore[attr-defined]
        panel[0:rows, 0:columns] = field(value[0])

    update.__doc__ = f"A trend of {columns} by {rows} cells{', filled' if filled else ''}."
    return update


KINDS: dict[str, Update] = {
    "one digit": one_digit, "a number": a_number, "numbers": numbers, "a word": a_word, "a row": a_row,
    "two rows": rows,
    "scattered cells": scattered, "a ticker": ticker, "a clock": clock, "a bar": bar, "a full redraw": full,
    "a new face": a_face, "clearing": cleared, "typing": typed, "a cursor": cursor, "sliding": slid,
    "sliding back": slid_back, "right to left": leftward, "a glyph": a_glyph, "1 to 8 glyphs": glyphs,
    "a glyph redrawn": redrawn,
}  # fmt: skip


LINKS = "PCF8574, 100 kHz", "PCF8574, 400 kHz", "direct, 4 lines"
DRAWN = "a glyph", "1 to 8 glyphs", "a glyph redrawn", "trend 8x1", "trend 4x2", "filled"


class Bench:
    """A panel on a link, and what steps take there.

    grain: how long a look at the busy flag takes, or a change of RS that is usually hidden in a wait: what is measured
    is known to that.
    """

    def __init__(self, case: links.Case, size: str) -> None:
        links.SIZE = size
        self.twin, self.port = case.twin()
        self.twin.controller.cgram[:] = b"\xff" * 64  # nothing that was drawn before helps
        self.panel = Panel(size, case.link(self.port), twin=self.twin)
        self.ring = 40
        self.grain = case.polls * case.unit_us
        self.state_us = case.per_byte / links.STATES * case.unit_us
        self._measure()

    def timed(self, act: Callable[[], None]) -> float:
        """Microseconds from the start of an update to its end, once the panel is ready."""
        self.port.wait_us(STEP_MS * 1000)
        began = self.twin.clock.now_ns
        act()
        return (max(self.twin.clock.now_ns, self.twin.controller.ready_ns) - began) / 1000

    def _measure(self) -> None:
        panel = self.panel
        panel[:] = ""
        panel[0] = "-" * 12

        def write(text: str, more: str = "") -> float:
            panel[0, 15 if panel.shape[1] > 15 else 0] = "." if panel[0, 15] != "." else ","
            panel[0, 0] = "." if panel[0, 0] != "." else ","  # the counter is at 1 then

            def act() -> None:
                with panel.together():
                    panel[0, 1 : 1 + len(text)] = text
                    if more:
                        panel[1, 0 : len(more)] = more

            return self.timed(act)

        one = write("A")
        two = write("BC")
        twelve = write("abcdefghijkl")
        away = write("x", "y")
        slides = [self.timed(lambda columns=columns: panel.slide(columns)) for columns in (1, 2, 4)]
        panel.slide(-7)
        data, instruction = (twelve - two) / 10, (slides[2] - slides[1]) / 2
        self.base = {True: two - 2 * data, False: slides[1] - 2 * instruction}  # by RS at the end
        full(panel, random.Random(), 0)

        def empty() -> None:
            with panel.together():
                panel.clear()
                panel[0, 0] = "x"

        emptied = self.timed(empty) - data
        full(panel, random.Random(), 0)
        least_base = min(self.base.values())
        self.prices = Prices(data, instruction, emptied - least_base, away - two)
        # Alone it is over when the controller is; before something else the slowest genuine part is waited for.
        self.cleared = replace(self.prices, slow=self.timed(panel.clear) - least_base)
        if self.prices.turn <= 0:  # hidden in a wait, but for the first one
            self.grain = max(self.grain, self.state_us)
        assert one <= two <= away

    def memory(self) -> Memory:
        """The controller as it is."""
        chip = self.twin.controller
        cells = bytes(chip.ddram[0:0x28]) + bytes(chip.ddram[0x40:0x68])
        at = chip.resting_address
        counter = ~at if chip.in_cgram else at if at < 0x28 else at - 0x18
        control = chip.on << 2 | chip.underline << 1 | chip.blink
        rs = self.twin.levels["rs"] != 0
        return Memory(tuple(cells), tuple(chip.cgram), counter, chip.shift, not chip.increment, control, rs)

    def ratios(self, update: Update, updates: int, clears: bool) -> tuple[list[float], float, float]:
        """Of each update that sent something, what it took of the least; the sums, and those with the best slots."""
        found = []
        sums = [0.0, 0.0]
        chance = random.Random(7)
        update(self.panel, chance, 0)
        for number in range(1, updates):
            before = self.memory()
            us = self.timed(lambda number=number: update(self.panel, chance, number))
            after = self.memory()
            target = after.counter if after.control & 3 else None
            blank = set(after.cells) == {32} != set(before.cells)
            prices = self.cleared if blank else self.prices
            bound = least(before, after, prices, self.ring, target, clears or blank)
            if bound:
                base = self.base[after.rs]
                least_us = base + bound
                found.append(min(us / least_us, max(1.0, (us - self.grain) / least_us)))
                if before.rows != after.rows:
                    bound = min(bound, least(before, reslotted(before, after), self.prices, self.ring, target, clears))
                sums = [sums[0] + us, sums[1] + base + bound]
        assert self.twin.violations == []
        return found, *sums


def main() -> int:
    """Print the tables."""
    updates = int(sys.argv[1]) if len(sys.argv) > 1 else UPDATES
    by_kind: dict[str, list[float]] = {}
    by_link: dict[str, list[float]] = {}
    kinds = {**KINDS, "trend 8x1": trend(1, 8, False), "trend 4x2": trend(2, 4, False), "filled": trend(1, 8, True)}
    for link, case in links.CASES.items():
        for size in SIZES:
            for name, update in kinds.items():
                clears = name in ("a new face", "clearing")
                found, _, _ = Bench(case, size).ratios(update, updates, clears)
                by_kind.setdefault(name, []).extend(found)
                by_link.setdefault(link, []).extend(found)
    wrong = 0
    for title, table in (("update", by_kind), ("link", by_link)):
        print(f"| {title} | updates | mean | worst |\n|---|---|---|---|")
        for name, found in table.items():
            print(f"| {name} | {len(found)} | {mean(found):.3f} | {max(found):.2f} |")
            wrong += mean(found) > MEAN or max(found) > WORST
        print()
    print(f"| drawings, {25 * updates} updates | of the best known | {' | '.join(LINKS)} |")
    print("|---|---|" + "---|" * len(LINKS))
    for name in DRAWN:
        found = []
        for link in LINKS:
            _, took, best = Bench(links.CASES[link], "20x4").ratios(kinds[name], 25 * updates, False)
            found.append(took / best)
        print(f"| {name} | {mean(found):.3f} | {' | '.join(f'{one:.3f}' for one in found)} |")
        wrong += updates >= UPDATES and mean(found) > SLOTS  # the first updates fill the slots
    wrong += two_controllers()
    return 1 if wrong else 0


def two_controllers() -> int:
    """Print what a full redraw of a 40x4 takes, of what its two controllers take one after the other."""
    print("\n| full redraw of a 40x4 | ms | one after the other | of that |\n|---|---|---|---|")
    wrong = 0
    texts = ["\n".join([phrase(random.Random(seed + row), 40) for row in range(4)]) for seed in (1, 9)]
    for name, wired in DOUBLE.items():
        twin, panel = wired()
        ms = []
        for halves in (False, True):
            panel[:] = texts[0]
            for rows in (slice(0, 2), slice(2, 4)) if halves else (slice(0, 4),):
                twin.port.wait_us(STEP_MS * 1000)
                began = twin.clock.now_ns
                panel[rows] = "\n".join(texts[1].split("\n")[rows])
                ms.append((twin.clock.now_ns - began) / 1e6)
        apart = ms[1] + ms[2]
        print(f"| {name} | {ms[0]:.2f} | {apart:.2f} | {ms[0] / apart:.2f} |")
        wrong += len(twin.violations)
    return wrong


def double_bus(hz: int) -> tuple[Any, Panel]:
    """A 40x4 behind an expander."""
    twin, bus = backpack_twin("40x4", hz=hz, lines=E2_LINES)
    return twin, Panel("40x4", Backpack(bus, lines=E2_LINES), twin=twin)


def double_lines() -> tuple[Any, Panel]:
    """A 40x4 on GPIO lines."""
    twin, lines = direct_twin("40x4", {**links.LINES, "e2": 8})
    return twin, Panel("40x4", Direct(lines, 10, 9, (12, 16, 20, 21), e2=8), twin=twin)


def double_register() -> tuple[Any, Panel]:
    """A 40x4 behind a shift register."""
    twin, serial = shift_register_twin("40x4", E2_LINES)
    return twin, Panel("40x4", ShiftRegister(serial, E2_LINES), twin=twin)


DOUBLE: dict[str, Callable[[], tuple[Any, Panel]]] = {
    "PCF8574, 100 kHz": lambda: double_bus(100_000), "PCF8574, 400 kHz": lambda: double_bus(400_000),
    "direct, 4 lines": double_lines, "74HC595, SPI at 1 MHz": double_register,
}  # fmt: skip


if __name__ == "__main__":
    sys.exit(main())
