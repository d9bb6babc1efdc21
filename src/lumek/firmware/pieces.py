"""Definitions on their way into the files of a board, and what is said of them."""

import ast
from collections.abc import Iterable, Mapping, Sequence

from lumek.firmware.sources import EXTERNAL, nodes_in, references

MAIN = ""
"""The main file: the package itself."""

START = "start"
"""The file with what is called once."""

END = f"{START}:end"
"""The function in it that takes it back."""

LATER, PART, ONCE = "_later:later", "_later:part", "_later:once"
SETTABLE, GIVE_UP = "_later:settable", "_later:give_up"
FAIL = "_failing:fail"

NAMES, FILE, WHOLE = "names", "file", "whole"
"""Mark a text that consists of names of methods, one that is the name of a file, and one that is that in full."""

ASIDE_FILE = "_aside"
"""Ends the name of a file with functions that are loaded when they are called."""


class Piece:
    """A definition on its way into a file.

    names: full names of what it binds. later: methods of a class that were taken out, by the module they are from.
    """

    def __init__(self, module: str, names: tuple[str, ...], node: ast.stmt) -> None:
        self.module, self.names, self.node = module, names, node
        self.origin: dict[str, str] = {}
        self.later: dict[str, list[ast.FunctionDef]] = {}

    @property
    def bases(self) -> list[str]:
        """The classes of Lumek's that a class inherits from."""
        bases = self.node.bases if isinstance(self.node, ast.ClassDef) else []
        return [one.id for one in bases if isinstance(one, ast.Name) and ":" in one.id]

    @property
    def members(self) -> list[ast.stmt]:
        """The statements of a class; none of anything else."""
        return self.node.body if isinstance(self.node, ast.ClassDef) else []


def names_of(nodes: Iterable[ast.AST]) -> set[str]:
    """The full names in statements, besides those that the interpreter brings."""
    return {name for node in nodes for name in references(node) if not name.startswith(EXTERNAL)}


def imported_by(nodes: Iterable[ast.AST]) -> set[str]:
    """The full names of what functions import when they get there."""
    imports = [one for node in nodes for one in nodes_in(node) if isinstance(one, ast.ImportFrom)]
    return {alias.name for one in imports for alias in one.names if ":" in alias.name}


def names_in(nodes: Sequence[ast.AST]) -> set[str]:
    """All full names of Lumek's in statements."""
    return names_of(nodes) | imported_by(nodes)


def attributes_of(nodes: Iterable[ast.AST]) -> set[str]:
    """The names of attributes in statements."""
    return {one.attr for node in nodes for one in nodes_in(node) if isinstance(one, ast.Attribute)}


def in_full(node: ast.stmt, full: Mapping[str, str]) -> ast.stmt:
    """A statement in which some names are replaced by full ones."""
    for one in nodes_in(node):
        if isinstance(one, ast.Name):
            one.id = full.get(one.id, one.id)
    return node


def looking(arguments: str, thing: str, where: Mapping[str, Sequence[str]]) -> ast.stmt:
    """The function `__getattr__` that finds names in other files: module -> names."""
    look = ast.parse(f"def __getattr__({arguments}):\n    return LATER({thing}, name, WHERE)").body[0]
    parts: list[ast.expr] = []
    for module, names in where.items():
        parts += [ast.Constant(module, FILE), ast.Constant(" ".join(names), NAMES)]
    table = ast.Tuple(parts, ast.Load())
    assert isinstance(look, ast.FunctionDef)
    assert isinstance(look.body[0], ast.Return)
    assert isinstance(look.body[0].value, ast.Call)
    look.body[0].value.args[2] = table
    return in_full(look, {"LATER": LATER})
