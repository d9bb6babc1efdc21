"""Constants: written where they are used, so that a board keeps no table of their names."""

import ast
from collections.abc import Iterable
from typing import TypeVar

from lumek.firmware.sources import Definition, copied, nodes_in

Node = TypeVar("Node", ast.expr, ast.stmt)

LONGEST = 40
"""Characters of text, or bytes, that are written at each place of use; an interpreter keeps one copy a file."""


def constants_of(definitions: Iterable[Definition]) -> dict[str, ast.expr]:
    """Full name -> value, of the names that stand for a number, text, bytes, or a tuple of these."""
    waiting: dict[str, ast.expr] = {}
    bound: dict[str, int] = {}
    for definition in definitions:
        for name in definition.names:
            bound[name] = bound.get(name, 0) + 1
        node = definition.node
        if isinstance(node, ast.Assign) and len(node.targets) == 1:
            target, value = node.targets[0], node.value
            if isinstance(target, ast.Name):
                waiting[target.id] = value
            elif isinstance(target, ast.Tuple) and isinstance(value, ast.Tuple):
                waiting.update({one.id: part for one, part in zip(target.elts, value.elts, strict=True)
                                if isinstance(one, ast.Name)})  # fmt: skip
    waiting = {name: value for name, value in waiting.items() if bound[name] == 1}
    known: dict[str, ast.expr] = {}
    while True:
        found = {}
        for name, value in waiting.items():
            folded = _folded(with_constants(value, known))
            if folded is not None:
                found[name] = folded
        if not found:
            return known
        known.update(found)
        waiting = {name: value for name, value in waiting.items() if name not in known}


def with_constants(node: Node, known: dict[str, ast.expr]) -> Node:
    """A copy of an expression or statement in which the names of constants are replaced by their values."""
    found: Node = _Inliner(known).visit(copied(node))
    return found


def _folded(node: ast.expr) -> ast.expr | None:
    """The value of an expression of constants alone, as a literal; None for any other."""
    allowed = (ast.Constant, ast.BinOp, ast.UnaryOp, ast.Tuple, ast.operator, ast.unaryop, ast.expr_context)
    if not all(isinstance(one, allowed) for one in nodes_in(node)):
        return None
    value = eval(compile(ast.fix_missing_locations(ast.Expression(copied(node))), "<constant>", "eval"), {})
    return _literal(value) if _is_short(value) else None


def _literal(value: object) -> ast.expr:
    return ast.parse(repr(value), mode="eval").body


def _is_short(value: object) -> bool:
    if isinstance(value, tuple):
        return all(_is_short(one) for one in value)
    return not isinstance(value, str | bytes) or len(value) <= LONGEST


class _Inliner(ast.NodeTransformer):
    def __init__(self, known: dict[str, ast.expr]) -> None:
        self._known = known

    def visit_If(self, node: ast.If) -> "ast.AST | list[ast.stmt]":
        self.generic_visit(node)
        if not isinstance(node.test, ast.Constant):
            return node
        return (node.body if node.test.value else node.orelse) or [ast.Pass()]

    def visit_IfExp(self, node: ast.IfExp) -> ast.AST:
        self.generic_visit(node)
        if not isinstance(node.test, ast.Constant):
            return node
        return node.body if node.test.value else node.orelse

    def visit_Name(self, node: ast.Name) -> ast.expr:
        value = self._known.get(node.id) if isinstance(node.ctx, ast.Load) else None
        return copied(value) if value is not None else node
