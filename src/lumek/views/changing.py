"""A view that stays in place in a terminal and rewrites only the cells that change."""

from collections.abc import Iterator
from itertools import groupby

from rich.cells import cell_len
from rich.console import Console, ConsoleOptions, ConsoleRenderable, RenderableType
from rich.control import Control
from rich.live import Live
from rich.segment import ControlType, Segment
from rich.style import Style

Cell = tuple[str, Style | None]

UNCUT = ((ControlType.CURSOR_FORWARD, 0),)
"""Marks a segment as control codes. Otherwise the console takes all changes for one long line and crops it."""


class ChangingView(Live):
    """A live view that its owner refreshes. Of each line it writes from the first changed cell to the last.

    It writes the whole view after other output, when the number of lines or the size of the terminal changes, and when
    the view does not fit.
    """

    def __init__(self, view: RenderableType | None = None, *, console: Console, redirect_stderr: bool = True) -> None:
        self._lines: list[list[Cell]] | None = None
        self._size = console.size
        super().__init__(view, console=console, auto_refresh=False, redirect_stderr=redirect_stderr)

    def process_renderables(self, renderables: list[ConsoleRenderable]) -> list[ConsoleRenderable]:
        """What the console is to write."""
        size = self.console.size
        before = self._lines if size == self._size else None  # a terminal that was resized has moved what it shows
        self._size = size
        self._lines = [_cells(line) for line in self.console.render_lines(self.get_renderable(), pad=False)]
        alone = all(isinstance(one, Control) for one in renderables)
        fits = len(self._lines) < self.console.height and max(map(len, self._lines), default=0) <= self.console.width
        if alone and fits and before is not None and len(before) == len(self._lines):
            return [*renderables, _Changes(before, self._lines)]
        return super().process_renderables(renderables)


class _Changes:
    """What leads from lines to other lines, with the cursor in the last of them before and afterwards."""

    def __init__(self, before: list[list[Cell]], now: list[list[Cell]]) -> None:
        self._before, self._now = before, now

    def __rich_console__(self, console: Console, options: ConsoleOptions) -> Iterator[RenderableType | Segment]:
        last = len(self._now) - 1
        for number, (before, now) in enumerate(zip(self._before, self._now, strict=True)):
            if before == now:
                continue
            same = zip(before, now, strict=False)
            first = next((at for at, (one, two) in enumerate(same) if one != two), min(len(before), len(now)))
            end = len(now)
            while len(before) == len(now) and end > first and before[end - 1] == now[end - 1]:
                end -= 1
            # A cell more on either side: where letters are wider than their cells, they leave traces in the next.
            first, end = max(0, first - 1), min(len(now), end + 1)
            while first and now[first][0] == "":
                first -= 1
            up = last - number
            yield Control((ControlType.CURSOR_MOVE_TO_COLUMN, first), *[(ControlType.CURSOR_UP, up)] * (up > 0))
            for style, cells in groupby(now[first:end], lambda cell: cell[1]):
                yield Segment("".join([text for text, _ in cells]), style, UNCUT)
            if len(now) < len(before):
                yield Control((ControlType.ERASE_IN_LINE, 0))
            if up:
                yield Control((ControlType.CURSOR_DOWN, up))


def _cells(line: list[Segment]) -> list[Cell]:
    """The characters of a line; one that is wider than a cell is followed by empty ones."""
    cells: list[Cell] = []
    for segment in line:
        if segment.control:
            continue
        text, style = segment.text, segment.style
        if cell_len(text) == len(text):
            cells += [(character, style) for character in text]
            continue
        for character in text:
            cells += [(character, style)] + [("", style)] * (cell_len(character) - 1)
    return cells
