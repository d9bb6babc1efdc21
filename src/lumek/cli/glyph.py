"""lumek glyph: drawings for cells."""

from typing import ClassVar

import click

from lumek.cli.commands import Commands


class GlyphCommands(Commands):
    """The commands about glyphs."""

    prefix = "glyph_"
    names: ClassVar = {
        "show": "Show glyphs: large with their numbers, as a chart, and within a row of text.",
        "convert": "Bring glyphs from one format into another: art, TOML, BDF, PNG, C, Python, numbers.",
        "trace": "Cut a picture into a glyph, or into a block of cells.",
        "edit": "Draw glyphs in the terminal.",
    }


@click.command(name="glyph", cls=GlyphCommands, invoke_without_command=True)
@click.pass_context
def command(ctx: click.Context) -> None:
    """Show, convert, trace and edit glyphs."""
    if ctx.invoked_subcommand is None:
        click.echo(ctx.get_help())
