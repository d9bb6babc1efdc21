"""lumek hookup new: a hookup file from a few answers."""

import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

import click

from lumek._harmless import quoted
from lumek.cli.options import board_options, complete_roms, complete_sizes, expander_address, is_ftdi, writing
from lumek.cli.output import say
from lumek.core.geometry import Geometry
from lumek.errors import LumekError
from lumek.hookup.maps import MAPS, USUAL
from lumek.hookup.new import BOARD_LINES, DIRECT_LINES, E2_LINES, REGISTER_LINES, matched, template
from lumek.links.expanders import EXPANDERS, at_address
from lumek.roms import rom_named

HEADER_VOLTS, OTHER_VOLTS = 3.3, 5.0
"""The level of a host with the usual header and of FTDI's chips with I2C, and of others, when nothing is said."""


def asked_again(read: Callable[[str], Any]) -> Callable[[str], Any]:
    """The same reader, whose errors are usage errors; after one, the question is asked again."""

    def reads(text: str) -> Any:
        try:
            return read(text)
        except LumekError as problem:
            raise click.BadParameter(str(problem)) from None

    return reads


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
    "address": ("Address of the expander", expander_address, "as delivered"),
    "map": ("Line map of the backpack", click.Choice(list(MAPS)), "that of most boards"),
    "data_lines": ("Number of data lines", click.Choice(["4", "8"]), "4"),
    "lines": ("Lines, or outputs of the register, as rs=25,e=24", line_table, "lines that no bus uses"),
    "logic_volts": (
        "Logic level of the host, in volts",
        click.FloatRange(0.5, 30),
        "3.3 with a 40-pin header or an FTDI chip, else 5",
    ),
}
"""Option: the question, what reads the answer, and the default."""


def question_options(function: Callable[..., Any]) -> Callable[..., Any]:
    """An option for each question."""
    for key, (question, kind, usual) in reversed(QUESTIONS.items()):
        metavar = None if isinstance(kind, click.ParamType) else "TEXT"
        option = click.option(
            f"--{key.replace('_', '-')}", type=kind, metavar=metavar, help=f"{question} (default: {usual}).",
            shell_complete={"size": complete_sizes, "rom": complete_roms}.get(key),
        )  # fmt: skip
        function = option(function)
    return function


@click.command(name="new")
@click.argument("file", type=click.Path(path_type=Path))
@question_options
@board_options
@click.option("--header/--no-header", default=None, help="The usual 40-pin header on the host (default: yes).")
@click.option(
    "--level-shifter/--no-level-shifter",
    default=None,
    help="A level shifter between host and panel (default: where the checks ask for one).",
)
@click.option("--usual", is_flag=True, help="Ask no questions; take the defaults.")
def command(file: Path, usual: bool, **said: Any) -> None:
    """Write a new hookup file, FILE, with comments.

    Asks for what no option gives. Without a terminal, or with --usual, it takes the defaults.

    \b
    lumek hookup new hive.toml
    lumek hookup new hive.toml --kind direct --size 16x2 --usual
    lumek hookup new hive.toml --port /dev/ttyACM0
    """  # noqa: D301
    from lumek.hookup.checks import check
    from lumek.hookup.checks.findings import tally
    from lumek.hookup.file import parse

    if file.exists():
        raise click.UsageError(f"{file} already exists: take another name, or remove it")
    chosen, reasons = answers(said, asks=sys.stdin.isatty() and not usual)
    text = template(chosen, reasons)
    hookup = parse(text, str(file))
    with writing(file) as beside:
        beside.write_text(text, encoding="utf-8")
    findings = check(hookup)
    say(f"{file} is written: {tally(findings)}")
    for finding in findings:
        if finding.severity in ("warning", "error"):
            say(f"{finding.severity}, {finding.check}: {finding.says} - {finding.because}")
    for reason in reasons:
        say(f"note: {reason}")
    say(f"next: lumek hookup {file}")


def answers(said: dict[str, Any], asks: bool) -> tuple[dict[str, Any], list[str]]:
    """What the file gets: from the options, from answers, or the defaults; and what to know of it."""

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

    port, on = said["port"], said["firmware"] or ("ftdi" if is_ftdi(said["port"]) else "firmata")
    found = {key: of(key) for key in ("kind", "size", "rom", "volts")}
    found |= {"port": port, "firmware": on}
    kind, wide = found["kind"], Geometry(found["size"]).controllers == 2
    if kind == "backpack":
        found["bus"] = 0 if port else of("bus")
        found["address"] = of("address", f"{EXPANDERS[said['expander'] or next(iter(EXPANDERS))].delivered:#04x}")
        found["expander"] = of("expander", at_address(found["address"])[0])
        found["map"] = of("map", "control-low-e2" if wide else USUAL[found["expander"]])
    else:
        lines, e2 = REGISTER_LINES, "shift-register"
        if kind == "direct":
            width = int(of("data_lines"))
            if on == "ftdi" and width == 8:
                raise click.UsageError("an FTDI chip has eight lines, and a panel with 8 data lines takes ten: use 4")
            lines, e2 = (BOARD_LINES if port else DIRECT_LINES)[width], on if port else "host"
        lines = {**lines, "e2": E2_LINES[e2]} if wide else lines
        found["lines"] = of("lines", ",".join(f"{role}={line}" for role, line in lines.items()))
    found["header"] = not port and yes("header", "Does the host have the usual 40-pin header", True)
    found["logic_volts"] = of("logic_volts", str(HEADER_VOLTS if found["header"] or on == "ftdi" else OTHER_VOLTS))
    found["level_shifter"] = said["level_shifter"]
    best, reasons = matched(found)
    if asks and found["level_shifter"] is None:
        for reason in reasons:
            say(f"note: {reason}")
        found["level_shifter"] = yes("level_shifter", "A level shifter between host and panel", best["level_shifter"])
        best, reasons = matched(found)
    return best, reasons
