"""Threads that must not end: one that does, by an error of somebody's code, is reported and goes on."""

import threading
from collections.abc import Callable

from lumek._notice import notice
from lumek.readings.reading import one_line

AGAIN_S = 1.0


def guarded_thread(
    name: str, work: Callable[[], None], ended: threading.Event, report: Callable[[str], object] = lambda why: None
) -> threading.Thread:
    """A thread that does some work, and does it again when an error ends it. It is not started yet.

    name: of the thread, for people.
    work: returns when nothing is left to do.
    ended: set when it is to end.
    report: called with what ended the work, each time; a notice says so the first time.
    """

    def run() -> None:
        noticed = False
        while True:
            try:
                work()
                return
            except (Exception, SystemExit) as problem:
                report(one_line(problem))
                if not noticed:
                    notice(f"{name} was ended by an error, and is started again: {one_line(problem)}")
                noticed = True
            if ended.wait(AGAIN_S):
                return

    return threading.Thread(target=run, daemon=True, name=name)
