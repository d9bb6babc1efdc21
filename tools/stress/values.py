"""Values that no one would give: to panels, fields, readings, filters, conversions and expressions."""

import math
import random
from decimal import Decimal
from fractions import Fraction
from pathlib import Path
from typing import Any

from attempt import HOSTILE, attempt

import lumek
from lumek import fields
from lumek.expressions.evaluate import Expression
from lumek.faces import Face
from lumek.readings import HandClock, Poller, Reading, SimulatedProbe, conversions, smoothing

VALUES = 5000
ODD: list[Any] = [
    None, True, -1, 0, 1, 5, 10**400, -(10**5000), 1e308, 5e-324, -0.0, math.nan, math.inf, -math.inf, 1j, "", "x", "1_000",
    b"x", [], {}, (), [1, 2], {"a": 1}, object(), Decimal("1e4000"), Decimal("sNaN"), Fraction(1, 10**400), lumek.Glyph([0] * 8),
    Reading(None, "x"), Reading(1.5, "x", "kg", 0.0), slice(3), type, lambda: 1, *HOSTILE,
]  # fmt: skip
FILTERS = [getattr(smoothing, name) for name in smoothing.__all__ if name not in ("Chain", "Filter", "resampled")]
FIELDS = [getattr(fields, name) for name in fields.__all__ if name[0].isupper() and name not in ("Moment", "Field")]
FUNCTIONS = [getattr(conversions, name) for name in conversions.__all__ if callable(getattr(conversions, name))]
WORDS = ["a", "b", "1", "(", ")", "+", "-", "*", "**", "/", "%", "<", "==", "and", "not", ",", "[", "]", "'x'", "min(", "dew_point(",
         "in_unit(", "flawed(a)", "age(a)", "9", "1e308", ".", "lambda", "if", ":", "=", "{", "}", "__import__('os')"]  # fmt: skip


def with_odd(chance: random.Random, function: Any) -> Any:
    """A call of a function with one to three odd values."""
    given = [chance.choice(ODD) for _ in range(chance.randint(1, 3))]
    return lambda: function(*given)


def used(field: Any, panel: lumek.Panel, chance: random.Random) -> None:
    """A field that could be made has to bear every value."""
    made = field()
    for _ in range(4):
        panel[0:2, 0:8] = made(chance.choice(ODD))


def filtered(make: Any, chance: random.Random) -> None:
    """A filter that could be made has to bear every number and time."""
    made = make()
    numbers = [chance.choice((0.0, 1.0, -1e308, 1e308, math.nan, math.inf, 5e-324)) for _ in range(8)]
    times = sorted(chance.choice((0.0, 1.0, 1e9, 1e18, 1e300, -1e300)) for _ in numbers)
    for number, time in zip(numbers, times, strict=True):
        made(number, time)
    made.over(numbers, times)


def run(chance: random.Random, times: float, folder: Path) -> tuple[str, list[str]]:
    """Do it; what was done, and what went wrong."""
    failures: list[str] = []
    count = round(VALUES * times)
    panel = lumek.simulate("20x4")
    kinds = (TypeError, ValueError, AttributeError, OverflowError)
    for number in range(count):
        kind, odd = chance.randrange(10), chance.choice(ODD)
        if kind == 0:
            attempt(f"value {number}: cells", lambda odd=odd: panel.__setitem__(slice(None), odd), failures, kinds[:1])
        elif kind == 1:
            attempt(f"value {number}: number", with_odd(chance, lumek.number), failures, kinds[:1])
        elif kind == 2:
            attempt(f"value {number}: text", lambda odd=odd: lumek.Text(odd, wrap=True).laid_out(4, 20), failures)
        elif kind == 3:
            attempt(f"value {number}: reading", lambda odd=odd: Reading.of(odd, "x").described(), failures)
        elif kind == 4:
            field = chance.choice(FIELDS)
            made = with_odd(chance, field)
            attempt(f"value {number}: {field.__name__}", lambda made=made: used(made, panel, chance), failures, kinds)
        elif kind == 5:
            text = " ".join(chance.choice(WORDS) for _ in range(chance.randint(1, 40)))
            attempt(f"value {number}: {text!r}", lambda text=text: Expression(text, ["a", "b"]).reading(
                {"a": Reading(1.0, "a"), "b": Reading(None, "b")}), failures)  # fmt: skip
        elif kind == 6:
            make = chance.choice(FILTERS)
            made = with_odd(chance, make)
            attempt(f"value {number}: {make.__name__}", lambda made=made: filtered(made, chance), failures, kinds)
        elif kind == 7:
            function = chance.choice(FUNCTIONS)
            attempt(f"value {number}: {function.__name__}", with_odd(chance, function), failures, kinds)
        elif kind == 8:
            name = chance.choice(("backlight", "contrast", "cursor", "cursor_shape", "leftward", "visible", "backlite"))
            attempt(f"value {number}: {name}", lambda name=name, odd=odd: setattr(panel, name, odd), failures)
        else:
            attempt(f"value {number}: poller", lambda odd=odd: polled(odd), failures, kinds)
    if panel.twin.violations:
        failures.append(f"the panel was treated wrongly: {panel.twin.violations[0]}")
    return f"{count} odd values", failures


def polled(odd: Any) -> None:
    """A poller, a probe and a face with an odd setting."""
    clock = HandClock()
    with Poller([SimulatedProbe("a", 1.0, clock=clock)], odd, clock=clock, threads=False) as poller:
        clock.advance(1.0)
        poller.poll_due()
    Face("16x2", "x", seconds=odd)
    Expression(odd)
