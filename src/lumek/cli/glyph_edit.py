"""lumek glyph edit: the editor in the terminal."""

import sys
from contextlib import ExitStack
from pathlib import Path

import click

import lumek
from lumek.cli.glyph_options import FORMAT
from lumek.cli.options import capture_to, hookup_options, record_option, rom_option
from lumek.errors import PortError
from lumek.glyphs import GlyphSet, load
from lumek.glyphs.formats import format_of
from lumek.glyphs.glyph_set import PLACES
from lumek.glyphs.sketch import Sketch
from lumek.glyphs.tracing import block_size
from lumek.glyphs.within import PLACE
from lumek.readings.extras import wanted_by


@click.command(name="edit")
@click.argument("file", type=click.Path(path_type=Path, dir_okay=False), default="glyphs.toml")
@click.option("--to", "to", type=FORMAT, help="Format of FILE (default: from its ending).")
@click.option(
    "--within", default="Hive {} 41.4 kg", metavar="TEXT", help="Show the glyph in this row of text, in place of {}."
)
@click.option("--block", metavar="CxR", help="Start with a new block of cells, at most 4x2.")
@hookup_options
@rom_option
@click.option("--scheme", default="meadow", metavar="NAME", help="Colours: meadow (default), dusk or ember.")
@record_option
def command(
    file: Path,
    to: str | None,
    within: str,
    block: str | None,
    hookup: Path | None,
    panel: str | None,
    simulated: bool,
    rom: str | None,
    scheme: str,
    record: Path | None,
) -> None:
    """Draw glyphs in the terminal, and keep them in FILE (default glyphs.toml).

    The screen lists the keys; the mouse draws, too. With --hookup the panel shows the glyph while you draw it. Unsaved
    changes are kept beside the file, even if the program is killed.

    \b
    lumek glyph edit bees.toml
    lumek glyph edit logo.toml --block 2x2 --within "{} Apiary"
    lumek glyph edit bees.toml --hookup hive.toml
    """  # noqa: D301
    with wanted_by("lumek glyph edit", "edit"):
        from lumek.glyphs.editor.app import Editor
    if PLACE not in within:
        raise click.UsageError(f"--within {within!r} has no {{}}, where the glyph is shown")
    if panel is not None and hookup is None:
        raise click.UsageError(f"--panel {panel} needs --hookup FILE, which has a panel of that name")
    if record is not None and hookup is None:
        raise click.UsageError("--record needs --hookup FILE, the panel whose wires are recorded")
    if hookup is not None and rom is not None:
        raise click.UsageError(f"--rom is already set in {hookup}; drop the option")
    format_of(file, to)
    if not file.parent.is_dir():
        raise click.UsageError(f"cannot write {file}: {file.parent} is not a folder")
    glyphs = load(file, to) if file.exists() else GlyphSet({})
    if block is not None:
        glyphs = with_block(glyphs, block, file)
    if not (sys.stdin.isatty() and sys.stdout.isatty()):
        raise PortError("the editor needs a terminal: run it without redirecting its input or output")
    with ExitStack() as stack:
        real = None
        if hookup is None:
            seen = lumek.simulate("20x2", rom or "A00")
        else:
            capture = stack.enter_context(capture_to(record))
            own = capture if simulated else None
            seen = lumek.attach(hookup, twin=True, panel=panel, capture=own)
            if not simulated:
                real = stack.enter_context(lumek.attach(hookup, panel=panel, capture=capture))
        Editor(file, glyphs, seen, real, within=within, format=to, scheme=scheme).run()


def with_block(glyphs: GlyphSet, size: str, file: Path) -> GlyphSet:
    """The set with a new block of a size such as "2x1" at its beginning."""
    sketch = Sketch(glyphs)
    sketch.add_block(*block_size(size), name=file.stem)
    if not glyphs:  # without the blank glyph with which an empty set begins
        names = [name for row in sketch.glyphs.blocks[sketch.state.name] for name in row]
        return sketch.glyphs.only(names).drawing(PLACES[: len(names)])
    return sketch.glyphs
