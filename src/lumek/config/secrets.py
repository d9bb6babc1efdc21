"""Secrets of a file that are elsewhere: in the environment, or in a file of their own.

`password_from = "env:HIVE_PASSWORD"` instead of `password = "..."`; for a table of texts, such as headers,
`headers_from = { Authorization = "file:/run/secrets/hive" }`.
"""

import os
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from lumek._files import read_text
from lumek._harmless import quoted
from lumek.errors import LumekError

SECRETS = ("password", "headers", "url", "token")
"""Keys that may be elsewhere, and whose values are not shown in an error."""

FROM = "_from"

MOST_BYTES = 65_536
"""Of a file with a secret."""


def with_secrets(raw: Any, folder: Path, where: str, error: type[LumekError]) -> Any:
    """A table in which KEY has what KEY_from names.

    folder: from which the paths of files are taken.
    where: the file and table, for errors.
    Raises `error`, which never shows a secret, for what is not there.
    """
    if not isinstance(raw, Mapping):
        return raw
    filled = dict(raw)
    for key in SECRETS:
        if key + FROM not in filled:
            continue
        if key in filled:
            raise error(f"{where} has both {key} and {key}{FROM}: drop one of them")
        named = filled.pop(key + FROM)
        try:
            if isinstance(named, Mapping):
                filled[key] = {name: _secret(one, folder) for name, one in named.items()}
            else:
                filled[key] = _secret(named, folder)
        except (LookupError, OSError, ValueError) as problem:
            why = problem.strerror if isinstance(problem, OSError) else problem.args[0]
            raise error(f"{where} {key}{FROM} = {quoted(named)}: {why}") from None
    return filled


def _secret(named: Any, folder: Path) -> str:
    """What is in the environment or in a file. Raises LookupError, OSError and ValueError."""
    kind, _, name = named.partition(":") if isinstance(named, str) else ("", "", "")
    if kind == "env" and name:
        if name not in os.environ:
            raise LookupError(f"the environment has no variable {name}")
        return os.environ[name]
    if kind == "file" and name:
        return read_text(folder / name, MOST_BYTES).removesuffix("\n")
    raise LookupError("it is 'env:NAME' for a variable of the environment, or 'file:PATH'")
