"""Faces on a microcontroller board: what `lumek firmware` makes of a face file, over values that a program reads.

    import hive, hive_faces
    from lumek.board import run

    run(hive.panel(), hive_faces, {"weight": read_weight, "brood": read_brood})

A value is a number, text, or None for one that is missing; a function that raises gives a missing one.
"""

import time

from lumek.faces.turns import Turns, lit
from lumek.fields.field import UNKNOWN, Moment, flaw_of

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Callable, Mapping, Sequence
    from typing import Any

    from lumek.fields.field import Field
    from lumek.panel import Panel

    Value = Any
    Formula = Callable[["Run"], Value]

RANK = "over", "under", "stale", "invalid", "missing"
"""Flaws; of several that go into a formula the last of these stays. As `lumek.expressions.evaluate` has them."""


EPOCH = 946_684_800 if hasattr(time, "gmtime") and time.gmtime(0)[0] == 2000 else 0
"""Seconds from 1970 to where the clock of this Python begins; many boards begin with 2000."""


class Unknown(Exception):  # noqa: N818  no error: it ends a formula that needs a value that is not known
    """A value that a formula needs is not known."""


class Flawed:
    """A value that cannot be trusted: why not, and the number that is known all the same.

    flaw: "missing", "invalid", "stale", "under" or "over".
    """

    text = None

    def __init__(self, flaw: str, number: float | None = None) -> None:
        self.flaw = flaw
        self.number = number


class Run:
    """One evaluation of a formula: called with the name of a value, it gives its number, and notes its flaw.

    values: by name. Raises Unknown for one that is not known.
    """

    def __init__(self, values: "Mapping[str, Value]") -> None:
        self.values = values
        self.flaw: str | None = None

    def __call__(self, name: str) -> "Any":
        """The number of a value. Raises Unknown."""
        value = self.values[name]
        flaw = flaw_of(value)
        if flaw is not None and (self.flaw is None or RANK.index(flaw) > RANK.index(self.flaw)):
            self.flaw = flaw
        if flaw in UNKNOWN:
            raise Unknown
        number: Any = getattr(value, "number", value)
        return float(number)

    def flawed(self, name: str) -> bool:
        """Whether a value is missing, invalid or stale."""
        return flaw_of(self.values[name]) in UNKNOWN

    def either(self, *parts: "Callable[[], Value]") -> "Value":
        """Or, of parts of which some may be unknown."""
        return self._joined(parts, True)

    def both(self, *parts: "Callable[[], Value]") -> "Value":
        """And, of parts of which some may be unknown."""
        return self._joined(parts, False)

    def _joined(self, parts: "Sequence[Callable[[], Value]]", is_or: bool) -> "Value":
        unknown = False
        for part in parts:
            try:
                if bool(part()) == is_or:
                    return is_or
            except Unknown:
                unknown = True
        if unknown:
            raise Unknown
        return not is_or


class Analog:
    """A voltage at a pin of the board, as a function that reads it: `Analog(ADC(26), 3.3)`.

    adc: a `machine.ADC` of MicroPython or an `analogio.AnalogIn` of CircuitPython.
    full: what the highest reading means, in any unit; zero: what the lowest means.
    """

    def __init__(self, adc: "Any", full: float = 3.3, zero: float = 0.0) -> None:
        self._adc, self._zero, self._span = adc, zero, full - zero

    def __call__(self) -> float:
        """Read it."""
        reading = self._adc.read_u16() if hasattr(self._adc, "read_u16") else self._adc.value
        return self._zero + self._span * float(reading) / 65535


class Register:
    """A number in a register of a device on the panel's bus, as a function that reads it.

    bus: the `BoardBus` of the panel, or another port that has `write` and `read`.
    address: of the device, 7 bits. register: its number, 0 to 255.
    scale: what one step means. count: bytes, 1 to 4, the highest first. signed: whether the number may be negative.
    """

    def __init__(
        self, bus: "Any", address: int, register: int, scale: float = 1.0, count: int = 2, signed: bool = True
    ) -> None:
        self._bus, self._address, self._register = bus, address, bytes((register,))
        self._scale, self._count, self._signed = scale, count, signed

    def __call__(self) -> float:
        """Read it. Raises what the port raises."""
        self._bus.write(self._address, self._register)
        number = int.from_bytes(self._bus.read(self._address, self._count), "big")
        if self._signed and number >> 8 * self._count - 1:
            number -= 1 << 8 * self._count
        return number * self._scale


def value_of(given: "Value") -> "Value":
    """What was given, as a number, or as what says why it is none. As `lumek.readings.Reading.of` takes it."""
    if given is None or isinstance(given, Flawed) or (isinstance(given, str) and not given.strip()):
        return given if isinstance(given, Flawed) else Flawed("missing")
    try:
        number = float(given)
    except (TypeError, ValueError, OverflowError):
        return Flawed("invalid")
    return Flawed("invalid") if flaw_of(number) else number


def evaluated(formula: "Formula", values: "Mapping[str, Value]") -> "Value":
    """The value of a formula: a number, True or False, text, or what says why it is not known."""
    run = Run(values)
    try:
        value = formula(run)
    except Unknown:
        return Flawed(run.flaw if run.flaw in UNKNOWN else "invalid")
    except (ArithmeticError, ValueError, TypeError):
        value = float("nan")
    if isinstance(value, (bool, str)):
        return value
    if flaw_of(value) == "invalid":
        return Flawed(run.flaw if run.flaw in UNKNOWN else "invalid")
    return float(value) if run.flaw is None else Flawed(run.flaw, float(value))


def staged(value: "Value", stages: "Sequence[Formula]", low: float | None, high: float | None) -> "Value":
    """A value led through conversions, which are formulas of "value", and held against its limits; a flaw stays."""
    for stage in stages:
        value = value_of(evaluated(stage, {"value": value}))
    flaw = None if isinstance(value, Flawed) else flaw_of(value, low, high)
    return value if flaw is None else Flawed(flaw, value)


class Face:
    """One face: fields in their places, and when it is seen.

    placed: (first row, rows, first column, columns, field) of each field.
    seconds: how long it is shown; None for the deck's page_s.
    only, alarm: conditions, as formulas, or None. start: whether it is shown first.
    """

    def __init__(
        self,
        placed: "Sequence[tuple[int, int, int, int, Field]]",
        seconds: float | None = None,
        only: "Formula | None" = None,
        alarm: "Formula | None" = None,
        start: bool = False,
    ) -> None:
        self.placed = placed
        self.seconds, self.only, self.alarm, self.start = seconds, only, alarm, start


class Show:
    """The faces of a deck on a panel: `draw` draws once.

    panel: of the size for which the faces were laid out.
    deck: the module that `lumek firmware` wrote for a face file.
    """

    def __init__(self, panel: "Panel", deck: "Any") -> None:
        self._panel, self._deck = panel, deck
        self._turns = Turns(deck.faces(), deck.PAGE_S)
        self._formulas: Mapping[str, Formula] = deck.FORMULAS
        self._shown: Face | None = None
        self._backlight: Value = None
        for character, glyph in deck.glyphs():
            panel.glyphs[character] = glyph

    def draw(self, given: "Mapping[str, Value]", now: Moment, ready: bool = True) -> None:
        """Show what is to be seen now.

        given: the values by name. ready: whether the first of them are in.
        """
        values = {name: value_of(value) for name, value in given.items()}
        for name, formula in self._deck.PROBES:
            value = values[name] if formula is None else evaluated(formula, values)
            values[name] = staged(value, *self._deck.STAGES[name]) if name in self._deck.STAGES else value
        face = self._turns.turn(now.seconds, ready, lambda one, what: self._holds(getattr(one, what), values))
        for other in self._turns.faces:
            for *_, field in other.placed:
                if (field.of or field.works_alone) and (other is face or field.remembers):
                    field(self._value(field, values, now), now)
        with self._panel.together(may_clear=face is not self._shown):
            if self._deck.LIGHT is not None:
                usual, rules = self._deck.LIGHT
                backlight = lit(usual, rules, now, lambda condition: self._holds(condition, values))
                if backlight != self._backlight:
                    self._backlight = self._panel.backlight = backlight
            if face is not self._shown:
                self._panel[:] = ""
            for row, rows, column, columns, field in face.placed if face is not None else ():
                if face is not self._shown:
                    field.appear()
                self._panel[row : row + rows, column : column + columns] = field
        self._shown = face

    def _value(self, field: "Field", values: "Mapping[str, Value]", now: Moment) -> "Value":
        if not field.of:
            return None
        value = values[field.of] if field.of in values else evaluated(self._formulas[field.of], values)
        if isinstance(value, Flawed) and value.number is not None and not field.words[value.flaw]:
            return value.number  # a word that is "" shows what is known
        if isinstance(value, bool):
            value = float(value)
        return tuple(now.local) if field.shows_time and flaw_of(value) not in UNKNOWN else value

    def _holds(self, condition: "Formula | None", values: "Mapping[str, Value]") -> bool:
        value = evaluated(condition, values) if condition is not None else False
        return not isinstance(value, (Flawed, str)) and bool(value)


def run(panel: "Panel", deck: "Any", probes: "Mapping[str, Callable[[], Value]]", seconds: float | None = None) -> None:
    """Show the faces of a deck, again and again.

    panel: as `panel()` of the hookup's module makes it.
    deck: the module of the face file.
    probes: for each probe of the file that is not a formula, a function that reads its value.
    seconds: after which it ends; default: never. It leaves the panel as the file says.
    """
    missing = [name for name in deck.NAMES if name not in probes]
    if missing:
        raise KeyError(f"give functions that read {', '.join(missing)}")
    show, values = Show(panel, deck), {}
    elapsed, polled_at, last = 0.0, -deck.POLL_S, _ticks()
    try:
        while seconds is None or elapsed < seconds:
            if elapsed - polled_at >= deck.POLL_S:
                values = {name: _read(probes[name]) for name in deck.NAMES}
                polled_at = elapsed
            show.draw(values, Moment(elapsed, time.time() + EPOCH, time.localtime()))
            panel.tend(elapsed)
            left = 1 / deck.REFRESH_HZ - _seconds(last, _ticks())
            if left > 0:
                time.sleep(left)
            now = _ticks()
            elapsed, last = elapsed + _seconds(last, now), now
    finally:
        if deck.LIGHT is not None:
            panel.backlight = deck.LIGHT[0]
        if deck.FAREWELL is not None:
            panel[:] = deck.FAREWELL


def _read(probe: "Callable[[], Value]") -> "Value":
    """A value, or what says that there is none."""
    try:
        return probe()
    except Exception:  # whatever a sensor's own code raises: the panel says that it is missing
        return Flawed("missing")


def _ticks() -> int:
    """A time in milliseconds that never goes back, but begins again at some time."""
    if hasattr(time, "ticks_ms"):
        milliseconds: int = time.ticks_ms()
        return milliseconds
    return time.monotonic_ns() // 1_000_000


def _seconds(before: int, now: int) -> float:
    """Seconds from one of these times to another."""
    passed: int = time.ticks_diff(now, before) if hasattr(time, "ticks_diff") else now - before
    return passed / 1000
