"""A file whose content is a message, each time that it was written anew."""

import os
from collections import deque
from collections.abc import Mapping
from hashlib import sha256
from pathlib import Path

from lumek._files import read_bytes, replacing
from lumek.messages.models import Answer
from lumek.messages.reading import MOST_BYTES
from lumek.messages.ways.line_ways import MOST_ANSWERS, TOO_LONG
from lumek.messages.ways.way import WayIn
from lumek.readings.guarded import guarded_thread
from lumek.readings.settings import duration

Stamp = tuple[int, int, int]


class FileWay(WayIn):
    """A file that is watched: what it has is a message, each time that it was written anew.

    It is read when it has stayed the same from one look to the next. A content is shown once, also over restarts where
    there is a record; written again at another time, it is shown again. No message is a file that is empty or missing.

    path: the path of a file, as 'notice.txt'.
    answers: the path of a file, which has the last answer.
    every_s: seconds, 0.001 to 100000000, from one look to the next.
    Raises SettingError for a setting that is not possible.
    """

    kind = "file"

    def __init__(
        self, path: str | os.PathLike[str], *, answers: str | os.PathLike[str] | None = None, every_s: float = 0.5
    ) -> None:
        super().__init__()
        self._path = Path(path)
        self._answers = None if answers is None else Path(answers)
        self._every_s = duration(every_s, "every_s")
        self._read: Stamp | None = None
        self._seen: Stamp | None = None
        self._pending: deque[Answer] = deque(maxlen=MOST_ANSWERS)
        self._thread = guarded_thread("lumek FileWay", self._run, self._closing, self._failed)

    @staticmethod
    def place_of(settings: Mapping[str, object]) -> str:
        """The path."""
        return str(settings["path"])

    def _begin(self) -> None:
        self._thread.start()

    def _run(self) -> None:
        while not self._closing.is_set():
            try:
                self._look()
                self._answer()
                self._failed("")
            except OSError as problem:
                self._failed(f"{problem.filename or self._path}: {problem.strerror or problem}")
            self._closing.wait(self._every_s)
        self._answer()

    def _look(self) -> None:
        """Bring what is new. Raises OSError."""
        try:
            found = self._path.stat()
        except FileNotFoundError:
            self._seen = self._read = None
            return
        state = found.st_ino, found.st_mtime_ns, found.st_size
        if state == self._seen and state != self._read:
            self._read = state
            content = read_bytes(self._path, MOST_BYTES) if found.st_size <= MOST_BYTES else TOO_LONG
            if content.strip():
                mark = sha256(content + str(found.st_mtime_ns).encode()).hexdigest()[:16]
                self.bring(content, self._pending.append, id=f"{self._path.name[:40]}-{mark}")
        self._seen = state

    def _answer(self) -> None:
        """Write the last answer. Raises OSError."""
        last: Answer | None = None
        while self._pending:
            last = self._pending.popleft()
        if last is not None and self._answers is not None:
            with replacing(self._answers) as beside:
                beside.write_text(last.json_text() + "\n", encoding="ascii")

    def close(self) -> None:
        """Write the last answer, and stop watching. A second time does nothing."""
        super().close()
        if self._thread.is_alive():
            self._thread.join(2.0)
