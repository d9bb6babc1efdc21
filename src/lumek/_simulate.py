"""A panel without hardware. It has a module of its own so that `import lumek` on a microcontroller does not load it."""

from os import PathLike
from typing import TYPE_CHECKING

from lumek.core.geometry import Geometry
from lumek.links.backpack import Backpack
from lumek.links.expanders import E2_LINES, LINES
from lumek.panel import Panel
from lumek.roms.rom import Rom
from lumek.twin import backpack_twin
from lumek.twin.light import coloured_backlight

if TYPE_CHECKING:
    from lumek.captures.recorder import Capture


def simulate(
    size: str,
    rom: str | PathLike[str] | Rom = "A00",
    hz: int = 100_000,
    *,
    coloured: bool = False,
    capture: "Capture | None" = None,
    font: str = "5x8",
) -> Panel:
    """A panel with an I2C backpack, all simulated; `panel.twin` is the simulated panel.

    size and rom: as those of `Panel`.
    hz: clock of the simulated bus.
    coloured: whether it has a backlight of three colours with channels of their own, instead of one that is switched.
    capture: records the wires; see `lumek.captures.Capture`.
    font: as that of `Panel`.
    Raises SizeError or SettingError for what does not exist.
    """
    # A wrong size raises the same error as on a real panel; a second E takes the place of RW.
    lines = E2_LINES if Geometry(size, font).controllers == 2 else LINES
    twin, bus = backpack_twin(size, rom, hz, lines=lines)
    twin.font = font
    backlight = coloured_backlight(twin) if coloured else None
    port = bus if capture is None else capture.around(bus)
    return Panel(size, Backpack(port, lines=lines), rom, twin=twin, backlight=backlight, font=font)
