"""What the backlight of a panel does while faces are shown: by time of day, and by condition."""

from collections.abc import Mapping, Sequence
from typing import NamedTuple

from lumek.errors import FaceError, HookupError, SettingError
from lumek.expressions.evaluate import Expression
from lumek.faces.turns import lit
from lumek.fields.clock import seconds_of_day
from lumek.fields.field import Moment
from lumek.panel import Panel
from lumek.readings.reading import Reading

Backlight = bool | float | str

TIMES = "since and until are times of the day, as '22:00'"


class LightRule(NamedTuple):
    """When the backlight is otherwise than usual.

    backlight: True, False, a brightness from 0.0 to 1.0, or a colour.
    only: a condition; "" for none.
    since, until: times of day, as "22:00"; "" for none. A span may go over midnight.
    flash_s: seconds of a flash: for half of them it shines, for half of them it is dark; None for a steady light.
    """

    backlight: Backlight = True
    only: str = ""
    since: str = ""
    until: str = ""
    flash_s: float | None = None


class LightPlan:
    """The backlight: of the rules that hold the first, otherwise what is usual.

    usual: as the backlight of a `LightRule`.
    rules: in the order in which they are tried. spans: seconds of the day since and until which each holds, or None.
    Raises FaceError for a condition or time that is not possible.
    """

    def __init__(self, usual: Backlight = True, rules: Sequence[LightRule] = ()) -> None:
        self.usual = usual
        self.rules = list(rules)
        for rule in self.rules:
            if bool(rule.since) != bool(rule.until):
                raise FaceError("a rule of the light needs both since and until, as '22:00' and '06:30', or neither")
            if not rule.only and not rule.since:
                raise FaceError("a rule of the light needs a condition, only, or the times since and until")
        try:
            self.spans = [
                (seconds_of_day(rule.since, TIMES), seconds_of_day(rule.until, TIMES)) if rule.since else None
                for rule in self.rules
            ]
        except SettingError as problem:
            raise FaceError(str(problem)) from None
        self._conditions = [Expression(rule.only) if rule.only else None for rule in self.rules]

    def bind(self, names: list[str]) -> None:
        """Say which probes there are. Raises FaceError for a condition that names another one."""
        self._conditions = [Expression(rule.only, names) if rule.only else None for rule in self.rules]

    def check(self, panel: Panel) -> None:
        """Raise FaceError for what the backlight of a panel cannot do."""
        before = panel.backlight
        for value in (self.usual, *(rule.backlight for rule in self.rules)):
            try:
                with panel.together():  # nothing is sent: in the end it is as it was
                    panel.backlight = value
                    panel.backlight = before
            except (HookupError, SettingError) as problem:
                raise FaceError(str(problem)) from None

    def now(self, readings: Mapping[str, Reading], now: Moment) -> Backlight:
        """What the backlight is to do."""
        rules = [
            (rule.backlight, span, condition, rule.flash_s)
            for rule, span, condition in zip(self.rules, self.spans, self._conditions, strict=True)
        ]
        found: Backlight = lit(self.usual, rules, now, lambda condition: condition.holds(readings))
        return found
