"""What a face file says, and the show that it makes."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass, replace
from graphlib import CycleError, TopologicalSorter
from pathlib import Path
from typing import TYPE_CHECKING, Any

import lumek
from lumek._harmless import quoted
from lumek._notice import notice
from lumek.core.geometry import Geometry
from lumek.core.glyph import Glyph
from lumek.errors import FaceError, LumekError, PackageError, PortError
from lumek.expressions.evaluate import Expression
from lumek.faces.deck import Deck
from lumek.faces.face import Face
from lumek.faces.loop import Show
from lumek.faces.model import DeckTable, FaceTable, LightTable
from lumek.faces.probe_tables import ProbeTable, open_source, probe_of
from lumek.faces.stand import Stand
from lumek.hookup.attach import attached
from lumek.hookup.file import Hookup
from lumek.messages.opened import OpenDesk
from lumek.panel import Panel
from lumek.readings.log import Log
from lumek.readings.poller import Poller
from lumek.readings.probes.line_feeds import InputText
from lumek.readings.time_source import HOST_CLOCK, TimeSource
from lumek.readings.troubles import Troubles

if TYPE_CHECKING:
    from lumek.captures.recorder import Capture
    from lumek.messages.tables import MessagesFile


@dataclass(frozen=True)
class FaceFile:
    """What a face file says.

    path: the file.
    deck: [deck].
    faces: [faces.NAME] by name.
    probes, sources: [probes.NAME] and [sources.NAME].
    glyphs: character -> drawing.
    hookup: how the panels are wired, if that is said.
    light: what the backlights do, if that is said.
    log: what is written of the readings.
    messages: where texts come from that are shown beside the faces.
    """

    path: Path
    deck: DeckTable
    faces: Mapping[str, FaceTable]
    probes: Mapping[str, ProbeTable]
    sources: Mapping[str, Any]
    glyphs: Mapping[str, Glyph]
    hookup: Hookup | None
    light: LightTable | None
    log: Any
    messages: "MessagesFile | None" = None

    @property
    def panels(self) -> list[str]:
        """The names of the panels that have faces, in the order of the hookup; that of the only one is ""."""
        wanted = {self._panel_of(face) for face in self.faces.values()}
        if self.hookup is None or wanted == {""}:
            return sorted(wanted)
        return [name for name in self.hookup.panels if name in wanted]

    def _panel_of(self, face: FaceTable) -> str:
        return face.panel or "" if self.hookup is None or len(self.hookup.panels) > 1 else ""

    def of_size(self, size: str) -> "FaceFile":
        """The same for a simulated panel of another size."""
        return replace(self, deck=self.deck.model_copy(update={"size": Geometry(size).size}))

    def refreshed(self, every_s: float) -> "FaceFile":
        """The same, with panels that are refreshed at another pace."""
        return replace(self, deck=self.deck.model_copy(update={"refresh_every_s": every_s}))

    def decks(self, panels: Mapping[str, Sequence[Panel]]) -> dict[str, Deck]:
        """New faces for panels, by name; several of one name show the same. The panels are given their glyphs.

        Raises FaceError for what cannot be, and for what does not fit.
        """
        for panel in [panel for own in panels.values() for panel in own]:
            for character, glyph in self.glyphs.items():
                with self.placing("[glyphs]"):
                    panel.glyphs[character] = glyph
        faces: dict[str, list[Face]] = {}
        for name, table in self.faces.items():
            place = self._panel_of(table)
            with self.placing(f"[faces.{name}]"):
                faces.setdefault(place, []).append(face_of(name, table, panels[place][0].size))
        farewell = "" if self.deck.leave == "cleared" else None
        if self.deck.farewell is not None:
            farewell = self.deck.farewell
        decks = {}
        if self.light is not None:
            with self.placing("[light]"):
                for place, own in panels.items():
                    for panel in own:
                        self.light.of(place).check(panel)
        for place, there in faces.items():
            with self.placing("[faces]"):
                decks[place] = Deck(there, self.deck.page_s, farewell)
            for face in there:
                with self.placing(f"[faces.{face.name}]"):
                    face.bind(list(self.probes))
                    for panel in panels[place]:
                        face.check(panel)
        return decks

    def attach(self, twin: bool = False, capture: "Capture | None" = None) -> dict[str, Panel]:
        """The panels that have faces, by name, real or simulated; without a hookup only the latter.

        capture: records the wires.
        Raises FaceError without a hookup, and what `lumek.attach` raises.
        """
        if self.hookup is None:
            if not twin:
                raise FaceError(
                    f"{self.path} does not say how the panel is wired: add [panel] and [hookup], or [deck] hookup = "
                    "'FILE', give --hookup FILE, or simulate it (--twin)"
                )
            coloured = self.light is not None
            return {name: lumek.simulate(self.deck.size, self.deck.rom, coloured=coloured, capture=capture)
                    for name in self.panels}  # fmt: skip
        names = [name or next(iter(self.hookup.panels)) for name in self.panels]
        return dict(zip(self.panels, attached(self.hookup, twin, names, capture).values(), strict=True))

    def log_file(self, path: Path | None = None, every_s: float | None = None) -> Log | None:
        """The log that the file asks for; None when it asks for none and no path is given.

        path, every_s: instead of those of the file.
        Raises what `Log` raises.
        """
        settings = self.log.model_dump(exclude={"file"}) | ({} if every_s is None else {"every_s": every_s})
        if path is None and self.log.file is not None:
            path = self.path.parent / self.log.file
        with self.placing("[log]"):
            return None if path is None else Log(path, **settings)

    @contextmanager
    def show(
        self,
        panels: Mapping[str, Sequence[Panel]],
        *,
        clock: TimeSource = HOST_CLOCK,
        speed: float = 1.0,
        log: Log | None = None,
        threads: bool = True,
        report: Callable[[str], object] = notice,
        verbose: bool = False,
        desk: OpenDesk | None = None,
        began: float | None = None,
    ) -> Iterator[Show]:
        """The show of this file on panels, by name; several of one name show the same.

        speed: how much faster recordings are played back.
        log: to which every reading is appended.
        threads: False for a clock that is moved by hand; see `Poller`.
        report: called with each line about a probe that fails; `verbose` brings more of them, see `Troubles`.
        desk: with the messages; default: one of its own, as the file says.
        began: see `Show`.
        After the block the panels are left as the file says, and probes are closed.
        Raises FaceError for what cannot be, and what a source raises that cannot be opened.
        """
        decks = self.decks(panels)
        self._keep_right([panel for own in panels.values() for panel in own])
        with ExitStack() as opened, Poller([], self.deck.poll_s, each=log, clock=clock, threads=threads) as poller:
            if desk is None and self.messages is not None:
                desk = opened.enter_context(self.messages.opened(list(panels), clock))
            sources = {}
            for name in {table.source for table in self.probes.values() if table.source is not None}:
                sources[name] = self.opened(name, speed, clock)
                opened.callback(sources[name].close)
            for name in self.in_order():
                with self.placing(f"[probes.{name}]"):
                    probe = probe_of(name, self.probes[name], sources, poller, clock)
                poller.add(probe, self.probes[name].every_s)
            with self.placing("[light]"):
                lights = {name: None if self.light is None else self.light.of(name) for name in decks}
                inboxes = {} if desk is None else desk.desk.inboxes
                stands = [
                    Stand(name, deck, panels[name], lights[name], inboxes.get(name)) for name, deck in decks.items()
                ]
                show = Show(
                    stands, poller, refresh_hz=self.deck.refresh_hz, start_s=self.deck.start_s, zone=self.deck.zone,
                    clock=clock, troubles=Troubles(verbose), report=report, began=began,
                )  # fmt: skip
            show.over = lambda: (
                any(source.ended for source in sources.values() if isinstance(source, InputText))
                or (desk is not None and desk.over)
            )
            if desk is not None:
                show.after["reporting on messages"] = lambda now: desk.tell(now.seconds)
                if (broker := desk.broker) is not None:
                    show.after["publishing to the broker"] = lambda now: broker.tell(
                        [stand.seen() for stand in stands], poller.readings(), now
                    )
            with show:
                yield show

    def _keep_right(self, panels: Sequence[Panel]) -> None:
        """Let panels be refreshed and verified as the deck says, where their hookup does not say it."""
        for panel in panels:
            panel.tend(0.0)  # by the show, and not by a thread
            if panel.refresh_every_s is None and self.deck.refresh_every_s:
                panel.refresh_every_s = self.deck.refresh_every_s
            if panel.verify_every_s is None and self.deck.verify_every_s:
                with self.placing("[deck] verify_every_s:"):
                    panel.verify_every_s = self.deck.verify_every_s

    def opened(self, name: str, speed: float = 1.0, clock: TimeSource = HOST_CLOCK) -> Any:
        """A source, opened. Raises FaceError, and PackageError and PortError, which may heal."""
        with self.placing(f"[sources.{name}]"):
            return open_source(self.sources[name], self.path.parent, speed, clock)

    def in_order(self) -> list[str]:
        """The names of the probes, what is computed after what it is computed from."""
        needs = {name: Expression(table.formula).names if table.formula is not None else ()
                 for name, table in self.probes.items()}  # fmt: skip
        try:
            return list(TopologicalSorter(needs).static_order())
        except CycleError as problem:
            circle = list(reversed(problem.args[1]))
            raise FaceError(
                f"{self.path}: [probes.{circle[0]}] formula goes in a circle: {' of '.join(circle)}"
            ) from None

    @contextmanager
    def placing(self, place: str) -> Iterator[None]:
        """Say in which file and table an error is. What may heal by itself keeps its kind."""
        try:
            yield
        except LumekError as problem:
            if str(problem).startswith(str(self.path)):
                raise
            said = str(problem)
            if place.startswith("[faces."):
                said = said.removeprefix(f"face {place[7:-1]!r}: ")
            kind = next((kind for kind in (PackageError, PortError) if isinstance(problem, kind)), FaceError)
            raise kind(f"{self.path}: {place} {said}") from None


def face_of(name: str, table: FaceTable, size: str) -> Face:
    """The face of a table, for a panel of a size. Raises FaceError."""
    face = Face(size, name, seconds=table.seconds, only=table.only, alarm=table.alarm, start=table.start)
    for number, one in enumerate(table.fields):
        try:
            field = one.makes(**one.settings())
            face[one.place] = field.blinking() if one.blink else field
        except LumekError as problem:
            said = str(problem).removeprefix(f"face {quoted(name)}: ")
            raise FaceError(f"fields.{number}: {said}") from None
    if table.text:
        face.label(table.text)
    return face
