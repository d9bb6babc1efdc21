"""Tables of levels, as programs of logic analysers export them: a row whenever something changes, or at each sample.

Either each wire has a column, or each row says which wire changed, and to what.
"""

import re
from collections.abc import Iterator, Mapping
from pathlib import Path

from lumek._harmless import quoted
from lumek.captures.capture_source import UNSEEN, CaptureSource, wire_name
from lumek.captures.csv_text import CsvText, Times
from lumek.errors import CaptureError

TIME_NAMES = ("time", "timestamp", "start", "t")

WIRE_NAMES, LEVEL_NAMES = ("channel", "wire", "signal", "line", "pin"), ("level", "value", "state")

MOST_WIRES = 256
"""Names of wires in a table of changes."""

RATE = re.compile(r"sample\s*-?rate\W+([\d.]+)\s*([kmg]?)hz", re.IGNORECASE)
FACTORS = {"": 1, "k": 10**3, "m": 10**6, "g": 10**9}

HIGH, LOW = ("1", "1.0", "high", "true", "h"), ("0", "0.0", "low", "false", "l")


class CsvLevels(CaptureSource):
    """A table of levels.

    path: the file. Raises CaptureError.
    """

    def __init__(self, path: Path) -> None:
        super().__init__(path)
        self._table = table = CsvText(path)
        names = [name.lower() for name in table.columns]
        self._time = next((place for place, name in enumerate(names) if _begins(name, TIME_NAMES)), None)
        if not table.has_head:
            self._time = 0
        self._every_ns = None if self._time is not None else self._sampled()
        wire = next((place for place, name in enumerate(names) if name in WIRE_NAMES), None)
        level = next((place for place, name in enumerate(names) if name in LEVEL_NAMES), None)
        self._changes = (wire, level) if wire is not None and level is not None else None
        if self._changes is not None:
            self.names = self._wires_in(self._changes[0])
        else:
            self.names = [wire_name(name) or f"column{place}" for place, name in enumerate(table.columns)
                          if place != self._time]  # fmt: skip
            if len(set(self.names)) != len(self.names):
                self.names = [f"{name}{place}" for place, name in enumerate(self.names)]

    def _sampled(self) -> float:
        for line in self._table.comments:
            if match := RATE.search(line):
                hz = float(match[1]) * FACTORS[match[2].lower()]
                if hz > 0:
                    return 1e9 / hz
        raise CaptureError(
            f"{self.name} has no column of times: name it Time, in seconds, or as 'Time [ms]'; its columns are "
            f"{quoted(', '.join(self._table.columns[:16]), 300)}"
        )

    def _wires_in(self, place: int) -> list[str]:
        found: dict[str, None] = {}
        for row in self._table.rows():
            if len(row) > place:
                found.setdefault(wire_name(row[place]))
                if len(found) > MOST_WIRES:
                    raise CaptureError(f"{self.name} has more than {MOST_WIRES} wires")
        return list(found)

    def samples(self, wires: Mapping[str, int], undriven: int) -> Iterator[tuple[int, int]]:
        """See `CaptureSource.samples`."""
        time, every = self._time, self._every_ns
        times = Times(self._table.columns[time] if time is not None else "", self._table)
        word = undriven | sum(wires.values()) << UNSEEN
        last: int | None = None
        now: int | None = None
        pending = word
        places: list[tuple[int, int]] = []
        if self._changes is None:
            own = [place for place in range(len(self._table.columns)) if place != time]
            places = [(own[self.names.index(name)], mask) for name, mask in wires.items()]
        before: list[str] = []
        columns = len(self._table.columns)
        for number, row in enumerate(self._table.rows()):
            if len(row) < columns:
                raise CaptureError(f"{self.name}: row {number + 1} has {len(row)} columns, not {columns}")
            at = round(number * every) if every is not None else times.ns(row[time or 0])
            if self._changes is None:
                if row[1 if time == 0 else 0 :] != before:
                    before = row[1 if time == 0 else 0 :]
                    for place, mask in places:
                        pending = _set(pending, mask, row[place], undriven)
            else:
                mask = wires.get(wire_name(row[self._changes[0]]), 0)
                pending = _set(pending, mask, row[self._changes[1]], undriven) if mask else pending
            if now is not None and at < now:
                raise CaptureError(f"{self.name}: time goes back in row {number + 1}, to {quoted(row[time or 0])}")
            if now is not None and at != now and word != last:
                last = word
                yield now, word
            now, word = at, pending
        if now is not None and word != last:
            yield now, word
        self.ends_ns = now or 0


def _set(word: int, mask: int, text: str, undriven: int) -> int:
    if text == "1":
        return (word | mask) & ~(mask << UNSEEN)
    if text == "0":
        return word & ~(mask | mask << UNSEEN)
    text = text.strip().lower()
    if text in HIGH:
        return (word | mask) & ~(mask << UNSEEN)
    if text in LOW:
        return word & ~(mask | mask << UNSEEN)
    return word & ~mask | undriven & mask | mask << UNSEEN


def _begins(name: str, words: tuple[str, ...]) -> bool:
    first = re.split(r"[^a-z]+", name.strip())[0]
    return first in words
