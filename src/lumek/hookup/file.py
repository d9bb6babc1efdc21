"""Reading a hookup file: from TOML to tables, or to one error that names the mistake."""

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

from lumek._harmless import quoted
from lumek.config.tables import Tables, file_text, nearest
from lumek.errors import HookupError
from lumek.hookup.model import HostTable, ModuleTable

FILE = "hookup file"

ONLY = "panel"
"""The name of the one panel in a file that names none."""

LONGEST_NAME, MOST_PANELS = 64, 64
"""Characters of the name of a panel, and panels of a file."""

FACE_TABLES = ("deck", "sources", "probes", "glyphs", "faces", "light", "log")
"""Tables in the same file for what the panel shows; see `lumek.faces.file`."""


@dataclass(frozen=True)
class Hookup:
    """What a hookup file says.

    source: the file.
    host: its [host], if it has one.
    panels: name -> module; "panel" is the only one of a file that names none.
    """

    source: str
    host: HostTable | None
    panels: Mapping[str, ModuleTable]

    def only(self, name: str) -> "Hookup":
        """The same with one of its panels. Raises HookupError when there is none of that name."""
        if name not in self.panels:
            there = ", ".join(repr(one) for one in self.panels)
            raise HookupError(f"{self.source} has no panel {quoted(name)}{nearest(name, self.panels)}: it has {there}")
        return Hookup(self.source, self.host, {name: self.panels[name]})


def read(file: str | Path) -> Hookup:
    """Read a hookup file.

    Raises HookupError, one line that names file, table and key, when it cannot be read or says what is not possible.
    `lumek.hookup.checks.check` finds whether it can work.
    """
    path = Path(file)
    return parse(file_text(path, FILE, f"'lumek hookup new {path}' writes one", HookupError), str(path))


def parse(text: str, source: str) -> Hookup:
    """What the text of a hookup file says; `source` names it in errors. Raises HookupError."""
    tables = Tables(text, source, FILE, HookupError)
    raw = tables.raw
    named = "panels" in raw
    if named and (both := [name for name in ("panel", *ModuleTable.own_tables) if name in raw]):
        raise HookupError(f"{source} has both [panels] and [{both[0]}]: with [panels.NAME] each panel has its own")
    tables.refuse_unknown([*(["panels"] if named else ["panel", *ModuleTable.own_tables]), "host", *FACE_TABLES])
    host = tables.checked(HostTable, raw["host"], "host", "host.") if "host" in raw else None
    if named:
        modules = {name: (table, f"panels.{name}", f"panels.{name}.") for name, table in raw["panels"].items()}
        for name in modules:
            if not name.isprintable() or not 0 < len(name) <= LONGEST_NAME:
                raise HookupError(
                    f"{source}: a panel's name is 1 to {LONGEST_NAME} printable characters, not {quoted(name)}"
                )
        if len(modules) > MOST_PANELS:
            raise HookupError(f"{source}: [panels] has {len(modules)} tables, and at most {MOST_PANELS} are read")
        if not modules:
            raise HookupError(f"{source}: [panels] is empty: give each panel its table, as [panels.left]")
    else:
        if "panel" not in raw:
            raise HookupError(f"{source} needs the table [panel], with at least size = '20x4', or [panels.NAME]")
        own = {name: raw[name] for name in ModuleTable.own_tables if name in raw}
        modules = {ONLY: ({**raw["panel"], **own}, "panel", "")}
    return Hookup(source, host, {name: tables.checked(ModuleTable, table, *places)
                                 for name, (table, *places) in modules.items()})  # fmt: skip
