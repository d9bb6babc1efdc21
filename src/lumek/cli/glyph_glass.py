"""The characters of a ROM on a panel, page by page."""

from typing import TYPE_CHECKING

import click
from rich.console import Console

from lumek.cli.output import say

if TYPE_CHECKING:
    from lumek import Panel

FIRST, END, LINE = 0x10, 0x100, 16

LABELLED = 19
"""Columns from which on a line of codes has its number beside it."""


def page_through(panel: "Panel", waits: bool) -> None:
    """Show all codes that a ROM draws, and what they should be, a page at a time.

    waits: let a user look at each page.
    """
    from lumek.diagnosis.eyes import show_codes
    from lumek.views.terminal import terminal_view

    console = Console()
    for page in pages(panel.shape):
        panel[:] = ""
        for row, (first, codes) in enumerate(page):
            label = f"{first:02x} " if panel.shape[1] >= LABELLED else ""
            show_codes(panel, [*label.encode("ascii"), *codes], row)
        if panel.twin is not None:
            console.print(terminal_view(panel.twin, console))
        for first, codes in page:
            say(f"{first:#04x}  {' '.join(panel._rom.character(code) or '?' for code in codes)}")
        if waits and page[-1][0] + len(page[-1][1]) < END:
            click.prompt("Enter for the next page", default="", show_default=False, prompt_suffix=" ", err=True)
    panel.refresh()


def pages(shape: tuple[int, int]) -> list[list[tuple[int, range]]]:
    """The codes of each page, a line for each row: (first code, codes)."""
    rows, columns = shape
    each = LINE if columns >= LINE else columns
    lines = [(first, range(first, min(first + each, END))) for first in range(FIRST, END, each)]
    return [lines[at : at + rows] for at in range(0, len(lines), rows)]
