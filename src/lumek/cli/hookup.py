"""lumek hookup: the wiring table, its picture, and what the checks say."""

from dataclasses import asdict
from importlib.util import find_spec
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from lumek._harmless import harmless
from lumek.cli.options import WithNew, output_option, panel_option, writing
from lumek.cli.output import say_json
from lumek.cli.working import working

if TYPE_CHECKING:
    from rich.table import Table

    from lumek.hookup.checks.findings import Finding
    from lumek.hookup.file import Hookup

STYLES = {"ok": "green", "note": "cyan", "warning": "yellow", "error": "bold red"}

PATCHES = {"black": "bright_black"}
"""A colour that would not be seen on a dark terminal: what is seen instead."""

PIPED_WIDTH = 160
"""Width of a line when the output is not a terminal, so that a row stays one line."""


@click.command(name="hookup", cls=WithNew, new="lumek.cli.hookup_new")
@click.argument("file", type=click.Path(path_type=Path))
@panel_option
@output_option("--picture", "Draw it, as SVG, PDF or PNG by the file's ending.", ".svg", ".pdf", ".png")
@click.option("--json", "as_json", is_flag=True, help="Print table and checks as JSON.")
@click.option("--strict", is_flag=True, help="Treat a warning as an error.")
@click.pass_context
def command(
    ctx: click.Context, file: Path, panel: str | None, picture: Path | None, as_json: bool, strict: bool
) -> None:
    """List, draw and check the wiring that FILE describes.

    The table lists the wires in plugging order. On a host with the usual 40-pin header it has both the position on the
    header and the number of the line. Exit code 1 when a check finds an error.

    \b
    lumek hookup hive.toml
    lumek hookup hive.toml --picture hive.svg
    lumek hookup new hive.toml         asks what it needs, and writes such a file
    """  # noqa: D301
    from lumek.hookup.checks import check
    from lumek.hookup.file import read

    if picture is not None and find_spec("matplotlib") is None:
        raise click.UsageError("--picture needs matplotlib: pip install 'lumek[sheets]'")
    hookup = read(file)
    findings = check(hookup)
    shown = hookup if panel is None else hookup.only(panel)
    if panel is not None:
        findings = [finding for finding in findings if finding.panel in ("", panel)]
    if as_json:
        say_json(hookup_data(hookup, shown, findings))
    else:
        print_sheet(hookup, shown, findings)
    if picture is not None:
        from lumek.hookup.drawing import draw_hookup, save

        with working("drawing the wiring"), writing(picture) as beside:
            save(draw_hookup(shown, findings), beside)
    worst = {finding.severity for finding in findings}
    ctx.exit(1 if "error" in worst or (strict and "warning" in worst) else 0)


def hookup_data(hookup: "Hookup", shown: "Hookup", findings: "list[Finding]") -> dict[str, Any]:
    """Table and checks, for a program."""
    from lumek.hookup.sheet import title, wires

    return {
        "file": hookup.source,
        "panels": {
            name: {
                "title": title(hookup, name),
                "wires": [{**asdict(wire), "goes": wire.goes} for wire in wires(shown, name)],
            }
            for name in shown.panels
        },
        "checks": [asdict(finding) for finding in findings],
    }


def print_sheet(hookup: "Hookup", shown: "Hookup", findings: "list[Finding]") -> None:
    """Print table and checks."""
    from rich.console import Console
    from rich.text import Text

    from lumek.hookup.checks.findings import tally
    from lumek.hookup.sheet import title

    console = Console(highlight=False)
    if not console.is_terminal:
        console.width = PIPED_WIDTH
    for name in shown.panels:
        of = f", panel {name}" if len(hookup.panels) > 1 else ""
        console.print(
            Text(harmless(f"{hookup.source}{of}"), "bold"), harmless(f"- {title(hookup, name)}"), markup=False
        )
        console.print(wire_table(shown, name, console.is_terminal and "utf" in console.encoding))
    console.print(check_table(findings, len(hookup.panels) > 1))
    console.print(tally(findings))


def wire_table(hookup: "Hookup", name: str, coloured: bool) -> "Table":
    """The wires of a panel; when coloured, with a patch of the colour of each."""
    from rich import box
    from rich.table import Table
    from rich.text import Text

    from lumek.hookup.colours import TINTS
    from lumek.hookup.sheet import wires

    rows = wires(hookup, name)
    columns = {"of": len({wire.part for wire in rows}) > 1, "pin": any(wire.pin for wire in rows)}
    table = Table(box=box.SIMPLE_HEAD, pad_edge=False, padding=(0, 1))
    for heading in ("of", "pin", "name", "goes to", "wire", "note"):
        if columns.get(heading, True):
            table.add_column(heading, no_wrap=heading in ("pin", "name"))
    for wire in rows:
        colour = "" if wire.to.kind in ("open", "pads") else wire.colour
        words = Text(colour)
        if coloured and colour:
            base, _, stripe = colour.partition("-")
            tints = [PATCHES.get(one, TINTS[one]) for one in (base, stripe or base)]
            words = Text.assemble(*(("\N{BLACK SQUARE}", tint) for tint in tints), " ", colour)
        cells = {"of": wire.part, "pin": "" if wire.pin is None else str(wire.pin)}
        shown = [Text(harmless(cell)) for heading, cell in cells.items() if columns[heading]]
        style = "dim" if wire.to.kind == "open" else ""
        table.add_row(*shown, Text(wire.name), Text(harmless(wire.goes)), words, Text(harmless(wire.note)), style=style)
    return table


def check_table(findings: "list[Finding]", several: bool) -> "Table":
    """What the checks say, and why."""
    from rich.table import Table
    from rich.text import Text

    table = Table.grid(padding=(0, 1))
    for _ in range(3):
        table.add_column(no_wrap=True)
    table.add_column()
    for finding in findings:
        says = Text(harmless(finding.says))
        if finding.because:
            says.append(harmless(f" - {finding.because}"), style="dim")
        table.add_row(
            Text(finding.severity, style=STYLES[finding.severity]),
            finding.check,
            Text(harmless(finding.panel) if several else ""),
            says,
        )
    return table
