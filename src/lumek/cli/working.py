"""What takes more than a second shows on a terminal that it goes on, and how far it is; nothing when piped."""

import sys
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from threading import Lock, Timer
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from rich.progress import Progress

AFTER_S = 1.0


class Work:
    """A piece of work, whose progress shows on standard error once it has taken a second.

    what: it, in words: "drawing the chart".
    """

    def __init__(self, what: str) -> None:
        self._what = what
        self._fraction: float | None = None
        self._progress: Progress | None = None
        self._ended = False
        self._lock = Lock()

    def at(self, fraction: float) -> None:
        """Say how far it is, 0.0 to 1.0."""
        self._fraction = min(1.0, max(0.0, fraction))
        if self._progress is not None:
            self._progress.update(self._progress.task_ids[0], total=1.0, completed=self._fraction)

    def show(self) -> None:
        """Show it from now on."""
        from rich.console import Console
        from rich.progress import BarColumn, Progress, SpinnerColumn, TaskProgressColumn, TextColumn, TimeElapsedColumn

        from lumek._harmless import LONGEST_LINE, harmless

        columns = (SpinnerColumn(), TextColumn("{task.description}", markup=False), BarColumn(), TaskProgressColumn(),
                   TimeElapsedColumn())  # fmt: skip
        with self._lock:
            if self._ended:
                return
            # Standard output is not touched: what is printed there may go into a file.
            progress = Progress(*columns, console=Console(stderr=True), transient=True, redirect_stdout=False)
            task = progress.add_task(harmless(self._what, LONGEST_LINE), total=None)
            if self._fraction is not None:
                progress.update(task, total=1.0, completed=self._fraction)
            progress.start()
            self._progress = progress

    def end(self) -> None:
        """Take it away."""
        with self._lock:
            self._ended = True
            if self._progress is not None:
                self._progress.stop()


@contextmanager
def working(what: str, shown: bool = True) -> Iterator[Work]:
    """A block of work that may take long.

    shown: False for one that is never shown.
    """
    work = Work(what)
    terminal = False
    with suppress(AttributeError, ValueError):  # there is no standard error, or it is closed
        terminal = sys.stderr.isatty()
    timer = Timer(AFTER_S, work.show) if terminal and shown else None
    if timer is not None:
        timer.daemon = True
        timer.start()
    try:
        yield work
    finally:
        if timer is not None:
            timer.cancel()
        work.end()
