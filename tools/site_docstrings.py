"""Docstrings for the documentation site: their parameters, each on a line of its own, as a list.

mkdocstrings loads it: see mkdocs.yml.
"""

import re
from typing import Any

import griffe

ITEM = re.compile(r"^(\w+(?:, \w+)*(?: and \w+)?): (?=\S)")
LEAD = re.compile(r"^(?:Raises|Returns|Source|Sources)\b")


def listed(text: str) -> str:
    """A docstring as Markdown: "name: description" as a list, and a paragraph for what it returns and raises."""
    lines: list[str] = []
    inside = code = False
    for line in text.split("\n"):
        if line.startswith(">>>"):
            lines += [] if code else ["", "```pycon"]
            code = True
        elif code and not line.strip():
            lines.append("```")
            code = False
        if not code:
            item = ITEM.match(line)
            if item and not LEAD.match(line):
                names = ", ".join(f"`{name}`" for name in re.split(r", | and ", item[1]))
                lines += ([] if inside else [""]) + [f"- {names}: {line[item.end() :]}"]
                inside = True
                continue
            if LEAD.match(line) or (inside and line and not line.startswith(" ")):
                lines.append("")
                inside = False
            inside = inside and bool(line.strip())
        lines.append(line)
    return "\n".join([*lines, "```"] if code else lines)


class Lists(griffe.Extension):
    """Makes lists of the parameters in every docstring."""

    def on_object(self, *, obj: griffe.Object, **_: Any) -> None:
        """Rewrite the docstring of an object."""
        if obj.docstring:
            obj.docstring.value = listed(obj.docstring.value)
