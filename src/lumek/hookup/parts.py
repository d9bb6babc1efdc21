"""What each part withstands and takes: a row of limits for each, compared with every net that it is on.

Sources: data sheets, "absolute maximum ratings", "recommended operating conditions" and "DC characteristics": HD44780U
(ADE-207-272), 74HC595/74HCT595. Expanders: see `lumek.links.expanders`.
"""

from dataclasses import dataclass
from typing import NamedTuple

from lumek.links.expanders import EXPANDERS, Expander


class Inputs(NamedTuple):
    """Of an input: the least that is surely high, and the most that is surely low, in volts."""

    high: float
    low: float


@dataclass(frozen=True)
class Part:
    """The limits of a part.

    supply: least and most volts.
    above: voltage above the supply that an input tolerates.
    high, low: what is surely high, and surely low, as shares of the supply, or (fixed) in volts.
    sinks_ma: what it pulls down to 0.4 V on a bus.
    """

    name: str
    supply: tuple[float, float]
    above: float
    high: float
    low: float
    fixed: bool = False
    sinks_ma: float = 0.0

    def inputs(self, volts: float) -> Inputs:
        """Its thresholds at a supply."""
        return Inputs(self.high, self.low) if self.fixed else Inputs(self.high * volts, self.low * volts)

    def bears(self, volts: float) -> float:
        """The highest voltage at an input, at this supply."""
        return volts + self.above


def _of_expander(name: str, chip: Expander) -> Part:
    least, most = chip.supply_mv
    shares = chip.high_percent / 100, chip.low_percent / 100
    return Part(name.upper(), (least / 1000, most / 1000), chip.above_mv / 1000, *shares, sinks_ma=chip.sinks_ma)


CONTROLLER = Part("HD44780U", (2.7, 5.5), 0.3, 2.2, 0.6, fixed=True)
"""At 4.5 V and more; below see `controller_inputs`."""

PARTS = {
    **{name: _of_expander(name, chip) for name, chip in EXPANDERS.items()},
    "74hc595": Part("74HC595", (2.0, 6.0), 0.5, 0.7, 0.3),
    "74hct595": Part("74HCT595", (4.5, 5.5), 0.5, 2.0, 0.8, fixed=True),
}
"""Expanders and registers, by their names in a hookup file."""


def controller_inputs(volts: float) -> Inputs:
    """Of the HD44780U at a supply (DC characteristics: 2.2 V and 0.6 V from 4.5 V on, below 0.7 of it and 0.55 V)."""
    return CONTROLLER.inputs(volts) if volts >= 4.5 else Inputs(0.7 * volts, 0.55)
