"""Fields: what faces are made of. Each takes a value, and is then assigned to a place of a panel.

    bar = Bar(low=30, high=50)
    panel[1, 8:20] = bar(41.4)

They do no I/O, know no clock, and run on MicroPython. What is named here loads when it is
used.
"""

TYPE_CHECKING = False
if TYPE_CHECKING:
    from typing import Any

    from lumek.fields.bar import Bar
    from lumek.fields.choice import Choice
    from lumek.fields.clock import Clock, Countdown
    from lumek.fields.field import Field, Moment
    from lumek.fields.label import Label
    from lumek.fields.lamp import Lamp
    from lumek.fields.march import March
    from lumek.fields.number import Number
    from lumek.fields.tall import Tall
    from lumek.fields.ticker import Ticker
    from lumek.fields.trend import Trend

__all__ = [
    "Bar", "Choice", "Clock", "Countdown", "Field", "Label", "Lamp", "March", "Moment", "Number", "Tall", "Ticker",
    "Trend",
]  # fmt: skip

_LATER = {"Bar": "bar", "Choice": "choice", "Clock": "clock", "Countdown": "clock", "Field": "field", "Label": "label",
         "Lamp": "lamp", "March": "march", "Moment": "field", "Number": "number", "Tall": "tall", "Ticker": "ticker",
         "Trend": "trend"}  # fmt: skip


def __getattr__(name: str) -> "Any":
    if name not in _LATER:
        raise AttributeError(f"module 'lumek.fields' has no attribute {name!r}")
    value = getattr(__import__("lumek.fields." + _LATER[name], None, None, [name]), name)
    globals()[name] = value
    return value
