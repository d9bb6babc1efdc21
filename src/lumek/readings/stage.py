"""What may follow a probe: conversions and filters, and how a reading goes through them."""

from abc import ABC, abstractmethod
from collections.abc import Callable

from lumek.readings.reading import Reading


class Remembering(ABC):
    """A stage that is given readings, and remembers what came: a filter. It therefore follows one probe only."""

    @abstractmethod
    def __call__(self, reading: Reading) -> Reading:
        """The reading, filtered."""

    @abstractmethod
    def put_behind(self, probe: str) -> None:
        """Set the probe that it follows. Raises SettingError when it follows another."""


Stage = Callable[[float], float] | Remembering
"""A function of a number (a conversion), or a filter."""


def staged(stage: Stage, reading: Reading) -> Reading:
    """A reading led through a conversion or a filter.

    A filter takes the reading as it is. A conversion takes its number, if it has one; what comes out as NaN is invalid.
    Raises what the conversion raises.
    """
    if isinstance(stage, Remembering):
        return stage(reading)
    if reading != reading:
        return reading
    value = float(stage(float(reading)))
    if value != value and reading.flaw is None:
        name = getattr(stage, "__name__", type(stage).__name__)
        return reading.but(value, cause=f"{float(reading):g} is outside of what {name} knows")
    return reading.but(value)
