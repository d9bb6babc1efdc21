"""Motions that are played on a panel, by the clock."""

import time

from lumek._harmless import quoted
from lumek._notice import notice
from lumek.core.values import is_whole
from lumek.errors import ClosedError, PlaceError, PortError, SettingError
from lumek.motions import Motion, Sliding

TYPE_CHECKING = False
if TYPE_CHECKING:
    from typing import Any

    from lumek.panel import Panel

LEAVES = "last", "blank", "before"

SHORTEST_S, LONGEST_S = 0.001, 1_000_000
"""Seconds from step to step, and of a whole motion."""


class Play:
    """A motion that is played on a panel: `Panel.play` makes it. A `with` block stops it at its end.

    Where Python has threads it is played beside the program, which may write to other places meanwhile. Elsewhere it is
    played until it ends. An error of the port is reported once, and the next step tries again.
    """

    def __init__(
        self,
        panel: "Panel",
        motion: Motion,
        place: "tuple[int | None, int, int | None, int | None]",
        every_s: float | None,
        leaves: str,
        seconds: float | None,
    ) -> None:
        if not isinstance(motion, Motion):
            raise SettingError(f"what is played is a motion, such as Marching('🐝'), not {quoted(motion)}")
        for what, value in (("every_s", every_s), ("seconds", seconds)):
            if value is not None and not (isinstance(value, (int, float)) and SHORTEST_S <= value <= LONGEST_S):
                raise SettingError(f"{what} is {SHORTEST_S:g} to {LONGEST_S:g} seconds, not {quoted(value)}")
        if every_s is None and seconds is not None:
            raise SettingError("seconds needs every_s: without it, call advance() for as long as you like")
        if leaves not in LEAVES:
            raise SettingError(f"a motion leaves 'last', 'blank' or 'before', not {quoted(leaves)}")
        panel._check_open()
        self._panel, self._motion = panel, motion
        self._rows, self._columns = _place_on(panel, *place)
        self._every_s, self._leaves = every_s or 0.0, leaves
        self._count = motion.count(len(self._rows), len(self._columns))
        if seconds is not None:
            most = max(1, int(seconds / self._every_s + 0.5))
            self._count = most if self._count is None else min(self._count, most)
        self._before = panel._cells.contents_of(self._rows, self._columns)
        self._shifts = isinstance(motion, Sliding) and self._can_shift(motion)
        self._thread: Any = None
        self._wake: Any = None
        self._stopping = self._told = False
        self._error: Exception | None = None
        self.step = 0
        """The number of the next frame."""
        for other in panel._plays:
            other._make_room(self._rows, self._columns)
        panel._plays = [other for other in panel._plays if not other.ended] + [self]
        if every_s is not None:
            self._start()

    def __enter__(self) -> "Play":
        return self

    def __exit__(self, *exc: object) -> None:
        self.stop()

    @property
    def ended(self) -> bool:
        """Whether it shows no more frames."""
        return self._stopping or (self._count is not None and self.step >= self._count)

    def advance(self) -> bool:
        """Show the next frame, for a program that keeps the time itself. Returns False when there is none any more.

        Raises what the panel raises.
        """
        with self._panel.together():
            if self.ended:
                return False
            step, self.step = self.step, self.step + 1
            if self._shifts:
                self._shift_to(step)
            else:
                self._assign(self._motion.at(step))
        return True

    def _start(self) -> None:
        try:
            from threading import Event, Thread
        except ImportError:  # MicroPython
            if self._count is None:
                raise SettingError("this Python has no threads: give seconds, or show the frames yourself") from None
            while self.advance():
                time.sleep(self._every_s)
            self.stop()
            return
        self._wake = Event()
        self._thread = Thread(target=self._run, name="lumek-play", daemon=True)
        self._thread.start()

    def wait(self, seconds: float | None = None) -> bool:
        """Wait until it ends, for at most this many seconds. Returns whether it has ended.

        Raises what ended it, if that was an error; SettingError within `together`, where it cannot go on.
        """
        if self._thread is not None and not self._stopping:
            if self._panel._lock._is_owned():
                raise SettingError("a motion goes on when the together() block ends: wait for it after that")
            self._thread.join(seconds)
        if self._error is not None:
            error, self._error = self._error, None
            raise error
        return self._stopping

    def stop(self) -> None:
        """Stop it, and leave in its place what was asked for. Does nothing once it has ended.

        Raises what ended it, if that was an error, and what the panel raises.
        """
        try:
            with self._panel.together():
                self._leave()
        except ClosedError:
            self._stopping = True
        if self._wake is not None:
            self._wake.set()
        self.wait()

    def _make_room(self, rows: range, columns: range) -> None:
        """Stop it, as it is, when it is played in a part of this place."""
        for mine, other in ((self._rows, rows), (self._columns, columns)):
            if mine[-1] < other[0] or other[-1] < mine[0]:
                return
        if not self._stopping:
            self._leaves = "last"
            self.stop()

    def _run(self) -> None:
        """What the thread does: every frame when it is due, none twice, and none after `stop`."""
        due = time.monotonic()
        try:
            while self._next():
                due = max(due + self._every_s, time.monotonic())
                self._wake.wait(max(0.0, due - time.monotonic()))
            with self._panel.together():
                self._leave()
        except ClosedError:
            self._stopping = True
        except Exception as problem:
            self._error, self._stopping = problem, True
            notice(f"a motion ended: {problem}")

    def _next(self) -> bool:
        """Show the next frame, and go on after an error of the port."""
        try:
            return self.advance()
        except PortError as problem:
            if not self._told:
                notice(f"a motion goes on when the panel is back: {problem}")
            self._told = True
            return not self.ended

    def _leave(self) -> None:
        """Assign what it leaves, once."""
        if self._stopping:
            return
        self._stopping = True
        if self._leaves == "blank":
            self._assign("")
        elif self._leaves == "before":
            self._assign(self)

    def laid_out(self, rows: int, columns: int, leftward: bool = False) -> "Any":
        """What was in the place before."""
        return self._before

    def _assign(self, value: "Any") -> None:
        rows, columns = self._rows, self._columns
        self._panel[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1] = value

    def _can_shift(self, motion: Sliding) -> bool:
        """Whether the controller's shift does it. Raises SettingError when it does not, and must."""
        geometry = self._panel._geometry
        why = ""
        if (len(self._rows), len(self._columns)) != self._panel.shape:
            why = "the place is only a part of the panel"
        elif geometry.rows > geometry.lines:
            why = f"on {geometry.size} it would carry rows into others"
        elif geometry.ring < 2 * geometry.columns or "+" in geometry.size:
            why = f"on {geometry.size} the text would come in again on the other side"
        if why and motion.shift:
            raise SettingError(f"the controller's shift cannot slide this text: {why}; leave shift out to redraw it")
        return not why and motion.shift is not False

    def _shift_to(self, step: int) -> None:
        """One step by the controller's shift: the text is beside the glass, or leaves it."""
        panel, motion = self._panel, self._motion
        columns = len(self._columns)
        assert isinstance(motion, Sliding)
        away = motion.away(step, columns)
        with panel.together():
            if step == 0 or (motion.out and step == columns):
                panel.clear()
            if step == 0:
                panel[:] = motion.text
                panel.slide(away)
            elif not (motion.out and step == columns):
                panel.slide(away - motion.away(step - 1, columns))


def _place_on(
    panel: "Panel", row: int | None, column: int, width: int | None, height: int | None
) -> "tuple[range, range]":
    """The rows and columns of a place. Raises PlaceError."""
    geometry = panel._geometry
    top, left = 0 if row is None else geometry.row(row), geometry.column(column)
    high = (geometry.rows - top if row is None else 1) if height is None else height
    wide = geometry.columns - left if width is None else width
    for what, count, most in (("height", high, geometry.rows - top), ("width", wide, geometry.columns - left)):
        if not is_whole(count) or not 1 <= count <= most:
            raise PlaceError(f"the {what} of this place is 1 to {most}, not {quoted(count)}")
    return range(top, top + high), range(left, left + wide)
