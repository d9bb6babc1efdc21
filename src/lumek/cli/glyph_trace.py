"""lumek glyph trace: a picture cut into cells."""

from pathlib import Path

import click

from lumek.cli.glyph_options import FORMAT, show_glyphs
from lumek.cli.options import picture_options, writing
from lumek.cli.output import say
from lumek.glyphs.files import written
from lumek.glyphs.formats import Options, format_of
from lumek.glyphs.glyph_set import as_name
from lumek.glyphs.tracing import FITS, block_size, trace


@click.command(name="trace")
@click.argument("image", type=click.Path(path_type=Path))
@click.argument("out", type=click.Path(path_type=Path), required=False)
@click.option("--cells", default="1x1", metavar="CxR", help="Cells across and down, at most 4x2 (default 1x1).")
@click.option("--threshold", type=click.FloatRange(0, 1, min_open=True), metavar="SHARE",
              help="Light a dot from this coverage on (default: found).")  # fmt: skip
@click.option("--no-gaps", is_flag=True, help="Do not leave out the strips between cells.")
@click.option("--lit", type=click.Choice(("dark", "light")), help="Light the dark or the light part (default: found).")
@click.option(
    "--fit",
    type=click.Choice(FITS),
    default="whole",
    help="whole keeps the proportions (default), stretched fills the cells, framed keeps the margins.",
)
@click.option("--to", "to", type=FORMAT, help="Format of OUT (default: from its ending).")
@click.option("--name", metavar="NAME", help="Name of the glyph or block (default: the picture's).")
@picture_options
def command(
    image: Path,
    out: Path | None,
    cells: str,
    threshold: float | None,
    no_gaps: bool,
    lit: str | None,
    fit: str,
    to: str | None,
    name: str | None,
    picture: Path | None,
    scheme: str,
) -> None:
    """Cut the picture IMAGE into one glyph, or a block of cells, and write them as the set OUT.

    A dot is lit if the shape covers enough of it. The cells draw the characters ① to ⑧, row by row.

    \b
    lumek glyph trace heart.png heart.toml
    lumek glyph trace logo.png logo.toml --cells 3x2
    lumek show "①②③ Apiary" "④⑤⑥ Hive 3" --glyphs logo.toml
    """  # noqa: D301
    columns, rows = block_size(cells)
    found = trace(
        image, columns, rows, threshold=threshold, gaps=not no_gaps, inverted=None if lit is None else lit == "light",
        fit=fit,
    )  # fmt: skip
    glyphs = found.named(as_name(name or image.stem)[:38])
    format = None if out is None else format_of(out, to)
    show_glyphs(glyphs, str(image), picture, scheme, None, None)
    lit_by = "light" if found.inverted else "dark"
    say(f"A dot is lit if at least {found.threshold:.0%} of it is {lit_by}; --threshold and --lit change this.")
    if out is not None and format is not None:
        with writing(out) as beside:
            beside.write_bytes(written(glyphs, format, Options(out.stem)))
        lines = next(iter(glyphs.blocks.values()), [list(glyphs)])
        text = " ".join(["".join([glyphs.characters[one] for one in line]) for line in lines])
        say(f"Show it: lumek show {text} --glyphs {out}")
