"""lumek hookup new: a hookup file from a few answers."""

import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

import click

from lumek._harmless import quoted
from lumek.cli.options import whole_number, writing
from lumek.cli.output import say
from lumek.core.geometry import Geometry
from lumek.errors import LumekError
from lumek.hookup.maps import MAPS, USUAL
from lumek.hookup.new import DIRECT_LINES, E2_LINE, REGISTER_LINES, template
from lumek.links.expanders import EXPANDERS
from lumek.roms import rom_named

HEADER_VOLTS, OTHER_VOLTS = 3.3, 5.0
"""The level of a host with the usual header, and of others, when nothing is said."""


def asked_again(read: Callable[[str], Any]) -> Callable[[str], Any]:
    """The same reader, whose errors are usage errors; after one, the question is asked again."""

    def reads(text: str) -> Any:
        try:
            return read(text)
        except LumekError as problem:
            raise click.BadParameter(str(problem)) from None

    return reads


def bus_address(text: str) -> int:
    """A 7-bit address; a usage error for anything else."""
    number = whole_number(text)
    if not 0x08 <= number <= 0x77:
        raise click.BadParameter(f"{text} is not a 7-bit address: 0x08 to 0x77")
    return number


def line_table(text: str) -> dict[str, int]:
    """Roles and lines, from "rs=25 e=24 d4=23"; a usage error for anything else."""
    table = {}
    for part in text.replace(",", " ").split():
        role, _, line = part.partition("=")
        if not line.isdecimal() or not role.isalnum():
            raise click.BadParameter(f"{quoted(part)} is not role=line: write them as rs=25,e=24,d4=23")
        table[role] = int(line)
    return table


QUESTIONS: dict[str, tuple[str, Any, str]] = {
    "kind": ("How the panel is wired", click.Choice(("backpack", "direct", "shift-register")), "backpack"),
    "size": ("Size of the panel, columns x rows", asked_again(lambda size: Geometry(size).size), "20x4"),
    "rom": (
        "Character ROM, A00 (Japanese) or A02 (European)",
        asked_again(lambda rom: rom if rom_named(rom) else ""),
        "A00",
    ),
    "volts": ("Supply of the panel, in volts", click.FloatRange(2.7, 5.5), "5"),
    "expander": ("Expander on the backpack", click.Choice(list(EXPANDERS)), next(iter(EXPANDERS))),
    "bus": ("Number of the I2C bus", click.IntRange(0, 255), "1"),
    "address": ("Address of the expander", bus_address, "as delivered"),
    "map": ("Line map of the backpack", click.Choice(list(MAPS)), "that of most boards"),
    "data_lines": ("Number of data lines", click.Choice(["4", "8"]), "4"),
    "lines": ("Lines, or outputs of the register, as rs=25,e=24", line_table, "lines that no bus uses"),
    "logic_volts": ("Logic level of the host, in volts", click.FloatRange(0.5, 30), "3.3 with a 40-pin header, else 5"),
}
"""Option: the question, what reads the answer, and the default."""


def question_options(function: Callable[..., Any]) -> Callable[..., Any]:
    """An option for each question."""
    for key, (question, kind, usual) in reversed(QUESTIONS.items()):
        metavar = None if isinstance(kind, click.ParamType) else "TEXT"
        option = click.option(
            f"--{key.replace('_', '-')}", type=kind, metavar=metavar, help=f"{question} (default: {usual})."
        )
        function = option(function)
    return function


@click.command(name="new")
@click.argument("file", type=click.Path(path_type=Path))
@question_options
@click.option("--header/--no-header", default=None, help="The usual 40-pin header on the host (default: yes).")
@click.option(
    "--level-shifter/--no-level-shifter", default=None, help="A level shifter between host and panel (default: none)."
)
@click.option("--usual", is_flag=True, help="Ask no questions; take the defaults.")
def command(file: Path, usual: bool, **said: Any) -> None:
    """Write a new hookup file, FILE, with comments.

    Asks for what no option gives. Without a terminal, or with --usual, it takes the defaults.

    \b
    lumek hookup new hive.toml
    lumek hookup new hive.toml --kind direct --size 16x2 --usual
    """  # noqa: D301
    from lumek.hookup.checks import check
    from lumek.hookup.checks.findings import tally
    from lumek.hookup.file import parse

    if file.exists():
        raise click.UsageError(f"{file} already exists: take another name, or remove it")
    text = template(answers(said, asks=sys.stdin.isatty() and not usual))
    hookup = parse(text, str(file))
    with writing(file) as beside:
        beside.write_text(text, encoding="utf-8")
    findings = check(hookup)
    say(f"{file} is written: {tally(findings)}")
    for finding in findings:
        if finding.severity in ("warning", "error"):
            say(f"{finding.severity}, {finding.check}: {finding.says} - {finding.because}")
    say(f"next: lumek hookup {file}")


def answers(said: dict[str, Any], asks: bool) -> dict[str, Any]:
    """What the file gets: from the options, from answers, or the defaults."""

    def of(key: str, usual: str | None = None) -> Any:
        question, kind, usually = QUESTIONS[key]
        if said[key] is not None:
            return said[key]
        if asks:
            return click.prompt(question, usual or usually, type=kind)
        return kind(usual or usually)

    def yes(key: str, question: str, usual: bool) -> bool:
        if said[key] is not None:
            return bool(said[key])
        return click.confirm(question, usual) if asks else usual

    found = {key: of(key) for key in ("kind", "size", "rom", "volts")}
    kind, wide = found["kind"], Geometry(found["size"]).controllers == 2
    if kind == "backpack":
        found["expander"] = of("expander")
        found["bus"] = of("bus")
        found["address"] = of("address", f"{EXPANDERS[found['expander']].delivered:#04x}")
        found["map"] = of("map", "control-low-e2" if wide else USUAL[found["expander"]])
    else:
        lines = DIRECT_LINES[int(of("data_lines"))] if kind == "direct" else REGISTER_LINES
        lines = {**lines, "e2": E2_LINE[kind]} if wide else lines
        found["lines"] = of("lines", ",".join(f"{role}={line}" for role, line in lines.items()))
    found["header"] = yes("header", "Does the host have the usual 40-pin header", True)
    found["logic_volts"] = of("logic_volts", str(HEADER_VOLTS if found["header"] else OTHER_VOLTS))
    found["level_shifter"] = yes("level_shifter", "Is there a level shifter between host and panel", False)
    return found
