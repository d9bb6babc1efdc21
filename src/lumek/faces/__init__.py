"""Faces: fields laid out on a panel, decks of faces that take turns, their file, and the loop that runs them.

    face = Face("16x2")
    face[0] = Number("weight", unit=" kg")
    face[1] = Bar("weight", low=30, high=50)
    run(simulate("16x2"), face, [SimulatedProbe("weight", 41.4, swing=5, period_s=60)])

`lumek.faces.file.read` reads the same from a file.
"""

from collections.abc import Iterable

from lumek._harmless import quoted
from lumek.errors import FaceError
from lumek.expressions.evaluate import Expression
from lumek.faces.deck import Deck
from lumek.faces.face import Face
from lumek.faces.light_plan import LightPlan, LightRule
from lumek.faces.loop import Show
from lumek.faces.stand import Stand
from lumek.panel import Panel
from lumek.readings.poller import Poller
from lumek.readings.probe import Polled

__all__ = ["Deck", "Expression", "Face", "LightPlan", "LightRule", "Show", "Stand", "run"]


def run(
    panel: Panel,
    faces: "Deck | Face",
    probes: Iterable[Polled] = (),
    seconds: float | None = None,
    *,
    every_s: float = 0.5,
    refresh_hz: float = 5.0,
    zone: str | None = None,
) -> None:
    """Show a face, or a deck of them, until the program is stopped or the time is over.

    panel: the panel, real or simulated.
    faces: what is shown.
    probes: polled every_s seconds, and closed at the end.
    seconds: how long it runs; None until the program is stopped.
    refresh_hz and zone: as those of `Show`, which is for several panels.
    Raises FaceError for faces that name other probes or do not fit the panel. When it ends, by Ctrl-C too, the panel is
    left as the deck says.
    """
    if not isinstance(panel, Panel):
        raise FaceError(f"run takes a panel first, such as lumek.simulate('16x2'), not {quoted(panel)}")
    if not isinstance(faces, (Deck, Face)):
        raise FaceError(f"run takes a Face, or a Deck of faces, after the panel, not {quoted(faces)}")
    deck = faces if isinstance(faces, Deck) else Deck([faces])
    with (
        Poller(probes, every_s) as poller,
        Show([Stand("", deck, [panel])], poller, refresh_hz=refresh_hz, zone=zone) as show,
    ):
        show.run(seconds)
