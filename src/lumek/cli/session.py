"""What lumek run and lumek demo share: a show with its outputs, until a signal ends it."""

from collections.abc import Callable, Sequence
from contextlib import ExitStack, nullcontext
from pathlib import Path
from tempfile import TemporaryDirectory
from time import time
from typing import NamedTuple

from rich.console import Console, Group, RenderableType
from rich.live import Live
from rich.text import Text

from lumek import Panel
from lumek._harmless import LONGEST_LINE, harmless
from lumek.cli.ending import Ending, ending
from lumek.cli.options import writing
from lumek.cli.output import tell
from lumek.faces.file import FaceFile
from lumek.faces.loop import Show
from lumek.readings.extras import wanted_by
from lumek.readings.log import Log
from lumek.readings.time_source import HOST_CLOCK, HandClock
from lumek.views.animation import Animation
from lumek.views.picture import pictures
from lumek.views.terminal import terminal_views


class Outputs(NamedTuple):
    """What is written: a log, a chart, a picture, an animation; and the colours of the panels."""

    log: Path | None = None
    plot: Path | None = None
    picture: Path | None = None
    animate: Path | None = None
    scheme: str = "meadow"

    @property
    def need_twins(self) -> bool:
        """Whether simulated panels are needed for them."""
        return self.picture is not None or self.animate is not None


def run(
    faces: FaceFile,
    simulated: bool,
    outputs: Outputs,
    seconds: float | None = None,
    once: bool = False,
    speed: float = 1.0,
    below: Callable[[Show, Sequence[Panel]], str] = lambda show, panels: "",
    at_once: bool = False,
) -> None:
    """Show faces until the time is over or a signal comes, and write the outputs.

    below: the last line of the view.
    at_once: without a terminal let the time pass as fast as it can, and print the view whenever the caption is about to
        change, instead of once at the end.
    """
    if outputs.plot is not None:  # what lacks is told now, not at the end of a long day
        with wanted_by("--plot", "readings"):
            import matplotlib  # noqa: F401
            import pandas  # noqa: F401
    with ending() as signals:
        _run(signals, faces, simulated, outputs, seconds, once, speed, below, at_once)


def _run(
    signals: Ending,
    faces: FaceFile,
    simulated: bool,
    outputs: Outputs,
    seconds: float | None,
    once: bool,
    speed: float,
    below: Callable[[Show, Sequence[Panel]], str],
    at_once: bool,
) -> None:
    console = Console()
    clock = HandClock(time()) if at_once and not console.is_terminal else None
    twins = faces.attach(twin=True) if simulated or outputs.need_twins else {}
    reals = {} if simulated else faces.attach()
    panels = {name: [group[name] for group in (reals, twins) if name in group] for name in faces.panels}
    doubles = list(twins.values())
    animation = Animation([panel.twin for panel in doubles], outputs.scheme) if outputs.animate is not None else None

    with ExitStack() as stack:
        for panel in [*reals.values(), *doubles]:
            stack.enter_context(panel)
        log = outputs.log
        if log is None and outputs.plot is not None:
            log = Path(stack.enter_context(TemporaryDirectory())) / "readings.csv"
        with (
            Log(log) if log is not None else nullcontext() as written,
            faces.show(panels, speed=speed, log=written, clock=clock or HOST_CLOCK, threads=clock is None) as show,
        ):
            live: Live | None = None
            lines: list[str] = []
            seen: list[RenderableType] = []

            def view() -> RenderableType:
                views = [terminal_views(doubles, console, outputs.scheme)]
                return Group(*views, *[Text(line) for line in lines if line])

            def drawn() -> None:
                caption = caption_of(show, faces.deck.caption)
                if clock is not None and lines and lines[0] != caption:
                    console.print(seen[-1])
                lines[:] = [caption, below(show, doubles)]
                if clock is not None:
                    seen[:] = [view()]
                if animation is not None:
                    animation.take(show.elapsed)
                if live is not None:
                    live.update(view(), refresh=True)

            signals.stop = show.stop
            if not show.ended:
                if once:
                    show.leaves = False  # what is drawn once is to be read
                    show.wait()
                    show.draw()
                    drawn()
                elif clock is not None:
                    run_by_hand(show, clock, seconds or 0.0, drawn)
                elif simulated and console.is_terminal:
                    with Live(view(), console=console, auto_refresh=False) as live:
                        show.run(seconds, drawn)
                else:
                    if not simulated:
                        tell(f"showing {faces.path} on {', '.join(map(str, reals.values()))}")
                    show.run(seconds, drawn)
            # What was seen last, before the panels are left as the file says.
            image = pictures([panel.twin for panel in doubles], outputs.scheme) if outputs.picture else None
            last = view() if simulated and (once or not console.is_terminal) else None
        try:
            if outputs.picture is not None and image is not None:
                with writing(outputs.picture) as beside:
                    image.save(beside, format="PNG")
            if animation is not None and outputs.animate is not None:
                with writing(outputs.animate) as beside:
                    animation.save(beside)
            if outputs.plot is not None and log is not None:
                draw_chart(faces, log, outputs.plot)
        finally:
            if last is not None:
                console.print(last)
    for name, panel in twins.items():
        if panel.twin.violations:
            tell(f"{name or 'the panel'}: {panel.twin.violations[0]}")


def run_by_hand(show: Show, clock: HandClock, seconds: float, each: Callable[[], object]) -> None:
    """Run a show by a clock that is moved as fast as everything is drawn."""
    while clock.elapsed() < seconds and not show.ended:
        show.poller.poll_due()
        show.draw()
        each()
        clock.advance(show.period_s)


def draw_chart(faces: FaceFile, log: Path, path: Path) -> None:
    """A chart of what was read, in the order of the file."""
    from lumek.readings.chart import plot
    from lumek.readings.log import load

    frame = load(log)
    numbers = set(frame["name"][frame["text"] == ""])
    names = [name for name in faces.probes if name in numbers]
    with writing(path) as beside:
        plot(frame, beside, names=names, title=faces.path.stem, zone=faces.deck.zone or "UTC")


def caption_of(show: Show, caption: str) -> str:
    """The words of a probe, in a line."""
    words = (show.poller[caption].text or "")[: 2 * LONGEST_LINE] if caption else ""
    return harmless(" ".join(words.split()), LONGEST_LINE)
