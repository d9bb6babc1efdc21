"""lumek decode: what a capture of the wires says."""

import re
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from lumek.cli.options import (
    animate_option,
    output_option,
    panel_option,
    picture_options,
    rom_option,
    size_option,
    writing,
)
from lumek.cli.output import say, say_json, tell
from lumek.cli.working import working

if TYPE_CHECKING:
    from lumek.captures.decoding import Decoder
    from lumek.captures.traffic import Settings

TIME = re.compile(r"([0-9]*\.?[0-9]+(?:e-?[0-9]+)?)\s*([a-zµμ]+)")

LONGEST_NS = 10**17


def time_of(text: str) -> int:
    """A time such as 12.5ms, 80us or 2s, in nanoseconds; a usage error for anything else."""
    from lumek.captures.csv_text import UNITS_NS

    match = TIME.fullmatch(text.strip())
    ns = float(match[1]) * UNITS_NS.get(match[2], -1.0) if match else -1.0
    if not 0 <= ns <= LONGEST_NS:
        raise click.BadParameter(f"{text!r} is not a time: write it as 12.5ms, 80us or 2s")
    return round(ns)


def span_of(text: str) -> tuple[int, int]:
    """Two times with .. between them; a usage error for anything else."""
    first, dots, last = text.partition("..")
    if not dots:
        raise click.BadParameter(f"{text!r} is not a span: write it as 12ms..12.5ms")
    begins, ends = time_of(first), time_of(last)
    if begins >= ends:
        raise click.BadParameter(f"{text!r} is not a span: its end comes first")
    return begins, ends


def wires_of(text: str) -> dict[str, str]:
    """Roles and wires, as rs=D0,e=D1; a usage error for anything else."""
    found: dict[str, str] = {}
    for part in text.split(","):
        role, equals, wire = part.partition("=")
        if not equals or not role.strip() or not wire.strip() or role.strip() in found:
            raise click.BadParameter(f"{text!r} is not a list of wires: write them as rs=D0,e=D1,... or scl=D0,sda=D1")
        found[role.strip()] = wire.strip()
    return found


def _checked(convert: Callable[[str], Any]) -> Callable[[click.Context, click.Parameter, str | None], Any]:
    return lambda context, parameter, text: None if text is None else convert(text)


@click.command(name="decode")
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--hookup", type=click.Path(path_type=Path), metavar="FILE",
              help="How the panels are wired (default: Lumek finds it out).")  # fmt: skip
@panel_option
@click.option("--lines", callback=_checked(wires_of), metavar="ROLE=WIRE,...",
              help="Wires of the capture, as rs=D0,e=D1,... or scl=D0,sda=D1.")  # fmt: skip
@size_option("Size of a panel without a hookup file (default: one that fits).")
@rom_option
@click.option("--at", callback=_checked(time_of), metavar="TIME", help="Stop at this time, as 12.5ms.")
@click.option("--ignore-below", "glitch", callback=_checked(time_of), metavar="TIME",
              help="Leave out pulses on a wire that are shorter, as 50ns.")  # fmt: skip
@click.option("--oscillator", type=click.IntRange(50_000, 1_000_000), metavar="HZ",
              help="Oscillator of the controllers (default 270000).")  # fmt: skip
@click.option("--volts", type=click.FloatRange(2.7, 5.5), metavar="VOLTS",
              help="Supply, which decides the bus timing (default 5).")  # fmt: skip
@click.option("--bus-hz", type=click.IntRange(1000, 5_000_000), default=100_000, metavar="HZ",
              help="Clock of a bus whose log has only the times of transfers (default 100000).")  # fmt: skip
@picture_options
@animate_option
@output_option("--timing", "Draw a timing diagram of a span.", ".png", ".svg")
@click.option("--span", callback=_checked(span_of), metavar="FROM..TO",
              help="What --timing draws, as 12ms..12.5ms (default: what is wrong first, or the text).")  # fmt: skip
@click.option("--json", "as_json", is_flag=True, help="Print everything as JSON.")
@click.option("--summary", is_flag=True, help="Print one line for each panel.")
def command(
    file: Path,
    hookup: Path | None,
    panel: str | None,
    lines: Mapping[str, str] | None,
    size: str | None,
    rom: str | None,
    at: int | None,
    glitch: int | None,
    oscillator: int | None,
    volts: float | None,
    bus_hz: int,
    picture: Path | None,
    scheme: str,
    animate: Path | None,
    timing: Path | None,
    span: tuple[int, int] | None,
    as_json: bool,
    summary: bool,
) -> None:
    """List what the wires of a panel said: FILE is a capture, and the panel at its end is drawn.

    FILE is VCD or CSV, of Lumek (--record) or of a logic analyser, or a CSV log of an I2C bus. Lumek
    finds out how the panel is wired, unless --hookup or --lines gives it. Lines with ! break the data sheet; lines with
    ? are uncertain.

    \b
    lumek show "Hive 3" --record wires.vcd && lumek decode wires.vcd
    lumek decode analyser.csv --lines scl=D0,sda=D1 --summary
    lumek decode wires.vcd --at 80ms --picture panel.png
    lumek decode wires.vcd --timing timing.png --span 74.3ms..75ms
    """  # noqa: D301
    from lumek.captures.traffic import Settings
    from lumek.core.geometry import Geometry
    from lumek.hookup.file import read

    if span is not None and timing is None:
        raise click.UsageError("--span is what --timing OUT.png draws: add it")
    if as_json and summary:
        raise click.UsageError("--json and --summary cannot be combined: drop one of them")
    if hookup is not None:
        given = {"--size": size, "--rom": rom, "--volts": volts}
        if said := [option for option, value in given.items() if value is not None]:
            raise click.UsageError(f"{said[0]} is already set in {hookup}; drop the option")
    elif panel is not None:
        raise click.UsageError(f"--panel {panel} needs --hookup FILE, which has a panel of that name")
    if size is not None:
        Geometry(size)
    settings = Settings(
        None if hookup is None else read(hookup), panel, lines or {}, size, rom, at, glitch or 0, oscillator, volts,
        bus_hz,
    )  # fmt: skip
    if timing is not None:  # what is missing is said before anything is done
        from lumek.readings.extras import wanted_by

        with wanted_by("--timing", "sheets"):
            from lumek.captures.diagram import draw
    decoder = listed(file, settings, as_json, summary, scheme)
    if picture is not None:
        from lumek.views.picture import pictures

        with writing(picture) as beside:
            pictures([one.view(one.seen_ns) for one in decoder.panels], scheme).save(beside, format="PNG")
    if animate is not None:
        animated(file, settings, decoder, animate, scheme)
    if timing is not None:
        with writing(timing) as beside:
            draw(file, settings, span, beside)


def listed(file: Path, settings: "Settings", as_json: bool, summary: bool, scheme: str) -> "Decoder":
    """Decode a file, and print what it says as it comes."""
    from rich.console import Console

    from lumek.captures import Decoding
    from lumek.captures.decoding import Decoder
    from lumek.captures.notes import notes, summary_line
    from lumek.captures.report import as_data
    from lumek.captures.timeline import entries, entry_lines
    from lumek.views.terminal import terminal_view

    decoder = Decoder(file, settings)
    if as_json:
        say_json(as_data(Decoding(decoder)))
        return decoder
    for entry in entries(decoder.events(), decoder.panels):
        if not summary:
            for line in entry_lines(entry, decoder.panels):
                say(line)
    if summary:
        for panel in decoder.panels:
            say(summary_line(panel))
        return decoder
    console = Console()
    for panel in decoder.panels:
        if len(decoder.panels) > 1:
            say(panel.heading)
        console.print(terminal_view(panel.view(panel.seen_ns), console, scheme))
    for line in notes(decoder):
        say(line)
    return decoder


SHORTEST_S, LONGEST_S, PICTURES = 4.0, 60.0, 200
"""Of an animation: how long it lasts, and how many pictures it may have."""


def animated(file: Path, settings: "Settings", seen: "Decoder", path: Path, scheme: str) -> None:
    """Write an animation of what the panels showed, slowed or quickened to a time in which it can be watched."""
    from lumek.captures.decoding import Decoder
    from lumek.views.animation import Animation

    begins, ends = seen.begins_ns, max(panel.seen_ns for panel in seen.panels)
    seconds = max((ends - begins) / 1e9, 1e-9)
    scale = min(max(seconds, SHORTEST_S), LONGEST_S) / seconds
    decoder = Decoder(file, settings)
    animation = Animation([panel.view(0) for panel in decoder.panels], scheme)
    step = max(1, (ends - begins) // PICTURES)
    due = begins
    with working("drawing the animation") as work:
        for event in decoder.events():
            if event.time_ns >= due:
                for panel in decoder.panels:
                    panel.view(event.time_ns)
                animation.take((event.time_ns - begins) / 1e9 * scale)
                due = event.time_ns + step
                work.at((event.time_ns - begins) / max(1, ends - begins))
        for panel in decoder.panels:
            panel.view(ends)
        animation.take(seconds * scale)
        with writing(path) as beside:
            animation.save(beside, work.at)
    if scale != 1:
        tell(f"the animation is {'slowed' if scale > 1 else 'quickened'} {max(scale, 1 / scale):.3g} times")
