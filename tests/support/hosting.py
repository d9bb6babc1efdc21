"""A host on simulated panels that are drawn all the time, and that takes messages."""

from collections.abc import Iterator, Sequence
from contextlib import ExitStack, contextmanager

from lumek import simulate
from lumek.faces import Deck, Face, Show, Stand
from lumek.messages import Desk, Record
from lumek.messages.ways.way import WayIn
from lumek.readings import Poller


@contextmanager
def host(
    *ways: WayIn, panels: Sequence[str] = ("",), seconds: float = 0.3, record: Record | None = None
) -> Iterator[Show]:
    """A host with these ways in, until the end of the block; each panel has the faces "day" and "night".

    seconds: how long a message is shown.
    """
    desk = Desk(panels, seconds=seconds, record=record)
    stands = []
    for name in panels:
        faces = [Face("16x2", "day"), Face("16x2", "night")]
        for face in faces:
            face[0] = face.name
        stands.append(Stand(name, Deck(faces), [simulate("16x2")], inbox=desk.inboxes[name]))
    with Poller([]) as poller, Show(stands, poller, refresh_hz=50) as show, ExitStack() as stack:
        stack.callback(desk.close)
        for way in ways:
            stack.enter_context(way)
            way.open(desk)
        with show.in_background():
            yield show
