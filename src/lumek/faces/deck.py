"""A deck: faces that take turns on a panel."""

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence

from lumek._harmless import quoted
from lumek.core.text import lines_of
from lumek.errors import FaceError
from lumek.faces.face import Face
from lumek.faces.turns import Turns
from lumek.panel import Panel
from lumek.readings.reading import Reading
from lumek.readings.settings import duration


class Deck:
    """Faces of one panel that take turns: those whose condition holds, each for its time.

    A face with `alarm` takes the place of all others while that holds; several of them take turns. A face with `start`
    is shown first, until the first readings are in.

    faces: of one size, with different names.
    page_s: seconds that each face is shown, unless it has its own.
    farewell: text that the panel is left with at the end; "" for a blank panel, None to leave it as it is.
    Raises FaceError for faces that do not go together, CharacterError for a control character in the farewell.
    """

    def __init__(self, faces: Sequence[Face], page_s: float = 4.0, farewell: str | None = None) -> None:
        self.faces = list(faces)
        self.page_s = duration(page_s, "page_s")
        self.farewell = farewell
        lines_of(farewell or "")  # complains now of what no panel could be left with
        if not self.faces:
            raise FaceError("a deck needs one face at least")
        name, times = Counter(face.name for face in self.faces).most_common(1)[0]
        if times > 1:
            raise FaceError(f"a deck has one face of each name, not several {quoted(name)}")
        if len({face.size for face in self.faces}) > 1:
            raise FaceError(f"the faces of a deck are of one size, not {', '.join(face.size for face in self.faces)}")
        if all(face.alarm or face.start for face in self.faces):
            raise FaceError("a deck needs a face besides those for alarms and for the start")
        self._turns = Turns(self.faces, self.page_s)

    def __iter__(self) -> Iterator[Face]:
        return iter(self.faces)

    def check(self, panel: Panel) -> None:
        """Raise FaceError when a face does not fit the panel."""
        for face in self.faces:
            face.check(panel)

    def bind(self, names: list[str]) -> None:
        """Say which probes there are. Raises FaceError for a field or condition that names another one."""
        for face in self.faces:
            face.bind(names)

    def skip_start(self) -> None:
        """Leave out the faces that are for the start."""
        self._turns.skip_start()

    @property
    def held(self) -> bool:
        """Whether the face that is shown stays; an alarm takes its place all the same."""
        return self._turns.held

    @held.setter
    def held(self, held: bool) -> None:
        self._turns.held = held

    @property
    def choices(self) -> list[str]:
        """The names of the faces that can be chosen: those that take turns."""
        return [face.name for face in self.faces if not face.alarm and not face.start]

    def choose(self, name: str, seconds: float) -> None:
        """Show a face now, whatever its condition, for its time.

        seconds: now, as those of `turn`.
        Raises FaceError for a name that none of the faces has that take turns.
        """
        if name not in self.choices:
            there = ", ".join(map(quoted, self.choices))
            raise FaceError(f"face {quoted(name)} cannot be chosen; faces: {there}")
        self._turns.choose(next(face for face in self.faces if face.name == name), seconds)

    def step(self, seconds: float, back: bool = False) -> None:
        """Show the next face now, or the one before."""
        self._turns.choose(self._turns.before() if back else None, seconds)

    def turn(self, seconds: float, readings: Mapping[str, Reading], ready: bool) -> Face | None:
        """The face that is to be seen at a time; None when the condition of none holds.

        seconds: they never go back.
        ready: whether the first readings are in.
        """
        face: Face | None = self._turns.turn(seconds, ready, lambda one, what: one.holds(getattr(one, what), readings))
        return face
