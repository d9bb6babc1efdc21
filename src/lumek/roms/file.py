"""Reading a ROM file: the characters of a ROM that Lumek does not know, as TOML.

    name = "C40"           # what the maker calls it; the file's name when left out
    like = "A02"           # "A00" or "A02", which has all that is not said below; when left out, that is unknown

    [codes]                # code = the characters from there on, in one text or as a list of texts
    0x80 = "ČčĎď"
    0xA0 = ["x̄", "→"]

Codes are 0x10 to 0xFF, in hexadecimal or decimal.
"""

import tomllib
from collections.abc import Iterator
from os import PathLike
from pathlib import Path
from typing import Any

from lumek._files import read_text
from lumek._harmless import quoted
from lumek.config.tables import refuse_deep_keys
from lumek.core.slots import FIRST
from lumek.core.text import cells_of
from lumek.errors import CharacterError, SettingError
from lumek.roms import NAMES, rom_named
from lumek.roms.rom import Rom

KEYS = "name", "like", "codes"
LAST = 0xFF
MOST_BYTES = 100_000
LONGEST_NAME = 64


def read_rom(file: str | PathLike[str]) -> Rom:
    """The ROM that a file describes. Raises SettingError, one line that tells the mistake."""
    path = Path(file)
    try:
        text = read_text(path, MOST_BYTES)
        refuse_deep_keys(text)
        tables = tomllib.loads(text)
    except OSError as problem:
        raise SettingError(f"the ROM file {path} cannot be read: {problem.strerror or problem}") from None
    except (ValueError, RecursionError) as problem:
        raise SettingError(f"the ROM file {path} is not TOML: {problem}") from None
    for key in tables:
        if key not in KEYS:
            raise SettingError(f"the ROM file {path} has no use for {quoted(key)}: it says {', '.join(KEYS)}")
    name, like, codes = tables.get("name", path.stem), tables.get("like"), tables.get("codes")
    if not isinstance(name, str) or not name.isprintable() or not 0 < len(name) <= LONGEST_NAME:
        raise SettingError(f"the ROM file {path}: name is 1 to {LONGEST_NAME} printable characters, not {quoted(name)}")
    if not isinstance(codes, dict) or not codes:
        raise SettingError(f"the ROM file {path} needs the table [codes], with at least one code = 'characters'")
    if like is not None and like not in NAMES:
        raise SettingError(f"the ROM file {path}: like is one of {', '.join(NAMES)}, not {quoted(like)}")
    said: dict[int, list[str]] = {}
    for key, value in codes.items():
        for code, character in _run(key, value, path):
            if code in said:
                raise SettingError(f"the ROM file {path} says twice what code {code:#04x} draws")
            said[code] = [character]
    return Rom(name, said, like=rom_named(like) if like else None)


def _run(key: str, value: Any, path: Path) -> Iterator[tuple[int, str]]:
    """The codes and characters of one line of [codes]."""
    try:
        first = int(key, 0)
        characters = cells_of(value) if isinstance(value, str) else [_one(text) for text in value]
    except (ValueError, TypeError, CharacterError) as problem:
        raise SettingError(
            f"the ROM file {path}: {quoted(key)} = {quoted(value)} is not a code with characters: {problem}"
        ) from None
    if not FIRST <= first <= first + len(characters) - 1 <= LAST:
        raise SettingError(
            f"the ROM file {path}: {quoted(key)} with {len(characters)} characters is not within the codes "
            f"{FIRST:#04x} to {LAST:#04x}"
        )
    yield from enumerate(characters, first)


def _one(text: Any) -> str:
    """An entry of a list: what one code draws."""
    cells = cells_of(text) if isinstance(text, str) else []
    if len(cells) != 1:
        raise TypeError(f"{quoted(text)} is not one character")
    return cells[0]
