"""lumek run new: a face file from a few answers."""

import os
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import click

from lumek._harmless import quoted
from lumek.cli.options import size_option, writing
from lumek.cli.output import say

if TYPE_CHECKING:
    from lumek.faces.new import Shown
    from lumek.readings.probes.kernel import Sensor

MOST_OFFERED = 30
"""Sensors that are listed to be chosen from."""

USUALLY = 2
"""Sensors that are shown when nothing is said."""


@click.command(name="new")
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--hookup", type=click.Path(path_type=Path), metavar="FILE", help="The wiring of the panel.")
@click.option("--panel", metavar="NAME", help="One panel of a hookup file that has several.")
@size_option("Size of the panel, without --hookup (default 20x4).")
@click.option("--sensor", "ids", multiple=True, metavar="ID", help="A sensor of this host, or 'simulated'; repeatable.")
@click.option("--title", metavar="TEXT", help="The first row, on panels of four rows (default: Hive 3).")
@click.option("--usual", is_flag=True, help="Ask no questions; take the defaults.")
def command(
    file: Path,
    hookup: Path | None,
    panel: str | None,
    size: str | None,
    ids: tuple[str, ...],
    title: str | None,
    usual: bool,
) -> None:
    """Write a new face file, FILE, with comments.

    Asks for what no option gives, and offers the sensors of this host. Without a terminal, or with --usual, it takes
    the defaults; where the host has no sensors they are simulated.

    \b
    lumek run new hive.toml --hookup wiring.toml
    lumek run new hive.toml --sensor hwmon/cpu_thermal/temp1 --sensor w1/28-0316a4b1c2ff --usual
    """  # noqa: D301
    from lumek.core.geometry import Geometry
    from lumek.faces.file import read
    from lumek.faces.new import in_toml, template
    from lumek.hookup.file import read as read_hookup
    from lumek.readings.probes.kernel import sensors

    if file.exists():
        raise click.UsageError(f"{file} already exists: take another name, or remove it")
    asks = sys.stdin.isatty() and not usual
    if hookup is None and size is None and asks:
        named = click.prompt("Hookup file with the wiring, or none", "none")
        hookup = None if named == "none" else Path(named)
    wiring = {}
    if hookup is not None:
        if size is not None:
            raise click.UsageError(f"--size is already set in {hookup}; drop the option")
        modules = read_hookup(hookup).panels
        panel = panel or next(iter(modules))
        if panel not in modules:
            raise click.UsageError(f"{hookup} has no panel {quoted(panel)}: it has {', '.join(modules)}")
        size = modules[panel].size
        wiring["hookup"] = in_toml(os.path.relpath(hookup, file.parent))
    else:
        size = Geometry(size or (click.prompt("Size of the panel, columns x rows", "20x4") if asks else "20x4")).size
        wiring["size"] = f'"{size}"'
    found = sensors()
    rows = chosen(ids, found) if ids or not asks else asked(found)
    if title is None:
        title = click.prompt("Title, in the first row", "Hive 3") if asks and Geometry(size).rows >= 4 else "Hive 3"
    several = hookup is not None and len(modules) > 1
    text = template(size, rows, title, wiring, panel if several else None)
    with writing(file) as beside:
        beside.write_text(text, encoding="utf-8")
    faces = read(file)
    faces.decks({name: [one] for name, one in faces.attach(twin=True).items()})
    simulated = [row.name for row in rows if row.origin.startswith("simulated")]
    say(f"{file} is written: {', '.join(row.name for row in rows)} on a {size} panel")
    if simulated:
        are = "is" if len(simulated) == 1 else "are"
        say(f"note: {' and '.join(simulated)} {are} simulated; 'lumek sensors' lists those of this host, and "
            "docs/readings.md other sources")  # fmt: skip
    say(f"next: lumek run {file} --twin")


def chosen(ids: Sequence[str], found: "list[Sensor]") -> "list[Shown]":
    """What is shown: the sensors of these ids; without any the first two of this host, or simulated ones."""
    from lumek.faces.new import SIMULATED, shown_of

    if not ids:
        return shown_of(found[:USUALLY]) or [*SIMULATED]
    known = {sensor.id: sensor for sensor in found}
    for one in ids:
        if one != "simulated" and one not in known:
            there = ", ".join([*known][:MOST_OFFERED]) or "none"
            raise click.UsageError(f"no sensor {quoted(one)} is here: there are {there}; or take 'simulated'")
    rows = shown_of([known[one] for one in ids if one != "simulated"])
    return rows + [*SIMULATED][: sum(one == "simulated" for one in ids)]


def asked(found: "list[Sensor]") -> "list[Shown]":
    """What is shown, by numbers from a list of the sensors."""
    for number, sensor in enumerate(found[:MOST_OFFERED], 1):
        say(f"{number:3}  {sensor.id}{f'  ({sensor.label})' if sensor.label else ''}")
    if not found:
        say("This host has no sensors that the kernel knows: simulated ones are shown.")
        return chosen((), found)
    usual = ",".join(map(str, range(1, min(USUALLY, len(found)) + 1)))

    def numbers(text: str) -> list[str]:
        parts = text.replace(",", " ").split()
        if not parts or not all(part.isdecimal() and 1 <= int(part) <= len(found) for part in parts):
            raise click.BadParameter(f"{quoted(text)} is not a list of numbers from 1 to {len(found)}, as {usual}")
        return [found[int(part) - 1].id for part in parts]

    return chosen(click.prompt("Sensors to show, by their numbers", usual, value_proc=numbers), found)
