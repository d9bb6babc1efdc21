"""The portable modules as a board needs them: without docstrings, hints, and what only CPython runs.

Every name that means something of a module's is replaced by its full name, so that definitions can be moved from one
file to another. A full name is "module:name", as in "core.geometry:MEMORY", or "import:time" for a module that the
interpreter brings; no identifier looks like that, so nothing is mistaken for one.
"""

import ast
import pickle
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from functools import lru_cache
from importlib.resources import files
from importlib.resources.abc import Traversable
from typing import Any, TypeVar

PACKAGE = "lumek"

Copied = TypeVar("Copied", bound="ast.AST | list[ast.stmt]")

EXTERNAL = "import"
"""Stands for the module in the full name of what the interpreter brings."""

ONLY_CPYTHON = {"__array__", "_repr_png_"}
"""Methods that notebooks and NumPy call."""

BUILT_IN_ERRORS = {"also", "_Nothing"}
"""Classes of `lumek.errors` that stand in for a second, built-in ancestor of errors, which no board has."""

ABSENT = {"logging", "threading", "unicodedata", "weakref"}
"""Modules that no board has, which are tried to be imported with a way around."""

OF_CIRCUITPYTHON = {"switch_to_input", "switch_to_output", "try_lock"}
OF_MICROPYTHON = {"duty_u16", "read_u16", "sleep_us", "ticks_diff", "ticks_ms"}
"""What the objects of one have and those of the other lack: `hasattr` with these is decided here."""

OF_NEITHER = {"is_nan", "is_snan"}
"""What only numbers of `decimal` have, which is on no board."""

HELD = "_Held("
"""Begins the context of a bus that is shared, which only CircuitPython's are."""

ON_BOARDS = {
    "TYPE_CHECKING": False,
    "not TYPE_CHECKING": True,
    "sys.implementation.name != 'micropython'": False,  # CircuitPython is one, too
    "sys.implementation.name == 'micropython'": True,
}
"""What conditions are on a board."""

NOT_PORTABLE = {"roms.file", "_notebook"}
"""Modules that functions of the portable part import when a program of CPython gets there."""

WHEN_USED = "?"
"""Ends the full name of what a function imports when it gets there."""


@dataclass
class Definition:
    """One statement of a module, and the names that it binds.

    names: full names of what it binds. later: full names of what it imports when it gets there.
    """

    module: str
    names: tuple[str, ...]
    node: ast.stmt
    later: set[str]


@dataclass
class Module:
    """A portable module: its definitions in order, and what its names mean: name -> full name."""

    name: str
    definitions: list[Definition]
    names: dict[str, str]


def copied(nodes: Copied) -> Copied:
    """A copy of a tree, or of a list of trees; made thus it takes a third of the time of `copy.deepcopy`."""
    made: Copied = pickle.loads(pickle.dumps(nodes))
    return made


def nodes_in(node: ast.AST) -> list[ast.AST]:
    """A node and all in it, but for contexts of names; it takes a third of the time of `ast.walk`."""
    found = [node]
    for one in found:
        for field in one._fields:
            value = getattr(one, field, None)
            if isinstance(value, list):
                found += [part for part in value if isinstance(part, ast.AST)]
            elif isinstance(value, ast.AST) and not isinstance(value, ast.expr_context):
                found.append(value)
    return found


def exists(module: str) -> bool:
    """Whether there is a module of that name, given without "lumek."."""
    return _path(module) is not None


@lru_cache
def _outline(name: str, system: str) -> tuple[list[ast.stmt], dict[str, str]]:
    """The statements of a module besides its imports, and what its names mean."""
    path = _path(name)
    if path is None:
        raise LookupError(f"there is no module {name}")
    names: dict[str, str] = {}
    statements: list[ast.stmt] = []
    for node in _Plain(system).visit(ast.parse(path.read_text(encoding="utf-8"))).body:
        if isinstance(node, ast.Import | ast.ImportFrom):
            names.update(imported(node, system))
        else:
            statements.append(node)
            names.update({bound: f"{name}:{bound}" for bound in bound_by([node])})
    return statements, names


@lru_cache
def module_of(name: str, system: str) -> Module:
    """A module by its name without "lumek.", as `system` ("micropython" or "circuitpython") runs it."""
    statements, names = _outline(name, system)
    definitions = []
    for node in copied(statements):
        bound = tuple(f"{name}:{one}" for one in bound_by([node]))
        resolver = _Resolver(names, system)
        whole = resolver.visit(node)
        definitions.append(Definition(name, bound, whole, resolver.later))
    return Module(name, definitions, names)


def imported(node: ast.Import | ast.ImportFrom, system: str) -> dict[str, str]:
    """What an import binds: name -> full name."""
    if isinstance(node, ast.Import):
        return {alias.asname or alias.name: f"{EXTERNAL}:{alias.name}" for alias in node.names}
    module = node.module or ""
    own = module.partition(".")[2] if module.partition(".")[0] == PACKAGE else None
    found = {}
    for alias in node.names:
        local = alias.asname or alias.name
        if own is None:
            found[local] = f"{EXTERNAL}:{module}.{alias.name}"
        elif exists(f"{own}.{alias.name}" if own else alias.name):
            raise LookupError(f"{ast.unparse(node)}: portable modules import names, not modules")
        else:
            found[local] = _outline(own, system)[1].get(alias.name) or f"{own}:{alias.name}"
    return found


def bound_by(nodes: Iterable[ast.AST]) -> list[str]:
    """The names that statements bind, in order; not what functions and classes in them bind inside."""
    found: list[str] = []

    def walk(node: ast.AST) -> None:
        if isinstance(node, ast.FunctionDef | ast.ClassDef):
            found.append(node.name)
            return
        if isinstance(node, ast.Lambda | ast.ListComp | ast.SetComp | ast.DictComp | ast.GeneratorExp):
            return
        if isinstance(node, ast.Name) and not isinstance(node.ctx, ast.Load):
            found.append(node.id)
        elif isinstance(node, ast.Import | ast.ImportFrom):
            found.extend([alias.asname or alias.name for alias in node.names])
        elif isinstance(node, ast.ExceptHandler) and node.name:
            found.append(node.name)
        for child in ast.iter_child_nodes(node):
            walk(child)

    for one in nodes:
        walk(one)
    return list(dict.fromkeys(found))


def references(node: ast.AST) -> Iterator[str]:
    """The full names in a statement, besides those that are imported when they are used."""
    for one in nodes_in(node):
        if isinstance(one, ast.Name) and ":" in one.id and not one.id.endswith(WHEN_USED):
            yield one.id


def _is_portable(node: ast.ImportFrom) -> bool:
    package, _, module = (node.module or "").partition(".")
    return package == PACKAGE and module not in NOT_PORTABLE


def _path(module: str) -> Traversable | None:
    base = files(PACKAGE)
    parts = module.split(".") if module else []
    for candidate in (base.joinpath(*parts[:-1], f"{parts[-1]}.py") if parts else None,
                      base.joinpath(*parts, "__init__.py")):  # fmt: skip
        if candidate is not None and candidate.is_file():
            return candidate
    return None


class _Plain(ast.NodeTransformer):
    """Takes away what a board does not need, and decides what depends on the interpreter."""

    def __init__(self, system: str) -> None:
        self._system = system

    def visit_FunctionDef(self, node: ast.FunctionDef) -> ast.AST:
        node.returns = None
        for one in [*node.args.posonlyargs, *node.args.args, *node.args.kwonlyargs, node.args.vararg, node.args.kwarg]:
            if one is not None:
                one.annotation = None
        self.generic_visit(node)
        ends = [at for at, one in enumerate(node.body) if isinstance(one, ast.Return)]
        node.body = node.body[: ends[0] + 1 if ends else None] or [ast.Pass()]
        return node

    def visit_ClassDef(self, node: ast.ClassDef) -> ast.AST | None:
        if node.name in BUILT_IN_ERRORS:
            return None
        self.generic_visit(node)
        node.bases = [one for one in node.bases if not ast.unparse(one).startswith("also.")]  # see lumek.errors
        node.body = [
            one for one in node.body
            if not (isinstance(one, ast.FunctionDef) and one.name in ONLY_CPYTHON) and bound_by([one]) != ["__slots__"]
        ] or [ast.Pass()]  # fmt: skip
        return node

    def visit_AnnAssign(self, node: ast.AnnAssign) -> ast.AST | None:
        self.generic_visit(node)
        return None if node.value is None else ast.Assign([node.target], node.value, lineno=node.lineno)

    def visit_Assign(self, node: ast.Assign) -> ast.AST | None:
        return None if bound_by([node]) == ["TYPE_CHECKING"] else self.generic_visit(node)

    def visit_Expr(self, node: ast.Expr) -> ast.AST | None:
        return None if isinstance(node.value, ast.Constant) else self.generic_visit(node)

    def visit_If(self, node: ast.If) -> "ast.AST | list[ast.stmt] | None":
        truth = self._truth(node.test)
        if truth is None:
            self.generic_visit(node)
            node.body = node.body or [ast.Pass()]
            return node
        return [kept for one in (node.body if truth else node.orelse) for kept in self._list(self.visit(one))]

    def visit_Try(self, node: ast.Try) -> "ast.AST | list[ast.stmt]":
        first = node.body[0]
        if isinstance(first, ast.ImportFrom) and first.module in ABSENT:
            return [kept for one in node.handlers[0].body for kept in self._list(self.visit(one))]
        return self.generic_visit(node)

    def visit_Compare(self, node: ast.Compare) -> ast.AST:
        truth = ON_BOARDS.get(ast.unparse(node))
        return self.generic_visit(node) if truth is None else ast.Constant(truth)

    def visit_BoolOp(self, node: ast.BoolOp) -> ast.AST:
        """Without what is decided, as long as that comes first."""
        self.generic_visit(node)
        ends = isinstance(node.op, ast.Or)
        while isinstance(node.values[0], ast.Constant) and len(node.values) > 1:
            if bool(node.values[0].value) is ends:
                return node.values[0]
            del node.values[0]
        return node if len(node.values) > 1 else node.values[0]

    def visit_With(self, node: ast.With) -> "ast.AST | list[ast.stmt]":
        if all(ast.unparse(one.context_expr).endswith((".lock", "._lock")) for one in node.items):
            return [kept for one in node.body for kept in self._list(self.visit(one))]  # no board has such locks
        if self._system == "micropython" and ast.unparse(node.items[0].context_expr).startswith(HELD):
            return [kept for one in node.body for kept in self._list(self.visit(one))]
        return self.generic_visit(node)

    def visit_Call(self, node: ast.Call) -> ast.AST:
        if isinstance(node.func, ast.Name) and node.func.id == "hasattr" and isinstance(node.args[1], ast.Constant):
            if node.args[1].value in OF_NEITHER:
                return ast.Constant(False)
            if node.args[1].value in OF_CIRCUITPYTHON:
                return ast.Constant(self._system == "circuitpython")
            if node.args[1].value in OF_MICROPYTHON:
                return ast.Constant(self._system == "micropython")
        return self.generic_visit(node)

    def visit_IfExp(self, node: ast.IfExp) -> ast.AST:
        truth = self._truth(node.test)
        return self.generic_visit(node) if truth is None else self.visit(node.body if truth else node.orelse)

    @staticmethod
    def _list(found: "ast.AST | list[ast.stmt] | None") -> "list[Any]":
        return found if isinstance(found, list) else [] if found is None else [found]

    def _truth(self, test: ast.expr) -> bool | None:
        """What a condition is on a board, or None where that is known only there."""
        test = self.visit(test)
        text = ast.unparse(test)
        if isinstance(test, ast.Constant):
            return bool(test.value)
        if isinstance(test, ast.BoolOp) and isinstance(test.op, ast.Or):
            truths = [self._truth(one) for one in test.values]
            return True if True in truths else None if None in truths else False
        return ON_BOARDS.get(text)


class _Resolver(ast.NodeTransformer):
    """Replaces names that mean something of a module's by full names, where no local name hides them."""

    def __init__(self, names: dict[str, str], system: str) -> None:
        self._names = names
        self._system = system
        self._scopes: list[dict[str, str | None]] = []
        self._class: list[set[str]] = []
        self.later: set[str] = set()

    def _meaning(self, name: str) -> str | None:
        for scope in reversed(self._scopes):
            if name in scope:
                return scope[name]
        return self._names.get(name)

    def visit_Name(self, node: ast.Name) -> ast.Name:
        if self._class and node.id in self._class[-1]:
            return node
        meaning = self._meaning(node.id)
        if meaning is not None:
            node.id = meaning
        return node

    def visit_ImportFrom(self, node: ast.ImportFrom) -> ast.ImportFrom:
        if _is_portable(node):
            found = imported(node, self._system)
            self.later |= set(found.values())
            node.names = [ast.alias(found[one.asname or one.name]) for one in node.names]
        return node

    def visit_ClassDef(self, node: ast.ClassDef) -> ast.ClassDef:
        node.bases = [self.visit(one) for one in node.bases]
        node.decorator_list = [self.visit(one) for one in node.decorator_list]
        self._class.append(set(bound_by(node.body)))
        node.body = [self.visit(one) for one in node.body]
        self._class.pop()
        if not self._scopes and not self._class:
            node.name = self._names[node.name]
        return node

    def visit_FunctionDef(self, node: ast.FunctionDef) -> ast.FunctionDef:
        node.decorator_list = [self.visit(one) for one in node.decorator_list]
        node.args.defaults = [self.visit(one) for one in node.args.defaults]
        node.args.kw_defaults = [one and self.visit(one) for one in node.args.kw_defaults]
        local: dict[str, str | None] = dict.fromkeys([*_arguments(node.args), *bound_by(node.body)])
        for one in nodes_in(node):
            if isinstance(one, ast.Global):
                local = {name: meaning for name, meaning in local.items() if name not in one.names}
            if isinstance(one, ast.ImportFrom) and _is_portable(one):
                local.update({name: full + WHEN_USED for name, full in imported(one, self._system).items()})
        classes, self._class = self._class, []
        self._scopes.append(local)
        node.body = [self.visit(one) for one in node.body]
        self._scopes.pop()
        self._class = classes
        if not self._scopes and not self._class:
            node.name = self._names[node.name]
        return node

    def visit_Global(self, node: ast.Global) -> ast.Global:
        node.names = [self._names.get(one, one) for one in node.names]
        return node

    def visit_Lambda(self, node: ast.Lambda) -> ast.Lambda:
        node.args.defaults = [self.visit(one) for one in node.args.defaults]
        classes, self._class = self._class, []
        self._scopes.append(dict.fromkeys(_arguments(node.args)))
        node.body = self.visit(node.body)
        self._scopes.pop()
        self._class = classes
        return node

    def _comprehension(self, node: ast.ListComp | ast.SetComp | ast.DictComp | ast.GeneratorExp) -> ast.AST:
        self._scopes.append({one: None for part in node.generators for one in bound_by([part.target])})
        self.generic_visit(node)
        self._scopes.pop()
        return node

    visit_ListComp = visit_SetComp = visit_DictComp = visit_GeneratorExp = _comprehension  # noqa: N815


def _arguments(arguments: ast.arguments) -> list[str]:
    """The names of all arguments of a function."""
    every = [*arguments.posonlyargs, *arguments.args, *arguments.kwonlyargs, arguments.vararg, arguments.kwarg]
    return [one.arg for one in every if one is not None]
