"""lumek check: what is wrong with a panel, and what to do."""

import sys
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from lumek._harmless import harmless
from lumek.cli.options import (
    board_options,
    capture_to,
    check_faults,
    expander_address,
    fault_option,
    hookup_options,
    output_option,
    record_option,
    size_option,
    writing,
    written_as,
)
from lumek.cli.output import say, say_json, tell
from lumek.errors import CheckError

if TYPE_CHECKING:
    from lumek.captures.recorder import Capture
    from lumek.diagnosis.eyes import Sight
    from lumek.diagnosis.ladder import Ladder
    from lumek.diagnosis.rung import Rung
    from lumek.hookup.file import Hookup
    from lumek.twin import Twin

STYLES = {"ok": "green", "failed": "bold red", "unknown": "yellow"}

VERDICT, NAME, WORD = 7, 10, 5
"""Columns of what comes before the text."""

LONGEST = 1000

PROMPT_LINES = 3

USUAL_SIZE, NEW_FILE = "20x4", Path("hive.toml")


@click.command(name="check")
@hookup_options
@click.option("--bus", "number", type=click.IntRange(0), metavar="N", help="A backpack on I2C bus N, without a file.")
@click.option("--address", type=expander_address, metavar="A", help="Its address, when several devices answer.")
@board_options
@size_option("Size of that panel (default 20x4).")
@fault_option("stuck d5 0")
@click.option("--yes", "silent", is_flag=True, help="Ask nothing; what only eyes can see is left open.")
@click.option("--rom", "rom_file", type=click.Path(path_type=Path), callback=written_as(".toml"), metavar="OUT.toml",
              help="Write down the ROM of a panel, code by code.")  # fmt: skip
@record_option
@output_option("--report", "Write a report that can be pasted into a forum.", ".md", ".txt")
@click.option("--json", "as_json", is_flag=True, help="Print the rungs as JSON; asks nothing.")
def command(
    hookup: Path | None,
    panel: str | None,
    simulated: bool,
    number: int | None,
    address: int | None,
    port: str | None,
    firmware: str | None,
    size: str | None,
    faults: tuple[str, ...],
    silent: bool,
    rom_file: Path | None,
    record: Path | None,
    report: Path | None,
    as_json: bool,
) -> None:
    """Find out what is wrong with a panel, from the host to the glass.

    It looks at one thing after the other, stops at the first that fails, and says what to do. Where a panel's memory
    can be read it measures; what only eyes can see it asks. Without a hookup file it finds out how a backpack is wired,
    and writes hive.toml. Exit code 1 when something fails.

    \b
    lumek check --bus 1                          what did I buy?
    lumek check --hookup hive.toml
    lumek check --hookup hive.toml --twin --fault "open e"
    lumek check --hookup hive.toml --rom mine.toml
    """  # noqa: D301
    from lumek.hookup.file import read

    asks = not (silent or as_json) and sys.stdin.isatty()
    check_faults(faults, simulated)
    if rom_file is not None and not asks:
        raise click.UsageError("--rom asks what each code shows: run it in a terminal, without --yes and --json")
    if hookup is not None:
        given = {"--bus": number, "--address": address, "--port": port, "--size": size}
        if said := [option for option, value in given.items() if value is not None]:
            raise click.UsageError(f"{said[0]} is already set in {hookup}; drop the option")
        wiring = read(hookup)
        capture = click.get_current_context().with_resource(capture_to(record))
    else:
        if panel is not None:
            raise click.UsageError(f"--panel {panel} needs --hookup FILE, which has a panel of that name")
        if (silent or as_json) and address is None and not simulated:
            raise click.UsageError("--yes needs --address here: relays or lamps may hang on the same kind of chip")
        from lumek.cli.check_new import unknown_board

        capture = click.get_current_context().with_resource(capture_to(record))
        wiring = unknown_board(
            number, address, port, firmware, size or USUAL_SIZE, simulated, silent, asks, NEW_FILE, as_json, capture
        )
    names = [panel] if panel is not None else list(wiring.panels)
    data: list[dict[str, Any]] = []
    texts: list[str] = []
    well = True
    for name in names:
        well &= climbed(wiring, name, simulated, faults, asks, as_json, rom_file, capture, data, texts)
    if as_json:
        say_json(data[0] if len(data) == 1 else {"panels": data})
    if report is not None:
        with writing(report) as beside:
            beside.write_text("\n".join(texts), encoding="utf-8")
        tell(f"{report} is written")
    if not well:
        raise CheckError(f"{wiring.source}: see above what failed, and what to do")
    if not as_json:
        tell(f"next: lumek show Hello --hookup {wiring.source}{' --twin' if simulated else ''}")


def climbed(
    wiring: "Hookup", name: str, simulated: bool, faults: Sequence[str], asks: bool, as_json: bool,
    rom_file: Path | None, capture: "Capture | None", data: list[dict[str, Any]], texts: list[str],
) -> bool:  # fmt: skip
    """Climb the ladder of one panel, and print it. Returns whether nothing failed."""
    from lumek.diagnosis.eyes import look
    from lumek.diagnosis.ladder import Ladder
    from lumek.diagnosis.report import as_data, as_text
    from lumek.roms import rom_named

    rungs: list[Rung] = []

    def took(rung: "Rung") -> None:
        rungs.append(rung)
        if not as_json:
            print_rung(rung)

    if len(wiring.panels) > 1 and not as_json:
        say(f"panel {name}")

    def disturb(twin: "Twin") -> None:
        for text in faults:
            twin.faults.begin(text)

    with Ladder(wiring, name, simulated, disturb, capture) as ladder:
        for rung in ladder.climb():
            took(rung)
        if ladder.panel is not None and rungs[-1].verdict != "failed":
            rom = rom_named(ladder.module.rom)
            asked = Questions(ladder) if asks else None
            for rung in look(ladder.panel, asked.ask if asked else lambda *_: None, rom.name):
                took(rung)
            if rom_file is not None:
                from lumek.cli.check_rom import write_down

                write_down(ladder.panel, rom_file)
    data.append(as_data(rungs, wiring, name, simulated))
    texts.append(as_text(rungs, wiring, name, simulated))
    return all(rung.verdict != "failed" for rung in rungs)


def print_rung(rung: "Rung") -> None:
    """One line, and for a rung that fails what it means and what to do."""
    from rich.console import Console
    from rich.table import Table
    from rich.text import Text

    console = Console(highlight=False)
    more = [(word, harmless(text, LONGEST)) for word, text in (("means", rung.means), ("next", rung.do)) if text]
    if not console.is_terminal:
        say(f"{rung.verdict:{VERDICT}} {rung.name:{NAME}} {harmless(rung.seen, LONGEST)}")
        for word, text in more:
            say(f"{'':{VERDICT}} {'':{NAME}} {word:{WORD}} {text}")
        return
    table = Table.grid(padding=(0, 1))
    for width in (VERDICT, NAME, None):
        table.add_column(width=width)
    says = Text(harmless(rung.seen, LONGEST))
    for word, text in more:
        says.append(f"\n{word:{WORD}} ", "dim").append(text)
    table.add_row(Text(rung.verdict, STYLES[rung.verdict]), rung.name, says)
    console.print(table)


class Questions:
    """Asks a user who looks at the panel; at a simulated one it is drawn first."""

    def __init__(self, ladder: "Ladder") -> None:
        self._ladder = ladder

    def ask(self, question: str, choices: "Sequence[Sight]") -> "Sight | None":
        """Ask, with a sketch of each answer."""
        from rich.console import Console
        from rich.table import Table
        from rich.text import Text

        console = Console(highlight=False)
        panel = self._ladder.panel
        if panel is not None and panel.twin is not None:
            from lumek.views.terminal import terminal_views

            lines = sum(max(1, len(choice.sketch[:2])) for choice in choices)
            console.print(terminal_views([panel], console, "meadow", spare=lines + PROMPT_LINES))
        table = Table.grid(padding=(0, 2))
        for number, choice in enumerate(choices, 1):
            sketch = Text("\n".join(row[:24] for row in choice.sketch[:2]))
            table.add_row(Text(f"{number}", "bold"), sketch, Text(choice.says))
        console.print(table)
        answer = click.prompt(question, type=click.IntRange(1, len(choices)), err=True)
        return choices[answer - 1]
