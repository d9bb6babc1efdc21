"""Writes the tables of docs/hookup.md and docs/faces.md again, from the descriptions of the keys."""

from pathlib import Path

from pydantic_core import PydanticUndefined

from lumek.faces import model as faces
from lumek.faces import probe_tables as sources
from lumek.hookup import model, wiring

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


def main() -> None:
    """Put a table for each table of the files after the mark."""
    for name, tables, left_out in (("hookup.md", HOOKUP, ELSEWHERE), ("faces.md", FACES, set())):
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
            text += f"\n### `{title}`\n\n"
            if not keys:
                text += "Lines from standard input; it has no keys of its own.\n"
                continue
            text += "| key | value | default |\n|---|---|---|\n"
            for key, field in keys.items():
                usual = "required" if field.default is PydanticUndefined else written(field.default)
                text += f"| `{key}` | {field.description} | {usual} |\n"
        file.write_text(text, encoding="utf-8")


def written(value: object) -> str:
    """A default, as the file would state it."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return f"`{str(value).lower()}`"
    return f"`{value:g}`" if isinstance(value, (int, float)) and value < 1e5 else f"`{value!r}`"


if __name__ == "__main__":
    main()
