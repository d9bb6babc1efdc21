"""A probe whose reading is computed from those of others."""

from typing import Unpack

from lumek.expressions.evaluate import Expression
from lumek.readings.poller import Poller
from lumek.readings.probe import Probe, ProbeSettings
from lumek.readings.reading import Reading

WAIT_S = 2.0


class FormulaProbe(Probe):
    """The value of an expression; it is flawed as what goes into it.

    poller: of the probes that it names.
    settings: those of `Probe`.
    """

    def __init__(
        self, name: str, expression: Expression, poller: Poller, unit: str = "", **settings: Unpack[ProbeSettings]
    ) -> None:
        super().__init__(name, unit, **settings)
        self.expression = expression
        self._poller = poller

    @property
    def may_come(self) -> bool:
        """Whether that holds for one of the probes that it names."""
        return len(self._poller.awaited(self.expression.names)) > 0

    def take(self) -> Reading:
        """The value as it is now; at first it waits until the others have answered, or for two seconds."""
        self._poller.wait(WAIT_S, self.expression.names)
        readings = {name: self._poller[name] for name in self.expression.names}
        reading = self.expression.reading(readings, self.name, self.unit)
        return reading if readings else reading.but(time=self.clock.time())
