"""lumek glyph: drawings for cells."""

from lumek.cli.commands import Commands

command = Commands(
    "glyph",
    {
        "show": "Show glyphs: large with their numbers, as a chart, and within a row of text.",
        "convert": "Bring glyphs from one format into another: art, TOML, BDF, PNG, C, Python, numbers.",
        "trace": "Cut a picture into a glyph, or into a block of cells.",
        "edit": "Draw glyphs in the terminal.",
    },
    "Show, convert, trace and edit glyphs.",
    prefix="glyph_",
)
