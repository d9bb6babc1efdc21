"""lumek check --rom: the characters of a ROM that Lumek does not know, written down by whoever looks at the panel."""

from json import dumps
from pathlib import Path
from typing import TYPE_CHECKING

import click

from lumek.cli.options import writing
from lumek.cli.output import say

if TYPE_CHECKING:
    from lumek import Panel

FIRST, END = 0x10, 0x100
BLANK, UNKNOWN = " ", "?"


def write_down(panel: "Panel", file: Path) -> None:
    """Show the codes in pages, and ask what is seen. The file is written after each page, so that nothing is lost."""
    from lumek.core.instructions import clear_display
    from lumek.diagnosis.eyes import show_codes

    columns = panel.shape[1]
    say(f"Type what the panel shows, a character for each of {columns} cells: a blank where a cell is empty, "
        f"{UNKNOWN} where you cannot tell. Enter alone leaves a page unknown.")  # fmt: skip
    known: dict[int, str] = {}
    panel.send(clear_display())
    for first in range(FIRST, END, columns):
        codes = range(first, min(first + columns, END))
        show_codes(panel, codes)
        known |= page(codes)
        with writing(file) as beside:
            beside.write_text(rom_text(file.stem, known), encoding="utf-8")
    panel.refresh()
    say(f"{file} is written, with {len(known)} codes: use it as rom = {dumps(file.name)} in [panel]")


def page(codes: range) -> dict[int, str]:
    """What a user sees for some codes; asked again while it is too long."""
    from lumek.core.text import cells_of

    while True:
        typed = click.prompt(f"{codes[0]:#04x} to {codes[-1]:#04x}", default="", show_default=False, err=True)
        cells = cells_of(typed)
        if len(cells) <= len(codes):
            return {code: cell for code, cell in zip(codes, cells, strict=False) if cell not in (UNKNOWN, BLANK)}
        say(f"{len(cells)} characters are too many: at most {len(codes)}")


def rom_text(name: str, known: dict[int, str]) -> str:
    """A ROM file."""
    lines = [f"name = {dumps(name, ensure_ascii=False)}", "", "[codes]"]
    if not known:
        lines.append('0x20 = " "')
    lines += [f"{code:#04x} = [{dumps(cell, ensure_ascii=False)}]" for code, cell in sorted(known.items())]
    return "\n".join(lines) + "\n"
