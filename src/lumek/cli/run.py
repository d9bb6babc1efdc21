"""lumek run: faces of a file on their panels."""

from pathlib import Path
from typing import TYPE_CHECKING

import click

from lumek.cli.options import (
    WithNew,
    animate_option,
    check_faults,
    fault_option,
    output_option,
    picture_options,
    record_option,
    seconds_of,
    seconds_or_all,
    size_option,
)
from lumek.cli.output import say
from lumek.errors import CheckError

if TYPE_CHECKING:
    from lumek.faces.face_file import FaceFile


@click.command(name="run", cls=WithNew, new="lumek.cli.run_new")
@click.argument("file", type=click.Path(path_type=Path), required=False)
@click.option("--hookup", type=click.Path(path_type=Path), metavar="FILE", help="The wiring, in another file.")
@click.option("--twin", "simulated", is_flag=True, help="Simulate the panels, and draw them in the terminal.")
@size_option("Size of a simulated panel, where FILE has no wiring.")
@click.option(
    "--for",
    "seconds",
    type=seconds_of,
    metavar="TIME",
    help="End after 30s, 5min or 2h; with --once, the longest wait.",
)
@click.option("--once", is_flag=True, help="Wait for the first readings (10 s at most), draw once, and end.")
@click.option(
    "--speed",
    type=click.FloatRange(0, min_open=True),
    default=1.0,
    metavar="TIMES",
    help="Play recordings back this many times faster.",
)
@click.option("--check", is_flag=True, help="Only read FILE, and list what it needs and what it connects to.")
@click.option("--status", is_flag=True, help="Show how the panels have been: errors, retries, repairs.")
@fault_option("bit-flip every 2 s")
@click.option("-v", "--verbose", is_flag=True, help="Report every change of a probe, and where it comes from.")
@output_option("--log", "Append readings to a log (.csv or .jsonl).", ".csv", ".jsonl")
@click.option(
    "--log-every", type=seconds_or_all, metavar="TIME", help="From one line of a probe to the next: 10s (default), all."
)
@output_option("--plot", "Draw a chart of the readings at the end.", ".png", ".svg", ".pdf")
@picture_options
@animate_option
@record_option
def command(
    file: Path | None,
    hookup: Path | None,
    simulated: bool,
    size: str | None,
    seconds: float | None,
    once: bool,
    speed: float,
    check: bool,
    status: bool,
    faults: tuple[str, ...],
    verbose: bool,
    log: Path | None,
    log_every: float | None,
    plot: Path | None,
    picture: Path | None,
    scheme: str,
    animate: Path | None,
    record: Path | None,
) -> None:
    """Show the faces of FILE on their panels, until Ctrl-C.

    The panels are those of the hookup in FILE, or of --hookup; with --twin the same are simulated. docs/faces.md says
    how FILE is written.

    \b
    lumek run hive.toml --twin
    lumek run hive.toml
    lumek run hive.toml --check
    lumek run hive.toml --twin --speed 3600 --for 24s --animate day.gif
    lumek run hive.toml --log hive.csv
    lumek run hive.toml --twin --fault "bit-flip every 2 s" --status
    lumek run new hive.toml            asks what it needs, and writes such a file
    """  # noqa: D301
    if file is None:
        raise click.UsageError(
            "give the file to show: lumek run FILE; lumek run new FILE writes one from a few answers"
        )
    from lumek.faces.file import read

    faces = read(file, hookup)
    if size is not None:
        if faces.hookup is not None:
            raise click.UsageError(f"--size is already set in {faces.hookup.source}; drop the option")
        faces = faces.of_size(size)
    if speed != 1 and not any(table.kind == "replay" for table in faces.sources.values()):
        raise click.UsageError(f"--speed {speed:g} is for recordings, and {file} has none: drop the option")
    if log is None and log_every is not None and faces.log.file is None:
        raise click.UsageError("--log-every needs --log FILE, or [log] file = ... in the file")
    check_faults(faults, simulated)
    if check:
        list_needs(faces)
        return
    from lumek.cli.outputs import Outputs
    from lumek.cli.session import Session

    outputs = Outputs(log, log_every, plot, picture, animate, record, scheme)
    Session(faces, simulated, outputs, seconds, once, speed, verbose=verbose, faults=faults, status=status).run()


def list_needs(faces: "FaceFile") -> None:
    """What a file needs: its faces with their slots, its probes, and what it connects to.

    Raises CheckError when something is missing on this host.
    """
    from lumek.faces.needs import places, shortfalls

    missing = shortfalls(faces)
    panels = faces.attach(twin=True)
    decks = faces.decks({name: [panel] for name, panel in panels.items()})
    width = max(len(face.name) for deck in decks.values() for face in deck)
    for name, deck in decks.items():
        say(f"{f'panel {name}' if name else 'the panel'}, {deck.faces[0].size}")
        for face in deck:
            when = "at the start" if face.start else f"alarm {face.alarm}" if face.alarm else (
                f"only {face.only}" if face.only else "")  # fmt: skip
            need = face.needs(panels[name])
            slots = panels[name].slots
            fields = "field, " if len(face.fields) == 1 else "fields,"
            say(f"  {face.name:{width}}  {len(face.fields):2} {fields} {need} of {slots} slots  {when}".rstrip())
    say(f"{len(faces.probes)} probe{'' if len(faces.probes) == 1 else 's'}: {', '.join(faces.probes) or 'none'}")
    for line in places(faces):
        say(line)
    for line in missing:
        say(f"missing: {line}")
    if missing:
        raise CheckError(f"{faces.path} lacks {len(missing)} thing{'s' if len(missing) > 1 else ''} on this host")
