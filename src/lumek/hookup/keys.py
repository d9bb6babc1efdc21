"""What values a hookup file may hold: their types, what an error says is possible, and what is assumed.

See `lumek.config.tables` for how an error quotes the `description` of a key.
"""

from pathlib import Path
from typing import Annotated, Literal

from pydantic import AfterValidator, Field

from lumek._upkeep import LONGEST_S, MOST_RETRIES, SHORTEST_S
from lumek.core.geometry import SIZES, Geometry
from lumek.roms import NAMES, rom_named

GPIO_CHIP = "/dev/gpiochip0"

ASSUMED_PANEL_MA = 3.0
"""A controller, its column drivers and the glass's ladder: more than the sheets of modules state."""

ASSUMED_PULLUP_OHMS = 4700.0
"""On a backpack as it is sold."""

ASSUMED_FORWARD_V, ASSUMED_LAMP_MA = 3.1, 20.0
"""A white backlight of a small module."""

ASSUMED_LINE_MA = 16.0
"""Of an output of a host: boards allow 8 to 40."""

ASSUMED_GLASS_V = 4.5
"""Across the glass (VDD - VO) of a module made for 5 V."""

ABOVE_SUPPLY_V = 0.3
"""By so much more than its own supply a pin that is not tolerant bears, on most parts (absolute maximum ratings)."""

Size = Annotated[str, AfterValidator(lambda size: Geometry(size).size)]
RomName = Annotated[str, AfterValidator(lambda name, info: _rom(name, info.context))]
Level = Literal[0, 1]
Volts = Annotated[float, Field(ge=0.5, le=30)]
Ohms = Annotated[float, Field(ge=0.1, le=10_000_000)]
Milliamps = Annotated[float, Field(ge=0.1, le=10_000)]
Line = Annotated[int, Field(ge=0, le=1023)] | Annotated[str, Field(min_length=1, max_length=64)]
Pin = Annotated[int, Field(ge=1, le=99)]
DevicePath = Annotated[str, Field(max_length=255, pattern="^/[^\x00]+$")]
DeviceName = Annotated[str, Field(max_length=255, pattern="^[^\x00/]+$")]
PortName = Annotated[str, Field(min_length=1, max_length=255, pattern="^[^\x00-\x20]+$")]
RefreshEvery = Annotated[float, Field(ge=SHORTEST_S, le=LONGEST_S, strict=True)]
Retries = Annotated[int, Field(ge=0, le=MOST_RETRIES)]
Number = Annotated[int, Field(ge=0, le=255)]
Two = Annotated[list[Number], Field(min_length=2, max_length=2)]
PinName = Literal["vss", "vdd", "vo", "rs", "rw", "e", "e2", "d0", "d1", "d2", "d3", "d4", "d5", "d6", "d7", "a", "k"]
BusName = Literal["i2c-0", "i2c-1", "spi-0", "spi-1", "uart-0"]
BoardName = Literal[
    "rp2040", "rp2350", "esp32", "esp32-s2", "esp32-s3", "esp32-c3", "esp8266", "nrf52840", "microbit-v2", "samd51"
]
MapName = Literal["control-low", "control-low-e2", "control-high", "control-high-reversed", "rw-grounded"]
Address = Annotated[int, Field(ge=0x08, le=0x77)]
THREE = Field(min_length=3, max_length=3)

LINE = "a line: its number, 0 to 1023, or its name in quotes"
CHIP = f"the path of a GPIO chip, as '{GPIO_CHIP}'"
VOLTS = "volts, 0.5 to 30"
OHMS = "ohms, 0.1 to 10000000"
MILLIAMPS = "milliamperes, 0.1 to 10000"
PORT = "the serial port of a board on USB, as '/dev/ttyACM0' or 'COM3', or an FTDI chip, as 'ftdi://ftdi:232h/1'"
HERTZ = "hertz, 1000 to "
REFRESH = "seconds, 0.05 to 1000000, after which a disturbed panel is right again"
SWITCH = "true or false"
KINDS = "'backpack', 'direct' or 'shift-register'"
SIZE = f"one of {', '.join(repr(size) for size in SIZES)}"


def _rom(name: str, folder: Path | None) -> str:
    """A ROM, or the path of its file, which is found from the folder of the hookup file."""
    if name not in NAMES and folder is not None and name.endswith(".toml"):
        name = str(folder / name)
    rom_named(name)
    return name
