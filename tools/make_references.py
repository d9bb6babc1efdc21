"""Writes the tables of the guides again, and the JSON Schema of the fleet, from the descriptions of the keys."""

import json
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from pydantic_core import PydanticUndefined

from lumek.faces import model as faces
from lumek.faces import probe_tables as sources
from lumek.hookup import model, wiring
from lumek.messages import broker, models, reports
from lumek.messages import tables as messages
from lumek.messages.reports import Report

DOCS = Path(__file__).parents[1] / "docs"
MARK = "<!-- keys: written by tools/make_references.py -->\n"
HOOKUP = {
    "[panel], or [panels.NAME]": model.ModuleTable,
    '[hookup], kind = "backpack"': wiring.BackpackTable,
    '[hookup], kind = "direct"': wiring.DirectTable,
    '[hookup], kind = "shift-register"': wiring.RegisterTable,
    "[backlight]": model.BacklightTable,
    "[contrast]": model.ContrastTable,
    "[host]": model.HostTable,
}
FACES = {
    "[deck]": faces.DeckTable,
    "[faces.NAME]": faces.FaceTable,
    "[light]": faces.LightTable,
    "[light] rules": faces.LightRuleTable,
    "[log]": faces.LogTable,
    "every field": faces.FieldTable,
    **{f'kind = "{table.makes.kind}"': table for table in faces.FIELDS},
    "[probes.NAME]": sources.PROBE_TABLE,
    "simulated = { ... }": sources.SimulatedTable,
    **{f'[sources.NAME], kind = "{kind}"': table for kind, table in sources.SOURCES.items()},
}
ELSEWHERE = {"hookup", "backlight", "contrast"}


MESSAGES = {
    "[messages]": messages.MessagesTable,
    **{f'[messages.from.NAME], kind = "{kind}"': table for kind, table in messages.TABLES.items()},
}
REPORTS = {"[broker]": messages.BrokerTable} | {
    one.__name__: one for one in (reports.PanelState, reports.PanelHealth, reports.HostReading, reports.FacesReport)
}
PLAIN: dict[str, Any] = {"message": models.Message, "answer": models.Answer}
"""Mark -> the keys that are listed between it and its end."""


def main() -> None:
    """Put a table for each table of the files after the mark."""
    everything: dict[str, tuple[Mapping[str, Any], set[str]]] = {
        "hookup.md": (HOOKUP, ELSEWHERE), "faces.md": (FACES, set()), "messages.md": (MESSAGES, set()),
        "fleet.md": (REPORTS, set()),
    }  # fmt: skip
    for name, (tables, left_out) in everything.items():
        file = DOCS / name
        text = file.read_text(encoding="utf-8").split(MARK)[0] + MARK
        for title, table in tables.items():
            shared = (
                set(faces.FieldTable.model_fields)
                if issubclass(table, faces.FieldTable) and table is not faces.FieldTable
                else set()
            )
            if "kind" in title or issubclass(table, faces.FieldTable):
                shared.add("kind")
            keys = {key: field for key, field in table.model_fields.items() if key not in left_out | shared}
            heading = title if issubclass(table, Report) else f"`{title}`"
            text += f"\n### {heading}\n\n"
            if issubclass(table, Report):
                text += f"`{(table.__doc__ or '').partition(':')[0]}`\n\n"
            text += table_of(keys, with_defaults=not issubclass(table, Report)) if keys else f"{NO_KEYS}\n"
        for mark, table in PLAIN.items():
            text = between(text, mark, table_of(table.model_fields, with_defaults=False))
        states = "".join([f"| `{one}` | {what} |\n" for one, what in models.STATES.items()])
        text = between(text, "states", f"| `state` | |\n|---|---|\n{states}")
        file.write_text(text, encoding="utf-8")
    (DOCS / "fleet-schema.json").write_text(json.dumps(broker.reports(), indent=1) + "\n", encoding="utf-8")


NO_KEYS = "Lines from standard input; it has no keys of its own."


def between(text: str, mark: str, table: str) -> str:
    """A text with a table between a mark and its end."""
    begin, end = f"<!-- {mark}: written by tools/make_references.py -->\n", "<!-- end -->\n"
    if begin not in text:
        return text
    before, _, rest = text.partition(begin)
    return f"{before}{begin}\n{table}\n{end}{rest.partition(end)[2]}"


def table_of(keys: Mapping[str, Any], with_defaults: bool) -> str:
    """A table of keys."""
    text = "| key | value | default |\n|---|---|---|\n" if with_defaults else "| key | value |\n|---|---|\n"
    for key, field in keys.items():
        usual = "required" if field.default is PydanticUndefined else written(field.default)
        text += (
            f"| `{key}` | {field.description} | {usual} |\n"
            if with_defaults
            else f"| `{key}` | {field.description} |\n"
        )
    return text


def written(value: object) -> str:
    """A default, as the file would state it."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return f"`{str(value).lower()}`"
    return f"`{value:g}`" if isinstance(value, (int, float)) and value < 1e5 else f"`{value!r}`"


if __name__ == "__main__":
    main()
