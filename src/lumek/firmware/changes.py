"""What is changed in classes and statements, so that their parts can go into different files."""

import ast
from collections.abc import Mapping, Sequence

from lumek.firmware.choices import RECORDS
from lumek.firmware.pieces import FAIL, GIVE_UP, Piece
from lumek.firmware.sources import WHEN_USED, copied, nodes_in

LAST = {"panel:Panel", "board:Show"}
"""The classes with whose objects a start ends."""


def later_name(special: str, owner: str) -> str:
    """The name of a special method that is loaded later; of a constructor, which others may inherit, its own."""
    if special == "__init__":
        return f"_init_{owner.rpartition(':')[2]}"
    return f"_{special.strip('_')}_later"


def stub_of(member: ast.FunctionDef, owner: str) -> ast.FunctionDef:
    """A special method that calls the one that is loaded later."""
    stub = copied(member)
    given = [one.arg for one in member.args.args]
    if member.name == "__init__":  # MicroPython keeps the names of arguments that can be given by name
        stub.args = ast.arguments([], [ast.arg(given[0])], ast.arg("a"), [], [], ast.arg("k"), [])
        given = [given[0], "*a", "**k"]
    call = ast.parse(f"{given[0]}.{later_name(member.name, owner)}({', '.join(given[1:])})", mode="eval").body
    stub.body = [ast.Expr(call) if member.name == "__init__" else ast.Return(call)]
    if member.name == "__init__" and owner in LAST:
        stub.body.append(ast.Expr(ast.Call(ast.Name(GIVE_UP, ast.Load()), [], [])))
    return stub


def given(piece: Piece, members: list[Piece]) -> ast.stmt:
    """The statement that gives methods to their class."""
    body: list[ast.stmt] = []
    for one in members:
        method = one.node
        assert isinstance(method, ast.FunctionDef)
        value: ast.expr = ast.Name(one.names[0], ast.Load())
        if method.decorator_list:
            value = ast.Call(ast.Name("property", ast.Load()), [value], [])
        target = ast.Attribute(ast.Name(piece.names[0], ast.Load()), method.name, ast.Store())
        body.append(ast.Assign([target], value, lineno=1))
        method.decorator_list = []
        method.name = one.names[0]
    return ast.If(ast.Constant(1), body, [])


def assigned(name: str, function: str) -> ast.stmt:
    """The statement that makes an attribute of a class by a function, which is given its name."""
    call = ast.Call(ast.Name(function, ast.Load()), [ast.Constant(name)], [])
    return ast.Assign([ast.Name(name, ast.Store())], call, lineno=1)


def is_settable(piece: Piece, name: str) -> bool:
    """Whether a property of a class has a setter."""
    return any(
        isinstance(one, ast.FunctionDef) and f"{name}.setter" in [ast.unparse(part) for part in one.decorator_list]
        for one in piece.members
    )


def merge(base: Piece, heir: Piece) -> None:
    """Put the members of a class into its only subclass; one that this has, too, keeps its place under another name."""
    own = {one.name for one in heir.members if isinstance(one, ast.FunctionDef)}
    called = {_inherited_in(one) for one in nodes_in(heir.node)}
    members = []
    for one in base.members:
        if isinstance(one, ast.FunctionDef) and one.name in own:
            if one.name not in called:
                continue
            one.name = inherited_name(one.name)
            heir.origin[one.name] = base.module
        elif isinstance(one, ast.FunctionDef):
            heir.origin[one.name] = base.module
        members.append(one)
    whole = _NoSuper(None).visit(heir.node)
    assert isinstance(whole, ast.ClassDef)
    assert isinstance(base.node, ast.ClassDef)
    whole.bases = base.node.bases
    whole.body = [one for one in [*members, *whole.body] if not isinstance(one, ast.Pass)] or [ast.Pass()]
    heir.node, base.node.body = whole, [ast.Pass()]


def inherited_name(name: str) -> str:
    """The name of a method of a class that has become part of its subclass, which has one of that name, too."""
    return f"_inherited_{name.strip('_')}"


def only_fails(node: ast.AST) -> bool:
    """Whether a statement raises an error or does nothing."""
    if isinstance(node, ast.If):
        return all(map(only_fails, [*node.body, *node.orelse]))
    return isinstance(node, ast.Expr) and isinstance(node.value, ast.Call) and ast.unparse(node.value.func) == FAIL


def _inherited_in(node: ast.AST) -> str | None:
    """The name of the method that `super().method(...)` calls; None for anything else."""
    if not isinstance(node, ast.Call) or not isinstance(node.func, ast.Attribute):
        return None
    owner = node.func.value
    return node.func.attr if isinstance(owner, ast.Call) and ast.unparse(owner) == "super()" else None


class _NoSuper(ast.NodeTransformer):
    """Calls of an inherited method by its class or, where there is none any more, by the name that it has now."""

    def __init__(self, base: ast.expr | None) -> None:
        self._base = base

    def visit_Call(self, node: ast.Call) -> ast.AST:
        method = _inherited_in(node)
        if method is not None and self._base is not None:
            node.func = ast.Attribute(self._base, method, ast.Load())
            node.args.insert(0, ast.Name("self", ast.Load()))
        elif method is not None:
            node.func = ast.Attribute(ast.Name("self", ast.Load()), inherited_name(method), ast.Load())
        return self.generic_visit(node)


class _NoChecks(ast.NodeTransformer):
    """Takes out calls of functions that check what was checked when the firmware was written."""

    def __init__(self, checks: Mapping[str, int | None]) -> None:
        self._checks = checks

    def visit_Expr(self, node: ast.Expr) -> ast.stmt:
        self.generic_visit(node)
        return ast.Pass() if isinstance(node.value, ast.Constant) else node

    def visit_Call(self, node: ast.Call) -> ast.expr:
        self.generic_visit(node)
        name = node.func.id if isinstance(node.func, ast.Name) else ""
        if name not in self._checks:
            return node
        number = self._checks[name]
        return ast.Constant(None) if number is None else node.args[number]


class _WithImports(ast.NodeTransformer):
    """Imports what is aside before each statement that needs it."""

    def __init__(self, aside: set[str]) -> None:
        self._aside = aside

    def generic_visit(self, node: ast.AST) -> ast.AST:
        for field in ("body", "orelse", "finalbody"):
            statements = getattr(node, field, None)
            if isinstance(statements, list) and not isinstance(node, ast.Lambda | ast.IfExp):
                setattr(node, field, [part for one in statements for part in self._with_imports(one)])
        for handler in getattr(node, "handlers", ()):
            self.generic_visit(handler)
        return node

    def _with_imports(self, node: ast.stmt) -> list[ast.stmt]:
        self.generic_visit(node)
        inside = [part for field in ("body", "orelse", "finalbody", "handlers") for part in getattr(node, field, [])]
        hidden = {id(one) for part in inside for one in nodes_in(part)}
        names = [one for one in nodes_in(node)
                 if isinstance(one, ast.Name) and one.id in self._aside and id(one) not in hidden]  # fmt: skip
        found = sorted({one.id for one in names})
        for one in names:
            one.id += WHEN_USED
        return [*[ast.ImportFrom("lumek", [ast.alias(one)], 0) for one in found], node]


def without_super(node: ast.stmt, base: ast.expr | None) -> None:
    """Let calls of inherited methods name their class."""
    _NoSuper(base).visit(node)


def without_checks(node: ast.stmt, checks: Mapping[str, int | None]) -> ast.stmt:
    """A statement without calls of functions that check what was checked before; see `choices.CHECKS`."""
    changed: ast.stmt = _NoChecks(checks).visit(node)
    return changed


def narrow_records(nodes: Sequence[ast.stmt]) -> None:
    """Take the fields out of records that a board does not need; see `choices.RECORDS`."""
    calls = [one for node in nodes for one in nodes_in(node) if isinstance(one, ast.Call)]
    for node in nodes:
        name = node.targets[0].id if isinstance(node, ast.Assign) and isinstance(node.targets[0], ast.Name) else ""
        if name in RECORDS and isinstance(node, ast.Assign) and isinstance(node.value, ast.Call):
            _, every = map(ast.literal_eval, node.value.args)
            node.value.args[1] = ast.Tuple([ast.Constant(field) for field in RECORDS[name]], ast.Load())
            for one in [one for one in calls if isinstance(one.func, ast.Name) and one.func.id == name]:
                one.args = [arg for field, arg in zip(every, one.args, strict=True) if field in RECORDS[name]]


def with_imports(node: ast.stmt, aside: set[str]) -> None:
    """Import what is aside before each statement that needs it; see `choices.ASIDE`."""
    _WithImports(aside).visit(node)
