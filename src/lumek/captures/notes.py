"""What a decoding found out, and where it is unsure, in words."""

from lumek.captures.decoding import Decoder
from lumek.captures.follower import DATA, INSTRUCTION, SINGLE
from lumek.captures.meanings import time_words
from lumek.captures.recorder import HOST
from lumek.captures.seen_panel import SeenPanel

MOST_ALIENS = 8

SAMPLES = 4
"""Samples within a time that is to be judged."""


def summary_line(panel: SeenPanel) -> str:
    """A panel in one line: how it is wired, what it was sent, what was broken, what it shows."""
    instructions = panel.counts.get(INSTRUCTION, 0) + panel.counts.get(SINGLE, 0)
    sent = f"{instructions} instructions, {panel.counts.get(DATA, 0)} bytes of data"
    broken = ", ".join(f"{rule} {count}" for rule, count in panel.broken.items())
    shows = " / ".join(row.rstrip() for row in panel.rows)
    return (
        f"{panel.size} on {panel.wiring}: {sent}; {f'breaks: {broken}' if broken else 'nothing broken'}; shows {shows}"
    )


def notes(decoder: Decoder) -> list[str]:
    """Notes on a decoding that is complete."""
    lines = []
    for panel in decoder.panels:
        lines += _of_panel(panel, f"panel {panel.label}: " if len(decoder.panels) > 1 else "")
    if decoder.aliens:
        there = [f"{address:#04x} ({count} transfer{'' if count == 1 else 's'})"
                 for address, count in sorted(decoder.aliens.items())]  # fmt: skip
        more = f" and {len(there) - MOST_ALIENS} more" if len(there) > MOST_ALIENS else ""
        lines.append(f"other devices on the bus: {', '.join(there[:MOST_ALIENS])}{more}")
    if decoder.broken_bytes:
        cut = "1 byte on the bus was" if decoder.broken_bytes == 1 else f"{decoder.broken_bytes} bytes on the bus were"
        lines.append(f"{cut} cut off: samples are missing, or the bus was disturbed")
    unjudged = {rule: asked for panel in decoder.panels for rule, asked in panel.pulses.unjudged.items()}
    if unjudged:
        shortest = min(unjudged.values())
        rules = ", ".join(f"{rule} ({time_words(asked)})" for rule, asked in unjudged.items())
        lines.append(
            f"cannot be judged: {rules}, since the samples are {time_words(decoder.traffic.resolution_ns)} apart; take "
            f"{SAMPLES * 1000 / shortest:.0f} million samples a second"
        )
    if getattr(decoder.traffic.source, "kind", "") == HOST:
        lines.append("times are those of the host's clock, and the bits of a transfer follow at the stated clock")
    return lines


def _difference(panel: SeenPanel) -> str:
    """How the lines that make sense differ from those that were given: two that are swapped, or all of them."""
    if panel.instead_as:
        return f"line map {panel.instead_as}"
    given, instead = panel.wiring.lines, panel.instead
    moved = [role for role in given if role in instead and given[role] != instead[role]]
    if len(moved) == 2:
        return f"{moved[0].upper()} and {moved[1].upper()} swapped"
    return ", ".join(f"{role}={line}" for role, line in instead.items())


def _of_panel(panel: SeenPanel, label: str) -> list[str]:
    lines = []
    found = panel.wiring.found
    if found is not None:
        how = "certain" if found.certain else f"a guess: another assignment is {found.lead:.0%} behind"
        lines.append(f"{label}found: {panel.wiring} ({how})")
        if found.unsure:
            lines.append(f"{label}not found: {' and '.join(found.unsure)}, which nothing on the wires shows")
    if panel.instead:
        lines.append(f"{label}these lines make no sense as they are given; they do with {_difference(panel)}")
    if "nibble phase" in panel.broken:
        count = panel.broken["nibble phase"]
        lines.append(f"{label}the halves of bytes are out of step: RS or RW changes within {count} "
                     f"byte{'' if count == 1 else 's'}")  # fmt: skip
    if panel.size_guessed:
        lines.append(f"{label}size {panel.size} is a guess from what was written; --size sets another")
    if not panel.sure:
        lines.append(
            f"{label}no start-up is in the capture, so which two pulses make a byte is a guess: this is the likelier "
            "way"
        )
    unknown = sum(not cell for row in panel.known() for cell in row)
    cells = sum(len(row) for row in panel.known())
    if unknown:
        lines.append(f"{label}{unknown} of {cells} cells are not known for sure")
    return lines
