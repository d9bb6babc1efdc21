"""Reading a hookup file: from TOML to tables, or to one error that tells the mistake."""

import re
import tomllib
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from difflib import get_close_matches
from pathlib import Path
from typing import Any, TypeVar, get_args

from pydantic import ValidationError

from lumek.errors import HookupError
from lumek.hookup.keys import KINDS, Table
from lumek.hookup.model import Host, Module

Key = tuple[int | str, ...]
Model = TypeVar("Model", bound=Table)

OWN_TABLES = ("hookup", "backlight", "contrast")
"""What a panel has besides [panel]."""

ONLY = "panel"
"""The name of the one panel in a file that names none."""

MOST_BYTES = 1_000_000

LONGEST_NAME = 64
"""Of a panel."""


@dataclass(frozen=True)
class Hookup:
    """What a hookup file says.

    source: the file. host: its [host], if it has one. panels: name -> module; "panel" is the only one of a file that
    names none.
    """

    source: str
    host: Host | None
    panels: Mapping[str, Module]

    def only(self, name: str) -> "Hookup":
        """The same with one of its panels. Raises HookupError when there is none of that name."""
        if name not in self.panels:
            there = ", ".join(repr(one) for one in self.panels)
            raise HookupError(f"{self.source} has no panel {name!r}{_nearest(name, self.panels)}: it has {there}")
        return Hookup(self.source, self.host, {name: self.panels[name]})


def read(file: str | Path) -> Hookup:
    """Read a hookup file.

    Raises HookupError, one line that names file, table and key, when it cannot be read or says what is not possible.
    Whether what it says can work is told by `lumek.hookup.checks.check`.
    """
    path = Path(file)
    try:
        if path.stat().st_size > MOST_BYTES:
            raise HookupError(f"{path} has more than {MOST_BYTES} bytes: it is no hookup file")
        text = path.read_text(encoding="utf-8")
    except FileNotFoundError:
        others = ", ".join(sorted(one.name for one in path.parent.glob("*.toml"))) or "none"
        raise HookupError(
            f"there is no hookup file {path}; TOML files there: {others} ('lumek hookup new {path}' writes one)"
        ) from None
    except UnicodeDecodeError:
        raise HookupError(f"{path} is not text in UTF-8, as a TOML file is") from None
    except OSError as problem:
        raise HookupError(f"{path} cannot be read: {problem.strerror or problem}") from None
    return parse(text, str(path))


def parse(text: str, source: str) -> Hookup:
    """What the text of a hookup file says; `source` names it in errors. Raises HookupError."""
    try:
        tables = tomllib.loads(text)
    except RecursionError:
        raise HookupError(f"{source} is nested too deeply for a hookup file") from None
    except ValueError as problem:  # TOMLDecodeError, or a number of thousands of digits
        raise HookupError(f"{source} is not TOML: {problem}") from None
    named = "panels" in tables
    known = ["panels", "host"] if named else ["panel", *OWN_TABLES, "host"]
    for name, table in tables.items():
        if named and name in ("panel", *OWN_TABLES):
            raise HookupError(f"{source} has both [panels] and [{name}]: with [panels.NAME] each panel has its own")
        if name not in known:
            near = _nearest(name, known)
            raise HookupError(_shown(f"{source} has no table [{name}]{near}: tables are {', '.join(known)}"))
        if not isinstance(table, dict):
            raise HookupError(f"{source}: {name} = {_written(name, table)} is not possible: it is a table, [{name}]")
    host = _checked(Host, tables["host"], source, "host", "host.") if "host" in tables else None
    if named:
        modules = {name: (table, f"panels.{name}", f"panels.{name}.") for name, table in tables["panels"].items()}
        for name in modules:
            if not name.isprintable() or not 0 < len(name) <= LONGEST_NAME:
                raise HookupError(
                    _shown(f"{source}: a panel's name is 1 to {LONGEST_NAME} printable characters, not {name!r}")
                )
        if not modules:
            raise HookupError(f"{source}: [panels] is empty: give each panel its table, as [panels.left]")
    else:
        if "panel" not in tables:
            raise HookupError(f"{source} needs the table [panel], with at least size = '20x4', or [panels.NAME]")
        own = {name: tables[name] for name in OWN_TABLES if name in tables}
        modules = {ONLY: ({**tables["panel"], **own}, "panel", "")}
    return Hookup(source, host, {name: _checked(Module, table, source, *places)
                                 for name, (table, *places) in modules.items()})  # fmt: skip


def _checked(model: type[Model], raw: Any, source: str, table: str, inner: str) -> Model:
    """The model of a table; `table` is its name in the file and `inner` begins those of the tables in it."""
    try:
        return model.model_validate(raw, context=Path(source).parent)
    except ValidationError as problem:
        errors = problem.errors(include_url=False)
    # A misspelt key is also a missing one: say the former.
    errors.sort(key=lambda error: error["type"] != "extra_forbidden")
    texts = list(dict.fromkeys(_told(model, raw, error, table, inner) for error in errors))
    keys = {text.split(" is not possible")[0] for text in texts}
    more = f" (and {len(keys) - 1} more after that)" if len(keys) > 1 else ""
    raise HookupError(_shown(f"{source}: {texts[0]}{more}"))


def _told(model: type[Table], raw: Any, error: Any, table: str, inner: str) -> str:
    """One mistake, from the table in which it is."""
    kind = error["type"]
    key, given, owner, inside, possible = _followed(model, raw, error["loc"])
    if kind == "missing":
        key, possible = (*key, error["loc"][-1]), _fields(inside)[error["loc"][-1]]
    elif kind.startswith("union_tag"):
        key, given, possible = (*key, "kind"), given.get("kind"), KINDS
    if model is Module and key and key[0] in OWN_TABLES:
        table, key = f"{inner}{key[0]}", key[1:]
    name = ".".join(str(part) for part in key)
    if kind == "value_error":
        return f"[{table}] {f'{name}: ' if name else ''}{error['ctx']['error']}"
    if kind == "missing" or kind == "union_tag_not_found":
        return f"[{table}] needs the key {name!r}: {possible}" if name else f"the table [{table}] is missing"
    if kind == "extra_forbidden":
        keys = [one for one in _fields(owner) if owner is not Module or one not in OWN_TABLES]
        return f"[{table}] has no key {name!r}{_nearest(str(key[-1]), keys)}: keys are {', '.join(keys)}"
    word = key[-1] if "[key]" in error["loc"] else given
    near = _nearest(word, re.findall(r"'([^']+)'", possible)) if isinstance(word, str) else ""
    return f"[{table}] {f'{name} ' if name else ''}= {_written(name, given)} is not possible: {possible}{near}"


def _followed(
    model: type[Table], raw: Any, location: Iterable[int | str]
) -> tuple[Key, Any, type[Table], type[Table], str]:
    """What a location leads to: its key, what is given there, the table it is in, the table it is, what is possible.

    Parts of it that the file does not have, such as the kind of hookup that was tried, are left out.
    """
    key: Key = ()
    owner, possible, inside = model, "a table", model
    for part in location:
        if (part in raw) if isinstance(raw, dict) else isinstance(raw, list) and isinstance(part, int):
            owner, raw, key = inside, raw[part], (*key, part)
            field = owner.model_fields.get(str(part))
            if field:
                possible = field.description or possible
                inside = next(_tables(field.annotation, raw), inside)
    return key, raw, owner, inside, possible


def _tables(annotation: Any, raw: Any) -> Iterator[type[Table]]:
    """The models of tables in an annotation; of several the one whose kind is given."""
    if isinstance(annotation, type) and issubclass(annotation, Table):
        kind = annotation.model_fields.get("kind")
        if kind is None or (isinstance(raw, dict) and raw.get("kind") in get_args(kind.annotation)):
            yield annotation
    for one in get_args(annotation):
        yield from _tables(one, raw)


def _shown(text: str) -> str:
    """A text on one line, whatever the names in it are made of."""
    return "".join([letter if letter.isprintable() else repr(letter)[1:-1] for letter in text])


def _fields(owner: type[Table]) -> dict[str, str]:
    return {name: field.description or "" for name, field in owner.model_fields.items()}


def _nearest(word: str, words: Iterable[str]) -> str:
    """(did you mean ...?), if one of the words is near."""
    near = get_close_matches(word.lower(), list(words), n=1)
    return f" (did you mean {near[0]!r}?)" if near else ""


def _written(name: str, value: object) -> str:
    """A value as it may stand in the file."""
    if isinstance(value, bool):
        return str(value).lower()
    if isinstance(value, int) and "address" in name and abs(value) < 1 << 32:
        return f"{value:#04x}"
    text = repr(value) if isinstance(value, (str, list, dict)) else str(value)
    return text if len(text) <= 60 else f"{text[:57]}..."
