"""Python source: a dict of names, characters and rows, and whatever list of numbers a program has.

    HIVE = {
        "bee": ("🐝", (0b00000, 0b01010, ...)),
    }

The rows are numbers or, for MicroPython, bytes.
"""

import ast
import json
from collections.abc import Iterator

from lumek.core.glyph import COLUMNS, LARGE_ROWS, ROWS, Glyph
from lumek.errors import GlyphError
from lumek.glyphs.formats import Options, decoded
from lumek.glyphs.formats.entries import Parsed, collected
from lumek.glyphs.glyph_set import NAME, GlyphSet, as_name, identifier

CALLS = {"bytes", "bytearray", "tuple", "list", "Glyph"}
"""Functions whose argument is taken for what they return."""


def read(data: bytes, source: str, format: str) -> GlyphSet:
    """The glyphs in Python source, which is not run. Raises GlyphError, which names the line."""
    try:
        tree = ast.parse(decoded(data, source))
    except (SyntaxError, ValueError, RecursionError, MemoryError) as problem:
        line = getattr(problem, "lineno", None)
        raise GlyphError(f"{source}{f': line {line}' if line else ''} is not Python: {problem}") from None
    found: list[Parsed] = []
    for statement in tree.body:
        if isinstance(statement, ast.Assign | ast.AnnAssign) and statement.value is not None:
            target = statement.targets[0] if isinstance(statement, ast.Assign) else statement.target
            name = target.id if isinstance(target, ast.Name) else ast.unparse(target).strip("\"'")
            found += _found(statement.value, as_name(name), None, source)
        elif isinstance(statement, ast.Expr) and not isinstance(statement.value, ast.Constant | ast.Call):
            found += _found(statement.value, "glyph", None, source)
    return collected(found, source, f"list of {ROWS} numbers")


def write(glyphs: GlyphSet, options: Options, format: str) -> bytes:
    """A module with a dict of the set."""
    lines = [f"{identifier(options.name).upper()} = {{"]
    for name, glyph, character in glyphs.entries:
        rows = ", ".join([f"0b{row:0{COLUMNS}b}" for row in glyph.numbers])
        escaped = "".join([f"\\x{row:02x}" for row in glyph.numbers])
        value = f"({rows})" if format == "python" else f'b"{escaped}"'
        draws = "None" if character is None else json.dumps(character, ensure_ascii=False)
        lines.append(f'    "{name}": ({draws}, {value}),')
    return "\n".join(["# Glyphs: the character that each draws, and its rows; the leftmost dot counts 16.",
                      *lines, "}", ""]).encode()  # fmt: skip


def _found(node: ast.expr, name: str | None, character: str | None, source: str) -> list[Parsed]:
    """The glyphs of a value."""
    node = _inside(node)
    if isinstance(node, ast.Dict):
        made: list[Parsed] = []
        for key, value in zip(node.keys, node.values, strict=True):
            word = key.value if isinstance(key, ast.Constant) and isinstance(key.value, str) else None
            value = _inside(value)
            draws = None
            if isinstance(value, ast.Tuple) and len(value.elts) == 2 and isinstance(value.elts[0], ast.Constant) and (
                isinstance(value.elts[0].value, str | None)
            ):  # fmt: skip
                draws, value = value.elts[0].value, _inside(value.elts[1])
            elif word is not None and not NAME.fullmatch(word):
                word, draws = None, word  # {"🐝": [...]}
            made += _found(value, word, draws, source)
        return made
    rows = list(_numbers(node))
    if isinstance(node, ast.List | ast.Tuple) and node.elts and not rows:
        inner = [_found(one, None, None, source) for one in node.elts]
        flat = [one for some in inner for one in some]
        return [(f"{name}_{number}" if name and own is None else own, glyph, draws)
                for number, (own, glyph, draws) in enumerate(flat, 1)] if len(flat) > 1 else [
                (name, glyph, draws) for _, glyph, draws in flat]  # fmt: skip
    if not rows:
        return []
    where = f"{source}: line {node.lineno}"
    try:
        if len(rows) % ROWS == 0 and len(rows) > ROWS:
            parts = [Glyph(rows[at : at + ROWS]) for at in range(0, len(rows), ROWS)]
            return [(f"{name}_{number}" if name else None, glyph, None) for number, glyph in enumerate(parts, 1)]
        if len(rows) not in (ROWS, LARGE_ROWS):
            raise GlyphError(f"{len(rows)} numbers are not a glyph, which has {ROWS}")
        return [(name, Glyph(rows), character)]
    except GlyphError as problem:
        raise GlyphError(f"{where}: {problem}") from None


def _inside(node: ast.expr) -> ast.expr:
    """A value without calls around it that change nothing: bytearray([...])."""
    while isinstance(node, ast.Call) and len(node.args) == 1 and isinstance(node.func, ast.Name | ast.Attribute):
        name = node.func.id if isinstance(node.func, ast.Name) else node.func.attr
        if name not in CALLS:
            break
        node = node.args[0]
    return node


def _numbers(node: ast.expr) -> Iterator[int]:
    """The whole numbers of a list, tuple or bytes; nothing for anything else."""
    if isinstance(node, ast.Constant) and isinstance(node.value, bytes):
        yield from node.value
    elif isinstance(node, ast.List | ast.Tuple):
        values = [one.value for one in node.elts if isinstance(one, ast.Constant)]
        if len(values) == len(node.elts):
            yield from [value for value in values if isinstance(value, int) and not isinstance(value, bool)]
