"""What faces cost: python benchmarks/faces.py prints the table of docs/performance.md.

An hour of a deck with all kinds of fields over twelve probes, polled and drawn ten times a second by a clock that is
moved by hand: once on the twin, which must find nothing wrong, and ten minutes of it on a bus that does nothing, which
shows what Python needs on a host. The plain way beside it writes every cell at each drawing.
Then, by the host's clock, how late drawings are while some of the probes never answer, and others take their time.

--seconds N: seconds of the hour (default: all of it).
"""

import logging
import sys
import threading
import time
from pathlib import Path

from lumek import Backpack, Panel
from lumek.faces import Face, run
from lumek.faces.file import read
from lumek.fields import Number
from lumek.readings import FunctionProbe, HandClock

HZ = 10
HOUR_S, QUIET_S, LATE_S = 3600, 600, 10
FACES = Path(__file__).parent / "twelve_probes.toml"
START = 1_782_885_600.0


class QuietBus:
    """A bus that counts the bytes that are sent, and does nothing else."""

    hz = 100_000

    def __init__(self) -> None:
        self.sent = 0

    def write(self, address: int, data: bytes) -> None:
        """Count the bytes, the address among them."""
        self.sent += len(data) + 1

    def read(self, address: int, count: int) -> bytes:
        """Nothing is there to be read."""
        return bytes(count)

    def wait_us(self, us: int) -> None:
        """No time passes."""


def shown(panel: Panel, seconds: float) -> tuple[float, set[str], int]:
    """Seconds of Python that so much of the deck took, the faces that were seen, and cells that found no slot."""
    clock = HandClock(START)
    seen, conflicts = set(), 0
    with read(FACES).show({"": [panel]}, clock=clock, threads=False) as show:
        begin = time.process_time()
        for _ in range(int(seconds * HZ)):
            show.poller.poll_due()
            show.draw()
            clock.advance(1 / HZ)
            face = show.stands[0].shown
            if face is not None:
                seen.add(face.name)
            conflicts += len(panel.compromises)
        return time.process_time() - begin, seen, conflicts


def plain(panel: Panel, seconds: float) -> float:
    """Seconds of Python that the same time takes when each drawing clears the panel and writes every row."""
    begin = time.process_time()
    for number in range(int(seconds * HZ)):
        panel.clear()
        panel[:] = "\n".join(f"{number % 10}" * 20 for _ in range(4))
    return time.process_time() - begin


def lateness(seconds: float) -> list[float]:
    """How late each drawing is, in ms, of twelve probes of which three never answer and three take half a second."""
    quick = iter(range(100_000)).__next__
    calls = [threading.Event().wait, lambda: time.sleep(0.5) or 1.0, quick, quick] * 3
    face = Face("20x4")
    for place in range(12):
        face[place // 3, place % 3 * 6 : place % 3 * 6 + 6] = Number(f"p{place}")
    times: list[float] = []

    class Noted(QuietBus):
        """Notes when something is sent."""

        def write(self, address: int, data: bytes) -> None:
            """Note it."""
            times.append(time.monotonic())

    probes = [FunctionProbe(f"p{place}", call) for place, call in enumerate(calls)]
    panel = Panel("20x4", Backpack(Noted(), 0x27))
    times.clear()
    run(panel, face, probes, seconds, every_s=1 / HZ, refresh_hz=HZ)
    drawn = [at for before, at in zip([0.0, *times], times, strict=False) if at - before > 0.5 / HZ]
    return sorted(1000 * abs((at - drawn[0]) * HZ - round((at - drawn[0]) * HZ)) / HZ for at in drawn[1:])


def main() -> None:
    """Print the table; end with 1 when the twin has found something."""
    logging.getLogger("lumek").setLevel(logging.ERROR)  # probes that fail are part of the load, not worth a line here
    seconds = float(sys.argv[2]) if sys.argv[1:2] == ["--seconds"] else HOUR_S
    quiet = min(QUIET_S, seconds)
    panel = next(iter(read(FACES).attach(twin=True).values()))
    took, seen, conflicts = shown(panel, seconds)
    violations = len(panel.twin.violations)
    bus, other = QuietBus(), QuietBus()
    alone, _, _ = shown(Panel("20x4", Backpack(bus, 0x27)), quiet)
    naive = plain(Panel("20x4", Backpack(other, 0x27)), quiet)
    print(f"{seconds:g} s of a deck, 12 probes and drawings at {HZ} Hz; faces seen: {', '.join(sorted(seen))}")
    print(f"violations {violations}, cells without a slot {conflicts}")
    print(f"{'':34}{'of a core':>10}{'bytes/s':>10}")
    print(f"{'polled, computed, drawn':34}{alone / quiet:10.1%}{bus.sent / quiet:10.0f}")
    print(f"{'the same, with the twin':34}{took / seconds:10.1%}{panel.twin.port.sent / seconds:10.0f}")
    print(f"{'plain: cleared and written again':34}{naive / quiet:10.1%}{other.sent / quiet:10.0f}")
    print(f"the bus carries {bus.hz / 9:.0f} bytes/s; the plain way sends {other.sent / bus.sent:.1f} times as many")
    late = lateness(min(LATE_S, seconds))
    share = len(late) / (min(LATE_S, seconds) * HZ)
    print(f"with three probes that hang and three that are slow, {share:.0%} of the drawings are made, "
          f"{late[len(late) // 2]:.1f} ms late, 99 %: {late[int(len(late) * 0.99)]:.1f} ms")  # fmt: skip
    if violations or conflicts or len(seen) < 4:
        sys.exit("something was treated wrongly, or never seen")


if __name__ == "__main__":
    main()
