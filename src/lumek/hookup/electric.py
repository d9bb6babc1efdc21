"""The formulas of the checks: volts, ohms, milliamperes, picofarads, nanoseconds.

Sources: I2C-bus specification UM10204 (tables 9 and 10, section 7.1); data sheets of HD44780U ("DC characteristics"),
PCF8574, MCP23008 and 74HC595 (the same); IEC 60063 (standard values).
"""

from collections.abc import Iterable
from dataclasses import dataclass
from typing import NamedTuple

LOW_V = 0.4
"""A device that pulls down reaches this (UM10204, table 9, V_OL)."""

OFF_V = 0.5
"""Up to so much from base to emitter a transistor of silicon does not conduct."""

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
    """A speed of the bus. hz: up to that clock. rise_ns: longest rise. sink_ma: current of a low. pf: capacitance."""

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


class Inputs(NamedTuple):
    """Of an input: the least that is surely high, and the most that is surely low, in volts."""

    high: float
    low: float


def mode_of(hz: int) -> Mode:
    """The slowest mode that allows a clock."""
    return next(mode for mode in MODES if hz <= mode.hz)


def controller_inputs(volts: float) -> Inputs:
    """Of the HD44780U at a supply (DC characteristics: 2.2 V and 0.6 V from 4.5 V on, below 0.7 of it and 0.55 V)."""
    return Inputs(2.2, 0.6) if volts >= 4.5 else Inputs(0.7 * volts, 0.55)


def part_inputs(part: str, volts: float) -> Inputs:
    """Of an expander's SDA and SCL, or of a register (data sheets, DC characteristics), at a supply.

    part: "pcf8574", "pcf8574a" (0.7 and 0.3 of the supply), "mcp23008" (0.8 and 0.2), "74hc595" (0.7 and 0.3, as
    3.15 V and 1.35 V at 4.5 V), "74hct595" (2.0 V and 0.8 V).
    """
    if part == "74hct595":
        return Inputs(2.0, 0.8)
    high, low = (0.8, 0.2) if part == "mcp23008" else (0.7, 0.3)
    return Inputs(high * volts, low * volts)


def exceeds(value: float, limit: float) -> bool:
    """Whether a value is above a limit, by more than what is lost in computing them."""
    return value > limit + 1e-9


def written(ohms: float) -> str:
    """Ohms as one writes them: "100 ohm", "4.7 kohm"."""
    return f"{ohms / 1000:g} kohm" if ohms >= 1000 else f"{ohms:g} ohm"


def in_parallel(pullups: Iterable[Pullup]) -> float:
    """The ohms of several in parallel; infinite for none."""
    conductance = sum(1 / pullup.ohms for pullup in pullups)
    return 1 / conductance if conductance else float("inf")


def high_level(pullups: Iterable[Pullup]) -> float:
    """The volts to which pull-ups to several supplies bring a line that nobody pulls down: their weighted mean."""
    pullups = tuple(pullups)
    return in_parallel(pullups) * sum(pullup.volts / pullup.ohms for pullup in pullups) if pullups else 0.0


def sunk_ma(pullups: Iterable[Pullup]) -> float:
    """The milliamperes through pull-ups while somebody holds the line at 0.4 V."""
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
    """The resistor that leaves a lamp so many milliamperes: (V - V_F) / I."""
    return (supply - forward) / milliamps * 1000


def next_e12(ohms: float) -> float:
    """The smallest standard value of series E12 (IEC 60063) that is not below."""
    decade = 0.1
    while True:
        for value in E12:
            standard = value * decade / 10
            if not exceeds(ohms, standard):
                return round(standard, 6)
        decade *= 10
