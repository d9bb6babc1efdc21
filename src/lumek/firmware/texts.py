"""Texts of errors in a file: a board keeps a number in memory instead of each."""

import ast
import builtins

from lumek.firmware.sources import nodes_in

ERRORS = "errors:"
QUOTED = "_harmless:quoted"


class Texts:
    """The lines of the file, see `lumek._failing.TEXTS`."""

    def __init__(self) -> None:
        self.lines: list[str] = []

    def taken_out(self, node: ast.stmt) -> ast.stmt:
        """The statement, with `raise SomeError("text")` as a call of `fail` with the number of a line."""
        taken: ast.stmt = _TakeOut(self).visit(node)
        return taken

    def number(self, line: str) -> int:
        """The number of a line, which is added when it is new."""
        if line not in self.lines:
            self.lines.append(line)
        return self.lines.index(line)


class _TakeOut(ast.NodeTransformer):
    def __init__(self, texts: Texts) -> None:
        self._texts = texts

    def visit_Raise(self, node: ast.Raise) -> ast.stmt:
        error = node.exc
        if not isinstance(error, ast.Call) or not isinstance(error.func, ast.Name) or len(error.args) != 1:
            return node
        name = error.func.id
        if not name.startswith(ERRORS) and not isinstance(getattr(builtins, name, None), type):
            return node
        template = _template(error.args[0])
        if template is None:
            return node
        text, parts = template
        quoted = "".join(["-" if _in_quotes(one) is None else "q" for one in parts])
        parts = [_in_quotes(one) or one for one in parts]
        number = self._texts.number(f"{name.removeprefix(ERRORS)}\t{quoted}\t{text}")
        call = ast.Call(ast.Name("_failing:fail", ast.Load()), [ast.Constant(number), *parts], [])
        return ast.copy_location(ast.Expr(call), node)


def _template(node: ast.expr) -> tuple[str, list[ast.expr]] | None:
    """A text for `format`, and its values; None for anything but text or an f-string."""
    if isinstance(node, ast.Constant) and isinstance(node.value, str):
        return _escaped(node.value), []
    if not isinstance(node, ast.JoinedStr):
        return None
    text, parts = "", []
    for one in node.values:
        if isinstance(one, ast.Constant):
            text += _escaped(str(one.value))
        elif isinstance(one, ast.FormattedValue):
            spec = _spec(one)
            conversion = f"!{chr(one.conversion)}" if one.conversion > 0 else ""
            known = None if spec or conversion else _known(one.value)
            if known is not None:  # a constant that was put in its place
                text += _escaped(known)
                continue
            text += "{" + conversion + spec + "}"
            parts.append(one.value)
    return text, parts


def _known(node: ast.expr) -> str | None:
    """The text of a constant, or of constants that are joined; None for anything else."""
    if isinstance(node, ast.Constant):
        return str(node.value)
    if isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute) and node.func.attr == "join":
        joined = [node.func.value, *node.args]
        inside = [one for part in joined for one in nodes_in(part)]
        if all(isinstance(one, ast.Constant | ast.Tuple | ast.expr_context) for one in inside):
            mark, parts = (ast.literal_eval(one) for one in joined)
            return str(mark.join(parts))
    return None


def _spec(value: ast.FormattedValue) -> str:
    """How a value is formatted, with its colon."""
    if not isinstance(value.format_spec, ast.JoinedStr):
        return ""
    return ":" + "".join([str(part.value) for part in value.format_spec.values if isinstance(part, ast.Constant)])


def _in_quotes(part: ast.expr) -> ast.expr | None:
    """The value of `quoted(value)`, which is then written as Python writes it by `failure`; None for anything else."""
    if isinstance(part, ast.Call) and ast.unparse(part.func) == QUOTED and len(part.args) == 1:
        return part.args[0]
    return None


def _escaped(text: str) -> str:
    return text.replace("{", "{{").replace("}", "}}")
