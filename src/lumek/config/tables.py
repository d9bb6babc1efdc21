"""Tables of a TOML file as models, or one error that names the mistake: file, table and key, and what is possible."""

import re
import tomllib
from collections.abc import Iterable, Iterator
from difflib import get_close_matches
from pathlib import Path
from typing import Any, ClassVar, TypeVar, get_args

from pydantic import BaseModel, ConfigDict, ValidationError

from lumek._files import read_text
from lumek._harmless import harmless, quoted
from lumek._json import json_value
from lumek.config.secrets import FROM, SECRETS
from lumek.errors import LumekError

Key = tuple[int | str, ...]

LONGEST_WORD, MOST_NAMED = 100, 20
"""Characters of a word for which a near one is looked for, and names listed in an error about a missing one."""

MOST_BYTES = 256_000
"""Of a TOML file of ours."""

MOST_DOTS = 100
"""In a key, which is as many tables within each other; reading one takes a time that grows with their square."""

MOST_TABLES = 1000
"""Of one kind in a file: panels, faces, sources, probes."""


class Table(BaseModel):
    """A table of a file: strict about kinds of values, and about keys that it does not know.

    An error quotes the `description` of a key; words in quotes in it are those that are possible, and what follows
    "kind = " are the kinds of table.
    own_tables: the keys that are written as tables beside it.
    """

    model_config = ConfigDict(extra="forbid", strict=True, frozen=True, allow_inf_nan=False)
    own_tables: ClassVar[tuple[str, ...]] = ()


Model = TypeVar("Model", bound=Table)


class Tables:
    """The tables of a TOML file.

    kind: "hookup file", as errors call it.
    error: what they are.
    json: whether the text is JSON instead.
    whole: what errors call it where they name no table.
    """

    def __init__(
        self, text: str, source: str, kind: str, error: type[LumekError], json: bool = False, whole: str = "the file"
    ) -> None:
        self.source = source
        self._whole = whole
        self.error = error
        try:
            if json:
                self.raw = json_value(text)
                return
            refuse_deep_keys(text)
            self.raw = tomllib.loads(text)
        except RecursionError:
            raise error(f"{source} is nested too deeply for a {kind}") from None
        except ValueError as problem:  # TOMLDecodeError, or a number of thousands of digits
            raise error(f"{source} is not {'JSON' if json else 'TOML'}: {problem}") from None

    def refuse_unknown(self, known: Iterable[str]) -> None:
        """Raise an error for what is not a table, and for a table whose name is not known."""
        known = list(known)
        for name, table in self.raw.items():
            if name not in known:
                near = nearest(name, known)
                shown = harmless(name, LONGEST_WORD)
                raise self.error(f"{self.source} has no table [{shown}]{near}: tables are {', '.join(known)}")
            if not isinstance(table, dict):
                raise self.error(
                    f"{self.source}: {name} = {in_file(name, table)} is not possible: it is a table, [{name}]"
                )
            if len(table) > MOST_TABLES:
                raise self.error(f"{self.source}: [{name}] has {len(table)} entries, of at most {MOST_TABLES}")

    def checked(self, model: type[Model], raw: Any, table: str, inner: str) -> Model:
        """The model of a table.

        raw: what the file says.
        table: its name in the file; "" for the keys before the first table.
        inner: what the names of the tables in it begin with.
        """
        try:
            return model.model_validate(raw, context=Path(self.source).parent)
        except ValidationError as problem:
            errors = problem.errors(include_url=False)
        # A misspelt key is also a missing one: say the former.
        errors.sort(key=lambda error: error["type"] != "extra_forbidden")
        texts = list(dict.fromkeys(_told(model, raw, error, table, inner, self._whole) for error in errors))
        keys = {text.split(" is not possible")[0] for text in texts}
        more = f" (and {len(keys) - 1} more after that)" if len(keys) > 1 else ""
        raise self.error(f"{self.source}: {texts[0]}{more}")


def file_text(path: Path, kind: str, command: str, error: type[LumekError]) -> str:
    """The text of a file, or an error that says why there is none; `command` writes one."""
    try:
        return read_text(path, MOST_BYTES)
    except FileNotFoundError:
        others = ", ".join(sorted(one.name for one in path.parent.glob("*.toml"))[:MOST_NAMED]) or "none"
        raise error(f"there is no {kind} {path}; TOML files there: {others} ({command})") from None
    except UnicodeDecodeError:
        raise error(f"{path} is not text in UTF-8, as a TOML file is") from None
    except OSError as problem:
        raise error(f"the {kind} {path} cannot be read: {problem.strerror or problem}") from None


def refuse_deep_keys(text: str) -> None:
    """Raise ValueError for a key of very many parts, before it is read: "a.a.a.a..."."""
    for line in text.split("\n"):
        if line.count(".") > MOST_DOTS:
            for part in re.split(r"[^\w.\-\"' \t]", line):
                words = [word for word in part.split(".") if word.strip()]
                if len(words) > MOST_DOTS:
                    raise ValueError(f"a key, or text like one, has more than {MOST_DOTS} parts")


def _told(model: type[Table], raw: Any, error: Any, table: str, inner: str, whole: str) -> str:
    """One mistake, from the table in which it is."""
    kind = error["type"]
    key, given, owner, inside, possible = _followed(model, raw, error["loc"])
    if kind == "missing":
        key, possible = (*key, error["loc"][-1]), _fields(inside)[error["loc"][-1]]
    elif kind.startswith("union_tag"):
        key, given, possible = (*key, "kind"), given.get("kind"), possible.rpartition("kind = ")[2]
    if key and key[0] in model.own_tables:
        table, key = f"{inner}{key[0]}", key[1:]
    name = ".".join(str(part) for part in key)
    where = f"[{table}] " if table else ""
    if kind == "value_error":
        return f"{where}{f'{name}: ' if name else ''}{error['ctx']['error']}"
    if any(str(part).removesuffix(FROM) in SECRETS for part in key):
        return f"{where}{name} is not possible: {possible}"
    if kind == "missing" or kind == "union_tag_not_found":
        return f"{where}needs the key {quoted(name)}: {possible}" if name else f"the table [{table}] is missing"
    if kind == "extra_forbidden":
        keys = [one for one in _fields(owner) if one not in owner.own_tables]
        return (
            f"{where or f'{whole} '}has no key {quoted(name)}{nearest(str(key[-1]), keys)}: keys are {', '.join(keys)}"
        )
    word = key[-1] if "[key]" in error["loc"] else given
    near = nearest(word, re.findall(r"'([^']+)'", possible)) if isinstance(word, str) else ""
    return f"{where}{f'{name} ' if name else ''}= {in_file(name, given)} is not possible: {possible}{near}"


def _followed(
    model: type[Table], raw: Any, location: Iterable[int | str]
) -> tuple[Key, Any, type[Table], type[Table], str]:
    """What a location leads to: its key, what is given there, the table it is in, the table it is, what is possible.

    Parts of it that the file does not have, such as the kind of hookup that was tried, are left out.
    """
    key: Key = ()
    owner, possible, inside = model, "a table", model
    annotation: Any = model
    for part in location:
        if (part in raw) if isinstance(raw, dict) else isinstance(raw, list) and isinstance(part, int):
            owner, raw, key = inside, raw[part], (*key, part)
            field = owner.model_fields.get(str(part))
            if field:
                possible, annotation = field.description or possible, field.annotation
            inside = next(_tables(annotation, raw), inside)
    return key, raw, owner, inside, possible


def _tables(annotation: Any, raw: Any) -> Iterator[type[Table]]:
    """The models of tables in an annotation; of several the one whose kind is given."""
    if isinstance(annotation, type) and issubclass(annotation, Table):
        kind = annotation.model_fields.get("kind")
        if isinstance(raw, dict) and (kind is None or raw.get("kind") in get_args(kind.annotation)):
            yield annotation
    for one in get_args(annotation):
        yield from _tables(one, raw)


def _fields(owner: type[Table]) -> dict[str, str]:
    return {name: field.description or "" for name, field in owner.model_fields.items()}


def one_of(words: Iterable[str]) -> str:
    """Words in quotes, for the description of a key: "'left', 'centre' or 'right'"."""
    *most, last = map(repr, words)
    return f"{', '.join(most)} or {last}" if most else last


def nearest(word: str, words: Iterable[str]) -> str:
    """(did you mean ...?), if one of the words is near."""
    near = get_close_matches(word[:LONGEST_WORD].lower(), [word for word in words if len(word) <= LONGEST_WORD], n=1)
    return f" (did you mean {near[0]!r}?)" if near else ""


def in_file(name: str, value: object) -> str:
    """A value as it may be written in the file."""
    if isinstance(value, bool):
        return str(value).lower()
    if isinstance(value, int) and "address" in name and abs(value) < 1 << 32:
        return f"{value:#04x}"
    return quoted(value)
