"""How quickly captures are recorded and decoded, and what an edge costs in the file and in memory.

python benchmarks/captures.py [MILLIONS]    of edges on each link (default 1; the limit is 10 million in 60 s)
"""

import resource
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

import lumek
from lumek import Backpack, Direct, Panel, ShiftRegister
from lumek.captures import Capture
from lumek.captures.decoding import Decoder
from lumek.captures.traffic import Settings
from lumek.twin import backpack_twin, direct_twin, shift_register_twin

LIMIT_EDGES, LIMIT_S = 10_000_000, 60

PINS = {"rs": 1, "e": 2, "d4": 3, "d5": 4, "d6": 5, "d7": 6}

TEXTS = [f"Hive {number} has {41.4 + number / 10:.1f} kg".ljust(20)[:20] for number in range(10)]


def links(capture: Capture) -> dict[str, Any]:
    """A panel on each link, recorded."""
    bus = backpack_twin("20x4")[1]
    lines = direct_twin("20x4", PINS)[1]
    serial = shift_register_twin("20x4", {role: bit - 1 for role, bit in PINS.items()})[1]
    named = {line: role for role, line in PINS.items()}
    data = PINS["d4"], PINS["d5"], PINS["d6"], PINS["d7"]
    return {
        "backpack": lambda: Backpack(capture.around(bus), 0x27),
        "direct": lambda: Direct(capture.around(lines, lines=named), rs=PINS["rs"], e=PINS["e"], data=data),
        "shift register": lambda: ShiftRegister(capture.around(serial), {role: bit - 1 for role, bit in PINS.items()}),
    }


def recorded(link: str, edges: int, file: Path) -> tuple[int, float]:
    """Record at least this number of edges. Returns their number, and the seconds."""
    began = time.perf_counter()
    with Capture(file) as capture:
        count = 0
        change = capture.change

        def counted(wire: int, time_ns: int, level: str) -> None:
            nonlocal count
            count += 1
            change(wire, time_ns, level)

        capture.change = counted
        panel = Panel("20x4", links(capture)[link]())
        turn = 0
        while count < edges:
            panel[:] = "\n".join(TEXTS[(turn + row) % 10] for row in range(4))
            turn += 1
    with file.open("rb") as wires:
        edges = sum(line[:1] != b"#" for line in wires)
    return edges, time.perf_counter() - began


def decoded(file: Path) -> tuple[float, int]:
    """Seconds to decode it, and events."""
    began = time.perf_counter()
    decoder = Decoder(file, Settings(size="20x4"))
    count = sum(1 for _ in decoder.events())
    if any(panel.broken for panel in decoder.panels):
        sys.exit(f"{file.name}: {decoder.panels[0].broken}")
    return time.perf_counter() - began, count


def memory_mb() -> int:
    """What this process needed at most so far."""
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024


def main() -> None:
    """Measure, and print ratios."""
    millions = float(sys.argv[1]) if len(sys.argv) > 1 else 1.0
    before = memory_mb()
    print(f"{'link':16}{'edges':>12}{'bytes/edge':>12}{'decoded in':>12}{'edges/s':>12}{'of the limit':>14}")
    with tempfile.TemporaryDirectory() as folder:
        for link in ("backpack", "direct", "shift register"):
            file = Path(folder) / "wires.vcd"
            edges, _ = recorded(link, round(millions * 1e6), file)
            size = file.stat().st_size
            seconds, _ = decoded(file)
            share = seconds / (edges / LIMIT_EDGES * LIMIT_S)
            print(f"{link:16}{edges:12,}{size / edges:12.1f}{seconds:10.1f} s{edges / seconds:12,.0f}{share:13.0%}")
        print(f"memory: {memory_mb()} MB at most, {memory_mb() - before} of them for this")
        plain = flushed(None)
        file = Path(folder) / "text.vcd"
        with Capture(file) as capture:
            drawn = flushed(capture)
        print(f"Python time of 200 full redraws of a 20x4: {plain * 1000:.0f} ms, recorded {drawn * 1000:.0f} ms "
              f"({drawn / plain:.1f} times); a bus of 100 kHz takes 5.9 s for them")  # fmt: skip


def flushed(capture: Capture | None) -> float:
    """Seconds of Python for 200 redraws of all cells."""
    panel = lumek.simulate("20x4", capture=capture)
    began = time.perf_counter()
    for turn in range(200):
        panel[:] = "\n".join(("ab" if turn % 2 else "cd") * 10 for _ in range(4))
    return time.perf_counter() - began


if __name__ == "__main__":
    main()
