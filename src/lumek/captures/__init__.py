"""Seeing the wires: recording what a port sends, and decoding what any program sent.

    panel = Panel("16x2", Backpack(record(bus, "wires.vcd"), 0x27))     # records
    print(decode("wires.vcd"))                                          # a timeline, and the panel at its end

Captures are VCD files, of Lumek or of a logic analyser, the tables (CSV) that such programs export, and logs of I2C
buses. docs/captures.md is the guide.
"""

from collections.abc import Mapping
from os import PathLike
from pathlib import Path

from lumek.captures.decoding import Decoder
from lumek.captures.follower import Event
from lumek.captures.notes import notes
from lumek.captures.recorder import Capture, record
from lumek.captures.seen_panel import SeenPanel, Wiring
from lumek.captures.timeline import Entry, entries, entry_lines
from lumek.captures.traffic import Settings
from lumek.hookup.file import read as read_hookup
from lumek.twin.pins import Violation

__all__ = ["Capture", "Decoding", "Entry", "Event", "SeenPanel", "Violation", "Wiring", "decode", "record"]

KEPT = 100_000


class Decoding:
    """What a capture says.

    panels: the panels in it, each with `rows`, `known()`, `wiring` and `view(time_ns)`.
    events: what they were sent, in order: the first `keep`; `more` counts the others.
    broken: rule of the data sheet -> how often it was broken.
    notes: where it is unsure, and what was found out, in words.
    ends_ns: its last time, in nanoseconds.

    Printed, it is the timeline, and the panels at its end.
    """

    def __init__(self, decoder: Decoder, keep: int = KEPT) -> None:
        self.events: list[Event] = []
        self.more = 0
        for event in decoder.events():
            if len(self.events) < keep:
                self.events.append(event)
            else:
                self.more += 1
        self.panels: list[SeenPanel] = decoder.panels
        self.broken: dict[str, int] = {}
        for panel in self.panels:
            for rule, count in panel.broken.items():
                self.broken[rule] = self.broken.get(rule, 0) + count
        self.notes: list[str] = notes(decoder)
        self.ends_ns = decoder.ends_ns

    def __repr__(self) -> str:
        return f"<Decoding of {len(self.panels)} panels, {len(self.events) + self.more} events>"

    def __str__(self) -> str:
        """The timeline, the panels, and the notes, for `print`."""
        lines = []
        for entry in entries(self.events, self.panels):
            lines += entry_lines(entry, self.panels)
        for panel in self.panels:
            lines += [panel.heading] if len(self.panels) > 1 else []
            lines += [f"│{row}│" for row in panel.rows]
        return "\n".join([*lines, *self.notes])


def decode(
    path: str | PathLike[str],
    hookup: str | PathLike[str] | None = None,
    panel: str | None = None,
    lines: Mapping[str, str] | None = None,
    size: str | None = None,
    rom: str | PathLike[str] | None = None,
    until_s: float | None = None,
    glitch_ns: int = 0,
    oscillator_hz: int | None = None,
    volts: float | None = None,
    bus_hz: int = 100_000,
    keep: int = KEPT,
) -> Decoding:
    """Decode a capture: what panels were sent, what broke the data sheet, and what they then show.

    path: a VCD file, a table of levels, or a log of an I2C bus.
    hookup: the hookup file of its panels; without it, how they are wired is found out. panel: one of several in it.
    lines: role -> wire of the capture, where names do not say it: {"rs": "D0", ...} or {"scl": "D0", "sda": "D1"}.
    size, rom: of a panel without a hookup file; default: a size that fits, and A00.
    until_s: the time in seconds at which the panel is looked at; default: the end.
    glitch_ns: pulses on a wire that are shorter, in nanoseconds, are left out.
    oscillator_hz: of the controllers, 50_000 to 1_000_000; default: 270_000, for which the data sheet states its times.
    volts: of the supply, 2.7 to 5.5, which decides the bus timing; default: 5.
    bus_hz: clock of a bus whose log has only the times of transfers.
    keep: events that are kept.
    Raises CaptureError for a file that cannot be read, or in which no panel is found; HookupError, SizeError.

    >>> from lumek.captures import Capture, decode
    >>> with Capture("wires.vcd") as capture:
    ...     panel = simulate("16x2", capture=capture)
    ...     panel[0] = "Hive 3"
    >>> decode("wires.vcd").panels[0].rows
    ['Hive 3          ', '                ']
    """
    settings = Settings(
        None if hookup is None else read_hookup(Path(hookup)), panel, dict(lines or {}), size, rom,
        None if until_s is None else round(until_s * 1e9), glitch_ns, oscillator_hz, volts, bus_hz,
    )  # fmt: skip
    return Decoding(Decoder(path, settings), keep)
