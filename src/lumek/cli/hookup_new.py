"""lumek hookup new: a hookup file from a few answers."""

import sys
from pathlib import Path
from typing import Any

import click

from lumek.cli.options import whole_number, writing

KINDS = ("backpack", "direct", "shift-register")
EXPANDERS = {"pcf8574": 0x27, "pcf8574a": 0x3F, "mcp23008": 0x20}
"""Expander: its address as delivered."""

HEADER_VOLTS, OTHER_VOLTS = 3.3, 5.0
"""The level of a host with the usual header, and of others, when nothing is said."""


def line_table(text: str) -> dict[str, int]:
    """Roles and lines, from "rs=25 e=24 d4=23"; a usage error for anything else."""
    table = {}
    for part in text.replace(",", " ").split():
        role, _, line = part.partition("=")
        if not line.isdecimal() or not role.isalnum():
            raise click.BadParameter(f"{part!r} is not role=line: write them as rs=25,e=24,d4=23")
        table[role] = int(line)
    return table


@click.command(name="new")
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--kind", type=click.Choice(KINDS), help="Kind of wiring (backpack).")
@click.option("--size", metavar="COLUMNSxROWS", help="Size of the panel (20x4).")
@click.option("--rom", metavar="NAME", help="Its character ROM (A00).")
@click.option("--volts", type=float, help="Its supply (5).")
@click.option("--expander", type=click.Choice(list(EXPANDERS)), help="Expander of a backpack (pcf8574).")
@click.option("--bus", type=click.IntRange(0, 255), metavar="N", help="I2C bus of a backpack (1).")
@click.option("--address", type=whole_number, metavar="A", help="Address of a backpack (as delivered).")
@click.option("--map", metavar="NAME", help="Line map of a backpack (the usual one).")
@click.option("--data-lines", type=click.Choice(["4", "8"]), help="How many of a direct wiring (4).")
@click.option("--lines", metavar="ROLE=LINE,...", help="Lines of a direct wiring, or outputs of a register.")
@click.option("--header/--no-header", default=None, help="Whether the host has the usual 40-pin header (it has).")
@click.option("--logic-volts", type=float, help="Level of the host (3.3 with that header, else 5).")
@click.option("--level-shifter/--no-level-shifter", default=None, help="Whether one stands between (it does not).")
@click.option("--usual", is_flag=True, help="Ask nothing.")
def command(file: Path, usual: bool, **said: Any) -> None:
    """Write a new hookup file, FILE, with comments.

    Asks for what no option says; without a terminal, and with --usual, it takes what stands in parentheses.

    \b
    lumek hookup new hive.toml
    lumek hookup new hive.toml --kind direct --size 16x2 --usual
    """  # noqa: D301
    from lumek.hookup.checks import check, tally
    from lumek.hookup.file import parse
    from lumek.hookup.template import template

    if file.exists():
        raise click.UsageError(f"{file} is there already: take another name, or remove it")
    text = template(answers(said, asks=sys.stdin.isatty() and not usual))
    hookup = parse(text, str(file))
    with writing(file):
        file.write_text(text, encoding="utf-8")
    findings = check(hookup)
    click.echo(f"{file} is written: {tally(findings)}")
    for finding in findings:
        if finding.severity in ("warning", "error"):
            click.echo(f"{finding.severity}, {finding.check}: {finding.says} - {finding.because}")
    click.echo(f"next: lumek hookup {file}")


def answers(said: dict[str, Any], asks: bool) -> dict[str, Any]:
    """What is to stand in the file: as the options say it, as it is asked, or as usual."""
    from lumek.core.geometry import Geometry
    from lumek.hookup.maps import USUAL
    from lumek.hookup.template import DIRECT_LINES, E2_LINE, REGISTER_LINES

    def of(key: str, question: str, usual: Any, kind: Any = str) -> Any:
        if said[key] is None and asks:
            said[key] = click.prompt(question, usual, type=kind)
        return usual if said[key] is None else said[key]

    kind = of("kind", "How is the panel wired", "backpack", click.Choice(KINDS))
    wide = Geometry(of("size", "Its size, columns x rows", "20x4")).controllers == 2
    found = {
        "kind": kind,
        "size": of("size", "", "20x4"),
        "rom": of("rom", "Its character ROM, A00 or A02", "A00"),
        "volts": of("volts", "Its supply, in volts", 5.0, float),
    }
    if kind == "backpack":
        expander = of("expander", "The expander of its backpack", "pcf8574", click.Choice(list(EXPANDERS)))
        found["expander"] = expander
        found["bus"] = of("bus", "The number of the I2C bus", 1, int)
        found["address"] = whole_number(str(of("address", "Its address", f"{EXPANDERS[expander]:#04x}")))
        found["map"] = of("map", "Its line map", "control-low-e2" if wide else USUAL[expander])
    else:
        lines = REGISTER_LINES
        if kind == "direct":
            lines = DIRECT_LINES[int(of("data_lines", "How many data lines", "4", click.Choice(["4", "8"])))]
        lines = {**lines, "e2": E2_LINE[kind]} if wide else lines
        words = ",".join(f"{role}={line}" for role, line in lines.items())
        found["lines"] = line_table(of("lines", "Its lines", words))
    if said["header"] is None:
        said["header"] = click.confirm("Has the host the usual 40-pin header", True) if asks else True
    found["header"] = said["header"]
    found["logic_volts"] = of(
        "logic_volts", "The level of the host, in volts", HEADER_VOLTS if said["header"] else OTHER_VOLTS, float
    )
    if said["level_shifter"] is None:
        said["level_shifter"] = asks and click.confirm("Is there a level shifter between host and panel", False)
    found["level_shifter"] = said["level_shifter"]
    return found
