"""What comes while a show runs: messages, keys of the terminal, other faces."""

from contextlib import ExitStack
from time import time

from lumek.cli.keys import Keys, keys
from lumek.errors import LumekError
from lumek.faces.face_file import FaceFile
from lumek.messages.desk import Desk
from lumek.messages.models import KINDS
from lumek.messages.opened import OpenDesk


class Arrivals:
    """Where it comes in.

    faces: the content of the faces that were sent last, and are shown.
    """

    def __init__(self, faces: FaceFile) -> None:
        self.desk = OpenDesk(Desk(faces.panels), {})
        self.keys: Keys | None = None
        self.faces: bytes | None = None

    def open(self, stack: ExitStack, faces: FaceFile, typed: bool) -> None:
        """Take messages as a file says, until the stack ends.

        typed: whether keys of the terminal count.
        """
        if faces.messages is not None:
            self.desk = stack.enter_context(faces.messages.opened(faces.panels))
        if typed:
            self.keys = stack.enter_context(keys())

    def take_keys(self) -> None:
        """Bring the keys that were typed to the desk."""
        for order in self.keys.orders() if self.keys is not None else ():
            self.desk.desk.bring(order, allow=KINDS)

    def new_faces(self, own: FaceFile) -> FaceFile | None:
        """The faces that were sent since this was asked last, if they can be shown; their sender is told.

        own: the file of the host, whose panels, sources and messages stay.
        """
        broker = self.desk.broker
        content = None if broker is None else broker.new_faces()
        if broker is None or content is None or content == self.faces:
            return None
        from lumek.faces.sent import with_faces

        sent, why = None, ""
        try:
            sent = with_faces(own, content)
            self.faces = content
        except LumekError as problem:
            why = str(problem)
        broker.faces_answered(content, why, time())
        return sent
