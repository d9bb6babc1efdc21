"""Formulas and conditions: a small language in which nothing can be reached but what is named here.

Numbers, names of probes, + - * / // % ** and parentheses; == != < <= > >=, also in a row (20 < brood < 38); and, or,
not; "text" to compare the words of a probe with; abs, min, max, round; the conversions of `lumek.readings.conversions`;
flawed(probe), which is true for a reading that is missing, invalid or stale, and age(probe), its age in seconds.

Numbers are floats, so that none grows beyond bounds, and there are no loops: a text takes a time that is bounded by its
length, which is too.
"""

import ast
import operator
from collections.abc import Callable, Mapping
from difflib import get_close_matches
from math import isfinite, nan
from typing import Any

from lumek._harmless import quoted
from lumek.errors import FaceError, LumekError
from lumek.expressions.parse import DEEPEST, POSSIBLE, TOO_COMPLEX, operands, parsed, source
from lumek.fields.field import UNKNOWN
from lumek.readings.reading import Reading, one_line

MOST_NAMED = 20
"""Probes listed in an error about another one."""

RANK = ("over", "under", "stale", "invalid", "missing")
"""Flaws; of several that go into a formula the last of these stays."""

# What is given is numbers, or None for what is not known; so is what comes out.
Run = Callable[["_Readings"], Any]

ARITHMETIC: dict[type[ast.AST], Callable[..., Any]] = {
    ast.Add: operator.add, ast.Sub: operator.sub, ast.Mult: operator.mul, ast.Div: operator.truediv,
    ast.FloorDiv: operator.floordiv, ast.Mod: operator.mod, ast.Pow: operator.pow,
    ast.USub: operator.neg, ast.UAdd: operator.pos,
}  # fmt: skip
COMPARISONS: dict[type[ast.AST], Callable[[Any, Any], bool]] = {
    ast.Eq: operator.eq, ast.NotEq: operator.ne, ast.Lt: operator.lt, ast.LtE: operator.le, ast.Gt: operator.gt,
    ast.GtE: operator.ge,
}  # fmt: skip
PLAIN: dict[str, Callable[..., Any]] = {
    "abs": abs, "min": min, "max": max, "round": lambda number, places=0.0: round(number, int(places)),
}  # fmt: skip
OF_READINGS: dict[str, Callable[[Reading], Any]] = {
    "flawed": lambda reading: reading.flaw in UNKNOWN,
    "age": lambda reading: reading.age_s,
}
NO_CONVERSIONS = {"Fit", "LEAD_BATTERY", "LITHIUM_CELL", "fit_polynomial", "fit_thermistor", "thermocouple_range"}
TABLES = {"LEAD_BATTERY", "LITHIUM_CELL"}


Readable = Reading | float | str | None
"""What an expression takes for a probe: a reading, or its bare value."""


class Expression:
    """A formula or a condition over readings.

    text: as described above.
    names: of the probes that may be named; None for any.
    Raises FaceError for anything but an expression, and for a name that does not exist.

    >>> Expression("weight - 12.5").value({"weight": 41.0})
    28.5
    """

    def __init__(self, text: str, names: "list[str] | None" = None) -> None:
        if not isinstance(text, str) or not text.strip():
            raise FaceError(f"an expression is text, as 'weight > 40', not {quoted(text)}")
        self.text = text
        self.names: set[str] = set()
        self._allowed = names
        tree = parsed(text)
        if isinstance(tree, (ast.Tuple, ast.List)):
            raise FaceError(f"{quoted(text)} is a list, and an expression has one value: lists are for functions")
        self._run = self._compiled(tree, 0)

    def __repr__(self) -> str:
        return f"Expression({self.text!r})"

    def value(self, readings: Mapping[str, Readable]) -> Any:
        """The number, or True or False, or None when it cannot be known. Raises KeyError for a probe that lacks."""
        return self._run(_Readings(readings))

    def holds(self, readings: Mapping[str, Readable]) -> bool:
        """Whether it is known to be true."""
        return bool(self.value(readings) or False)

    def reading(self, readings: Mapping[str, Readable], name: str = "", unit: str = "") -> Reading:
        """The value, with the worst flaw that goes in and the newest time; a known condition has no flaw."""
        run = _Readings(readings)
        value = self._run(run)
        time = max((reading.time for reading in run.used), default=0.0)
        age_s = max((reading.age_s for reading in run.used), default=0.0)
        worst = max(run.flaws, key=lambda flaw: RANK.index(flaw[0]), default=None)
        flaw, cause = worst or (None, "")
        if isinstance(value, bool):  # it is known, whatever was not
            return Reading(value, name, unit, time, age_s=age_s)
        if isinstance(value, str):
            return Reading(None, name, unit, time, flaw, text=value, cause=cause, age_s=age_s)
        if value is None or not isfinite(value):
            if flaw is None or flaw in ("over", "under"):
                flaw, cause = "invalid", f"{self.text} has no value"
            return Reading(nan, name, unit, time, flaw, cause=cause, age_s=age_s)
        return Reading(float(value), name, unit, time, flaw, cause=cause, age_s=age_s)

    def _compiled(self, node: ast.AST, depth: int) -> Run:
        """The function that a part of the expression is."""
        if depth > DEEPEST:
            raise FaceError(f"{self.text[:30]!r}... is nested too deeply: {TOO_COMPLEX}")
        if isinstance(node, ast.Constant) and isinstance(node.value, (int, float, str)):
            constant = self._constant(node.value)
            return lambda run: constant
        if isinstance(node, ast.Name):
            return self._named(node.id)
        inner = [self._compiled(part, depth + 1) for part in operands(node)]
        if isinstance(node, ast.BinOp) and type(node.op) in ARITHMETIC:
            return _applied(ARITHMETIC[type(node.op)], [_number(part) for part in inner])
        if isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.Not):
            return lambda run: None if (known := inner[0](run)) is None else not known
        if isinstance(node, ast.UnaryOp) and type(node.op) in ARITHMETIC:
            return _applied(ARITHMETIC[type(node.op)], [_number(part) for part in inner])
        if isinstance(node, ast.BoolOp):
            return _joined(inner, isinstance(node.op, ast.Or))
        if isinstance(node, ast.Compare) and all(type(op) in COMPARISONS for op in node.ops):
            return _compared([COMPARISONS[type(op)] for op in node.ops], inner)
        if isinstance(node, (ast.Tuple, ast.List)):
            return lambda run: None if None in (items := [part(run) for part in inner]) else tuple(items)
        if isinstance(node, ast.Call) and isinstance(node.func, ast.Name):
            return self._called(node, inner)
        raise FaceError(f"{source(node)} is not possible in {quoted(self.text)}: {POSSIBLE}")

    def _constant(self, value: "int | float | str") -> Any:
        if isinstance(value, (bool, str)):
            return value
        try:
            number = float(value)
        except OverflowError:
            number = nan
        if not isfinite(number):
            raise FaceError(f"a number in {self.text[:60]!r} is too large")
        return number

    def _named(self, name: str) -> Run:
        if name in TABLES:
            table = getattr(_conversions(), name)
            return lambda run: table
        self._note(name)

        def named(run: _Readings) -> Any:
            reading = run.read(name)
            if reading.flaw is None and reading.text is not None:
                return reading.text
            if reading.flaw is not None:
                run.flaws.append((reading.flaw, reading.cause or f"{name} is {reading.flaw}"))
            return None if reading.flaw in UNKNOWN else float(reading)

        return named

    def _note(self, name: str) -> None:
        if self._allowed is not None and name not in self._allowed:
            functions = ", ".join([*PLAIN, *OF_READINGS])
            near = get_close_matches(name, self._allowed, n=1)
            hint = f"did you mean {quoted(near[0])}? There" if near else "there"
            named = ", ".join(self._allowed[:MOST_NAMED]) + (", ..." if len(self._allowed) > MOST_NAMED else "")
            hint += f" are {named or 'none'}; and the functions {functions} and the conversions"
            if not self._allowed:
                hint = "there are no probes: give them as the third argument of run, or in the table [probes] of a file"
            if name in (*PLAIN, *OF_READINGS):
                hint = f"{name} is a function: write {name}(...)"
            raise FaceError(f"there is no probe {quoted(name)} for {quoted(self.text)}: {hint}")
        self.names.add(name)

    def _called(self, node: ast.Call, inner: list[Run]) -> Run:
        name = node.func.id if isinstance(node.func, ast.Name) else ""
        if name in OF_READINGS:
            if len(node.args) != 1 or node.keywords or not isinstance(node.args[0], ast.Name):
                raise FaceError(f"{name} takes the name of a probe, as {name}(weight), in {quoted(self.text)}")
            probe, of_reading = node.args[0].id, OF_READINGS[name]
            return lambda run: of_reading(run.read(probe))
        function = PLAIN.get(name) or _conversion(name)
        if function is None:
            known = [*PLAIN, *OF_READINGS, *conversions()]
            raise FaceError(
                f"there is no function {quoted(name)} for {quoted(self.text)}: there are {', '.join(known)}"
            )
        if any(key.arg is None for key in node.keywords):
            raise FaceError(f"** is not possible in {quoted(self.text)}: {POSSIBLE}")
        given = [str(key.arg) for key in node.keywords]
        count = len(inner) - len(given)
        # Text is a setting, such as a unit, and is part of the expression itself; it never comes from a probe.
        written = [*node.args, *[key.value for key in node.keywords]]
        inner = [part if isinstance(arg, ast.Constant) else _no_text(part)
                 for arg, part in zip(written, inner, strict=True)]  # fmt: skip
        called = _applied(lambda *values: function(*values[:count], **dict(zip(given, values[count:], strict=True))),
                          inner)  # fmt: skip
        self._tried(function, node)
        return called

    def _tried(self, function: Callable[..., Any], node: ast.Call) -> None:
        """Call a function once, so that what can never work is reported now; 1 takes the place of what is read."""
        try:
            values = [_literal(part) for part in node.args]
            function(*values, **{str(key.arg): _literal(key.value) for key in node.keywords})
        except (TypeError, ValueError, LumekError) as problem:
            raise FaceError(f"{source(node)} is not possible in {quoted(self.text)}: {one_line(problem)}") from None
        except (ArithmeticError, LookupError):
            return


def conversions() -> list[str]:
    """The names of the conversions that an expression may call."""
    return [name for name in _conversions().__all__ if name not in NO_CONVERSIONS]


class _Readings:
    """The readings of one evaluation: those that are used, and their flaws."""

    def __init__(self, readings: Mapping[str, Readable]) -> None:
        self._readings = readings
        self.used: list[Reading] = []
        self.flaws: list[tuple[str, str]] = []

    def read(self, name: str) -> Reading:
        reading = Reading.of(self._readings[name], name)
        self.used.append(reading)
        return reading


def _applied(function: Callable[..., Any], inner: list[Run]) -> Run:
    """A function of parts: unknown when a part is, or when there is no result."""

    def applied(run: _Readings) -> Any:
        values = [part(run) for part in inner]
        if None in values:
            return None
        try:
            result = function(*values)
            return result if isinstance(result, (bool, float, int)) and isfinite(result) else None
        except (ArithmeticError, ValueError, TypeError, LookupError):
            return None

    return applied


def _number(part: Run) -> Run:
    """A part that is unknown unless it is a number: text could be multiplied, and formatted, without bounds."""
    return lambda run: value if isinstance(value := part(run), (float, int)) else None


def _no_text(part: Run) -> Run:
    return lambda run: None if isinstance(value := part(run), str) else value


def _compared(operators: list[Callable[[Any, Any], bool]], inner: list[Run]) -> Run:
    def compared(run: _Readings) -> Any:
        values = [part(run) for part in inner]
        if None in values:
            return None
        try:
            return all(better(*pair) for better, *pair in zip(operators, values, values[1:], strict=False))
        except TypeError:
            return None  # text and a number

    return compared


def _joined(inner: list[Run], is_or: bool) -> Run:
    """And, or or, of parts of which some may be unknown."""

    def joined(run: _Readings) -> Any:
        unknown = False
        for part in inner:
            value = part(run)
            if value is None:
                unknown = True
            elif bool(value) == is_or:
                return is_or
        return None if unknown else not is_or

    return joined


def _literal(node: ast.expr) -> Any:
    """A value to try a function with: what is written, and 1 for what will be read."""
    try:
        return ast.literal_eval(node)
    except (ValueError, TypeError, SyntaxError, RecursionError, MemoryError):
        return getattr(_conversions(), node.id) if isinstance(node, ast.Name) and node.id in TABLES else 1.0


def _conversions() -> Any:
    from lumek.readings import conversions

    return conversions


def _conversion(name: str) -> "Callable[..., Any] | None":
    found: Callable[..., Any] | None = getattr(_conversions(), name) if name in conversions() else None
    return found
