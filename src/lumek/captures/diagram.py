"""A timing diagram: the wires of a span of a capture, its pulses of E numbered, with what they mean above.

Drawn by matplotlib, which the extra "sheets" brings.
"""

from os import PathLike
from pathlib import Path

import matplotlib
from matplotlib.axes import Axes
from matplotlib.figure import Figure

from lumek.captures.decoding import Decoder
from lumek.captures.follower import HALF, LOST, SINGLE, Event
from lumek.captures.meanings import time_words
from lumek.captures.pulses import BIT, E2, ROLES, E
from lumek.captures.seen_panel import SeenPanel
from lumek.captures.traffic import Settings
from lumek.errors import CaptureError

INK, QUIET, WRONG, DOUBT = "#1d3340", "#8a979f", "#c3272b", "#b7791f"

BEFORE, AFTER = 1, 3
"""Events around the one that is drawn by default."""

MARGIN = 0.04
"""Of the span, on each side."""

MOST_EVENTS, MOST_TOLD = 60, 3
"""Events with their words, and violations that are written out."""

LEVELS = 3
"""Lines of words above the wires."""

CHARACTER = 0.0056
"""Width of a character, as a part of the diagram's."""

MOST_NUMBERED = 80

HIGH = 0.62
"""Height of a level within its row."""


def draw(path: str | PathLike[str], settings: Settings, span: tuple[int, int] | None, to: str | PathLike[str]) -> None:
    """Draw a span of a capture, as PNG or SVG by the name of the file.

    span: from and to, in nanoseconds; None for what breaks the data sheet first, else for the first text.
    Raises CaptureError when nothing is in it.
    """
    if span is None:
        span = _interesting(path, settings)
    begins, ends = span
    margin = max(1, round((ends - begins) * MARGIN))
    begins, ends = begins - margin, ends + margin
    decoder = Decoder(path, settings)
    decoder.watch(begins, ends)
    events = [event for event in decoder.events() if event.time_ns >= begins and event.began_ns <= ends]
    panel = decoder.panels[events[0].panel if events else 0]
    if not events and not panel.trace:
        raise CaptureError(f"nothing happens from {time_words(span[0])} to {time_words(span[1])}")
    figure = _figure(decoder, panel, [one for one in events if one.panel == panel.number], begins, ends)
    # The text of an SVG stays text, and the file is the same each time.
    with matplotlib.rc_context({"svg.fonttype": "none", "svg.hashsalt": "lumek"}):
        kind = Path(to).suffix.lstrip(".")
        figure.savefig(to, dpi=100, metadata={"Date": None} if kind == "svg" else None)


def _interesting(path: str | PathLike[str], settings: Settings) -> tuple[int, int]:
    """Around the first event that breaks the data sheet, or else the first byte of data."""
    before: list[Event] = []
    chosen: list[Event] = []
    flawed = False
    first: list[Event] = []
    for event in Decoder(path, settings).events():
        if len(first) <= AFTER:
            first.append(event)
        if chosen and len(chosen) <= BEFORE + AFTER:
            chosen.append(event)
        if event.violations and not flawed:
            chosen, flawed = [*before[-BEFORE:], event], True
        elif event.kind == "data" and not chosen:
            chosen = [*before[-BEFORE:], event]
        before = [*before[-BEFORE:], event]
        if flawed and len(chosen) > BEFORE + AFTER:
            break
    chosen = chosen or first
    if not chosen:
        raise CaptureError("there is nothing to draw: no pulse of E is in the capture")
    return chosen[0].began_ns, chosen[-1].time_ns


def _figure(decoder: Decoder, panel: SeenPanel, events: list[Event], begins: int, ends: int) -> Figure:
    order = [role for role in ("backlight", "rs", "rw", "e", "e2", *reversed(ROLES[:8])) if role in panel.wiring.lines]
    raw = list(decoder.traffic.raw_names)
    rows = [*raw, *order]
    figure = Figure(figsize=(12.8, max(4.4, 1.9 + 0.42 * len(rows))), layout="constrained")
    axes = figure.add_subplot()
    unit, scale = ("ms", 1e6) if ends - begins >= 2e6 else ("us", 1e3) if ends - begins >= 2e3 else ("ns", 1.0)
    for place, name in enumerate(rows):
        base = len(rows) - 1 - place
        if name in raw:
            mask, trace, initial = decoder.traffic.raw_names[name], decoder.traffic.raw, decoder.traffic.raw_before
        else:
            mask, trace, initial = BIT[name], panel.trace, panel.trace_before
        _wire(axes, trace, initial, mask, base, begins, ends, scale)
    axes.set_yticks([len(rows) - 1 - place + HIGH / 2 for place in range(len(rows))],
                    [name.upper() if name != "backlight" else "backlight" for name in rows])  # fmt: skip
    axes.set_xlim(begins / scale, ends / scale)
    violations = sum(len(event.violations) for event in events[:MOST_EVENTS])
    axes.set_ylim(-0.3, len(rows) + 0.3 + 0.45 * (1 + LEVELS + min(violations, MOST_TOLD + 1)))
    axes.set_xlabel(unit)
    axes.tick_params(axis="y", length=0)
    for side in ("top", "right", "left"):
        axes.spines[side].set_visible(False)
    _number(axes, panel, len(rows) - 1 - rows.index("e"), begins, ends, scale)
    _bytes(axes, panel, events[:MOST_EVENTS], len(rows), begins, ends, scale)
    axes.set_title(
        f"{decoder.traffic.source.name}: {panel.size} on {panel.wiring}",
        loc="left",
        fontsize=10,
        color=INK,
        parse_math=False,
    )
    return figure


def _wire(
    axes: Axes, trace: list[tuple[int, int]], initial: int | None, mask: int, base: int, begins: int, ends: int,
    scale: float,
) -> None:  # fmt: skip
    times, levels = [begins / scale], [int(bool((initial or 0) & mask))]
    for at, word in trace:
        level = int(bool(word & mask))
        if level != levels[-1]:
            times.append(at / scale)
            levels.append(level)
    times.append(ends / scale)
    levels.append(levels[-1])
    axes.step(times, [base + HIGH * level for level in levels], where="post", color=INK, linewidth=1.2)
    axes.axhline(base, color=QUIET, linewidth=0.3, zorder=0)


def _number(axes: Axes, panel: SeenPanel, base: int, begins: int, ends: int, scale: float) -> None:
    """Number the falls of E, with which a half or a byte is taken."""
    count = 0
    before = panel.trace_before or 0
    free = float(begins)
    for at, word in panel.trace:
        if before & ~word & (E | E2) and begins <= at <= ends:
            count += 1
            if count <= MOST_NUMBERED:
                axes.axvline(at / scale, color=QUIET, linewidth=0.5, linestyle=":", zorder=0)
                if at >= free:
                    axes.annotate(str(count), (at / scale, base + HIGH), (2, 1), textcoords="offset points",
                                  fontsize=7, color=QUIET)  # fmt: skip
                    free = at + (ends - begins) * CHARACTER * (len(str(count)) + 0.5)
        before = word


def _bytes(axes: Axes, panel: SeenPanel, events: list[Event], top: int, begins: int, ends: int, scale: float) -> None:
    """What the pulses mean, above the wires; in red what breaks the data sheet. Words give way to each other."""
    character = (ends - begins) / scale * CHARACTER
    free = [begins / scale] * (1 + LEVELS)
    for event in events:
        colour = WRONG if event.violations else INK if event.sure else DOUBT
        left, right = max(event.began_ns, begins) / scale, min(event.time_ns, ends) / scale
        axes.plot([left, right], [top + 0.05] * 2, color=colour, linewidth=4, solid_capstyle="butt")
        code = f"{event.code:#03x}" if event.kind in (SINGLE, HALF, LOST) else f"{event.code:#04x}"
        middle = (left + right) / 2 - character * len(code) / 2
        if middle >= free[0]:
            axes.text(middle, top + 0.2, code, fontsize=8, color=colour, parse_math=False)
            free[0] = middle + character * (len(code) + 1)
        words = _short(event, panel)
        place = min(left, ends / scale - character * len(words))
        level = next((level for level in range(1, 1 + LEVELS) if free[level] <= place), None)
        if level is not None:
            axes.text(place, top + 0.2 + 0.45 * level, words, fontsize=8, color=colour, parse_math=False)
            free[level] = place + character * (len(words) + 1)
        for violation in event.violations:
            axes.axvspan(left, max(right, violation.time_ns / scale), color=WRONG, alpha=0.08, linewidth=0)
            axes.axvline(violation.time_ns / scale, color=WRONG, linewidth=0.8, alpha=0.6, zorder=0)
    broken = [violation for event in events for violation in event.violations]
    texts = [f"{violation.rule}: {violation.detail}" for violation in broken[:MOST_TOLD]]
    if len(broken) > MOST_TOLD:
        texts.append(f"and {len(broken) - MOST_TOLD} more")
    for number, text in enumerate(texts):
        above = top + 0.2 + 0.45 * (LEVELS + len(texts) - number)
        axes.text(begins / scale, above, text, fontsize=8, color=WRONG, parse_math=False)


def _short(event: Event, panel: SeenPanel) -> str:
    if event.kind == "data" and not event.in_cgram:
        character = panel.rom.character(event.code)
        return repr(character) if character and event.code >= 16 else "a glyph"
    return event.words.partition(":")[0] if len(event.words) > 30 else event.words
