"""Text in motion, for lumek show: on a real panel, in the terminal, and as an animation."""

from collections.abc import Callable, Sequence
from contextlib import ExitStack
from pathlib import Path
from time import monotonic, sleep

from rich.console import Console, RenderableType

from lumek import Panel
from lumek.cli.ending import ending
from lumek.cli.options import writing
from lumek.cli.working import working
from lumek.motions import Gliding, Marching, Motion, Sliding, Typing
from lumek.views.animation import Animation
from lumek.views.changing import ChangingView
from lumek.views.terminal import terminal_view

MOTIONS: dict[str, Callable[[str], Motion]] = {
    "ticker": lambda text: Gliding(text, gap=3, pause=5),
    "typed": Typing,
    "march": Marching,
    "slide": Sliding,
}
"""Name -> the motion of a text. Those of one line are in every row by themselves."""

WHOLE = "typed", "slide"
"""Motions of the whole panel."""

ENDS_S = 1.0
"""How long the last frame of one that ends is seen in an animation."""


def move(
    panels: Sequence[Panel],
    seen: Panel,
    rows: Sequence[str],
    name: str,
    every_s: float,
    seconds: float | None,
    animate: Path | None,
    scheme: str,
) -> None:
    """Move text on panels, the last of which is simulated and seen, until it ends, or a signal comes.

    seconds: how long; default: until it ends. One without an end goes on until a signal comes; without a terminal,
        and for an animation, it is played once.
    """
    console = Console()
    high, wide = seen.shape
    motions: dict[int | None, Motion] = {None: MOTIONS[name]("\n".join(rows))}
    if name not in WHOLE:
        motions = {row: MOTIONS[name](line) for row, line in enumerate(rows) if line.strip()}
    watched = console.is_terminal or len(panels) > 1
    counts = [motion.count(high if row is None else 1, wide) for row, motion in motions.items()]
    count = max([one for one in counts if one is not None], default=1) if None not in counts else None
    if count is None and (animate is not None or not watched):
        count = max(motion.period(1, wide) for motion in motions.values())
    if seconds is not None:
        count = min(max(1, round(seconds / every_s)), count or max(1, round(seconds / every_s)))
    animation = None if animate is None else Animation([seen.twin], scheme)

    def view() -> RenderableType:
        return terminal_view(seen.twin, console, scheme, seen.rows)

    stopped: list[bool] = []
    with ending() as signals, ExitStack() as stack:
        signals.stop = lambda: stopped.append(True)
        live = stack.enter_context(ChangingView(view(), console=console)) if console.is_terminal else None
        work = stack.enter_context(working("moving the text", live is None))
        plays = [[panel.play(motion, row, every_s=None) for row, motion in motions.items()] for panel in panels]
        step, due = 0, monotonic()
        while not stopped and (count is None or step < count):
            for panel, own in zip(panels, plays, strict=True):
                with panel.together():
                    for play in own:
                        play.advance()
            if animation is not None:
                animation.take(step * every_s)
            if live is not None:
                live.update(view(), refresh=True)
            if count is not None:
                work.at(step / count)
            step += 1
            due = max(due + every_s, monotonic())
            if watched and not stopped and (count is None or step < count):
                sleep(max(0.0, due - monotonic()))
    if live is None:
        console.print(view())
    if animation is not None and animate is not None:
        animation.take(step * every_s + ENDS_S)
        with working("writing the animation") as work, writing(animate) as beside:
            animation.save(beside, work.at)
