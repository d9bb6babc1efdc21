"""A simulated month of a deck with faults every few minutes: python benchmarks/month.py, or with a number of days.

The deck is drawn every 15 seconds by a clock that is moved by hand, and its panel is refreshed every 30. Whenever no
fault has been on for two periods, the panel must show what an undisturbed one shows. What the program holds after half
of the time and at its end must be the same: memory, file descriptors, threads. Ends with 1 when it is not.
"""

import gc
import logging
import os
import random
import resource
import sys
import threading
import time
from pathlib import Path

from lumek import Backpack, Panel
from lumek.faces import Deck, Face, Show, Stand
from lumek.fields import Bar, Clock, Number, Ticker
from lumek.readings import FunctionProbe, HandClock, Poller
from lumek.twin import backpack_twin
from lumek.twin.fault_words import EVENTS

EVERY_S = 15.0
PERIOD_S = 30.0
FAULT_EVERY_S = 180.0
STATES = "unplugged", "stuck d5 0", "swapped d4 d5", "no-pull-up", "slow-oscillator", "open e"

GROWTH = 4_000_000
"""Bytes that the program may hold more at the end: caches that are filled, and what Python keeps for itself."""


def held() -> tuple[int, int, int]:
    """Bytes, file descriptors and threads."""
    gc.collect()
    pages = int(Path("/proc/self/statm").read_text().split()[1])
    return pages * resource.getpagesize(), len(list(Path("/proc/self/fd").iterdir())), threading.active_count()


def main() -> int:
    """Run it."""
    days = float(sys.argv[1]) if len(sys.argv) > 1 else 30.0
    logging.getLogger("lumek").setLevel(logging.CRITICAL)
    chance, clock, began = random.Random(1), HandClock(1_782_885_600.0), time.perf_counter()
    made = [backpack_twin("20x4") for _ in range(2)]
    panels = [Panel("20x4", Backpack(bus), twin=twin) for twin, bus in made]
    twin = panels[0].twin
    twin.faults.clock = clock.elapsed
    face = Face("20x4")
    face[0, 0:8], face[0, 12:] = Number("weight", unit=" kg", decimals=1), Clock()
    face[1], face[2] = Bar("weight", low=30, high=50), Ticker("words")
    values = {"weight": 41.4, "words": "Queen seen in hive 3 🐝 ž ½"}
    probes = [FunctionProbe(name, lambda name=name: values[name], clock=clock) for name in values]
    wrong = checked = faults = 0
    with Poller(probes, EVERY_S, clock=clock, threads=False) as poller:
        stands = [Stand(f"{number}", Deck([face]), [panel]) for number, panel in enumerate(panels[:1])]
        show = Show(stands, poller, zone="UTC", clock=clock)
        panels[0].tend(0.0)
        panels[0].refresh_every_s = PERIOD_S
        next_fault, quiet_at, before = FAULT_EVERY_S, 0.0, held()
        while clock.elapsed() < days * 86_400:
            now = clock.elapsed()
            values["weight"] = 41.4 + chance.random() * 5
            if now >= next_fault and not twin.faults.on:
                twin.faults.begin(chance.choice([*EVENTS, *STATES]), faults)
                faults += 1
            elif twin.faults.on and now >= next_fault + 30:
                twin.faults.end()
                twin.port.wait_us(50_000)
                next_fault, quiet_at = now + FAULT_EVERY_S * chance.uniform(0.5, 1.5), now
            poller.poll_due()
            show.draw()
            if not twin.faults.on and now > quiet_at + 2 * PERIOD_S + EVERY_S:
                checked += 1
                for row in range(4):
                    panels[1][row] = panels[0]._cells.contents(row)
                wrong += panels[1].twin.dots().tobytes() != twin.dots().tobytes()
            twin.violations.clear()
            if days * 43_200 <= now < days * 43_200 + EVERY_S:
                before = held()
            clock.advance(EVERY_S)
    after = held()
    print(f"{days:g} days, {faults} faults, {checked} pictures compared, {wrong} wrong; "
          f"{time.perf_counter() - began:.0f} s; {panels[0].health}")  # fmt: skip
    print(f"held after half of it and at the end: {before} {after} (bytes, descriptors, threads)")
    grew = after[0] - before[0] > GROWTH or after[1:] != before[1:]
    return 1 if wrong or grew or not checked else 0


if __name__ == "__main__":
    os.environ.setdefault("PYTHONHASHSEED", "0")
    sys.exit(main())
