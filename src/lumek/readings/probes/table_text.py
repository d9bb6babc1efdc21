"""Tables of text as programs write them: CSV whatever parts its values, with decimal points or commas; JSON Lines."""

import csv
import io
import re
from codecs import BOM_UTF16_BE, BOM_UTF16_LE
from collections import Counter
from collections.abc import Iterable
from pathlib import Path
from typing import Any

from lumek._files import read_bytes
from lumek._harmless import quoted
from lumek.readings.log_lines import json_rows

MOST_BYTES, MOST_COLUMNS = 50_000_000, 1000

SEPARATORS = ",;\t|"
"""What may part the values of a line; of several that would do, the first."""

SAMPLE = 50
"""Lines by which the separator is found."""

NOTHING = {"", "NA", "N/A", "nan", "NaN", "null", "None", "-"}
"""What a CSV file has for no value."""

COMMA = re.compile(r"[+-]?(?:\d+|\d{1,3}(?:[. ]\d{3})+),\d+")
POINT = re.compile(r"[+-]?\d*\.\d+")
THOUSANDS = re.compile(r"[+-]?\d{1,3}(?:\.\d{3})+")
"""Numbers with a decimal comma, with a decimal point, and what is one with a point or thousands."""


def table_of(path: Path) -> tuple[list[str], list[dict[str, Any]]]:
    """The names of the columns of a file, and its rows; None where a cell is empty.

    Raises OSError, and ValueError or csv.Error for what is not a table.
    """
    text = text_of(read_bytes(path, MOST_BYTES))
    if path.suffix.lower() != ".csv":
        rows = json_rows(text)
        return _counted(list(dict.fromkeys(name for row in rows for name in row))), rows
    separator, text = separator_of(text)
    lines = cells_of(text, separator)
    names = [name.strip() for name in lines[0]] if lines else []
    if len({*_counted(names)}) < len(names):
        raise ValueError(f"it has two columns {quoted(Counter(names).most_common(1)[0][0])}")
    for number, line in enumerate(lines, 1):
        if len(line) > len(names):
            raise ValueError(f"line {number} has {len(line)} values, and there are {len(names)} names")
    commas = separator != "," and has_commas(cell for line in lines[1:] for cell in line)
    return names, [
        {name: value_of(cell, commas) for name, cell in zip(names, line, strict=False)} for line in lines[1:]
    ]


def text_of(content: bytes) -> str:
    """The text of a file: UTF-8, UTF-16 with its mark, or else the code page of western Windows.

    Raises ValueError for what is not text.
    """
    if content.startswith((BOM_UTF16_LE, BOM_UTF16_BE)):
        text = content.decode("utf-16")
    else:
        try:
            text = content.decode("utf-8-sig")
        except UnicodeDecodeError:
            text = content.decode("cp1252")
    if "\0" in text:
        raise ValueError("it is not text")
    return text.replace("\r\n", "\n").replace("\r", "\n")


def separator_of(text: str) -> tuple[str, str]:
    """What parts the values of a CSV file, and its text without the line "sep=;" with which some programs say so."""
    first, _, rest = text.partition("\n")
    if found := re.fullmatch(r"sep=(.)", first.strip("\ufeff")):
        return found[1], rest
    sample = "\n".join(text.split("\n", SAMPLE)[:SAMPLE])
    widths = {}
    for separator in SEPARATORS:
        try:
            lines = cells_of(sample, separator)
        except csv.Error:
            continue
        if lines and len({len(line) for line in lines}) == 1:
            widths[separator] = len(lines[0])
    best = max(widths, key=lambda one: widths[one], default=",")
    if widths.get(best, 0) < 2:  # lines differ: then what is most often in the line of names
        best = max(SEPARATORS, key=first.count)
    return best, text


def cells_of(text: str, separator: str) -> list[list[str]]:
    """The cells of each line that has any. Raises csv.Error."""
    lines = csv.reader(io.StringIO(text, newline=""), delimiter=separator, skipinitialspace=True, strict=True)
    return [line for line in lines if line]


def has_commas(cells: Iterable[str]) -> bool:
    """Whether numbers have a decimal comma: some have, and none has a point that can only be a decimal one."""
    found = False
    for cell in cells:
        if COMMA.fullmatch(cell):
            found = True
        elif POINT.fullmatch(cell) and not THOUSANDS.fullmatch(cell):
            return False
    return found


def value_of(cell: str, commas: bool) -> str | None:
    """A cell: None if it has no value; with a decimal point where it had a comma."""
    cell = cell.strip()
    if cell in NOTHING:
        return None
    if commas and (COMMA.fullmatch(cell) or THOUSANDS.fullmatch(cell)):
        return cell.replace(".", "").replace(" ", "").replace(",", ".")
    return cell


def _counted(names: list[str]) -> list[str]:
    """The names of columns. Raises ValueError for too many of them."""
    if len(names) > MOST_COLUMNS:
        raise ValueError(f"it has {len(names)} columns, and at most {MOST_COLUMNS} are read")
    return names
