"""Draw docs/how-it-works.png: one assignment on its way to the wires, as it really went.

Run it in a checkout with the extra `sheets`: python tools/make_how_it_works.py
"""

from pathlib import Path
from typing import Any

import matplotlib as mpl
from matplotlib.figure import Figure

import lumek

OUT = Path(__file__).parents[1] / "docs/how-it-works.png"
INK, FAINT, PAPER, HONEY, LEAF = "#1e2228", "#8a9098", "#fafaf6", "#ffd98a", "#cfe6d0"
PINS = ("backlight", "rs", "e", "d7", "d6", "d5", "d4")


def watched() -> tuple[Any, ...]:
    """An assignment to a panel behind a backpack: its steps, the bytes on the bus, the edges, and the rows."""
    panel = lumek.simulate("16x2")
    panel[0] = "Hive 3"
    panel[1, 0:7] = "41.2 kg"
    steps: list[Any] = []
    sent: list[bytes] = []
    link, bus = panel._driver.link, panel.twin.port
    send, write = link.send, bus.write
    link.send = lambda given: (steps.extend(given), send(given))[1]
    bus.write = lambda address, data: (sent.append(data), write(address, data))[1]
    before, start = panel.rows[1], len(panel.twin.edges)
    panel[1, 0:7] = "41.4 kg"
    return panel, steps, b"".join(sent), list(panel.twin.edges)[start:], before


def cells(ax: Any, y: float, text: str, changed: int, note: str) -> None:
    """A row of cells with their codes."""
    for column, character in enumerate(text):
        x = 3.05 + column * 0.52
        colour = HONEY if column == changed else "white"
        ax.add_patch(mpl.patches.Rectangle((x, y), 0.46, 0.62, facecolor=colour, edgecolor=FAINT, lw=0.8))
        ax.text(x + 0.23, y + 0.4, character, ha="center", va="center", family="monospace", size=13, color=INK)
        ax.text(x + 0.23, y + 0.13, f"{ord(character):02x}", ha="center", va="center", size=6.5, color=FAINT)
    ax.text(3.05 + len(text) * 0.52 + 0.15, y + 0.3, note, va="center", size=9, color=FAINT)


def main() -> None:
    """Draw it."""
    panel, steps, sent, edges, before = watched()
    after = panel.rows[1]
    changed = next(at for at, (old, new) in enumerate(zip(before, after, strict=True)) if old != new)
    figure = Figure((12.8, 8.4), dpi=100, facecolor=PAPER)
    ax: Any = figure.add_axes((0, 0, 1, 1))
    ax.set_xlim(0, 12.8)
    ax.set_ylim(0, 8.4)
    ax.axis("off")
    rooms = [(7.75, 7.5, "the program", ""), (6.62, 5.78, "cells", "core/cells; slots and\nglyphs from core, roms"),
             (5.25, 4.75, "plan", "core/plan"), (4.05, 3.42, "link", "links/backpack,\nlinks/byte_port"),
             (2.3, 0.92, "wires", "ports/: the bus,\nor the twin's bus"),
             (0.55, None, "twin", "twin/: decodes from\nthe pins up")]  # fmt: skip
    for y, line, title, room in rooms:
        ax.text(0.4, y + 0.12, title, size=14, weight="bold", color=INK, va="center")
        ax.text(0.4, y - 0.1, room, size=8.5, color=FAINT, va="top")
        if line is not None:
            ax.axhline(line, 0.03, 0.97, color="#dcdcd4", lw=1)
    ax.text(3.05, 7.87, 'panel[1, 0:7] = "41.4 kg"', family="monospace", size=14, color=INK, va="center")
    cells(ax, 6.66, before[:9], changed, "what the panel shows")
    cells(ax, 5.92, after[:9], changed, "what is wanted: one code differs")
    for number, step in enumerate(steps):
        ax.add_patch(mpl.patches.FancyBboxPatch((3.05 + number * 3.4, 5.12), 3.0, 0.4, boxstyle="round,pad=0.06",
                                                facecolor=HONEY, edgecolor=FAINT, lw=0.8))  # fmt: skip
        ax.text(4.55 + number * 3.4, 5.32, str(step), ha="center", va="center", size=12, color=INK)
    ax.text(9.95, 5.32, "an address, and a run of data", size=9, color=FAINT, va="center")
    width = 8.9 / len(sent)
    for number, state in enumerate(sent):
        x = 3.05 + number * width
        ax.add_patch(mpl.patches.Rectangle((x, 3.92), width - 0.06, 0.42, facecolor=LEAF, edgecolor=FAINT, lw=0.8))
        ax.text(x + width / 2 - 0.03, 4.13, f"{state:02x}", ha="center", va="center", family="monospace", size=11)
    ax.text(3.05, 3.66, f"{len(sent)} port states, one byte each, in one transfer; "
            "each byte is two nibbles, each with E high and then low", size=9, color=FAINT, va="center")  # fmt: skip
    first, last = edges[0].time_ns, edges[-1].time_ns
    span = (last - first) * 1.1
    levels = dict.fromkeys(PINS, 0) | {"backlight": 1}
    known = {pin: next((edge.levels[pin] for edge in edges if pin in edge.levels), None) for pin in PINS}
    levels |= {pin: 1 - level for pin, level in known.items() if level is not None}
    for lane, pin in enumerate(PINS):
        y = 3.12 - lane * 0.3
        times, heights = [first - span * 0.03], [levels[pin]]
        for edge in edges:
            if pin in edge.levels:
                times += [edge.time_ns, edge.time_ns]
                heights += [heights[-1], edge.levels[pin]]
        times.append(first + span)
        heights.append(heights[-1])
        xs = [3.05 + 0.7 + (time - first) / span * 8.0 for time in times]
        ax.plot(xs, [y + 0.2 * height for height in heights], color=INK, lw=1.4)
        ax.text(3.05, y + 0.08, pin.upper() if pin != "backlight" else "BL", size=9, color=FAINT, va="center")
    ax.text(3.05, 1.1, f"{(last - first) / 1e6:.2f} ms at 100 kHz", size=9, color=FAINT, va="center")
    cells(ax, 0.16, panel.twin.rows[1][:9], changed, f"{len(panel.twin.violations) or 'no'} violations of a data sheet")
    figure.savefig(OUT, dpi=100)


if __name__ == "__main__":
    main()
