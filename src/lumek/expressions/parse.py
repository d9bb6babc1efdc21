"""From the text of an expression to its tree, which is Python's; what of that is possible, `expression` says."""

import ast
import warnings
from typing import Any

from lumek.errors import FaceError

LONGEST, DEEPEST = 500, 40
"""Characters of an expression, and how deeply its parts may be nested."""

TOO_COMPLEX = f"an expression has at most {LONGEST} characters, and {DEEPEST} levels of parentheses and operations"
POSSIBLE = "possible are numbers, names of probes, + - * / // % **, comparisons, and, or, not, and functions"


def parsed(text: str) -> ast.expr:
    """The tree of an expression. Raises FaceError for what is not an expression, and for one that is too long."""
    if len(text) > LONGEST:
        raise FaceError(f"{text[:30]!r}... has {len(text)} characters: {TOO_COMPLEX}")
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")  # Python would warn of "1 is 2" and the like, which is refused below
            tree = ast.parse(text.strip(), mode="eval").body
    except (SyntaxError, ValueError) as problem:
        why = problem.msg if isinstance(problem, SyntaxError) else str(problem)
        raise FaceError(f"{text[:60]!r} is not an expression: {why}") from None
    except (RecursionError, MemoryError):
        raise FaceError(f"{text[:30]!r}... is nested too deeply: {TOO_COMPLEX}") from None
    if _depth(tree) > 2 * DEEPEST:  # whatever walks through the tree calls itself for each level of it
        raise FaceError(f"{text[:30]!r}... is nested too deeply: {TOO_COMPLEX}")
    return tree


def _depth(tree: ast.expr) -> int:
    """How many levels a tree has."""
    levels = 0
    nodes: list[ast.AST] = [tree]
    while nodes:
        levels, nodes = levels + 1, [part for node in nodes for part in ast.iter_child_nodes(node)]
    return levels


def called_with(node: ast.expr) -> tuple[str, list[Any], dict[str, Any]]:
    """Name and settings of a call with nothing but settings, as Hampel(7). Raises FaceError for any other."""
    if not isinstance(node, ast.Call) or not isinstance(node.func, ast.Name):
        raise FaceError(f"{source(node)} is not a filter: one is its name and settings, as 'Exponential(20)'")
    try:
        return node.func.id, [ast.literal_eval(part) for part in node.args], {
            str(key.arg): ast.literal_eval(key.value) for key in node.keywords
        }  # fmt: skip
    except (ValueError, TypeError, SyntaxError, RecursionError, MemoryError):
        raise FaceError(f"{source(node)}: the settings of a filter are numbers or text") from None


def operands(node: ast.AST) -> list[ast.expr]:
    """The parts of an operation that have values."""
    if isinstance(node, ast.BinOp):
        return [node.left, node.right]
    if isinstance(node, ast.UnaryOp):
        return [node.operand]
    if isinstance(node, ast.BoolOp):
        return node.values
    if isinstance(node, ast.Compare):
        return [node.left, *node.comparators]
    if isinstance(node, (ast.Tuple, ast.List)):
        return node.elts
    if isinstance(node, ast.Call):
        return [*node.args, *[key.value for key in node.keywords]]
    return []


def source(node: ast.AST) -> str:
    """A part of an expression as it was written, or nearly so."""
    text = ast.unparse(node)
    return repr(text if len(text) <= 40 else text[:37] + "...")
