"""Values out of JSON documents and lines of text."""

import re
from typing import Any

from lumek._harmless import quoted
from lumek._json import json_value
from lumek.errors import GarbledError, SettingError
from lumek.readings.extras import wanted_by
from lumek.readings.reading import number_in

MOST_BYTES = 262_144
"""A document or message that is longer is not a reading any more; it is refused before it is read."""

PAIR = re.compile(r"""\s*([^\s=,;"{}]+)\s*=\s*([^\s,;]*)\s*(?:[,;]|(?=\s)|$)""")


def document_of(content: bytes | str) -> Any:
    """A JSON document. Raises GarbledError for what is not JSON, is too long or too deep."""
    text = content if isinstance(content, str) else utf8_text(content)
    try:
        return json_value(text)
    except (ValueError, RecursionError) as problem:  # the first also for a number of thousands of digits
        raise GarbledError(f"not JSON: {str(problem)[:200]}") from None


def utf8_text(content: bytes) -> str:
    """Text in UTF-8. Raises GarbledError for other bytes, and for too many of them."""
    if len(content) > MOST_BYTES:
        raise GarbledError(f"{len(content)} bytes are too long for a reading: {MOST_BYTES} at most")
    try:
        return content.decode()
    except UnicodeDecodeError:
        raise GarbledError(f"{quoted(content[:40])} is not text (UTF-8)") from None


def checked_pointer(pointer: str) -> str:
    """A JSON pointer (RFC 6901), "/hive/weight"; SettingError for anything else, PackageError without jsonpointer."""
    with wanted_by("a JSON pointer", "network"):
        from jsonpointer import JsonPointer, JsonPointerException
    try:
        JsonPointer(pointer)
    except (JsonPointerException, TypeError) as problem:
        raise SettingError(f"{quoted(pointer)} is not a JSON pointer, such as '/hive/weight': {problem}") from None
    return pointer


def pointed_at(document: Any, pointer: str) -> object:
    """The value at a JSON pointer. Raises LookupError when there is none, GarbledError when it is not single."""
    from jsonpointer import JsonPointerException, resolve_pointer

    try:
        value = resolve_pointer(document, pointer)
    except (JsonPointerException, TypeError, ValueError) as problem:
        raise LookupError(f"the document has no {quoted(pointer)}: {problem}") from None
    if isinstance(value, (dict, list)):
        raise GarbledError(
            f"at {quoted(pointer)} is not a single value but {'an object' if isinstance(value, dict) else 'a list'}"
        )
    single: object = value
    return single


def values_in(line: str) -> dict[str, object]:
    """The values of a line: name=value pairs, a JSON object, or a bare number (under the key "").

    Pairs are parted by blanks, commas or semicolons. A value of an object within the JSON has a JSON pointer as its
    key. Raises GarbledError for any other line.
    """
    text = line.strip()
    if text.startswith("{"):
        return dict(_flat(document_of(text), ""))
    pairs: dict[str, object] = {}
    end = 0
    while end < len(text) and (pair := PAIR.match(text, end)) and pair.end() > end:
        pairs[pair[1]] = pair[2]
        end = pair.end()
    if pairs and end == len(text):
        return pairs
    try:
        number_in(text)
    except ValueError:
        raise GarbledError(f"{quoted(text)} is neither name=value nor JSON nor a number") from None
    return {"": text}


def _flat(value: Any, place: str) -> list[tuple[str, object]]:
    """Keys and values: plain keys at the top, pointers below."""
    if not isinstance(value, (dict, list)):
        return [(place, value)]
    parts = value.items() if isinstance(value, dict) else enumerate(value)
    flat: list[tuple[str, object]] = []
    for key, part in parts:
        pointer = f"{place}/{str(key).replace('~', '~0').replace('/', '~1')}"
        plain = not place and not isinstance(part, (dict, list))
        flat += [(str(key), part)] if plain else _flat(part, pointer)
    return flat
