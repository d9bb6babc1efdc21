"""What lumek run and lumek demo share: a show with its outputs, until a signal ends it."""

import signal
from collections.abc import Callable, Iterator, Sequence
from contextlib import ExitStack, contextmanager
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import NamedTuple

import click
from rich.console import Console, Group, RenderableType
from rich.live import Live
from rich.text import Text

from lumek import Panel
from lumek.cli.options import writing
from lumek.faces.file import FaceFile
from lumek.faces.show import Show
from lumek.readings.log import Log
from lumek.twin.animation import Animation
from lumek.twin.picture import pictures
from lumek.twin.terminal import terminal_views


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
) -> None:
    """Show faces until the time is over or a signal comes, and write the outputs.

    below: the last line of the view.
    """
    console = Console()
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
        written = stack.enter_context(Log(log)) if log is not None else None
        show = stack.enter_context(faces.show(panels, speed=speed, log=written))
        live: Live | None = None

        def view() -> RenderableType:
            lines = [words_of(show, faces.deck.caption), below(show, doubles)]
            views = [terminal_views(doubles, console, outputs.scheme)]
            return Group(*views, *[Text(line, no_wrap=True, overflow="ellipsis") for line in lines if line])

        def drawn() -> None:
            if animation is not None:
                animation.take(show.elapsed)
            if live is not None:
                live.update(view(), refresh=True)

        with ending(show.stop):
            if once:
                show.wait()
                show.draw()
                drawn()
            elif simulated and console.is_terminal:
                with Live(view(), console=console, auto_refresh=False) as live:
                    show.run(seconds, drawn)
            else:
                if not simulated:
                    click.echo(f"lumek: showing {faces.path} on {', '.join(map(str, reals.values()))}", err=True)
                show.run(seconds, drawn)
        if outputs.picture is not None:
            with writing(outputs.picture):
                pictures([panel.twin for panel in doubles], outputs.scheme).save(outputs.picture, format="PNG")
        if animation is not None and outputs.animate is not None:
            with writing(outputs.animate):
                animation.save(outputs.animate)
        if outputs.plot is not None and log is not None:
            from lumek.readings.chart import plot

            plot(log, outputs.plot, title=faces.path.stem)
        if simulated and (once or not console.is_terminal):
            console.print(view())
    for name, panel in twins.items():
        if panel.twin.violations:
            click.echo(f"lumek: {name or 'the panel'}: {panel.twin.violations[0]}", err=True)


def words_of(show: Show, caption: str) -> str:
    """The words of a probe, in a line."""
    return " ".join((show.poller[caption].text or "").split()) if caption else ""


@contextmanager
def ending(stop: Callable[[], None]) -> Iterator[None]:
    """A block in which Ctrl-C and SIGTERM call `stop` instead of breaking off what is being done."""
    signals = (signal.SIGINT, signal.SIGTERM)
    before = [signal.signal(number, lambda *_: stop()) for number in signals]
    try:
        yield
    finally:
        for number, handler in zip(signals, before, strict=True):
            signal.signal(number, handler)
