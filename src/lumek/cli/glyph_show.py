"""lumek glyph show: glyphs and charts to look at."""

from pathlib import Path
from typing import TYPE_CHECKING

import click

from lumek.cli.glyph_options import glyphs_of, show_glyphs
from lumek.cli.options import (
    expander_address,
    hookup_options,
    picture_options,
    record_option,
    rom_option,
    size_option,
    writing,
)
from lumek.cli.output import say
from lumek.errors import NoGlyphError
from lumek.glyphs import SETS, GlyphSet, search, shipped
from lumek.glyphs.glyph_set import as_name, merged
from lumek.roms import rom_named

if TYPE_CHECKING:
    from lumek.roms.rom import Rom


@click.command(name="show")
@click.argument("what", nargs=-1)
@click.option("--within", metavar="TEXT", help="Show the glyph in this row of text, in place of {}.")
@click.option("--search", "words", metavar="WORDS", help="Find drawings by Unicode name, such as honey or 'arrow up'.")
@click.option("--drawings", is_flag=True, help="Show the chart of all of Lumek's own drawings.")
@rom_option
@hookup_options
@click.option("--bus", "number", type=click.IntRange(0), metavar="N", help="With --rom: on a real panel on I2C bus N.")
@click.option("--address", type=expander_address, metavar="A", help="Address of its backpack (default 0x27).")
@size_option("Size of that panel (default 20x4).")
@record_option
@picture_options
def command(
    what: tuple[str, ...],
    within: str | None,
    words: str | None,
    drawings: bool,
    rom: str | None,
    hookup: Path | None,
    panel: str | None,
    simulated: bool,
    number: int | None,
    address: int | None,
    size: str | None,
    record: Path | None,
    picture: Path | None,
    scheme: str,
) -> None:
    """Show glyphs: WHAT is a character that Lumek draws, a file, a shipped set, or a drawing.

    One glyph is shown large, with the value of each row, and several as a chart; below, they appear in a row of text
    as on a panel. --rom alone shows the 256 characters of a ROM; with --hookup or --bus a panel shows what its ROM
    really has, page by page, beside what --rom says. With no arguments, the command lists the shipped sets.

    \b
    lumek glyph show 🐝
    lumek glyph show heart.h --within "{} of the hive"
    lumek glyph show "0 10 31 31 14 4 0 0"
    lumek glyph show weather --picture weather.png
    lumek glyph show --search honey
    lumek glyph show --rom A02
    lumek glyph show --rom A00 --bus 1
    """  # noqa: D301
    kinds = {"WHAT": what, "--search": words, "--drawings": drawings}
    given = [name for name, value in kinds.items() if value]
    on_glass = {"--hookup": hookup, "--bus": number, "--twin": simulated or None}
    if places := [name for name, value in on_glass.items() if value is not None]:
        if given or (rom is None and hookup is None):
            raise click.UsageError(f"{places[0]} shows the characters of a ROM: give it with --rom, and nothing else")
        show_on_glass(rom, hookup, panel, simulated, number, address, size, record)
        return
    for name, value in {"--panel": panel, "--address": address, "--size": size, "--record": record}.items():
        if value is not None:
            raise click.UsageError(f"{name} needs a panel: --hookup FILE, --bus N or --twin")
    if len(given) > 1:
        raise click.UsageError(f"{given[0]} and {given[1]} cannot be combined: drop one of them")
    if within is not None and given != ["WHAT"]:
        raise click.UsageError("--within needs WHAT, the glyph to show in the text")
    if drawings:
        if rom is not None:
            raise click.UsageError("--drawings are the same for every ROM: drop --rom")
        show_chart(None, picture, scheme)
    elif words is not None:
        found = search(words)
        if not found:
            raise NoGlyphError(f"no drawing has {words!r} in its name: names are those of Unicode, such as 'honeybee'")
        glyphs = merged([
            GlyphSet({as_name(one.name): one.glyph}, {as_name(one.name): one.character} if one.character else None)
            for one in found
        ])  # fmt: skip
        show_glyphs(glyphs, f"{len(found)} found for {words!r}", picture, scheme, None, rom)
        for one in found:
            say(f"{one.character:2} {one.name.strip()}" + (f" (in the set {one.of})" if one.of else ""))
    elif what:
        glyphs = merged([glyphs_of(one) for one in what])
        show_glyphs(glyphs, " ".join(what) if len(what) < 4 else f"{len(glyphs)} glyphs", picture, scheme, within, rom)
    elif rom is not None:
        show_chart(rom_named(rom), picture, scheme)
    else:
        if picture is not None:
            raise click.UsageError("--picture needs WHAT to draw: a character, a file, a set, or a drawing")
        for name in SETS:
            say(f"{name:8} {' '.join(shipped(name).drawings)}")
        say("Show one with lumek glyph show NAME; lumek glyph show --help lists the other options.")


def show_on_glass(
    rom: str | None, hookup: Path | None, panel: str | None, simulated: bool, number: int | None, address: int | None,
    size: str | None, record: Path | None,
) -> None:  # fmt: skip
    """The characters of a ROM on a panel."""
    import sys

    from lumek.cli.glyph_glass import page_through
    from lumek.cli.panels import opened

    with opened(hookup, panel, simulated, number, address, size, rom, record) as shown:
        page_through(shown, waits=sys.stdin.isatty())


def show_chart(rom: "Rom | None", picture: Path | None, scheme: str) -> None:
    """The chart of a ROM, or of the drawings, in the terminal and as a picture."""
    from rich.console import Console

    from lumek.views.rom_sheet import drawings_picture, drawings_view, rom_picture, rom_view

    if picture is not None:
        with writing(picture) as beside:
            (rom_picture(rom, scheme) if rom else drawings_picture(scheme)).save(beside, format="PNG")
    console = Console()
    for line in rom_view(rom, console) if rom else drawings_view(console):
        say(line)
