"""What a sender sent, read: plain text, or JSON with the keys of `Message`."""

from collections.abc import Collection, Iterable
from typing import NamedTuple

from lumek._json import json_value
from lumek.config.tables import Tables
from lumek.core.glyph import Glyph
from lumek.core.text import LONGEST, cells_of
from lumek.errors import GarbledError, LumekError
from lumek.messages.models import KINDS, LONGEST_NAME, MOST_GLYPHS, Message
from lumek.messages.plain import plain

MOST_BYTES = 16_384
"""Of a message; the largest panel shows 160 cells."""

THE_MESSAGE = "the message"


class Understood(NamedTuple):
    """A message as it was understood.

    message: its keys; its text has no control characters any more.
    drawings: its glyphs.
    left_out: how many control characters and escape sequences its text had.
    """

    message: Message
    drawings: dict[str, Glyph]
    left_out: int


def understood(content: bytes | str, allowed: Collection[str] = KINDS) -> Understood:
    """Read a message: JSON if it begins with a brace, otherwise plain text.

    content: as it came; text in UTF-8, of 16,384 bytes at most.
    allowed: what it may ask for, of `KINDS`.
    Raises GarbledError, in a line for the sender, for what makes no sense or is not allowed.
    """
    if len(content) > MOST_BYTES:
        raise GarbledError(f"{THE_MESSAGE} has {len(content)} bytes, of {MOST_BYTES} at most")
    try:
        text = content if isinstance(content, str) else content.decode()
    except UnicodeDecodeError:
        raise GarbledError(f"{THE_MESSAGE} is not text in UTF-8") from None
    if text.lstrip().startswith("{"):
        tables = Tables(text, THE_MESSAGE, "message", GarbledError, json=True, whole="it")
        message = tables.checked(Message, tables.raw, "", "")
    else:
        text = text.removesuffix("\n")
        if not text:
            raise GarbledError(f"{THE_MESSAGE} is empty")
        if len(text) > LONGEST:
            raise GarbledError(f"{THE_MESSAGE} has {len(text)} characters, of {LONGEST} at most")
        message = Message(text=text)
    for one in message.asks:
        if one not in allowed:
            raise GarbledError(f"{one} is not allowed here; allowed: {', '.join(allowed) or 'none'}")
    drawings = dict(_drawings(message))
    if message.text is None:
        return Understood(message, drawings, 0)
    shown, left_out = plain(message.text)
    if not shown.strip() and left_out:
        raise GarbledError(f"{THE_MESSAGE} contains only control characters")
    return Understood(message.model_copy(update={"text": shown}), drawings, left_out)


def id_in(content: bytes | str) -> str | None:
    """The id of a message that is not understood, so that its sender knows which of theirs it is; None for none."""
    if len(content) > MOST_BYTES:
        return None
    try:
        id = json_value(content)["id"]
    except (ValueError, TypeError, KeyError, RecursionError):
        return None
    return id if isinstance(id, str) and 0 < len(id) <= LONGEST_NAME else None


def _drawings(message: Message) -> Iterable[tuple[str, Glyph]]:
    for character, rows in message.glyphs.items():
        try:
            if len(cells_of(character)) != 1:
                raise GarbledError("a glyph is the drawing of one character")
            yield character, Glyph(rows)
        except LumekError as problem:
            raise GarbledError(f"{THE_MESSAGE}: glyphs: {problem} (at most {MOST_GLYPHS} of them)") from None
