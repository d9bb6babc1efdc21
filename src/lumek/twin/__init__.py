"""The simulated panel, wired like a real one: it takes pins and edges, keeps time, and records what is forbidden.

It implements the interfaces of the ports, shares the ROM tables with the driver and nothing else, and decodes for
itself.
"""

from collections.abc import Mapping

from lumek.core.rom import Rom, rom_named
from lumek.twin.bus import Clock, TwinBus
from lumek.twin.controller import Controller, Violation
from lumek.twin.expander import Pcf8574
from lumek.twin.module import Edge, Twin

__all__ = ["Clock", "Controller", "Edge", "Pcf8574", "Twin", "TwinBus", "Violation", "backpack_twin"]

USUAL_LINES = {"rs": 0, "rw": 1, "e": 2, "backlight": 3, "d4": 4, "d5": 5, "d6": 6, "d7": 7}


def backpack_twin(
    size: str,
    rom: str | Rom = "A00",
    hz: int = 100_000,
    address: int = 0x27,
    lines: Mapping[str, int] = USUAL_LINES,
    backlight_on: int = 1,
    controller: Controller | None = None,
) -> tuple[Twin, TwinBus]:
    """A simulated panel behind a PCF8574 at `address`, and the bus that it is the only device on.

    lines and backlight_on say how the board is made, where a board without a backlight line has the backlight on the
    supply; `controller` may be one in another state than fresh.
    """
    clock = Clock()
    bus = TwinBus(clock, hz)
    twin = Twin(size, rom_named(rom), clock, backlight_on, controller)
    twin.port = bus
    bus.connect(address, Pcf8574(twin, lines, twin.violations))
    if "backlight" not in lines:
        twin.set_pins({"backlight": backlight_on}, 0)
    return twin, bus
