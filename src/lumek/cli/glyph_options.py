"""What the commands about glyphs share: where they come from, and how they are seen."""

import sys
from pathlib import Path
from typing import TYPE_CHECKING

import click

import lumek
from lumek.cli.options import writing
from lumek.cli.output import say
from lumek.core.glyph import ROWS
from lumek.core.slots import COUNT
from lumek.glyphs import GlyphSet, find
from lumek.glyphs.files import MOST_BYTES, read
from lumek.glyphs.formats import FORMATS
from lumek.glyphs.within import PLACE, show_within

if TYPE_CHECKING:
    from lumek import Panel

FORMAT = click.Choice(list(FORMATS))

STANDARD = "-"


def glyphs_of(what: str, format: str | None = None) -> GlyphSet:
    """The glyphs that an argument means: a file, "-" for standard input, a shipped set, a character, a drawing."""
    if what == STANDARD:
        return read(sys.stdin.buffer.read(MOST_BYTES), "standard input", format)
    if format is not None:
        from lumek.glyphs import load

        return load(what, format)
    return find(what)


def row_of(glyphs: GlyphSet, within: str | None, rom: str | None) -> "Panel | None":
    """A simulated panel that shows glyphs within a row of text; None for those that no cell shows."""
    text = within if within is not None else "Hive {} 41.4 kg" if len(glyphs) == 1 else PLACE
    if PLACE not in text:
        raise click.UsageError(f"--within {text!r} has no {PLACE}, where the glyph is shown")
    if glyphs.rows != ROWS or not glyphs:
        return None
    pictures = [glyphs.block(name) for name in glyphs.blocks] or list(glyphs.values())[:COUNT]
    panel = lumek.simulate("20x2" if glyphs.blocks else "20x1", rom or "A00")
    show_within(panel, text, pictures)
    return panel


def show_glyphs(
    glyphs: GlyphSet, title: str, picture: Path | None, scheme: str, within: str | None, rom: str | None
) -> None:
    """Print glyphs, and draw them if that is asked for."""
    from rich.console import Console

    from lumek.views.glyph_sheet import Labelled, chart_picture, chart_view, large_picture, large_view
    from lumek.views.picture import picture as picture_of
    from lumek.views.terminal import terminal_view

    shown = [Labelled(glyph, name, character or "") for name, glyph, character in glyphs.entries]
    panel = row_of(glyphs, within, rom)
    if picture is not None:
        below = None if panel is None else picture_of(panel.twin, scheme)
        with writing(picture) as beside:
            (large_picture(shown[0], scheme, below) if len(shown) == 1 else
             chart_picture(shown, title, scheme, below)).save(beside, format="PNG")  # fmt: skip
    console = Console()
    if len(shown) == 1:
        for row in large_view(shown[0], console, scheme):
            console.print(row, soft_wrap=True)
    else:
        for line in chart_view(shown, console):
            say(line)
    say("")
    if panel is not None:
        console.print(terminal_view(panel.twin, console, scheme, panel.rows))
    else:
        say("These glyphs have 10 rows, for the larger font of one-line panels; Lumek shows glyphs of 8 rows.")
