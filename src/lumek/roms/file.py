"""Reading a ROM file: the characters of a ROM that Lumek does not know, as TOML.

    name = "C40"           # what the maker calls it; the file's name when left out
    like = "A02"           # "A00" or "A02", the ROM that has all other codes; left out, these are unknown

    [codes]                # code = the characters from there on, in one text or as a list of texts
    0x80 = "ČčĎď"
    0xA0 = ["x̄", "→"]

Codes are 0x10 to 0xFF, in hexadecimal or decimal.
"""

from collections.abc import Iterator, Mapping
from os import PathLike
from pathlib import Path
from typing import Annotated, ClassVar, Literal

from pydantic import AfterValidator, Field

from lumek._harmless import quoted
from lumek.config.tables import Table, Tables, file_text, one_of
from lumek.core.slots import FIRST
from lumek.core.text import cells_of
from lumek.errors import CharacterError, SettingError
from lumek.roms import NAMES, rom_named
from lumek.roms.rom import Rom

FILE = "ROM file"
LAST = 0xFF
LONGEST_NAME = 64


def _name(name: str) -> str:
    if not name.isprintable() or not 0 < len(name) <= LONGEST_NAME:
        raise ValueError(f"a name is 1 to {LONGEST_NAME} printable characters, not {quoted(name)}")
    return name


class RomTable(Table):
    """What a ROM file says."""

    own_tables: ClassVar[tuple[str, ...]] = ("codes",)
    name: Annotated[str, AfterValidator(_name)] | None = Field(
        None, description=f"text, at most {LONGEST_NAME} characters"
    )
    like: Literal["A00", "A02"] | None = Field(None, description=one_of(NAMES))
    codes: dict[str, str | list[str]] = Field(
        description="a table of code = 'characters', or code = a list of texts; codes are 0x10 to 0xff", min_length=1
    )


def read_rom(file: str | PathLike[str]) -> Rom:
    """The ROM that a file describes. Raises SettingError, one line that names the mistake."""
    path = Path(file)
    tables = Tables(
        file_text(path, FILE, "docs/characters.md says how one is written", SettingError), str(path), FILE, SettingError
    )
    said = tables.checked(RomTable, tables.raw, "", "")
    characters: dict[int, list[str]] = {}
    for code, character in _characters(said.codes, path):
        if code in characters:
            raise SettingError(f"{path}: [codes] says twice what code {code:#04x} draws")
        characters[code] = [character]
    return Rom(said.name or path.stem[:LONGEST_NAME], characters, like=rom_named(said.like) if said.like else None)


def _characters(codes: Mapping[str, str | list[str]], path: Path) -> Iterator[tuple[int, str]]:
    """The codes and characters of [codes]."""
    for key, value in codes.items():
        try:
            first = int(key, 0)
            characters = cells_of(value) if isinstance(value, str) else [_one(text) for text in value]
        except (ValueError, CharacterError) as problem:
            raise SettingError(
                f"{path}: [codes] {quoted(key)} = {quoted(value)} is not a code with characters: {problem}"
            ) from None
        if not FIRST <= first <= first + len(characters) - 1 <= LAST:
            raise SettingError(
                f"{path}: [codes] {quoted(key)} with {len(characters)} characters is not within the codes "
                f"{FIRST:#04x} to {LAST:#04x}"
            )
        yield from enumerate(characters, first)


def _one(text: str) -> str:
    """An entry of a list: what one code draws."""
    cells = cells_of(text)
    if len(cells) != 1:
        raise ValueError(f"{quoted(text)} is not one character")
    return cells[0]
