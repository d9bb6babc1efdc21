"""What drawings and fields cost: python benchmarks/drawn.py prints two tables of docs/performance.md.

Lumek is compared with the least that the wires need (an address for each run of rows or cells, four port states a byte
behind a PCF8574, one for each change of RS) and beside a plain program, which writes whole glyphs and whole rows again.
Python's time for fields is compared with what the same bytes take on the bus, and with the same values once more.
"""

import random
import timeit
from collections.abc import Callable
from typing import Any

from links import BOARD, Idle
from lumek import Backpack, Panel, level, number, simulate
from lumek.fields import Bar, Number, Tall, Trend
from lumek.fields.field import Field

STATES = 4
CYCLES = 3
"""Port states of a byte for Lumek, and for the plain program, each of them in a transfer of its own."""


def least(runs: int, data: int) -> int:
    """Bytes of one transfer with that many runs of data: addresses, data, changes of RS, the expander's address."""
    return STATES * (runs + data) + 2 * runs + 1


def plainly(glyphs: int, rows: int) -> int:
    """Bytes for whole glyphs of eight rows and whole rows of 20 cells, each state sent with the expander's address."""
    return 2 * 2 * CYCLES * (9 * glyphs + 21 * rows)


def word(panel: Panel, step: int) -> None:
    """Drawings that come, or go."""
    panel[0] = "αλφαβητο ζωή" if step % 2 else ""


def again(panel: Panel, step: int) -> None:
    """A drawing that stood there before comes back, or goes."""
    panel[0, 0] = "€" if step % 2 else " "


def battery(panel: Panel, step: int) -> None:
    """One row of a drawing changes in two cells at once."""
    panel.glyphs["🔋"] = level("🔋", (3 + step % 2) / 6)


def weight(panel: Panel, step: int) -> None:
    """One digit of a number changes."""
    panel[1, 0:8] = number(41.38 + step % 2 / 100, 8, 2, unit=" kg")


WORKS: dict[str, tuple[Callable[[Panel, int], None], int, int]] = {
    "two Greek words with 7 drawings": (word, least(3, 7 * 8 + 11), plainly(7, 1)),
    "a drawing comes back": (again, least(1, 1), plainly(1, 1)),
    "one row of a battery in two cells": (battery, least(1, 1), plainly(1, 1)),
    "one digit of a number": (weight, least(1, 1), plainly(0, 1)),
}

FIELDS: dict[str, tuple[Field | None, tuple[Any, ...]]] = {
    "a digit": (None, (0, 5)),
    "number, 8 cells": (Number(decimals=1), (0, slice(0, 8))),
    "bar, 8 cells": (Bar(low=0, high=100), (0, slice(0, 8))),
    "tall digits, 2 rows": (Tall(), (slice(0, 2), slice(0, 9))),
    "trend, 8 cells": (Trend(low=0, high=100), (0, slice(0, 8))),
    "trend, 2 rows of 4 cells": (Trend(low=0, high=100), (slice(0, 2), slice(0, 4))),
}
CHANCE = random.Random(7)
VALUES = [CHANCE.random() * 100 for _ in range(500)]


def show(panel: Panel, name: str, value: float) -> None:
    """Show a value in a field, or its last digit by itself."""
    field, place = FIELDS[name]
    panel[place] = str(int(value * 10) % 10) if field is None else field(value)


def took_us(panel: Panel, name: str, values: list[float]) -> float:
    """Microseconds of Python for each of these values."""

    def show_all() -> None:
        for value in values:
            show(panel, name, value)

    return min(timeit.repeat(show_all, number=1, repeat=9)) / len(values) * 1e6


def fields() -> None:
    """Print what fields take for values that change by chance, and for one that stays."""
    print("\n| field | Python us | bytes | of its time on a bus of 100 kHz | Python us, the same value |")
    print("|---|---|---|---|---|")
    for name in FIELDS:
        panel, idle = simulate("20x4"), Panel("20x4", Backpack(Idle(), 0x27, lines=BOARD))
        for value in VALUES:
            show(panel, name, value)
        before = panel.twin.port.sent
        for value in VALUES:
            show(panel, name, value)
        sent = (panel.twin.port.sent - before) / len(VALUES)
        assert panel.twin.violations == []
        us, still = [took_us(idle, name, values) for values in (VALUES, VALUES[:1] * len(VALUES))]
        print(f"| {name} | {us:.0f} | {sent:.0f} | {us / sent / 0.9:.1f} % | {still:.0f} |")


def main() -> None:
    """Print the tables."""
    print("| what | bytes: Lumek / limit / plain | of the limit | plain is | Python us |")
    print("|---|---|---|---|---|")
    for name, (work, limit, plain) in WORKS.items():
        panel = simulate("20x4")
        idle = Panel("20x4", Backpack(Idle(), 0x27, lines=BOARD))
        for one in (panel, idle):
            one[3] = "🔋 🔋"
            if work is not word:
                work(one, 0)
                work(one, 1)
            work(one, 2)
        before = panel.twin.port.sent
        work(panel, 3)
        sent = panel.twin.port.sent - before
        assert panel.twin.violations == []
        us = min(timeit.repeat(lambda w=work, p=idle: (w(p, 2), w(p, 3)), number=200, repeat=5)) / 400 * 1e6
        print(f"| {name} | {sent} / {limit} / {plain} | {sent / limit:.2f} x | {plain / sent:.0f} x more | {us:.0f} |")

    fields()


if __name__ == "__main__":
    main()
