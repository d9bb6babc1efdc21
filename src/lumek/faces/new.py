"""A new face file, with comments that say what else it may have."""

import json
import re
from collections.abc import Mapping, Sequence
from typing import NamedTuple

from lumek._harmless import harmless
from lumek.core.geometry import Geometry
from lumek.core.text import cells_of
from lumek.readings.probes.kernel import Sensor

DECIMALS = {"V": 2, "A": 2, "hPa": 0, "rpm": 0, "Hz": 0, "lx": 0}
"""Unit -> places after the point; of any other one."""

WORDS = {"temp": "temp", "in": "volts", "voltage": "volts", "curr": "amps", "current": "amps", "power": "watts",
         "humidity": "humidity", "humidityrelative": "humidity", "pressure": "pressure"}  # fmt: skip
"""What a channel of the kernel measures -> the name of its probe."""

LEAST_NUMBER = 8
"""Cells of a number with its unit."""

TITLED_ROWS = 4
"""Panels with at least this many rows have a title."""


class Shown(NamedTuple):
    """What one row shows: a probe, its label, its unit, and the rest of its table in the file."""

    name: str
    label: str
    unit: str
    origin: str


SIMULATED = (
    Shown("weight", "Weight", "kg", 'simulated = { value = 41.4, swing = 4, period_s = 60 }, unit = "kg"'),
    Shown("brood", "Brood", "°C", 'simulated = { value = 34.8, swing = 1, period_s = 90 }, unit = "°C"'),
)
"""What is shown where a host has no sensors."""


def shown_of(sensors: Sequence[Sensor]) -> list[Shown]:
    """The rows for sensors of this host, with names that differ."""
    rows: list[Shown] = []
    for sensor in sensors:
        kind = re.split(r"[\d_-]", sensor.channel, maxsplit=1)[0] or "temp"
        word = WORDS.get(kind, kind)
        count = sum(row.name.rstrip("0123456789") == word for row in rows)
        name = word if not count else f"{word}{count + 1}"
        label = harmless(sensor.label) or name.capitalize()
        rows.append(Shown(name, label, sensor.unit, f"kernel = {in_toml(sensor.id)}"))
    return rows


def template(size: str, rows: Sequence[Shown], title: str, wiring: Mapping[str, str], panel: str | None = None) -> str:
    """The text of a face file.

    size: of the panel.
    rows: what is shown, in rows, and on several faces where they are more.
    title: in the first row, on panels of four rows.
    wiring: keys of [deck] that say which panel it is, as they are written.
    panel: its name, where the wiring has several.
    """
    geometry = Geometry(size)
    titled = geometry.rows >= TITLED_ROWS
    each = geometry.rows - titled
    pages = [rows[at : at + each] for at in range(0, len(rows), each)]
    lines = [
        "# What a panel shows. Try it in the terminal, then on the panel:",
        "#   lumek run FILE --twin",
        "#   lumek run FILE",
        "#   lumek run FILE --check          what it needs on this host",
        "",
        "[deck]",
        *(f"{key} = {value}" for key, value in wiring.items()),
        "# poll_s = 0.5                    seconds from one reading of a probe to the next",
        "# page_s = 4                      seconds that each face is shown",
        "",
        "[probes]",
        *(f"{row.name} = {{ {row.origin} }}" for row in rows),
        "# net = { formula = \"weight - 12.5\", unit = \"kg\" }",
        "# outside = { source = \"broker\", topic = \"hive/outside\", unit = \"°C\" }     with [sources.broker]",
        "",
        "# [light]                         the backlight at night, and when something is wrong",
        "# rules = [{ since = \"22:00\", until = \"06:30\", backlight = false }]",
        "",
        "# [log]",
        "# file = \"readings.csv\"           a line of each probe every ten seconds, 100 MB at most",
        "",
        "# [messages.from.web]             texts from elsewhere: curl -d 'Honey is ready' http://127.0.0.1:8080/",
        "# kind = \"http\"",
        "# port = 8080",
    ]  # fmt: skip
    for number, page in enumerate(pages, 1):
        lines += ["", f"[faces.{'now' if len(pages) == 1 else f'page_{number}'}]"]
        lines += [f"panel = {in_toml(panel)}"] if panel is not None else []
        labels = [title] * titled + [row.label for row in page]
        room = [geometry.columns] * titled + [max(0, geometry.columns - LEAST_NUMBER - 1)] * len(page)
        cut = ["".join(cells_of(label)[:most]) for label, most in zip(labels, room, strict=True)]
        lines += ['text = """', *[in_toml(label.rstrip())[1:-1] for label in cut], '"""', "fields = ["]
        for at, row in enumerate(page, titled):
            column = min(len(cells_of(cut[at])) + 1, geometry.columns - 1) if cut[at] else 0
            unit = f" {row.unit}" if row.unit else ""
            lines.append(f'  {{ kind = "number", of = "{row.name}", row = {at}, column = {column}, '
                         f'decimals = {DECIMALS.get(row.unit, 1)}, unit = "{unit}" }},')  # fmt: skip
        lines.append("]")
    return "\n".join(lines) + "\n"


def in_toml(text: str) -> str:
    """Text as a TOML file writes it, with its quotes. What JSON escapes, TOML does, too; and DEL."""
    return json.dumps(text, ensure_ascii=False).replace("\x7f", "\\u007f")
