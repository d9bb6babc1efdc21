"""lumek glyph convert: glyphs from one format into another."""

import sys
from pathlib import Path

import click

from lumek.cli.glyph_options import FORMAT, STANDARD, glyphs_of
from lumek.cli.options import writing
from lumek.cli.output import tell
from lumek.glyphs.files import written
from lumek.glyphs.formats import FORMATS, Options, format_of, what_is_lost

FORMATS_HELP = ", ".join(f"{name} ({one.what})" for name, one in FORMATS.items())


@click.command(name="convert")
@click.argument("source", metavar="IN")
@click.argument("target", metavar="OUT")
@click.option("--from", "from_", type=FORMAT, help="Format of IN (default: from its ending or its content).")
@click.option("--to", "to", type=FORMAT, help="Format of OUT (default: from its ending).")
@click.option("--only", metavar="NAME,NAME", help="Only these glyphs, in this order.")
@click.option("--characters", metavar="TEXT", help="The characters that the glyphs draw, in order.")
@click.option("--name", metavar="NAME", help="Name of the array (default: that of the file).")
@click.option("--attribute", default="", metavar="WORD", help="Attribute for the C array, such as PROGMEM.")
@click.option(
    "--dot", type=click.IntRange(1, 64), default=8, metavar="PIXELS", help="Pixels per dot in a PNG (default 8)."
)
def command(
    source: str,
    target: str,
    from_: str | None,
    to: str | None,
    only: str | None,
    characters: str | None,
    name: str | None,
    attribute: str,
    dot: int,
) -> None:
    """Convert the glyphs of IN, and write them as OUT; '-' is standard input or output.

    IN is a file, a shipped set, a character that Lumek draws, or a drawing. Formats, by the ending of a file or named:
    .txt or art, .toml, .json, .bdf, .png (cells side by side), .h or c, .py or python, micropython, hex, binary,
    decimal.

    \b
    lumek glyph convert bees.toml bees.h --attribute PROGMEM
    lumek glyph convert sketch.ino bees.toml --characters "🐝💧"
    lumek glyph convert weather - --to micropython
    lumek glyph convert strip.png strip.bdf
    """  # noqa: D301
    glyphs = glyphs_of(source, from_)
    if only is not None:
        glyphs = glyphs.only([one.strip() for one in only.split(",")])
    if characters is not None:
        glyphs = glyphs.drawing(characters)
    if target == STANDARD and to is None:
        raise click.UsageError(f"--to says in which format standard output is written: {', '.join(FORMATS)}")
    format = format_of(target, to)
    stem = Path(source if target == STANDARD else target).stem if name is None else name
    if attribute and format != "c":
        raise click.UsageError(f"--attribute is for arrays of C, and {target} is {FORMATS[format].what}: drop it")
    data = written(glyphs, format, Options(stem if stem != STANDARD else "glyphs", attribute, dot))
    for one in what_is_lost(glyphs, format):
        tell(one)
    if target == STANDARD:
        if format == "png" and sys.stdout.isatty():
            raise click.UsageError("a PNG is not for a terminal: name a file, or redirect the output")
        sys.stdout.buffer.write(data)
        return
    with writing(Path(target)) as beside:
        beside.write_bytes(data)
