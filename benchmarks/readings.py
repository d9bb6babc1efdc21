"""What readings cost: python benchmarks/readings.py prints the tables of docs/performance.md.

The first is of 100 probes polled ten times a second, three of which never answer: the poller beside the plain ways, one
loop for all of them, and a thread for each. The others are of what lies behind a probe.
"""

import tempfile
import threading
import time
import timeit
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np

from lumek.readings import FunctionProbe, Log, Poller, Reading
from lumek.readings.conversions import dew_point, thermistor, thermocouple
from lumek.readings.smoothing import Exponential, Hampel, MovingMean, MovingMedian

PROBES, HANGING, EVERY_S, SECONDS = 100, 3, 0.1, 5.0
NEVER = threading.Event()


def values() -> list[Callable[[], Any]]:
    """What the probes call; the hanging ones are among the first."""
    return [NEVER.wait if place % 7 == 3 and place < 7 * HANGING else float for place in range(PROBES)]


class Tally:
    """Counts readings, and how late they come."""

    def __init__(self) -> None:
        self.start = time.monotonic()
        self.count = 0
        self.late: list[float] = []

    def __call__(self, reading: object = None) -> None:
        """A reading came. Only what comes after the first second says how late they usually are."""
        self.count += 1
        passed = time.monotonic() - self.start
        if passed > 1:
            self.late.append(passed % EVERY_S)


def poller(tally: Tally, seconds: float) -> None:
    """Lumek's."""
    probes = [FunctionProbe(str(place), call) for place, call in enumerate(values())]
    with Poller(probes, EVERY_S, each=tally, limit_s=0.1):
        time.sleep(seconds)


def one_loop(tally: Tally, seconds: float) -> None:
    """A loop that calls one after the other, in a thread so that the benchmark ends."""

    def loop() -> None:
        while not stop.is_set():
            for call in values():
                call()
                tally()
            stop.wait(EVERY_S - (time.monotonic() - tally.start) % EVERY_S)

    stop = threading.Event()
    threading.Thread(target=loop, daemon=True).start()
    time.sleep(seconds)
    stop.set()


def a_thread_each(tally: Tally, seconds: float) -> None:
    """A thread for each probe, which makes a reading of each value as Lumek does."""

    def run(probe: FunctionProbe) -> None:
        while not stop.is_set():
            probe.poll()
            tally()
            stop.wait(EVERY_S - (time.monotonic() - tally.start) % EVERY_S)

    stop = threading.Event()
    for place, call in enumerate(values()):
        threading.Thread(target=run, args=(FunctionProbe(str(place), call),), daemon=True).start()
    time.sleep(seconds)
    stop.set()


def pace() -> None:
    """Print the table of the 100 probes."""
    expected = (PROBES - HANGING) * (SECONDS / EVERY_S + 1)
    print("| 100 probes at 10 Hz, 3 hanging | readings | of what is due | Python us each | late: usual / 99 % |")
    print("|---|---|---|---|---|")
    for name, way in (("Lumek", poller), ("a thread each", a_thread_each), ("one loop", one_loop)):
        tally = Tally()
        before = time.process_time()
        way(tally, SECONDS)
        spent = time.process_time() - before
        late = np.array(tally.late) * 1000
        lateness = f"{np.median(late):.1f} / {np.percentile(late, 99):.1f} ms" if tally.late else "none came"
        print(f"| {name} | {tally.count} | {tally.count / expected:.0%} | {spent / max(1, tally.count) * 1e6:.0f} "
              f"| {lateness} |")  # fmt: skip


def once_us(work: Callable[[], object]) -> float:
    """Microseconds of one call, the best of five runs."""
    timer = timeit.Timer(work)
    number, _ = timer.autorange()
    return min(timer.repeat(5, max(1, number // 5))) / max(1, number // 5) * 1e6


def stages() -> None:
    """Print the table of filters, conversions and the log."""
    reading = Reading(34.6, "brood", "°C")
    noise, times = np.random.default_rng(3).normal(34.6, 0.2, 100_000), np.arange(100_000) / 10.0
    ticks = iter(range(10**9))
    filters: list[tuple[str, Any]] = [
        ("MovingMean(20)", MovingMean(20)), ("MovingMedian(21)", MovingMedian(21)), ("Hampel(9)", Hampel(9)),
        ("Exponential(10)", Exponential(10)), ("Hampel(9), then Exponential(10)", Hampel(9) | Exponential(10)),
    ]  # fmt: skip
    print("\n| filter | us a reading | us a value of an array of 100 000 | the array is |")
    print("|---|---|---|---|")
    for name, filtered in filters:
        one = once_us(lambda filtered=filtered: filtered(float(reading), next(ticks) / 10))
        many = once_us(lambda filtered=filtered: filtered.over(noise, times)) / len(noise)
        print(f"| {name} | {one:.1f} | {many:.2f} | {one / many:.0f} x quicker |")
    conversions: list[tuple[str, Any, Any]] = [
        ("thermistor", lambda value: thermistor(value, (1.4e-3, 2.37e-4, 1e-7)), 3000.0),
        ("thermocouple K", thermocouple, 4.1), ("dew point", lambda value: dew_point(value, 50.0), 21.0),
    ]  # fmt: skip
    print("\n| conversion | us a number | us a value of an array of 100 000 |")
    print("|---|---|---|")
    for name, convert, value in conversions:
        one = once_us(lambda convert=convert, value=value: convert(value))
        whole = np.full(100_000, value)
        print(f"| {name} | {one:.1f} | {once_us(lambda c=convert, w=whole: c(w)) / len(whole):.3f} |")
    with tempfile.TemporaryDirectory() as folder, Log(Path(folder) / "log.csv") as log:
        lines = once_us(lambda: log(reading))
        with (Path(folder) / "plain.csv").open("w") as file:
            plain = once_us(lambda: print(reading.time, reading.name, float(reading), sep=",", file=file, flush=True))
        print(f"\nA line of the log takes {lines:.0f} us; a bare print with a flush {plain:.0f} us.")


if __name__ == "__main__":
    pace()
    stages()
