"""Refreshing and verifying a panel in parts, when they are due: by a thread, or by whoever calls `Panel.tend`."""

import time

from lumek._driver import FAILURES
from lumek._notice import notice
from lumek.core.repaint import ROUND, SHIFT, SYNCHRONISE, members, round_parts
from lumek.errors import ClosedError

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable
    from typing import Any

    from lumek._driver import Driver
    from lumek._upkeep import Upkeep

AWAY_S = 1.0
"""How long a panel that does not answer is left alone."""


class Round:
    """Parts that come round: which of them are due.

    every_s: the period; see `lumek.core.repaint`.
    act: does a part: (number of the controller, place).
    """

    def __init__(self, every_s: float, of: "list[tuple[int, int]]", act: "Callable[[int, int], None]") -> None:
        self.pace_s = every_s * ROUND / len(of)
        self._parts = of
        self._act = act
        self._next = 0
        self._due: float | None = None

    def run(self, now: float) -> None:
        """Do what is due at this time, a whole round at most."""
        if self._due is None or not -len(self._parts) * self.pace_s < now - self._due:
            self._due = now  # it begins, or the clock went back
        for _ in self._parts:
            if now < self._due:
                return
            part, self._next = self._parts[self._next], (self._next + 1) % len(self._parts)
            self._due += self.pace_s
            self._act(*part)
        self._due = max(self._due, now)


class Tending:
    """What is done for a panel as time goes by."""

    def __init__(self, panel: "Upkeep") -> None:
        self.refresh_every_s: float | None = None
        self.verify_every_s: float | None = None
        self._panel = _weak(panel)
        self._rounds: dict[str, Round] = {}
        self._wake: Any = None
        self._by_hand = False

    def every(self, what: str, seconds: float | None) -> None:
        """Do one kind of work at another pace; None for not at all."""
        panel = self._panel()
        setattr(self, what, seconds)
        self._rounds.pop(what, None)
        if seconds is not None and panel is not None:
            driver = panel._driver
            do = ACTS[what]
            self._rounds[what] = Round(seconds, round_parts(len(driver.timings)), lambda *part: do(driver, *part))
        if self._wake is not None:
            self._wake.set()
        if self._rounds and self._wake is None and not self._by_hand:
            self._start()

    def by_hand(self, seconds: float | None) -> None:
        """Do what is due, for a program that calls again and again."""
        if seconds is not None:
            self._by_hand = True
            if self._wake is not None:
                self._wake.set()
        panel = self._panel()
        if panel is not None and self._rounds:
            self._do(panel, _now_s() if seconds is None else seconds)

    def _do(self, panel: "Upkeep", now: float) -> None:
        with panel._lock:
            panel._check_open()
            # What failed comes back with all of it; within a block of assignments when that ends.
            if panel._driver.shown is not None or not panel._blocks:
                panel._once_started(lambda: self._run_rounds(now))

    def _run_rounds(self, now: float) -> None:
        for one in list(self._rounds.values()):
            one.run(now)

    def _start(self) -> None:
        """Let a thread do it, where there are threads."""
        try:
            from threading import Event, Thread
        except ImportError:  # MicroPython
            return
        self._wake = Event()
        Thread(target=_keep_tending, args=(self._panel, self._wake), name="lumek-tend", daemon=True).start()


def _keep_tending(panel_of: "Callable[[], Upkeep | None]", wake: "Any") -> None:
    """What the thread does, as long as there is the panel, and something to do for it."""
    told = False
    while True:
        panel = panel_of()
        tending = panel._tending if panel is not None else None
        if panel is None or tending is None or tending._by_hand or tending._wake is not wake:
            return
        with panel._lock:
            if not tending._rounds:
                tending._wake = None  # a later setting starts another
                return
            pause_s = min([one.pace_s for one in tending._rounds.values()])
        try:
            tending._do(panel, _now_s())
        except ClosedError:
            return
        except FAILURES:  # counted in the panel's health, and raised where the program writes
            pause_s = AWAY_S
        except Exception as problem:
            if not told:
                notice(f"a panel could not be refreshed, and is tried again: {problem}")
            told, pause_s = True, AWAY_S
        del panel, tending
        wake.wait(pause_s)
        wake.clear()


def _refresh(driver: "Driver", number: int, place: int) -> None:
    """Send a part again."""
    if place in (SYNCHRONISE, SHIFT):
        driver.synchronise(place == SHIFT)
    elif driver.shown is not None:
        driver.write_again(number, *members(place, driver.shown[number]))


def _verify(driver: "Driver", number: int, place: int) -> None:
    """Read a part, and repair it."""
    from lumek._read_back import compared, counters

    if place in (SYNCHRONISE, SHIFT):
        counters(driver)
        driver.synchronise(place == SHIFT)
    elif driver.shown is not None:
        compared(driver, number, *members(place, driver.shown[number]))


ACTS = {"refresh_every_s": _refresh, "verify_every_s": _verify}
"""Setting of a panel: what is done with each part."""


def _now_s() -> float:
    """Seconds by the host's clock. That of MicroPython goes back every twelve days, and a new round then begins."""
    if hasattr(time, "monotonic"):
        return time.monotonic()
    ticks: int = getattr(time, "ticks_ms")()  # noqa: B009  MicroPython
    return ticks / 1000


def _weak(panel: "Upkeep") -> "Callable[[], Upkeep | None]":
    """The panel, as long as somebody else has it; where Python cannot say so, always."""
    try:
        from weakref import ref
    except ImportError:  # MicroPython
        return lambda: panel
    return ref(panel)
