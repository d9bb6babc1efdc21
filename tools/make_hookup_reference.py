"""Writes the tables of docs/hookup.md anew, from the descriptions of the keys."""

from pathlib import Path

from pydantic_core import PydanticUndefined

from lumek.hookup import model, wiring

FILE = Path(__file__).parents[1] / "docs" / "hookup.md"
MARK = "<!-- keys: written by tools/make_hookup_reference.py -->\n"
TABLES = {
    "[panel], or [panels.NAME]": model.Module,
    '[hookup], kind = "backpack"': wiring.Backpack,
    '[hookup], kind = "direct"': wiring.Direct,
    '[hookup], kind = "shift-register"': wiring.Register,
    "[backlight]": model.Backlight,
    "[contrast]": model.Contrast,
    "[host]": model.Host,
}
ELSEWHERE = {"kind", "hookup", "backlight", "contrast"}


def main() -> None:
    """Put a table for each table of the file after the mark."""
    text = FILE.read_text(encoding="utf-8").split(MARK)[0] + MARK
    for name, table in TABLES.items():
        text += f"\n### `{name}`\n\n| key | what it says | when it is not said |\n|---|---|---|\n"
        for key, field in table.model_fields.items():
            if key in ELSEWHERE:
                continue
            usual = "needed" if field.default is PydanticUndefined else written(field.default)
            text += f"| `{key}` | {field.description} | {usual} |\n"
    FILE.write_text(text, encoding="utf-8")


def written(value: object) -> str:
    """A default, as it would stand in the file."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return f"`{str(value).lower()}`"
    return f"`{value:g}`" if isinstance(value, (int, float)) and value < 1e5 else f"`{value!r}`"


if __name__ == "__main__":
    main()
