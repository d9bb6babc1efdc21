"""What motions cost on the bus: python benchmarks/motions.py prints a table of docs/performance.md.

For each frame the *limit* is found from the glass alone, whatever the motion: an address and the cells for each run
of cells whose picture changes, or one instruction where a shift of the window does it, and an address and eight rows
for each drawing that is in no slot yet. *Plain* writes the rows of the place again, and each new drawing. All are means
over a period; in the first one drawings are brought, which are counted by themselves.
"""

import timeit
from collections.abc import Callable
from functools import partial

import numpy as np
from drawn import least, plainly
from numpy.typing import NDArray

from links import BOARD, Idle
from lumek import Backpack, Glyph, Panel, simulate
from lumek.glyphs import shipped
from lumek.motions import Blinking, Cycling, Gliding, Marching, Motion, Rolling, Sliding, Typing

BEE = Glyph([10, 4, 27, 31, 14, 0, 14, 4])
ROW = (0, 1)
ALL = (0, 2)
SIZE = "16x2"

MOTIONS: dict[str, tuple[Motion, tuple[int, int]]] = {
    "text, typed": (Typing("Good morning, 16"), ROW),
    "ticker through a row": (Gliding("Queen seen in hive 3, brood in all stages", 3, 0), ROW),
    "a glyph that marches": (Marching(BEE), ROW),
    "a row that blinks": (Blinking("Lid of hive open"), ROW),
    "a glyph of eight pictures": (Cycling(list(shipped("arrows").values())[:8]), ROW),
    "a counter, three wheels": (Rolling("  41.38 kg", "  42.91 kg"), ROW),
    "the window slides in": (Sliding("Good morning,\nbees"), ALL),
}


def runs_of(changed: list[bool]) -> int:
    """Runs of cells that change, side by side."""
    return sum(now and not before for before, now in zip([False, *changed], changed, strict=False))


def limit(panel: Panel, old: NDArray[np.bool_], new: NDArray[np.bool_], known: set[bytes], shifts: bool) -> int:
    """The least bytes from one glass to another."""
    cells = [(old[row, column] != new[row, column]).any() for row in range(2) for column in range(16)]
    if not any(cells):
        return 0
    if shifts:
        return least(1, 0)
    runs = sum(runs_of([bool(one) for one in cells[row * 16 : row * 16 + 16]]) for row in range(2))
    drawn = {bytes(code) for code in new_drawings(panel) if bytes(code) not in known}
    known |= drawn
    return least(runs + len(drawn), sum(map(bool, cells)) + 8 * len(drawn))


def new_drawings(panel: Panel) -> list[bytes]:
    """The drawings that the glass shows from slots."""
    return [rows for content in panel._cells.contents(0) if (rows := panel.glyphs.rows_of(content)) is not None]


def steps(motion: Motion, rows: tuple[int, int], panel: Panel) -> Callable[[int], None]:
    """What shows a step: the frame, or the window's shift."""
    if isinstance(motion, Sliding):
        with panel.together():
            panel.clear()
            panel[:] = motion.text
            panel.slide(motion.away(0, 16))

        def slide(step: int) -> None:
            panel.slide(motion.away(step, 16) - motion.away(step - 1, 16) if step else 0)

        return slide

    def show(step: int) -> None:
        panel[rows[0] : rows[1]] = motion.at(step)

    return show


def all_of(show: Callable[[int], None], period: int) -> None:
    """Show all steps of a period."""
    for step in range(period):
        show(step)


def main() -> None:
    """Print the table."""
    print("| motion | bytes a frame: Lumek / limit / plain | of the limit | plain is | with its drawings | Python us |")
    print("|---|---|---|---|---|---|")
    for name, (motion, rows) in MOTIONS.items():
        panel, idle = simulate(SIZE), Panel(SIZE, Backpack(Idle(), 0x27, lines=BOARD))
        high = rows[1] - rows[0]
        period = motion.period(high, 16)
        panel[1] = idle[1] = "Hive 3"
        show = steps(motion, rows, panel)
        known: set[bytes] = set()
        rounds = []
        for first in (0, period) if motion.count(high, 16) is None else (0,):
            sent = least_ = plain = frames = 0
            show(first)
            for step in range(first + 1, first + period + (motion.count(high, 16) is None)):
                glass, before, drawn = panel.twin.dots(), panel.twin.port.sent, len(known)
                show(step)
                least_ += limit(panel, glass, panel.twin.dots(), known, isinstance(motion, Sliding))
                sent += panel.twin.port.sent - before
                plain += plainly(len(known) - drawn, high)
                frames += 1
            rounds.append((sent / frames, least_ / frames, plain / frames))
        assert panel.twin.violations == []
        timed = steps(motion, rows, idle)
        us = min(timeit.repeat(partial(all_of, timed, period), number=20, repeat=5)) / 20 / period * 1e6
        sent_, limit_, plain_ = rounds[-1]
        print(f"| {name} | {sent_:.0f} / {limit_:.0f} / {plain_:.0f} | {sent_ / limit_:.2f} x | {plain_ / sent_:.0f} x "
              f"more | {rounds[0][0]:.0f} / {rounds[0][1]:.0f} | {us:.0f} |")  # fmt: skip


if __name__ == "__main__":
    main()
