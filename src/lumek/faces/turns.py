"""Which face is to be seen, and in which light: the rules by which faces take turns, for a deck and for a board."""

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Sequence
    from typing import Any

    from lumek.fields.field import Moment


class Turns:
    """Faces that take turns: those whose condition holds, each for its time.

    faces: objects with `seconds` (None for page_s), `only`, `alarm` and `start`.
    page_s: seconds that each face is shown, unless it has its own.
    held: whether the face that is shown stays; an alarm takes its place all the same.
    """

    def __init__(self, faces: "Sequence[Any]", page_s: float) -> None:
        self.faces = list(faces)
        self.page_s = page_s
        self._now: Any = None
        self._since: float | None = 0.0
        self._began: float | None = None
        self._starts = [face for face in self.faces if face.start]
        self._interrupted: Any = None
        self._chosen: Any = None
        self._among = self.faces
        self.held = False

    def skip_start(self) -> None:
        """Leave out the faces that are for the start."""
        self._starts = []

    def choose(self, face: "Any", seconds: float) -> None:
        """Show a face now, whatever its condition, for its time; None for the one that comes next."""
        self.skip_start()
        self._chosen = face
        self._now, self._since = (self._now, None) if face is None else (face, seconds)

    def before(self) -> "Any":
        """The face that comes before the one that is seen, of those that took turns last; None for none."""
        among = self._among
        place = among.index(self._now) if self._now in among else 0
        return among[place - 1] if among else None

    def turn(self, seconds: float, ready: bool, holds: "Callable[[Any, str], bool]") -> "Any":
        """The face that is to be seen at a time; None when the condition of none holds.

        seconds: they never go back.
        ready: whether the first readings are in.
        holds: whether a condition of a face, "only" or "alarm", is known to be true.
        """
        self._began = seconds if self._began is None else self._began
        if ready and seconds - self._began >= sum([face.seconds or 0 for face in self._starts]):
            self._starts = []
        turns = self._among = self._starts or self._taking_turns(holds)
        now = self._now
        if now is None or now not in turns or self._is_over(now, seconds):
            if now is not None and now.alarm and not (turns and turns[0].alarm):
                now = self._interrupted
            self._interrupted = self._interrupted if now is not None and now.alarm else now
            if self._chosen is not None:
                self._chosen = None
                turns = self._taking_turns(holds)
            self._now, self._since = self._after(now, turns), seconds
        return self._now

    def _is_over(self, now: "Any", seconds: float) -> bool:
        """Whether the face that is seen has had its time."""
        since = self._since
        return since is None or (not self.held and seconds - since >= (now.seconds or self.page_s))

    def _taking_turns(self, holds: "Callable[[Any, str], bool]") -> "list[Any]":
        """The faces among which one is to be seen after the start."""
        alarms = [face for face in self.faces if face.alarm and holds(face, "alarm")]
        if alarms:
            return alarms
        others = [face for face in self.faces if not face.alarm and not face.start]
        return [face for face in others if not face.only or face is self._chosen or holds(face, "only")]

    def _after(self, now: "Any", turns: "list[Any]") -> "Any":
        """The next of those that take turns, in the order of the deck, after the one that is seen."""
        if not turns:
            return None
        place = self.faces.index(now) if now is not None else -1
        count = len(self.faces)
        return min([((self.faces.index(face) - place - 1) % count, face) for face in turns], key=lambda one: one[0])[1]


def lit(usual: "Any", rules: "Sequence[tuple[Any, ...]]", now: "Moment", holds: "Callable[[Any], bool]") -> "Any":
    """What the backlight is to do: of the rules that hold the first, otherwise what is usual.

    rules: of each the backlight, the seconds of the day since and until which it holds, or None, its condition, or
        None, and the seconds of a flash, or None.
    holds: whether a condition is known to be true.
    """
    second = now.local[3] * 3600 + now.local[4] * 60 + now.local[5]
    for backlight, span, condition, flash_s in rules:
        if span is not None:
            since, until = span
            if not (since <= second < until if since <= until else second >= since or second < until):
                continue
        if condition is None or holds(condition):
            return False if flash_s is not None and now.seconds % flash_s >= flash_s / 2 else backlight
    return usual
