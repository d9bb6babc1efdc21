"""lumek show: text on a panel."""

from collections.abc import Mapping
from contextlib import ExitStack
from pathlib import Path

import click

from lumek.cli.options import (
    animate_option,
    capture_to,
    expander_address,
    hookup_options,
    picture_options,
    record_option,
    rom_option,
    seconds_of,
    size_option,
    whole_number,
    write_picture,
)
from lumek.cli.output import tell
from lumek.cli.panels import check_panel, real_panel, simulated_panel
from lumek.core.glyph import Glyph
from lumek.core.text import cells_of

EVERY_S = 0.2
"""From step to step of a motion."""

MARK = "\0"
"""Before an argument that begins with a dash and is text; no argument can have it."""


USUAL_BAUD = 9600


def refuse_beside_stream(text: tuple[str, ...], speaks: bool, motion: str | None, serial: str | None) -> None:
    """Raise UsageError for what cannot be given beside text that comes bit by bit."""
    what = "-" if serial is None else "--serial"
    if serial is not None and text and text != ("-",):
        raise click.UsageError("--serial shows what comes from a port: drop TEXT")
    if speaks:
        raise click.UsageError(f"{what} cannot be combined with --send and --send-data: drop one of them")
    if motion is not None:
        raise click.UsageError(f"{what} cannot be combined with --motion: drop one of them")


def whole_byte(text: str) -> int:
    """A byte, decimal or with 0x before it; a usage error for anything else."""
    number = whole_number(text)
    if not 0 <= number <= 0xFF:
        raise click.BadParameter(f"{text} is not a byte: 0x00 to 0xff are possible")
    return number


def bytes_of(text: str) -> bytes:
    """Bytes with blanks or commas between them."""
    return bytes(map(whole_byte, text.replace(",", " ").split()))


class ShowCommand(click.Command):
    """A command whose TEXT may begin with a dash that no letter follows, as "-5 °C"."""

    def parse_args(self, ctx: click.Context, args: list[str]) -> list[str]:
        """Mark such texts, so that they are not taken for options."""
        takes_value = {name for one in self.params if isinstance(one, click.Option) and not one.is_flag
                       for name in one.opts}  # fmt: skip
        return super().parse_args(ctx, [
            f"{MARK}{arg}" if arg[:1] == "-" and arg != "--" and not arg.lstrip("-")[:1].isalpha()
            and before not in takes_value else arg
            for before, arg in zip(["", *args], args, strict=False)
        ])  # fmt: skip


def unmarked(ctx: click.Context, param: click.Parameter, text: tuple[str, ...]) -> tuple[str, ...]:
    """The texts as they were given."""
    return tuple(one.removeprefix(MARK) for one in text)


@click.command(name="show", cls=ShowCommand)
@click.argument("text", nargs=-1, callback=unmarked)
@hookup_options
@size_option("Size of the panel (default 20x4).")
@rom_option
@click.option("--bus", "number", type=click.IntRange(0), metavar="N", help="Show it on a real panel on I2C bus N.")
@click.option("--address", type=expander_address, metavar="A", help="Address of its backpack (default 0x27).")
@picture_options
@click.option("--motion", type=click.Choice(("ticker", "typed", "march", "slide")), help="Move the text.")
@click.option("--every", type=seconds_of, metavar="TIME", help="Time between two steps (default 0.2s).")
@click.option(
    "--for", "seconds", type=seconds_of, metavar="TIME", help="Duration (default: until the motion ends, or Ctrl-C)."
)
@animate_option
@record_option
@click.option(
    "--send",
    "codes",
    type=whole_byte,
    multiple=True,
    metavar="CODE",
    help="Then send this instruction as it is, as 0x01. May be repeated.",
)
@click.option(
    "--send-data",
    "data",
    type=bytes_of,
    metavar="BYTES",
    help="Then write these bytes to where the address counter is, as '0x48 0x69'.",
)
@click.option("--glyphs", metavar="FILE", help="Use the glyphs of this file or shipped set.")
@click.option("--serial", metavar="PORT", help="Show what comes from this serial port, as /dev/ttyUSB0.")
@click.option("--baud", type=click.IntRange(1), metavar="N", help="Its speed (default 9600).")
def command(
    text: tuple[str, ...],
    hookup: Path | None,
    panel: str | None,
    simulated: bool,
    size: str | None,
    rom: str | None,
    number: int | None,
    address: int | None,
    picture: Path | None,
    scheme: str,
    glyphs: str | None,
    motion: str | None,
    every: float | None,
    seconds: float | None,
    animate: Path | None,
    record: Path | None,
    codes: tuple[int, ...],
    data: bytes | None,
    serial: str | None,
    baud: int | None,
) -> None:
    """Show TEXT on a panel: one argument a row. With - for TEXT it shows standard input, line by line.

    The panel is simulated, and drawn in the terminal, unless --hookup or --bus names a real one. Put -- before a TEXT
    that begins with a dash and a letter. Lines of standard input, or of a serial port, scroll up as in a terminal; a
    form feed clears the panel.

    \b
    lumek show "Good morning," bees
    lumek show "-5 °C" --size 16x2 --picture panel.png
    lumek show "Hive 3" --hookup hive.toml
    lumek show "Hive 3" --bus 1 --address 0x27
    lumek show "🐝 ①" --glyphs bees.toml
    lumek show "Queen seen in hive 3" --motion ticker --animate queen.gif
    tail -f hive.log | lumek show - --hookup hive.toml
    lumek show --serial /dev/ttyUSB0 --baud 9600 --hookup hive.toml
    lumek show "Hive 3" --send 0x0f --send 0x1c       an instruction of the data sheet, and another
    """  # noqa: D301
    from rich.console import Console

    from lumek.views.terminal import terminal_view

    speaks = bool(codes) or data is not None
    streams = text == ("-",) or serial is not None
    if streams:
        refuse_beside_stream(text, speaks, motion, serial)
    elif baud is not None:
        raise click.UsageError("--baud needs --serial PORT")
    if not text and not speaks and not streams:
        raise click.UsageError("give the text to show: lumek show TEXT...")
    if speaks and motion is not None:
        raise click.UsageError("--send and --send-data cannot be combined with --motion: drop one of them")
    rows = "\n".join(text).split("\n")
    drawn: Mapping[str, Glyph] = {}
    if glyphs is not None:
        from lumek.glyphs.finding import set_named

        drawn = set_named(glyphs).drawings
    check_panel(hookup, panel, simulated, number, address, size, rom)
    shown = simulated_panel(hookup, panel, size, rom)
    if len(rows) > shown.shape[0]:
        raise click.UsageError(f"{len(rows)} rows of text are too many for {shown.size}: give at most {shown.shape[0]}")
    timing = {"--animate": animate, "--for": seconds, "--every": every}
    if motion is None and (said := [option for option, value in timing.items() if value is not None]):
        raise click.UsageError(f"{said[0]} needs --motion, such as --motion typed")
    with ExitStack() as stack:
        capture = stack.enter_context(capture_to(record))
        real = None
        if not simulated:
            real = real_panel(stack, hookup, panel, number, address, shown.size, rom, capture)
        if capture is not None and real is None:
            shown = simulated_panel(hookup, panel, size, rom, capture)
        panels = [shown] if real is None else [real, shown]
        for one in panels:
            with one.together():
                one.glyphs.update(drawn)
                one[:] = "\n".join(rows) if motion is None and not streams else ""
        for one in panels if speaks else ():
            one.send(*codes)
            one.send_data(data or b"")
        if motion is not None:
            from lumek.cli.moving import move

            move(panels, shown, rows, motion, EVERY_S if every is None else every, seconds, animate, scheme)
        if streams:
            from lumek.cli.stream import FromInput, FromSerial, Stream

            source = FromInput() if serial is None else FromSerial(serial, baud or USUAL_BAUD)
            Stream(source, panels, shown, scheme, live=real is None).run()
        write_picture(shown.twin, picture, scheme)
    if motion is not None or streams:
        return
    console = Console()
    console.print(terminal_view(shown.twin, console, scheme, () if speaks else shown.rows))
    for row, line in enumerate(rows):
        count = len(cells_of(line))
        if count > shown.shape[1]:
            tell(f"row {row} is cut at {shown.shape[1]} of {count} characters")
