"""The simulated panel, wired like a real one: it takes pins and edges, keeps time, and records what is forbidden.

It implements the interfaces of the ports, shares the ROM tables with the driver and nothing else, and decodes for
itself.
"""

from collections.abc import Hashable, Mapping, Sequence
from os import PathLike
from typing import TYPE_CHECKING, Any

from lumek.roms import rom_named
from lumek.roms.rom import Rom
from lumek.twin.bus import Bystander, TwinBus
from lumek.twin.controller import Controller
from lumek.twin.expander import Expander, Mcp23008, Pcf8574
from lumek.twin.lines import TwinLines
from lumek.twin.module import Edge, Twin
from lumek.twin.pins import Violation
from lumek.twin.register import Hc595, TwinSerial
from lumek.twin.time_base import TwinClock

if TYPE_CHECKING:
    from lumek.twin.board import TwinBoard
    from lumek.twin.board_cable import TwinConnection

__all__ = [
    "Bystander",
    "Controller",
    "Edge",
    "Hc595",
    "Mcp23008",
    "Pcf8574",
    "Twin",
    "TwinBoard",
    "TwinBus",
    "TwinClock",
    "TwinConnection",
    "TwinLines",
    "TwinSerial",
    "Violation",
    "backpack_twin",
    "direct_twin",
    "shift_register_twin",
]

USUAL_LINES = {"rs": 0, "rw": 1, "e": 2, "backlight": 3, "d4": 4, "d5": 5, "d6": 6, "d7": 7}


def __getattr__(name: str) -> Any:
    """A simulated board on USB is loaded when it is used."""
    if name == "TwinBoard":
        from lumek.twin.board import TwinBoard

        return TwinBoard
    if name == "TwinConnection":
        from lumek.twin.board_cable import TwinConnection

        return TwinConnection
    raise AttributeError(f"module {__name__!r} has no attribute {name!r}")


def backpack_twin(
    size: str,
    rom: str | PathLike[str] | Rom = "A00",
    hz: int = 100_000,
    address: int = 0x27,
    lines: Mapping[str, int] = USUAL_LINES,
    backlight_on: int = 1,
    controllers: Sequence[Controller] = (),
    expander: type[Expander] = Pcf8574,
    bus: TwinBus | None = None,
) -> tuple[Twin, TwinBus]:
    """A simulated panel behind a port expander at `address`, and its bus: a new one at `hz`, or the `bus` given.

    lines and backlight_on say how the board is made: a board without a line for RW has it grounded, one without a
    line for the backlight has that on the supply. controllers may be some in another state than fresh.
    """
    bus = bus or TwinBus(TwinClock(), hz)
    twin = _module(size, rom, bus.clock, lines, backlight_on, controllers)
    twin.port = bus
    twin.address, twin.device = address, expander(twin, lines)
    bus.connect(address, twin.device)
    return twin, bus


def direct_twin(
    size: str,
    lines: Mapping[str, Hashable],
    rom: str | PathLike[str] | Rom = "A00",
    drive_ns: int = 1000,
    backlight_on: int = 1,
    controllers: Sequence[Controller] = (),
    port: TwinLines | None = None,
) -> tuple[Twin, TwinLines]:
    """A simulated panel at the end of GPIO lines, and these: new ones of `drive_ns` a call, or the `port` given.

    lines: pin of the panel -> line. RW and backlight without a line are as in `backpack_twin`; any other pin without
        one is open.
    """
    port = port or TwinLines(TwinClock(), drive_ns)
    twin = _module(size, rom, port.clock, lines, backlight_on, controllers)
    twin.port = port
    port.connect(twin, lines)
    return twin, port


def shift_register_twin(
    size: str,
    lines: Mapping[str, int],
    rom: str | PathLike[str] | Rom = "A00",
    hz: int = 1_000_000,
    backlight_on: int = 1,
    controllers: Sequence[Controller] = (),
    three_lines: Mapping[str, Hashable] | None = None,
    outputs: int = 0,
    port: TwinSerial | TwinLines | None = None,
) -> tuple[Twin, TwinSerial | TwinLines]:
    """A simulated panel behind a 74HC595, and what leads to it: a new SPI at `hz`, or the `port` given.

    lines: as in `backpack_twin`.
    three_lines: the GPIO lines of "data", "clock" and "latch", to which the register is wired instead of to SPI; what
        comes back is then the lines.
    outputs: of the register when the supply comes on.
    """
    if port is None:
        port = TwinSerial(TwinClock(), hz) if three_lines is None else TwinLines(TwinClock())
    twin = _module(size, rom, port.clock, lines, backlight_on, controllers)
    twin.port = port
    twin.device = register = Hc595(twin, lines, outputs)
    if isinstance(port, TwinLines):
        port.connect(register, three_lines or {})
    else:
        port.connect(register)
    return twin, port


POWER_ON_NS = -1_000_000
"""What the board fixes holds before the ports wake up, at 0."""


def _module(
    size: str,
    rom: str | PathLike[str] | Rom,
    clock: TwinClock,
    lines: Mapping[str, Hashable],
    backlight_on: int,
    controllers: Sequence[Controller],
) -> Twin:
    twin = Twin(size, rom_named(rom), clock, backlight_on, controllers)
    fixed = {"rw": 0, "backlight": backlight_on}
    twin.set_pins({pin: level for pin, level in fixed.items() if pin not in lines}, POWER_ON_NS)
    return twin
