"""A face file as a module for a board: its faces, its formulas and its glyphs, for `lumek.board`."""

import ast
import math
from collections.abc import Iterable, Mapping
from graphlib import TopologicalSorter
from typing import Any

from lumek._harmless import quoted
from lumek.errors import FaceError
from lumek.expressions.parse import parsed, source
from lumek.faces.face import Face
from lumek.faces.face_file import FaceFile
from lumek.faces.model import FaceTable, FieldTable
from lumek.faces.probe_tables import VALUE, ProbeTable, filters_of, stages_of
from lumek.panel import Panel

FUNCTIONS = {"abs", "min", "max", "round"}
"""Functions that a board has, too; the conversions are for the desk."""

OPERATORS = {
    ast.Eq: "==", ast.NotEq: "!=", ast.Lt: "<", ast.LtE: "<=", ast.Gt: ">", ast.GtE: ">=",
}  # fmt: skip


class CompiledFaces:
    """The module of a face file.

    text: its source. kinds: name of a field -> its module in `lumek.fields`. names: those that a program reads.
    Raises FaceError for what a board cannot do: filters, functions that convert, ages, a light that is dimmed, several
    panels.
    """

    def __init__(self, faces: FaceFile, panel: Panel) -> None:
        self._faces = faces
        if len(faces.panels) > 1:
            raise FaceError(f"{faces.path}: a board shows the faces of one panel; this file has {len(faces.panels)}")
        self._names = list(faces.probes)
        self._formulas: dict[str, str] = {}
        self._kinds: dict[str, str] = {}
        deck = next(iter(faces.decks({name: [panel] for name in faces.panels}).values()))
        shown = [self._face(face, faces.faces[face.name]) for face in deck]
        probes = self._probes(faces.probes)
        given = [name for name, probe in faces.probes.items() if probe.formula is None]
        lines = [f"from lumek import {', '.join(sorted(['Face', *self._kinds]))}", ""]
        lines += [f"PAGE_S, REFRESH_HZ, POLL_S = {faces.deck.page_s}, {faces.deck.refresh_hz}, {faces.deck.poll_s}"]
        lines += [f"FAREWELL = {deck.farewell!r}", f"NAMES = {tuple(given)!r}"]
        lines += ["PROBES = (" + "".join([f"({name!r}, {text}), " for name, text in probes]) + ")"]
        stages = {name: text for name, probe in faces.probes.items() if (text := self._stages(name, probe))}
        lines += ["STAGES = {" + ", ".join([f"{name!r}: {text}" for name, text in stages.items()]) + "}"]
        formulas = ", ".join([f"{of!r}: {text}" for of, text in self._formulas.items()])
        lines += [f"LIGHT = {self._light()}"]
        lines += ["FORMULAS = {" + formulas + "}"]
        lines += ["", "", "def faces():", "    return ("]
        lines += [f"        {one}," for one in shown]
        lines += ["    )", "", "", "def glyphs():"]
        drawings = ", ".join([f"({character!r}, Glyph({glyph.rows!r}))" for character, glyph in faces.glyphs.items()])
        lines += ["    from lumek import Glyph", "", f"    return ({drawings},)"] if drawings else ["    return ()"]
        self.text = "\n".join(lines) + "\n"
        self.kinds, self.names = self._kinds, given

    def _face(self, face: Face, table: FaceTable) -> str:
        placed = []
        for place, one in enumerate(face.fields):
            written = table.fields[place] if place < len(table.fields) else None
            rows, columns = one.rows, one.columns
            kind = type(one.field)
            self._kinds[kind.__name__] = kind.__module__.rpartition(".")[2]
            made = self._made(written) if written is not None else f"Label({getattr(one.field, 'text', '')!r})"
            placed.append(f"({rows[0]}, {len(rows)}, {columns[0]}, {len(columns)}, {made})")
        more = [f"{key}={value}" for key, value in (
            ("seconds", table.seconds), ("only", self._condition(table.only)), ("alarm", self._condition(table.alarm)),
            ("start", table.start or None),
        ) if value is not None]  # fmt: skip
        return f"Face(({', '.join(placed)},), {', '.join(more)})" if placed else f"Face((), {', '.join(more)})"

    def _made(self, table: FieldTable) -> str:
        settings = table.settings()
        of = settings.get("of", "")
        if of and of not in self._names:
            self._formulas[of] = self._function(of)
        given = ", ".join([f"{key}={value!r}" for key, value in settings.items()])
        made = f"{table.makes.__name__}({given})"
        return f"{made}.blinking()" if table.blink else made

    def _condition(self, text: str) -> str | None:
        return self._function(text) if text else None

    def _function(self, text: str) -> str:
        return f"lambda run: {self._formula(text)}"

    def _probes(self, probes: "Mapping[str, ProbeTable]") -> "Iterable[tuple[str, str]]":
        """The probes in the order in which they need each other: those that are read have no formula."""
        needs: dict[str, set[str]] = {}
        formulas: dict[str, str] = {}
        for name, table in probes.items():
            needs[name], formulas[name] = set(), "None"
            if table.formula is not None:
                used = [one.id for one in ast.walk(parsed(table.formula)) if isinstance(one, ast.Name)]
                needs[name], formulas[name] = {one for one in used if one in probes}, self._function(table.formula)
        return [(name, formulas[name]) for name in TopologicalSorter(needs).static_order()]

    def _light(self) -> str:
        """What the backlight does: what is usual, and the rules. The panel is one whose light can only be switched."""
        faces = self._faces
        if faces.light is None:
            return "None"
        module = next(iter(faces.hookup.panels.values())) if faces.hookup is not None else None
        if module is not None and "backlight" not in module.hookup.roles and module.backlight.line is None:
            raise FaceError(f"{faces.path}: [light] needs a backlight that the board can switch: this hookup has none")
        plan = faces.light.of(faces.panels[0])
        rules = [
            f"({rule.backlight}, {span}, {self._condition(rule.only)}, {rule.flash_s}), "
            for rule, span in zip(plan.rules, plan.spans, strict=True)
        ]
        return f"({plan.usual}, ({''.join(rules)}))"

    def _stages(self, name: str, table: Any) -> str | None:
        """What follows a probe: the conversions, as formulas of a value, and its limits. None for nothing."""
        for one in filters_of(table):
            raise FaceError(
                f"{self._faces.path}: [probes.{name}] has the filter {one}, which a board does not do: let the "
                "function that reads it do so, and leave it out of the file for the board"
            )
        texts = [self._formula(text) for text in table.through]
        if table.to_unit is not None:
            texts.append(_straight(stages_of(table)[-1]))
        if not texts and table.low is None and table.high is None:
            return None
        return f"(({''.join([f'lambda run: {text}, ' for text in texts])}), {table.low!r}, {table.high!r})"

    def _formula(self, text: str) -> str:
        """An expression as Python of `lumek.board.Run`."""
        return ast.unparse(ast.fix_missing_locations(_Formula(text, self._names).visit(parsed(text))))


def _straight(convert: Any) -> str:
    """A conversion of units as a formula of a value: all of them are straight lines."""
    zero, one, hundred = convert(0.0), convert(1.0), convert(100.0)
    assert math.isclose(hundred, zero + 100 * (one - zero), rel_tol=1e-9)
    return f"run({VALUE!r}) * {(hundred - zero) / 100!r} + {zero!r}"


class _Formula(ast.NodeTransformer):
    def __init__(self, text: str, names: list[str]) -> None:
        self._text, self._names = text, names

    def visit_Name(self, node: ast.Name) -> ast.expr:
        return ast.Call(ast.Name("run", ast.Load()), [ast.Constant(node.id)], [])

    def visit_Constant(self, node: ast.Constant) -> ast.expr:
        number = isinstance(node.value, int) and not isinstance(node.value, bool)
        return ast.Constant(float(node.value)) if number and isinstance(node.value, int) else node

    def visit_BoolOp(self, node: ast.BoolOp) -> ast.expr:
        none = ast.arguments([], [], None, [], [], None, [])
        parts: list[ast.expr] = [ast.Lambda(none, self.visit(part)) for part in node.values]
        method = "either" if isinstance(node.op, ast.Or) else "both"
        return ast.Call(ast.Attribute(ast.Name("run", ast.Load()), method, ast.Load()), parts, [])

    def visit_Compare(self, node: ast.Compare) -> ast.expr:
        parts: list[ast.expr] = [self.visit(part) for part in [node.left, *node.comparators]]
        if len(parts) == 2:
            return ast.Compare(parts[0], node.ops, parts[1:])
        # All parts are looked at before they are compared: one that is unknown makes the whole unknown.
        names = [f"v{place}" for place in range(len(parts))]
        pairs = zip(names, node.ops, names[1:], strict=False)
        chain = " and ".join([f"{one} {OPERATORS[type(op)]} {other}" for one, op, other in pairs])
        return ast.Call(ast.parse(f"lambda {', '.join(names)}: {chain}", mode="eval").body, parts, [])

    def visit_Call(self, node: ast.Call) -> ast.expr:
        name = node.func.id if isinstance(node.func, ast.Name) else ""
        if name == "flawed" and isinstance(node.args[0], ast.Name):
            method = ast.Attribute(ast.Name("run", ast.Load()), "flawed", ast.Load())
            return ast.Call(method, [ast.Constant(node.args[0].id)], [])
        if name not in FUNCTIONS or node.keywords:
            raise FaceError(f"{source(node)} in {quoted(self._text)} is not possible on a board: functions there are "
                            f"flawed, {', '.join(sorted(FUNCTIONS))}")  # fmt: skip
        arguments: list[ast.expr] = [self.visit(part) for part in node.args]
        if name == "round" and len(arguments) == 2:
            arguments[1] = ast.Call(ast.Name("int", ast.Load()), [arguments[1]], [])
        return ast.Call(node.func, arguments, [])
