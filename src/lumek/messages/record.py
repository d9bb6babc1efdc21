"""The record of messages that were shown: which ids not to show again, and proof of what was on the glass.

A line of JSON says that a message is about to be shown, and is on the disk before the panel is written; another one
says that it is on the glass, and is on the disk before the sender is answered. So, whenever the host is interrupted:

| the record has | the panel | after the interruption |
|---|---|---|
| neither | does not show it | it is shown if it comes again |
| "showing" alone | may have shown it | it is not shown again, and is answered as "unsure" |
| both | has shown it | it is not shown again, and is answered as it was |
"""

import os
from collections import OrderedDict
from errno import ENOSPC
from json import dumps
from pathlib import Path
from threading import Lock
from typing import Any

from lumek._files import PLAIN, keep_to_us, read_at, read_bytes, sync_folder
from lumek._json import json_value
from lumek.errors import SettingError
from lumek.messages.models import Answer, iso

ROTATE_BYTES = 1_000_000
MOST_BYTES = 4 * ROTATE_BYTES
"""Of a file that is read."""

MOST_IDS = 10_000
"""Messages whose answers are remembered."""

LONGEST_TEXT = 200
"""Characters of a text in the record."""


class Record:
    """The record in a file, which is put aside as FILE.old when it has a million bytes.

    path: of the file; None to remember while the program runs.
    Raises SettingError for a file that cannot be written, and for one that another program writes.
    """

    def __init__(self, path: str | os.PathLike[str] | None = None) -> None:
        self.path = None if path is None else Path(path)
        self._known: OrderedDict[tuple[str, str], Answer] = OrderedDict()
        self._lock = Lock()
        self._file: int | None = None
        if self.path is not None:
            try:
                for old in (self._aside, self.path):
                    self._read(old)
                self._open()
            except BlockingIOError:
                raise SettingError(f"the record {self.path} is in use by another program; each needs its own") from None
            except OSError as problem:
                why = problem.strerror or problem
                raise SettingError(f"the record {self.path} cannot be written: {why}") from None

    def known(self, panel: str, id: str) -> Answer | None:
        """The answer to a message that was shown, or may have been; None for one that was not."""
        with self._lock:
            return self._known.get((panel, id))

    def forget(self, panel: str, id: str) -> None:
        """Let a message be shown that could not be shown before."""
        with self._lock:
            self._known.pop((panel, id), None)

    def showing(self, panel: str, id: str | None, unix: float) -> None:
        """A message is about to be shown. Raises OSError when that cannot be written."""
        self._write({"time": iso(unix), "panel": panel, "id": id, "state": "showing"})
        self._remember(Answer(id=id, panel=panel, state="unsure", received=iso(unix), why=UNSURE))

    def shown(self, answer: Answer, text: str) -> None:
        """A message is on the glass. Raises OSError when that cannot be written."""
        self._remember(answer)
        line = answer.model_dump(exclude_defaults=True) | {"text": text[:LONGEST_TEXT]}
        self._write({"time": answer.shown, "panel": answer.panel, **line})

    def _remember(self, answer: Answer) -> None:
        if answer.id is None:
            return
        with self._lock:
            self._known[answer.panel, answer.id] = answer
            self._known.move_to_end((answer.panel, answer.id))
            while len(self._known) > MOST_IDS:
                self._known.popitem(last=False)

    def _write(self, line: dict[str, Any]) -> None:
        if self.path is None:
            return
        with self._lock:
            if self._file is None:
                self._open()
            assert self._file is not None
            if os.fstat(self._file).st_size > ROTATE_BYTES:
                self._close()
                self.path.replace(self._aside)
                self._open()
            self._append(self._file, dumps(line).encode() + b"\n")
            if hasattr(os, "fdatasync"):
                os.fdatasync(self._file)
            else:
                os.fsync(self._file)

    @staticmethod
    def _append(file: int, line: bytes) -> None:
        """Write a line, whole or not at all. Raises OSError."""
        size = os.fstat(file).st_size
        if os.write(file, line) < len(line):
            os.ftruncate(file, size)
            raise OSError(ENOSPC, os.strerror(ENOSPC))

    @property
    def _aside(self) -> Path:
        assert self.path is not None
        return self.path.with_name(self.path.name + ".old")

    def _open(self) -> None:
        assert self.path is not None
        is_new = not self.path.exists()
        self._file = os.open(self.path, os.O_RDWR | os.O_APPEND | os.O_CREAT | PLAIN, 0o600)
        keep_to_us(self._file)
        size = os.fstat(self._file).st_size
        if size and read_at(self._file, 1, size - 1) != b"\n":
            os.write(self._file, b"\n")  # a line that was interrupted
        if is_new:
            sync_folder(self.path.parent)

    def _read(self, path: Path) -> None:
        """Remember what a file has; lines that were interrupted are left out."""
        try:
            content = read_bytes(path, MOST_BYTES)
        except FileNotFoundError:
            return
        for raw in content.split(b"\n"):
            try:
                line = json_value(raw)
                answer = {key: line[key] for key in Answer.model_fields if key in line}
                if line["state"] == "showing":
                    answer |= {"state": "unsure", "received": line["time"], "why": UNSURE}
                self._remember(Answer.model_validate(answer))
            except (ValueError, TypeError, KeyError, RecursionError):  # also of a line that somebody wrote by hand
                continue

    def _close(self) -> None:
        if self._file is not None:
            os.close(self._file)
        self._file = None

    def close(self) -> None:
        """Close the file. A second time does nothing."""
        with self._lock:
            self._close()


UNSURE = "the host was interrupted while it wrote the panel: look at the panel, and send the text with another id"
