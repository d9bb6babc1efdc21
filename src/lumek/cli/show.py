"""lumek show: text on a panel."""

from pathlib import Path

import click

from lumek import Backpack, Panel, simulate
from lumek.cli.options import picture_options, rom_option, whole_number, write_picture


@click.command(name="show")
@click.argument("text", nargs=-1, required=True)
@click.option("--size", default="20x4", metavar="COLUMNSxROWS", help="Size of the panel (default 20x4).")
@rom_option
@click.option("--bus", "number", type=click.IntRange(0), metavar="N", help="Show it on a real panel on I2C bus N.")
@click.option("--address", type=whole_number, metavar="A", help="Address of its backpack (default 0x27).")
@click.option("--twin", "simulated", is_flag=True, help="Use the simulated panel, whatever --bus says.")
@picture_options
def command(
    text: tuple[str, ...],
    size: str,
    rom: str,
    number: int | None,
    address: int | None,
    simulated: bool,
    picture: Path | None,
    scheme: str,
) -> None:
    """Show TEXT on a panel: one argument a row.

    The panel is simulated, and drawn in the terminal, unless --bus names a real one. Put -- before a TEXT that begins
    with a dash.

    \b
    lumek show "Good morning," bees
    lumek show "34.8 °C" --size 16x2 --picture panel.png
    lumek show "Hive 3" --bus 1 --address 0x27
    """  # noqa: D301
    from rich.console import Console

    from lumek.twin.terminal import terminal_view

    if address is not None and number is None and not simulated:
        raise click.UsageError(f"--address {address:#04x} needs --bus N, the number of the I2C bus")
    panel = simulate(size, rom)
    rows = "\n".join(text).split("\n")
    if len(rows) > panel.shape[0]:
        raise click.UsageError(f"{len(rows)} rows of text are too many for {size}: give at most {panel.shape[0]}")
    if number is not None and not simulated:
        from lumek.ports.linux import LinuxBus

        with LinuxBus(number) as bus, Panel(size, Backpack(bus, 0x27 if address is None else address), rom) as real:
            real[:] = "\n".join(rows)
    panel[:] = "\n".join(rows)
    console = Console()
    console.print(terminal_view(panel.twin, console, scheme))
    write_picture(panel.twin, picture, scheme)
    for row, line in enumerate(rows):
        if len(line) > panel.shape[1]:
            click.echo(f"lumek: row {row} is cut at {panel.shape[1]} of {len(line)} characters", err=True)
    for written, shown in sorted(set(panel.compromises.values())):
        click.echo(f"lumek: ROM {rom} lacks {written!r}: {shown!r} is shown instead", err=True)
