"""A view of which only what changes is written: an independent terminal, pyte, shows it as it is to be."""

from io import StringIO

import pyte
from hypothesis import given
from hypothesis import strategies as st
from rich.console import Console
from rich.text import Text

import lumek
from lumek.views.changing import ChangingView
from lumek.views.terminal import terminal_view

LINES = st.lists(st.text("ab ▀█蜂", max_size=12), min_size=1, max_size=5)


def console(width: int = 40, height: int = 12) -> tuple[Console, StringIO]:
    written = StringIO()
    made = Console(
        file=written, width=width, height=height, force_terminal=True, color_system="truecolor", legacy_windows=False
    )
    return made, written


def shown(written: StringIO, width: int = 40, height: int = 12) -> list[str]:
    screen = pyte.Screen(width, height)
    screen.set_mode(pyte.modes.LNM)
    pyte.Stream(screen).feed(written.getvalue())
    return [line.rstrip() for line in screen.display]


@given(st.lists(LINES, min_size=1, max_size=6), st.sets(st.integers(0, 5), max_size=1))
def test_a_terminal_shows_the_last_view_whatever_came_before(views: list[list[str]], notices: set[int]) -> None:
    screen, written = console(26, 24)
    with ChangingView(Text(""), console=screen) as view:
        for number, lines in enumerate(views):
            view.update(Text("\n".join(lines), style="green"), refresh=True)
            if number in notices:
                screen.print("a notice")
    wanted = [line.rstrip() for line in views[-1]]
    seen = [line.rstrip() for line in shown(written, 26, 24)]
    told = ["a notice"] * len([one for one in notices if one < len(views)])
    while wanted and not wanted[-1]:
        wanted.pop()
    assert seen[: len(told) + len(wanted)] == told + wanted
    assert not any(seen[len(told) + len(wanted) :])


def test_a_digit_that_changes_is_a_tenth_of_the_view() -> None:
    panel = lumek.simulate("20x4")
    panel[:] = "Hive 3\nWeight  41.40 kg\nBrood   34.8\nTraffic 120"
    screen, written = console(130, 40)
    with ChangingView(terminal_view(panel.twin, screen), console=screen) as view:
        sizes = [len(written.getvalue())]
        for digit in "123":
            panel[1, 12] = digit
            view.update(terminal_view(panel.twin, screen), refresh=True)
            sizes.append(len(written.getvalue()))
    assert sizes[3] - sizes[2] < sizes[0] / 10
