"""What keeping a 20x4 panel right costs: python benchmarks/refreshes.py.

For each wiring a panel full of text, and one with eight drawings besides, is refreshed at once, verified, and refreshed
in parts once a second. *Limit* is what writing all cells and drawings once takes. *Plain* is what blanks the panel and
starts it again: `restart`. Ends with 1 when a part breaks a rule of a data sheet or takes more than 5 % of a slow bus.
"""

import random
import sys
import time
from typing import Any

import disturbed

from lumek import Panel, simulate
from lumek.twin import Controller

TEXTS = {"text": "Hive 3\n41.4 kg\n34.8\nforagers", "8 drawings": "🐝 Hive 3 ž ½ ł ő ț\n41.4 kg ≤ ☺\n34.8\nforagers"}
SECONDS = 28


def measured(panel: Panel, act: Any) -> tuple[int, float, float]:
    """Bytes, or calls of lines; milliseconds on the wires, waits included; microseconds of Python."""
    port = panel.twin.port
    count = "sent" if hasattr(port, "sent") else "calls"
    before, clock, began = getattr(port, count), panel.twin.clock.now_ns, time.perf_counter()
    act()
    return (getattr(port, count) - before, (panel.twin.clock.now_ns - clock) / 1e6,
            (time.perf_counter() - began) * 1e6)  # fmt: skip


def main() -> int:
    """Print the tables."""
    wrong = 0
    print("| what | link | refresh: sent, ms | of the limit | restart: sent, ms | verify: sent, ms |")
    print("|---|---|---|---|---|---|")
    for what, text in TEXTS.items():
        for wiring in ("pcf8574", "mcp23008", "direct 4", "direct 4 flag", "direct 8", "register, SPI"):
            if wiring == "pcf8574":
                panel = simulate("20x4", hz=100_000)
                twin, link = panel.twin, panel._driver.link
            else:
                twin, link = disturbed.wired(random.Random(3), wiring, "20x4", [Controller(270_000)])
                panel = Panel("20x4", link, twin=twin)
            panel[:] = text
            slots = sum(rows is not None for rows in panel._driver.shown[0].glyphs) if panel._driver.shown else 0
            sent, ms, _ = measured(panel, panel.refresh)
            again, again_ms, _ = measured(panel, panel.restart)
            least = (80 + 8 * slots) * {"direct 4": 4, "direct 4 flag": 12, "direct 8": 2}.get(wiring, 4)
            verified = "-"
            if link.can_read:
                read, read_ms, _ = measured(panel, panel.verify)
                verified = f"{read}, {read_ms:.1f}"
            costs = f"{sent}, {ms:.1f} | {sent / least:.2f} x | {again}, {again_ms:.1f} | {verified}"
            print(f"| {what} | {wiring} | {costs} |")
            wrong += len(twin.violations)
    print("\n| every second, in parts, 20x4 at 100 kHz | of the bus | longest part | Python, with the simulation |")
    print("|---|---|---|---|")
    for what, text in TEXTS.items():
        panel = simulate("20x4", hz=100_000)
        panel[:] = text
        panel.tend(0.0)
        panel.refresh_every_s = 1.0
        bus, busy_ms, longest_ms, python_us = panel.twin.port, 0.0, 0.0, 0.0
        for tick in range(SECONDS * 100):
            sent, ms, us = measured(panel, lambda panel=panel, tick=tick: panel.tend(tick / 100))
            busy_ms += sent * 9000 / bus.hz
            longest_ms, python_us = max(longest_ms, ms), python_us + us
        share = busy_ms / 10 / SECONDS
        print(f"| {what} | {share:.2f} % | {longest_ms:.1f} ms | {python_us / 1000 / SECONDS:.0f} ms |")
        wrong += len(panel.twin.violations) + (share >= 5)
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
