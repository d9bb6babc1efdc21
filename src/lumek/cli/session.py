"""What lumek run and lumek demo share: a show with its outputs, until a signal ends it."""

import sys
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import ExitStack, contextmanager
from pathlib import Path
from tempfile import TemporaryDirectory
from time import monotonic, time
from typing import TYPE_CHECKING, NamedTuple

from rich.console import Console, Group, RenderableType
from rich.text import Text

from lumek import Panel
from lumek._harmless import LONGEST_LINE, harmless
from lumek.cli.arrivals import Arrivals
from lumek.cli.ending import ending
from lumek.cli.keys import HELP
from lumek.cli.options import capture_to, writing
from lumek.cli.output import tell
from lumek.cli.outputs import Outputs, draw_chart
from lumek.cli.service import Service
from lumek.cli.working import working
from lumek.errors import CheckError
from lumek.faces.face_file import FaceFile
from lumek.faces.loop import Show
from lumek.faces.needs import places
from lumek.readings.extras import wanted_by
from lumek.readings.log import Log
from lumek.readings.time_source import HOST_CLOCK, HandClock
from lumek.views.animation import Animation
from lumek.views.changing import ChangingView
from lumek.views.picture import pictures
from lumek.views.terminal import terminal_views

if TYPE_CHECKING:
    from PIL.Image import Image

    from lumek.twin import Twin


STATUS_S = 60.0
"""From one line about the panels to the next, where there is no view."""

AT_ONCE_S = 1.0
"""What answers within it is waited for without a word."""


class Outcome(NamedTuple):
    """What is left when a show has ended.

    left: lines about probes.
    nothing_came: whether all readings are missing.
    image: a picture of the panels.
    last: the view, where it is printed at the end.
    """

    left: list[str]
    nothing_came: bool
    image: "Image | None"
    last: RenderableType | None


class Session:
    """Faces shown on their panels until the time is over or a signal comes, and the files written then.

    faces: what is shown.
    simulated: whether the panels are simulated, and drawn in the terminal.
    outputs: what is written.
    seconds: how long it runs; None until a signal comes.
    once: wait for the first readings, for the seconds at most, draw once, and end.
    speed: how much faster recordings are played back.
    below: the last line of the view.
    at_once: say nothing of what runs where, and without a terminal let the time pass as fast as it can, and print the
        view whenever the caption is about to change, instead of once at the end.
    verbose: report more of the probes.
    faults: what goes wrong on the simulated panels, in words; see `lumek.twin.fault_words`.
    status: show the counters of the panels below the view, or print them every minute.
    """

    def __init__(
        self,
        faces: FaceFile,
        simulated: bool,
        outputs: Outputs,
        seconds: float | None = None,
        once: bool = False,
        speed: float = 1.0,
        below: Callable[[Show, Sequence[Panel]], str] = lambda show, panels: "",
        at_once: bool = False,
        verbose: bool = False,
        faults: Sequence[str] = (),
        status: bool = False,
    ) -> None:
        self.faults, self.status = faults, status
        self._status_due = STATUS_S
        self.faces, self.simulated, self.outputs = faces, simulated, outputs
        self.seconds, self.once, self.speed, self.below = seconds, once, speed, below
        self.verbose = verbose
        self.console = Console()
        self.announces = not at_once
        self.clock = HandClock(time()) if at_once and not self.console.is_terminal else None
        self.reals: dict[str, Panel] = {}
        self.twins: dict[str, Panel] = {}
        self.animation: Animation | None = None
        self._live: ChangingView | None = None
        self._service: Service | None = None
        self._lines: list[str] = []
        self._seen: RenderableType | None = None
        self._arrivals = Arrivals(faces)
        self._now: Show | None = None
        self._sent: FaceFile | None = None
        self._stopped = False
        self._began = monotonic()

    def run(self) -> None:
        """Run it.

        Raises what attaching and showing raise, and CheckError when it draws once and no reading has come; a panel that
        does not answer while it runs is not an error.
        """
        if self.outputs.plot is not None:  # what is missing is said now, not at the end of a long day
            with wanted_by("--plot", "readings"):
                import matplotlib  # noqa: F401
                import pandas  # noqa: F401
        with ending() as signals, ExitStack() as stack:
            self._attach(stack)
            log = self._log(stack)
            if self.clock is None and not self.once:
                self._arrivals.open(stack, self.faces, typed=self.simulated and self.console.is_terminal)
            signals.stop = self._stop
            with Service() as self._service:
                end = self._play_all(log)
            try:
                self._write(end.image, log.path if log is not None else None)
            finally:
                if end.last is not None:
                    self.console.print(end.last)
        for line in end.left:
            tell(line)
        if self.once and end.nothing_came:
            raise CheckError(
                f"no reading has come; --once waits {self._patience_s:g} s at most, --for TIME sets another"
            )
        for name, panel in self.twins.items():
            if panel.twin.violations and not self.faults:
                tell(f"{name or 'the panel'}: {panel.twin.violations[0]}")
        if self.status:
            self._tell_status()

    def _play_all(self, log: Log | None) -> "Outcome":
        """Show the faces, and others that are sent meanwhile, until the end."""
        own = self.faces
        while True:
            with ExitStack() as shown:
                with working(f"reading what {self.faces.path.name} needs"):
                    show = shown.enter_context(self._show(log))
                self._now, self._sent = show, None
                if self._stopped:
                    show.stop()
                self._harm(show)
                if not show.ended:
                    self._loop(show, own)
                if self._sent is None:
                    return self._end_of(show)
                show.leaves = False
            self.faces = self._sent

    def _stop(self) -> None:
        """End it. May be called at any moment."""
        self._stopped = True
        if self._now is not None:
            self._now.stop()

    def _end_of(self, show: Show) -> "Outcome":
        """What is left at the end, before the panels are left as the file says."""
        readings = show.poller.readings()
        failed = [name for name, reading in readings.items() if reading.flaw == "missing"]
        return Outcome(
            [] if self.clock else show.troubles.left(readings), bool(failed) and len(failed) == len(readings),
            pictures(self._doubles, self.outputs.scheme) if self.outputs.picture else None,
            self._view() if self.simulated and (self.once or not self.console.is_terminal) else None,
        )  # fmt: skip

    def _take_faces(self, show: Show, own: FaceFile) -> None:
        """Faces that were sent take the place of these, if they can be shown."""
        self._sent = self._arrivals.new_faces(own)
        if self._sent is not None:
            show.stop()

    def _harm(self, show: Show) -> None:
        """Let go wrong what is to go wrong, by the clock of the show."""
        for number, twin in enumerate(self._doubles if self.faults else ()):
            twin.faults.clock = lambda: show.elapsed
            for text in self.faults:
                twin.faults.begin(text, number)

    @property
    def _shown(self) -> Mapping[str, Panel]:
        """The panels whose health counts: the real ones, where there are any."""
        return self.reals or self.twins

    def _tell_status(self) -> None:
        for name, panel in self._shown.items():
            tell(f"{name or 'the panel'}: {panel.health}")

    def _attach(self, stack: ExitStack) -> None:
        """Open the panels, which the stack closes."""
        capture = stack.enter_context(capture_to(self.outputs.record))
        if self.simulated or self.outputs.need_twins:
            self.twins = self.faces.attach(twin=True, capture=capture if self.simulated else None)
        if not self.simulated:
            self.reals = self.faces.attach(capture=capture)
        for panel in [*self.reals.values(), *self.twins.values()]:
            stack.enter_context(panel)
        if self.outputs.animate is not None:
            self.animation = Animation(self._doubles, self.outputs.scheme)

    @property
    def _doubles(self) -> "list[Twin]":
        return [panel.twin for panel in self.twins.values()]

    def _log(self, stack: ExitStack) -> Log | None:
        """The log that is asked for; for a chart without one, a log that is thrown away."""
        asked = self.outputs.log is not None or self.faces.log.file is not None
        if not asked and self.outputs.plot is None:
            return None
        if asked:
            log = self.faces.log_file(self.outputs.log, self.outputs.log_every)
        else:
            log = Log(Path(stack.enter_context(TemporaryDirectory())) / "readings.csv")
        return None if log is None else stack.enter_context(log)

    @property
    def _patience_s(self) -> float:
        return self.faces.deck.start_s if self.seconds is None else self.seconds

    @contextmanager
    def _show(self, log: Log | None) -> Iterator[Show]:
        panels = {name: [group[name] for group in (self.reals, self.twins) if name in group]
                  for name in self.faces.panels}  # fmt: skip
        with self.faces.show(
            panels, speed=self.speed, log=log, clock=self.clock or HOST_CLOCK, threads=self.clock is None,
            report=(lambda line: None) if self.clock else tell, verbose=self.verbose, desk=self._arrivals.desk,
            began=None if self._now is None else self._now.began,
        ) as show:  # fmt: skip
            yield show

    def _loop(self, show: Show, own: FaceFile) -> None:
        """Draw once, or until the end."""
        left_s = None if self.seconds is None else max(show.period_s, self.seconds - (monotonic() - self._began))

        def drawn() -> None:
            self._drawn(show)
            self._take_faces(show, own)

        if self.once:
            show.leaves = False  # what is drawn once is to be read
            show.wait(AT_ONCE_S)
            if waits := show.poller.awaited():
                tell(f"waiting up to {self._patience_s:g} s for {', '.join(waits)}")
            show.wait(self._patience_s)
            show.draw()
            drawn()
        elif self.clock is not None:
            whole = self.seconds or 1.0
            with working(f"playing {self.faces.path.name}") as work:
                while self.clock.elapsed() < (self.seconds or 0.0) and not show.ended:
                    show.poller.poll_due()
                    show.draw()
                    drawn()
                    self.clock.advance(show.period_s)
                    work.at(self.clock.elapsed() / whole)
        elif self.simulated and self.console.is_terminal:
            self._announce()
            to_view = sys.stderr is not None and sys.stderr.isatty()  # lines about probes go above the view
            view = ChangingView(self._view(), console=self.console, redirect_stderr=to_view)
            with view as self._live:
                show.run(left_s, drawn)
        else:
            self._announce()
            replays = any(table.kind == "replay" for table in self.faces.sources.values())
            with working(f"playing {self.faces.path.name}", replays or self.seconds is not None) as work:

                def drawn_and_counted() -> None:
                    drawn()
                    if self.seconds is not None:
                        work.at(show.elapsed / self.seconds)

                show.run(left_s, drawn_and_counted)

    def _announce(self) -> None:
        """Say what runs where."""
        if not self.announces:
            return
        if self._arrivals.faces is not None:
            tell("showing the faces received from the broker")
            return
        panels = [*map(repr, self.reals.values())] or [f"a simulated {panel.size}" for panel in self.twins.values()]
        if not self.reals and len(panels) > 1:
            panels = [f"{len(panels)} simulated panels"]
        log = self.outputs.log or self.faces.log.file
        count = len(self.faces.probes)
        tell(f"{self.faces.path} on {', '.join(panels)}; {count} probe{'' if count == 1 else 's'}"
             + (f"; log {log}" if log else "") + (f"; {HELP}" if self._arrivals.keys else "")
             + "; Ctrl-C ends it")  # fmt: skip
        for line in places(self.faces) if self.verbose else ():
            tell(line)
        for name, table in self.faces.probes.items() if self.verbose else ():
            value = getattr(table, table.origin)
            tell(f"{name}: {table.origin}{f' {value}' if isinstance(value, str) else ''}, every "
                 f"{table.every_s or self.faces.deck.poll_s:g} s")  # fmt: skip

    def _drawn(self, show: Show) -> None:
        """After each drawing: bring the view and the animation up to date."""
        caption = caption_of(show, self.faces.deck.caption)
        if self._service is not None:
            self._service.beat("; ".join(f"{name or 'panel'}: {panel.health}" for name, panel in self._shown.items()))
        self._arrivals.take_keys()
        if self.faults:
            for twin in self._doubles:
                twin.faults.update()
        if self.status and self._live is None and show.elapsed >= self._status_due:
            self._status_due = show.elapsed + STATUS_S
            self._tell_status()
        if self.clock is not None and self._seen is not None and self._lines[0] != caption:
            self.console.print(self._seen)
        self._lines = [caption, self.below(show, list(self.twins.values()))]
        if self.status and self._live is not None:
            self._lines += [f"{name or 'panel'}: {panel.health}" for name, panel in self._shown.items()]
        if self.clock is not None:
            self._seen = self._view()
        if self.animation is not None:
            self.animation.take(show.elapsed)
        if self._live is not None:
            self._live.update(self._view(), refresh=True)

    def _view(self) -> RenderableType:
        """The simulated panels, with the caption and the last line below."""
        lines = [Text(line) for line in self._lines if line]
        spare = len(lines) + 1 if self._live is not None else 0  # a view that is brought up to date has to fit
        seconds = None if self._live is None else monotonic()
        views = terminal_views(list(self.twins.values()), self.console, self.outputs.scheme, seconds, spare)
        return Group(views, *lines)

    def _write(self, image: "Image | None", log: Path | None) -> None:
        """Write the outputs. What cannot be written is a usage error."""
        if self.outputs.picture is not None and image is not None:
            with writing(self.outputs.picture) as beside:
                image.save(beside, format="PNG")
        if self.animation is not None and self.outputs.animate is not None:
            with working("writing the animation") as work, writing(self.outputs.animate) as beside:
                self.animation.save(beside, work.at)
        if self.outputs.plot is not None and log is not None:
            with working("drawing the chart"):
                draw_chart(self.faces, log, self.outputs.plot)


def caption_of(show: Show, caption: str) -> str:
    """The words of a probe, in a line."""
    words = (show.poller[caption].text or "")[: 2 * LONGEST_LINE] if caption else ""
    return harmless(" ".join(words.split()), LONGEST_LINE)
