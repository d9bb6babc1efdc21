"""What may stand behind a probe: conversions and filters, and how a reading is led through them."""

from collections.abc import Callable
from typing import Any, Protocol, runtime_checkable

from lumek.readings.reading import Reading

Stage = Callable[[Any], Any]
"""A function of a number (a conversion), or a filter, which has `takes_readings` and is given the reading itself."""


@runtime_checkable
class Behind(Protocol):
    """A stage that remembers what came, and therefore stands behind one probe only."""

    def put_behind(self, probe: str) -> None:
        """Say behind which probe it stands."""
        ...


def staged(stage: Stage, reading: Reading) -> Reading:
    """A reading led through a conversion or a filter.

    A filter takes the reading as it is. A conversion takes its number, if it has one; what comes out as NaN is invalid.
    Raises what the conversion raises.
    """
    if getattr(stage, "takes_readings", False):
        filtered: Reading = stage(reading)
        return filtered
    if reading != reading:
        return reading
    value = float(stage(float(reading)))
    if value != value and reading.flaw is None:
        name = getattr(stage, "__name__", type(stage).__name__)
        return reading.but(value, cause=f"{float(reading):g} is outside of what {name} knows")
    return reading.but(value)
