"""Logs read again: piece by piece, as a pandas frame."""

import csv
import io
import os
from collections.abc import Iterator
from errno import EFBIG
from pathlib import Path
from typing import TYPE_CHECKING, Any

from lumek._files import open_ordinary
from lumek._harmless import quoted
from lumek.errors import PortError, SettingError
from lumek.readings.extras import wanted_by
from lumek.readings.log import parts_of
from lumek.readings.log_lines import COLUMNS, ENDINGS, FORMULA, HEAD, LONGEST_LINE, is_line, is_log, json_rows
from lumek.readings.reading import one_line
from lumek.readings.settings import duration

if TYPE_CHECKING:
    import pandas as pd

PIECE = 2_000_000
"""Bytes of a log that are read at once."""

MOST_LINE = 64_000_000
"""Bytes of a line that is read: no line of a log is longer."""


def load(path: str | os.PathLike[str], *more: str | os.PathLike[str], thin_s: float | None = None) -> "pd.DataFrame":
    """Logs as a pandas frame, with the files that were put aside from each, in the order of time.

    Columns: time (datetime64 with UTC), name, value (float; NaN where there is no number), unit, flaw (empty for none),
    cause (empty for none) and text (the words of a reading of words, else empty). Half a line at the end of a file that
    is being written is left out. Files are read piece by piece: little memory is needed beside the frame.
    thin_s: seconds, 0.001 to 100000000: in each interval of this length keep the first reading of each probe, and the
        first with another flaw or other words. Default: keep all.
    Raises PortError for a file that cannot be read, SettingError for a file that is not a log, and PackageError without
    pandas.
    """
    with wanted_by("lumek.readings.load", "readings"):
        import pandas as pd
    thin_s = None if thin_s is None else duration(thin_s, "thin_s")
    pieces = []
    for one in map(Path, (path, *more)):
        if one.suffix.lower() not in ENDINGS:
            raise SettingError(f"a log's name ends in {' or '.join(ENDINGS)}, not {quoted(one.name)}")
        known: dict[str, str] = {}
        before: set[tuple[object, ...]] = set()
        for part in [*parts_of(one), *([one] if one.exists() else [])] or [one]:
            for rows in _frames(part):
                piece = _typed(rows, part, known)
                if thin_s is not None:
                    piece, before = _thinned(piece, thin_s, before)
                pieces.append(piece)
    return pd.concat(pieces, ignore_index=True).sort_values("time", kind="stable", ignore_index=True)


def _typed(frame: "pd.DataFrame", path: Path, known: dict[str, str]) -> "pd.DataFrame":
    """Text as times and numbers. known: texts that were there before, of which one copy is kept."""
    import pandas as pd

    number = pd.to_numeric(frame["value"], errors="coerce").astype("float64")
    frame["text"] = frame["value"].where(number.isna(), "").fillna("").astype(object)
    frame["value"] = number
    try:
        frame["time"] = pd.to_datetime(frame["time"], utc=True, format="ISO8601")
    except ValueError as problem:
        raise SettingError(f"{path}: a time is not ISO 8601: {one_line(problem)}") from None
    for column in ("name", "unit", "flaw", "cause", "text"):
        codes, texts = pd.factorize(frame[column])
        shared = pd.Series([known.setdefault(text, text) if isinstance(text, str) else text for text in texts],
                           dtype=object)  # fmt: skip
        frame[column] = shared.take(codes).to_numpy() if len(codes) else frame[column]
    return frame


def _thinned(
    frame: "pd.DataFrame", thin_s: float, before: set[tuple[object, ...]]
) -> "tuple[pd.DataFrame, set[tuple[object, ...]]]":
    """The rows that are kept, and what they are kept for. before: that of the piece before this one."""
    stretch = (frame["time"].astype("int64") // max(1, round(thin_s * ticks(frame["time"])))).rename("stretch")
    keys = frame[["name", "flaw", "text"]].assign(stretch=stretch)
    new = ~keys.duplicated()
    kept = list(keys[new].itertuples(index=False, name=None))
    rows = frame[new][[key not in before for key in kept]]
    return rows, set(kept)


def ticks(times: "pd.Series[Any]") -> float:
    """How many of a time column's whole numbers make a second."""
    return {"s": 1.0, "ms": 1e3, "us": 1e6, "ns": 1e9}[str(getattr(times.dtype, "unit", "ns"))]


def _frames(path: Path) -> "Iterator[pd.DataFrame]":
    """The whole lines of one file, piece by piece; at least one piece."""
    import pandas as pd

    is_csv = path.suffix.lower() == ".csv"
    names: list[str] = []
    try:
        for number, whole in enumerate(_pieces(path)):
            if is_csv:
                if not number:
                    head, end, whole = whole.partition("\n")
                    if not end:  # killed before the head was written
                        head = HEAD.decode().strip() if HEAD.startswith(head.encode()) else ""
                    names = next(csv.reader([head[:LONGEST_LINE]]), [*COLUMNS])
                    _check_names(names)
                frame = (
                    pd.read_csv(io.StringIO(whole), dtype=str, keep_default_na=False, names=names, header=None)
                    if whole.strip()
                    else pd.DataFrame(columns=names, dtype=object)
                )
                for column in {"name", "value", "unit", "cause"} & {*frame.columns} if "'" in whole else ():
                    frame[column] = frame[column].str.replace(rf"^'(?='*[{FORMULA}])", "", regex=True)
            else:
                if not number and not whole.endswith("\n") and not is_line(whole[:LONGEST_LINE].encode()):
                    raise ValueError("its first line has no time, name, value, unit and flaw")
                frame = pd.DataFrame(json_rows(whole[: whole.rfind("\n") + 1]), dtype=object)
                frame = frame.reindex(columns=[*COLUMNS]) if frame.empty else frame
            _check_names([*frame.columns])
            frame = frame.reindex(columns=[*COLUMNS]).astype(object).fillna({"unit": "", "flaw": "", "cause": ""})
            yield frame.astype(object)
    except OSError as problem:
        raise PortError(f"{path} cannot be read: {problem.strerror or problem}") from None
    except (ValueError, TypeError) as problem:
        raise SettingError(f"{path} is not a log of readings: {one_line(problem)}") from None


def _pieces(path: Path) -> Iterator[str]:
    """The whole lines of a file in pieces of about PIECE bytes; of a file without one what is in it. Raises OSError."""
    with open_ordinary(path) as file:
        left, found = b"", False
        while more := file.read(PIECE):
            whole, end, left = (left + more).rpartition(b"\n")
            if end:
                found = True
                yield (whole + end).decode(errors="replace")
            elif len(left) > MOST_LINE:
                raise OSError(EFBIG, f"a line has more than {MOST_LINE} bytes")
        if not found:
            yield left.decode(errors="replace")


def _check_names(names: list[str]) -> None:
    """Raise ValueError for columns that are not those of a log."""
    if not is_log(names):
        raise ValueError(f"it has {', '.join(map(str, names[:20])) or 'no columns'} instead of {', '.join(COLUMNS)}")
