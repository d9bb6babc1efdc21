"""How time grows with the number of things: python benchmarks/growth.py [DECADES] prints an exponent for each.

Each quantity is measured over some powers of ten, and the exponent is that from the last but two to the last: 1.0 means
ten times as long for ten times as many. Ends with 1 where one is above MOST.
"""

import math
import sys
import tempfile
import time
from collections.abc import Callable
from itertools import cycle
from pathlib import Path

from lumek import simulate
from lumek.faces.deck import Deck
from lumek.faces.face import Face
from lumek.fields import Number
from lumek.readings import FunctionProbe, Log, Poller, Reading, load
from lumek.readings.time_source import HandClock

DECADES, MOST, REPEATS = 3, 1.1, 3

Work = Callable[[], object]


def panels(count: int) -> Work:
    """A digit on each of several panels."""
    made = [simulate("16x2") for _ in range(count)]
    digits = cycle("0123456789")

    def work() -> None:
        digit = next(digits)
        for panel in made:
            panel[0, 3] = digit

    return work


def fields(count: int) -> Work:
    """Fields that are drawn one after the other."""
    panel, made = simulate("20x4"), [Number(decimals=1) for _ in range(count)]
    values = iter(range(1_000_000))

    def work() -> None:
        for field in made:
            panel[0, 0:6] = field(next(values) % 100 / 10)

    return work


def probes(count: int) -> Work:
    """Probes that a poller polls."""
    clock = HandClock()
    made = [FunctionProbe(f"p{number}", lambda: 1.0, clock=clock) for number in range(count)]
    poller = Poller(made, every_s=1.0, clock=clock, threads=False)

    def work() -> None:
        clock.advance(1.0)
        poller.poll_due()

    return work


def faces(count: int) -> Work:
    """Faces of a deck, of which one is chosen."""
    made = [Face("16x2", f"f{number}") for number in range(count)]
    deck = Deck(made)
    seconds = iter(range(1_000_000))
    return lambda: deck.turn(float(next(seconds)), {}, True)


def log_lines(count: int) -> Work:
    """Lines that are written to a log, and loaded again."""
    folder = tempfile.TemporaryDirectory()
    names = iter(range(1000))

    def work() -> None:
        path = Path(folder.name) / f"log{next(names)}.csv"
        with Log(path) as log:
            for number in range(count):
                log.append(Reading(41.4 + number % 100 / 100, "weight", "kg", time=1_750_000_000.0 + number))
        assert len(load(path)) == count

    return work


QUANTITIES: dict[str, tuple[Callable[[int], Work], int]] = {
    "panels, a digit on each": (panels, 1), "fields, drawn": (fields, 10), "probes, polled": (probes, 10),
    "faces of a deck, one chosen": (faces, 10), "log lines, written and loaded": (log_lines, 100),
}  # fmt: skip
"""What is measured, and with how many it begins."""


def seconds(work: Work) -> float:
    """The shortest time of a few."""
    times = []
    for _ in range(REPEATS):
        began = time.perf_counter()
        work()
        times.append(time.perf_counter() - began)
    return min(times)


def main() -> int:
    """Print the table."""
    decades = int(sys.argv[1]) if len(sys.argv) > 1 else DECADES
    wrong = 0
    print(f"| what | {' | '.join(f'x {10**decade}' for decade in range(decades + 1))} | exponent |")
    print("|---|" + "---|" * (decades + 2))
    for name, (make, least) in QUANTITIES.items():
        took = [seconds(make(least * 10**decade)) for decade in range(decades + 1)]
        exponent = math.log10(took[-1] / took[-3]) / 2
        print(f"| {name}, from {least} | {' | '.join(f'{1000 * one:.2f} ms' for one in took)} | {exponent:.2f} |")
        wrong += exponent > MOST
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
