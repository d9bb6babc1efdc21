"""lumek fleet watch: the panels on a broker, drawn as simulated ones."""

from collections.abc import Sequence
from itertools import islice
from time import monotonic, sleep
from typing import Any

import click
from rich.console import Console, Group, RenderableType
from rich.text import Text

import lumek
from lumek import Glyph, Panel
from lumek.cli.ending import ending
from lumek.cli.fleet_options import broker_options, fleet_on
from lumek.cli.options import seconds_of
from lumek.cli.output import say, tell
from lumek.errors import LumekError
from lumek.messages.fleet import Fleet
from lumek.messages.reports import PanelState
from lumek.views.changing import ChangingView
from lumek.views.terminal import terminal_views

PACE_S = 0.2
"""From one drawing to the next."""

MOST_DRAWN = 200
"""Panels that are drawn; a name or a pattern chooses others."""


@click.command(name="watch")
@click.argument("names", nargs=-1, metavar="[NAME]...")
@broker_options
@click.option("--for", "seconds", type=seconds_of, metavar="TIME", help="End after 30s, 5min or 2h.")
def command(names: tuple[str, ...], settings: dict[str, Any], seconds: float | None) -> None:
    """Watch what panels show, until Ctrl-C. NAME is a name or a pattern; default: all panels.

    The panels are drawn in the terminal. When the output is piped, each change is a line.
    """
    watch(settings, names or ("*",), seconds)


class Double:
    """A simulated panel that shows what a panel of the fleet does."""

    def __init__(self, state: PanelState, online: bool) -> None:
        self._state: PanelState | None = None
        self._online = online
        self.panel = _simulated(state)
        self.follow(state, online)

    def follow(self, state: PanelState, online: bool) -> None:
        """Show what it does now; without light, what it did last before it went away."""
        if state is self._state and online == self._online:
            return
        self._online = online
        before, self._state = self._state, state
        if before is not None and (before.size, _is_coloured(before)) != (state.size, _is_coloured(state)):
            self.panel = _simulated(state)
        drawn = {cell: bytes.fromhex(rows) for rows, cells in state.drawings.items() for cell in cells}
        with self.panel.together():
            for row, text in enumerate(state.rows[: self.panel.shape[0]]):
                self.panel[row] = text.replace("\ufffc", " ")
            for (row, column), rows in drawn.items():
                self.panel[row, column] = Glyph.from_rows(list(rows))
            light = state.light if online else False
            if light is not None:
                self.panel.backlight = light


def _is_coloured(state: PanelState) -> bool:
    """Whether its backlight is more than a switch."""
    return not isinstance(state.light, (bool, type(None)))


def _simulated(state: PanelState) -> Panel:
    try:
        return lumek.simulate(state.size, state.rom, coloured=_is_coloured(state))
    except LumekError:  # a ROM of its own
        return lumek.simulate(state.size, coloured=_is_coloured(state))


class View:
    """What is seen of a fleet."""

    def __init__(self, fleet: Fleet, patterns: Sequence[str], console: Console) -> None:
        self._fleet, self._patterns, self._console = fleet, patterns, console
        self._doubles: dict[str, Double] = {}

    def render(self, seconds: float) -> RenderableType:
        """All panels, as they are now."""
        fleet = self._fleet
        states = fleet.states(self._patterns)
        panels, titles = [], []
        for name, state in islice(states.items(), MOST_DRAWN):
            try:
                online = fleet.is_online(name)
                if name in self._doubles:
                    self._doubles[name].follow(state, online)
                else:
                    self._doubles[name] = Double(state, online)
            except (LumekError, ValueError):  # a payload that no panel of ours can have sent
                continue
            panels.append(self._doubles[name].panel)
            titles.append(f"{name}: {self._what(name, state)}")
        if not panels:
            return Text(fleet.trouble or f"no panel on this broker matches {' '.join(self._patterns)}")
        views = terminal_views(panels, self._console, seconds=seconds, spare=1, titles=titles)
        there = sum(fleet.is_online(name) for name in states)
        line = f"{len(states)} panel{'s' if len(states) > 1 else ''}, {there} online"
        return Group(views, Text(f"{line}; {fleet.trouble}" if fleet.trouble else line, "dim"))

    def _what(self, name: str, state: PanelState) -> str:
        if not self._fleet.is_online(name):
            return "offline"
        if not state.answers:
            return "no answer"
        return "message" if state.message is not None else state.face or "no face"


def watch(settings: dict[str, Any], patterns: Sequence[str], seconds: float | None) -> None:
    """Show what panels show, until a signal comes or the time is over."""
    console = Console()
    ended: list[bool] = []
    with ending() as signals, fleet_on(settings) as fleet:
        signals.stop = lambda: ended.append(True)
        begin = monotonic()
        view = View(fleet, patterns, console)
        live = ChangingView(console=console) if console.is_terminal else None
        told: dict[str, str] = {}
        if live is not None:
            live.start()
        try:
            while not ended and (seconds is None or monotonic() - begin < seconds):
                if live is not None:
                    live.update(view.render(monotonic() - begin), refresh=True)
                else:
                    _tell_changes(fleet, patterns, told)
                sleep(PACE_S)
        finally:
            if live is not None:
                live.stop()
        if fleet.trouble:
            tell(fleet.trouble)


def _tell_changes(fleet: Fleet, patterns: Sequence[str], told: dict[str, str]) -> None:
    """A line for each panel that shows something else than before."""
    for name, state in fleet.states(patterns).items():
        rows = " | ".join(row.replace("\ufffc", "▪").strip() for row in state.rows)
        line = f"{name}: {rows}" if fleet.is_online(name) else f"{name}: offline"
        if told.get(name) != line:
            told[name] = line
            say(line)
