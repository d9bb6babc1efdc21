"""Errors of a board, whose texts are in a file: `lumek.firmware` writes it, and calls of `fail` in their place."""

from lumek._harmless import quoted

TYPE_CHECKING = False
if TYPE_CHECKING:
    from typing import Any, NoReturn

TEXTS = "errors.txt"
"""The file in the package: for each error a line of its class, which of its values are quoted, and its text with places
for them, with tabs between."""


def fail(number: int, *parts: "Any") -> "NoReturn":
    """Raise the error of a line, counted from 0, with these values in its places."""
    from lumek._failing import failure  # needed only when something fails

    raise failure(number, parts)


def failure(number: int, parts: "tuple[Any, ...]") -> BaseException:
    """The error of a line, counted from 0, with these values in its places."""
    import builtins

    errors = __import__("lumek.errors", None, None, ["errors"])
    with open(__file__.rsplit("/", 1)[0] + "/" + TEXTS) as lines:
        for _ in range(number):
            lines.readline()
        kind, marks, text = lines.readline().rstrip("\n").split("\t")
    values = [quoted(part) if mark == "q" else part for mark, part in zip(marks, parts)]  # noqa: B905  MicroPython
    known: type[BaseException] = getattr(errors, kind, None) or getattr(builtins, kind)
    return known(text.format(*values))
