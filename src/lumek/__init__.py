"""Lumek: character LCD panels as arrays of cells.

`Panel` and `Backpack` drive a real panel, `simulate` makes a simulated one. Importing `lumek` loads only what
also runs on MicroPython; everything else loads when it is used.
"""

from lumek.errors import (
    BusError,
    ClosedError,
    HookupError,
    LumekError,
    NoAnswerError,
    PlaceError,
    SettingError,
    SizeError,
    TextError,
)
from lumek.links.backpack import Backpack
from lumek.panel import Panel

__all__ = [
    "Backpack",
    "BusError",
    "ClosedError",
    "HookupError",
    "LumekError",
    "NoAnswerError",
    "Panel",
    "PlaceError",
    "SettingError",
    "SizeError",
    "TextError",
    "simulate",
]


def simulate(size: str, rom: str = "A00", hz: int = 100_000) -> Panel:
    """A panel with an I2C backpack, all simulated; `panel.twin` is the simulated panel.

    hz: clock of the simulated bus. Raises SizeError or SettingError for what does not exist.
    """
    from lumek.core.geometry import Geometry
    from lumek.twin import backpack_twin

    Geometry(size)  # a wrong size is told as on a real panel
    twin, bus = backpack_twin(size, rom, hz)
    return Panel(size, Backpack(bus), rom, twin=twin)
