"""The formulas of the checks: volts, ohms, milliamperes, picofarads, nanoseconds.

Sources: I2C-bus specification UM10204 (tables 9 and 10, section 7.1); IEC 60063 (standard values). The limits of parts
are in `lumek.hookup.parts`.
"""

from collections.abc import Iterable
from dataclasses import dataclass
from typing import NamedTuple

LOW_V = 0.4
"""A device that pulls down reaches this (UM10204, table 9, V_OL)."""

OFF_V = 0.5
"""Up to so much from base to emitter a transistor of silicon does not conduct."""

MARGIN_V = 0.1
"""So far from a limit a level has to be: supplies and resistors differ from what is written on them by some percent."""

BASE_OHMS = 1000.0
"""From a line to the base of a transistor, as the sheet has it."""

BASE_V = 0.7
"""From base to emitter while it conducts."""

GAIN, MOST_GAIN = 20.0, 50.0
"""A switched transistor surely carries the first times its base current, and surely not more than the second times."""

TRIMMER_MW = 100.0
"""What a small potentiometer dissipates."""

LADDER_OHMS = 10_000.0
"""Of the resistors in the module that lead from its supply to VO (assumed)."""

SERIES_OHMS = 1000.0
"""From a PWM channel to VO, as the sheet has it."""

RISE_FACTOR = 0.8473
"""From 0.3 to 0.7 of the supply a capacitor takes ln(0.7 / 0.3) of its time constant (UM10204, section 7.1)."""

PIN_PF = 10.0
"""Of a device on the bus at most (UM10204, table 9, C_i)."""

BOARD_PF = 2 * PIN_PF
"""A device, and as much for the board that carries it and its plug (assumed)."""

SHIFTER_OHMS = 10_000.0
"""On each side of a level shifter for I2C, to that side's supply (assumed)."""

E12 = (10, 12, 15, 18, 22, 27, 33, 39, 47, 56, 68, 82)


@dataclass(frozen=True)
class Mode:
    """A speed of the bus.

    hz: up to that clock.
    rise_ns: longest rise.
    sink_ma: current of a low.
    pf: capacitance.
    """

    name: str
    hz: int
    rise_ns: float
    sink_ma: float
    pf: float


MODES = (
    Mode("Standard-mode", 100_000, 1000, 3, 400),
    Mode("Fast-mode", 400_000, 300, 3, 400),
    Mode("Fast-mode Plus", 1_000_000, 120, 20, 550),
)
"""UM10204, tables 9 and 10."""


class Pullup(NamedTuple):
    """A resistor from a line to a supply, and where it is."""

    volts: float
    ohms: float
    where: str


def mode_of(hz: int) -> Mode:
    """The slowest mode that allows a clock."""
    return next(mode for mode in MODES if hz <= mode.hz)


def exceeds(value: float, limit: float) -> bool:
    """Whether a value is above a limit, by more than what is lost in computing them."""
    return value > limit + 1e-9


def ohms_text(ohms: float) -> str:
    """Ohms as one writes them: "100 ohm", "4.7 kohm"."""
    return f"{ohms / 1000:g} kohm" if ohms >= 1000 else f"{ohms:g} ohm"


def in_parallel(pullups: Iterable[Pullup]) -> float:
    """The ohms of several in parallel; infinite for none."""
    conductance = sum(1 / pullup.ohms for pullup in pullups)
    return 1 / conductance if conductance else float("inf")


def high_level(pullups: Iterable[Pullup]) -> float:
    """The volts to which pull-ups to several supplies bring a line that nothing pulls down: their weighted mean."""
    pullups = tuple(pullups)
    return in_parallel(pullups) * sum(pullup.volts / pullup.ohms for pullup in pullups) if pullups else 0.0


def sunk_ma(pullups: Iterable[Pullup]) -> float:
    """The milliamperes through pull-ups while a device holds the line at 0.4 V."""
    return sum(max(0.0, pullup.volts - LOW_V) / pullup.ohms * 1000 for pullup in pullups)


def least_ohms(volts: float, sink_ma: float) -> float:
    """The strongest pull-up: (VDD - 0.4 V) / I_OL (UM10204, section 7.1)."""
    return (volts - LOW_V) / sink_ma * 1000


def most_ohms(rise_ns: float, pf: float) -> float:
    """The weakest pull-up: t_r / (0.8473 C) (UM10204, section 7.1)."""
    return rise_ns / (RISE_FACTOR * pf) * 1000


def rise_ns(ohms: float, pf: float) -> float:
    """The nanoseconds in which a line rises: 0.8473 R C (UM10204, section 7.1)."""
    return RISE_FACTOR * ohms * pf / 1000


def series_ohms(supply: float, forward: float, milliamps: float) -> float:
    """The resistor that leaves a lamp its milliamperes: (V - V_F) / I."""
    return (supply - forward) / milliamps * 1000


def base_ma(volts: float) -> float:
    """The milliamperes into a base from a line at that voltage: (V - V_BE) / R."""
    return max(0.0, volts - BASE_V) / BASE_OHMS * 1000


def next_e12(ohms: float) -> float:
    """The smallest standard value of series E12 (IEC 60063) that is not below."""
    decade = 0.1
    while True:
        for value in E12:
            standard = value * decade / 10
            if not exceeds(ohms, standard):
                return round(standard, 6)
        decade *= 10
