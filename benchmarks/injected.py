"""Errors and interrupts at every call of a port, and what is written and read next: python benchmarks/injected.py.

On each wiring a few assignments are done again and again. Each time one call of the port, another one each time, raises
before it has done anything, after half of it, or after all of it. What the next assignment shows must be right, and so
must be what `read_back` says right after the error. The program ends with 1 when one is not.
With a number as its argument, 11 for example, it tries every eleventh call only.
"""

import contextlib
import os
import random
import sys
import time
from collections import Counter
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from typing import Any, NamedTuple

import disturbed

from lumek import Glyph, Panel
from lumek.errors import LumekError, NoAnswerError

CALLS = ("write", "read", "drive", "sense", "send", "wait_us")
MOMENTS = "before", "half", "after"
KINDS: tuple[type[BaseException], ...] = NoAnswerError, OSError, KeyboardInterrupt


class Case(NamedTuple):
    """What came of one case. wrong: what differs, empty when nothing does."""

    wiring: str
    place: int
    moment: str
    kind: str
    wrong: str


class Broken:
    """The port of a panel, whose call number `place` raises once."""

    def __init__(self, port: Any, place: int, moment: str, kind: type[BaseException]) -> None:
        self.port, self.left, self.moment, self.kind = port, place, moment, kind
        self.raised = False
        self.real = {name: getattr(port, name) for name in CALLS if hasattr(port, name)}
        for name in self.real:
            setattr(port, name, lambda *of, name=name: self._call(name, *of))

    def _call(self, name: str, *of: Any) -> Any:
        self.left -= 1
        if self.left != -1:
            return self.real[name](*of)
        self.raised = True
        if self.moment == "after":
            self.real[name](*of)
        elif self.moment == "half" and name in ("write", "send") and len(of[-1]) > 1:
            self.real[name](*of[:-1], of[-1][: len(of[-1]) // 2])
        raise self.kind("injected")

    def mend(self) -> None:
        """Let all calls be as they were."""
        for name, call in self.real.items():
            setattr(self.port, name, call)


def cases(wiring: str, every: int = 1, first: int = 0) -> Iterator[Case]:
    """The cases of a wiring: of all calls each `every`-th, from `first` on."""
    place = first
    while True:
        moment, kind = MOMENTS[place // every % 3], KINDS[place // every // 3 % 3]
        case = run(wiring, place, moment, kind)
        if case is None:
            return
        yield case
        place += every


def run(wiring: str, place: int, moment: str, kind: type[BaseException]) -> Case | None:
    """One case; None when there are fewer calls."""
    twin, link = disturbed.wired(random.Random(wiring), wiring, "16x2", [])
    panel = Panel("16x2", link, twin=twin, retries=0)
    panel[:] = "stands ž\nsince ж before"
    broken = Broken(twin.port, place, moment, kind)
    with contextlib.suppress(LumekError, OSError, KeyboardInterrupt):
        panel[:] = "a\nb λž"
        panel.glyphs["ž"] = Glyph([21] * 8)
        panel.slide(-1)
        panel.slide(1)
        if link.can_read:
            panel.read_back()
    broken.mend()
    if not broken.raised:
        return None
    wrong = ""
    if link.can_read and place % 2:
        if panel.read_back() != panel.rows:
            wrong = f"read back {panel.read_back()}, not {panel.rows}"
    else:
        panel[0, 5] = "!"
    other, other_link = disturbed.wired(random.Random(1), "direct 4", "16x2", [])
    undisturbed = Panel("16x2", other_link, twin=other)
    for character in panel.glyphs:
        undisturbed.glyphs[character] = panel.glyphs[character]
    undisturbed.slide(panel._cells.shift)
    undisturbed[:] = panel.rows
    if not wrong and twin.dots().tobytes() != other.dots().tobytes():
        wrong = f"shows {twin.rows}, not {other.rows}"
    return Case(wiring, place, moment, kind.__name__, wrong)


def of_wiring(wiring: str) -> list[Case]:
    """The cases of a wiring: all, or as many as the argument says."""
    return list(cases(wiring, int(sys.argv[1]) if len(sys.argv) > 1 else 1))


def main() -> int:
    """Run all cases, on all processors."""
    began = time.perf_counter()
    with ProcessPoolExecutor(os.cpu_count(), initializer=disturbed.silence) as pool:
        found = [case for some in pool.map(of_wiring, disturbed.WIRINGS) for case in some]
    wrong = [case for case in found if case.wrong]
    print(f"{len(found)} calls that raise, in {time.perf_counter() - began:.0f} s: {len(wrong)} were wrong afterwards")
    print(dict(Counter(case.wiring for case in found)))
    for case in wrong[:20]:
        print(f"  {case}")
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())
