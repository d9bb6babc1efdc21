"""Tables from the constructors of classes, so that each setting is stated once.

A constructor has the name, type and default of a setting. The docstring of its class has the description, which an
error quotes and the guide lists: after the first paragraphs, a line for each parameter, "name: description.".
The description also has the range, and this is the one that the table takes:

| description | takes |
|---|---|
| "0 to 1", "1 to 65535" | numbers in that range |
| "0 or more" | numbers from there on |
| "above 0" | numbers beyond it |
| "'left', 'centre' or 'right'" | these words |
| "2, 8, 10 or 16" | these numbers |
"""

import inspect
import re
from collections.abc import Callable, Collection, Mapping
from typing import Annotated, Any, Literal, NamedTuple, TypeVar

from pydantic import Field, create_model

from lumek.config.tables import Table

PLAIN: dict[str, Any] = {
    "str": str, "int": int, "float": float, "bool": bool, "str | Glyph": str, "str | os.PathLike[str]": str,
}  # fmt: skip
"""Annotation: what a file gives for it."""

WORDS = re.compile(r"('[^']+'(?:, '[^']+')* or '[^']+')(?:$|[:;,])")
NUMBERS = re.compile(r"^(\d+(?:, \d+)+ or \d+)(?:$|[:;,])")
NUMBER = r"(-?\d+(?:\.\d+)?)"

Made = TypeVar("Made", bound=Table)


class Parameter(NamedTuple):
    """A parameter of a constructor: its annotation as text, its default (`inspect.Parameter.empty` for none)."""

    annotation: str
    default: Any
    description: str


def parameters(function: Callable[..., Any], *docs: Any) -> dict[str, Parameter]:
    """The parameters of a function, with descriptions from the docstrings of these objects, the first one first."""
    described: dict[str, str] = {}
    for doc in reversed(docs):
        described |= descriptions(inspect.getdoc(doc) or "")
    found = {}
    for name, one in inspect.signature(function).parameters.items():
        if name != "self" and one.kind not in (one.VAR_POSITIONAL, one.VAR_KEYWORD):
            annotation = one.annotation if isinstance(one.annotation, str) else inspect.formatannotation(one.annotation)
            found[name] = Parameter(annotation, one.default, described.get(name, ""))
    return found


def descriptions(doc: str) -> dict[str, str]:
    """Parameter -> description, from the lines "name: description." of a docstring and what is indented below them."""
    found = {}
    for names, text in re.findall(r"(?m)^(\w+(?:, \w+)*): (.+(?:\n[ ]+\S.*)*)", doc):
        for name in names.split(", "):
            found[name] = " ".join(text.split()).removesuffix(".")
    return found


def table(
    name: str,
    base: type[Made],
    settings: Mapping[str, Parameter],
    *,
    kinds: Mapping[str, Any] | None = None,
    needed: Collection[str] = (),
    **more: Any,
) -> type[Made]:
    """A table with a key for each setting.

    name: of the model.
    base: its base class.
    kinds: the type of a setting that no rule gives.
    needed: settings that a file must give although the constructor does not.
    more: keys that are not settings.
    """
    keys: dict[str, Any] = {}
    for key, one in settings.items():
        kind = (kinds or {}).get(key) or _kind(one)
        default = ... if one.default is inspect.Parameter.empty or key in needed else _default(one.default)
        keys[key] = (kind, Field(default, description=one.description))
    return create_model(name, __base__=base, **more, **keys)


def _default(value: Any) -> Any:
    return list(value) if isinstance(value, tuple) else value


def _kind(one: Parameter) -> Any:
    """The type of a setting: that of its annotation, within the range of its description."""
    plain = one.annotation.removesuffix(" | None")
    kind = PLAIN[plain]
    if kind is str and (words := WORDS.match(one.description)):
        kind = Literal[tuple(re.findall(r"'([^']+)'", words[1]))]
    elif kind is int and (numbers := NUMBERS.match(one.description)):
        kind = Literal[tuple(int(number) for number in re.findall(r"\d+", numbers[1]))]
    elif kind in (int, float) and (bounds := _bounds(one.description)):
        kind = Annotated[kind, Field(**bounds)]
    return kind | None if plain != one.annotation else kind


def _bounds(description: str) -> dict[str, Any]:
    if found := re.search(rf"{NUMBER} to {NUMBER}", description):
        return {"ge": float(found[1]), "le": float(found[2])}
    if found := re.search(rf"{NUMBER} or more", description):
        return {"ge": float(found[1])}
    if found := re.search(rf"above {NUMBER}", description):
        return {"gt": float(found[1])}
    return {}
