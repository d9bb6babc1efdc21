"""The table [hookup] of a hookup file, for each kind of wiring."""

from abc import ABC, abstractmethod
from typing import TYPE_CHECKING, Annotated, Literal, Self

from pydantic import Field, model_validator

from lumek.config.tables import Table, one_of
from lumek.hookup.keys import (
    ASSUMED_PULLUP_OHMS,
    CHIP,
    GPIO_CHIP,
    HERTZ,
    LINE,
    OHMS,
    SWITCH,
    THREE,
    Address,
    DevicePath,
    Level,
    Line,
    MapName,
    Number,
    Ohms,
    Two,
)
from lumek.hookup.maps import MAPS, USUAL, LineMap
from lumek.links.expanders import EXPANDERS, at_address

if TYPE_CHECKING:
    ExpanderName = str
else:
    ExpanderName = Literal[tuple(EXPANDERS)]


class LinesTable(Table):
    """Role -> line: bit of the expander, output of the register, or line of the GPIO chip."""

    rs: Line | None = Field(None, description=LINE)
    rw: Line | None = Field(None, description=LINE)
    e: Line | None = Field(None, description=LINE)
    e2: Line | None = Field(None, description=LINE)
    d0: Line | None = Field(None, description=LINE)
    d1: Line | None = Field(None, description=LINE)
    d2: Line | None = Field(None, description=LINE)
    d3: Line | None = Field(None, description=LINE)
    d4: Line | None = Field(None, description=LINE)
    d5: Line | None = Field(None, description=LINE)
    d6: Line | None = Field(None, description=LINE)
    d7: Line | None = Field(None, description=LINE)
    backlight: Line | None = Field(None, description=LINE)

    @property
    def roles(self) -> dict[str, int | str]:
        """Those that are given."""
        return {role: line for role, line in self if line is not None}


class WiringTable(Table, ABC):
    """What the hookups of all kinds say."""

    backlight_on: Level | None = Field(None, description="0 or 1, the level of the backlight line that lights it")
    level_shifter: bool = Field(False, description=f"{SWITCH}: between the host's level and the panel's")
    cautious: bool = Field(
        False, description=f"{SWITCH}: wait before each half of a byte, for panels that show garbage at 400 kHz"
    )

    @property
    @abstractmethod
    def roles(self) -> dict[str, int | str]:
        """Role -> line."""

    @property
    def bits(self) -> dict[str, int]:
        """Role -> line, of those that are numbers."""
        return {role: line for role, line in self.roles.items() if isinstance(line, int)}

    @property
    def lit_at(self) -> int:
        """The level of the backlight line that lights it."""
        return 1 if self.backlight_on is None else self.backlight_on


class BackpackTable(WiringTable):
    """[hookup] with kind = "backpack"."""

    kind: Literal["backpack"]
    expander: ExpanderName | None = Field(None, description=one_of(EXPANDERS))
    bus: Number = Field(
        0, description="the number N of the I2C bus /dev/i2c-N, 0 to 255; needed, but left out on a board on USB"
    )
    bus_hz: Annotated[int, Field(ge=1000, le=1_000_000)] = Field(100_000, description=f"{HERTZ}1000000")
    address: Address | None = Field(None, description="a 7-bit address, 0x08 to 0x77, as 0x27")
    pads: Annotated[list[Level], THREE] | None = Field(None, description="[A2, A1, A0], each 1 (open) or 0 (bridged)")
    map: MapName | None = Field(None, description=f"one of {', '.join(repr(name) for name in MAPS)}")
    lines: LinesTable | None = Field(None, description="a table of role = bit, as { rs = 0, e = 2, d4 = 4, ... }")
    pullup_ohms: Ohms | Literal[False] = Field(
        ASSUMED_PULLUP_OHMS, description=f"{OHMS}, from SDA and SCL to the panel's supply, or false for none"
    )
    metres: float = Field(0.2, ge=0, le=100, description="metres of cable to this panel, 0 to 100")
    pf_per_metre: float = Field(100.0, ge=1, le=1000, description="picofarads of a metre of cable, 1 to 1000")
    other_addresses: list[Address] = Field([], description="addresses of other devices on that bus, as [0x48]")

    @model_validator(mode="after")
    def _says_one_thing(self) -> Self:
        if self.address is None and self.pads is None:
            raise ValueError("needs the key 'address', as 0x27, or 'pads', as [1, 1, 1]")
        if self.pads is not None and self.address not in (None, self._of_pads()):
            raise ValueError(
                f"says two things: address = {self.address:#04x}, but pads = {self.pads} of a {self.part} mean "
                f"{self._of_pads():#04x}: leave one out"
            )
        if self.map is not None and self.lines is not None:
            raise ValueError(f"has both map = {self.map!r} and lines: leave one out")
        return self

    @property
    def part(self) -> str:
        """The expander: as the file says, or as the address means."""
        fitting = at_address(self.address) if self.address is not None else []
        return self.expander or (fitting or list(EXPANDERS))[0]

    @property
    def at(self) -> int:
        """The address, whichever way it is said."""
        return self._of_pads() if self.address is None else self.address

    @property
    def roles(self) -> dict[str, int | str]:
        """Role -> bit of the expander."""
        return dict(self._mapped.lines) if self.lines is None else self.lines.roles

    @property
    def lit_at(self) -> int:
        """The level of the backlight line that lights it: as the file says, or as the map has it."""
        return self._mapped.backlight_on if self.backlight_on is None and self.lines is None else super().lit_at

    @property
    def named(self) -> str:
        """The name of its map; "" where it has lines of its own."""
        return (self.map or USUAL[self.part]) if self.lines is None else ""

    @property
    def _mapped(self) -> LineMap:
        return MAPS[self.map or USUAL[self.part]]

    def _of_pads(self) -> int:
        base: int = EXPANDERS[self.part].base
        return base + sum(pad << 2 - place for place, pad in enumerate(self.pads or ()))


class DirectTable(WiringTable):
    """[hookup] with kind = "direct"."""

    kind: Literal["direct"]
    chip: DevicePath = Field(GPIO_CHIP, description=CHIP)
    lines: LinesTable = Field(description="a table of role = line, as { rs = 25, e = 24, d4 = 23, ... }")
    busy_flag: bool | None = Field(
        None, description=f"{SWITCH}: read the busy flag, where RW is wired; default: true, but over a USB cable"
    )

    @property
    def roles(self) -> dict[str, int | str]:
        """Role -> line of the chip."""
        return self.lines.roles


class SerialLinesTable(Table):
    """The lines that lead to SER, SRCLK and RCLK of a register."""

    data: Line = Field(description=LINE)
    clock: Line = Field(description=LINE)
    latch: Line = Field(description=LINE)

    @property
    def roles(self) -> dict[str, int | str]:
        """Pin -> line."""
        return dict(self)


class RegisterTable(WiringTable):
    """[hookup] with kind = "shift-register"."""

    kind: Literal["shift-register"]
    part: Literal["74hc595", "74hct595"] = Field("74hc595", description="'74hc595' or '74hct595'")
    lines: LinesTable = Field(description="a table of role = output (0 is QA), as { rs = 0, e = 1, d4 = 2, ... }")
    spi: Two | None = Field(None, description="[bus, device], as [0, 0] for /dev/spidev0.0")
    spi_hz: Annotated[int, Field(ge=1000, le=10_000_000)] = Field(1_000_000, description=f"{HERTZ}10000000")
    chip: DevicePath = Field(GPIO_CHIP, description=CHIP)
    serial: SerialLinesTable | None = Field(None, description="a table, as { data = 5, clock = 27, latch = 22 }")

    @model_validator(mode="after")
    def _hangs_on_something(self) -> Self:
        if (self.spi is None) == (self.serial is None):
            raise ValueError(
                "needs the key 'spi', as [0, 0], or the table 'serial', as { data = 5, clock = 27, latch = 22 }; "
                f"it has {'neither' if self.spi is None else 'both'}"
            )
        return self

    @property
    def roles(self) -> dict[str, int | str]:
        """Role -> output of the register."""
        return self.lines.roles

    @property
    def leads(self) -> str:
        """What leads to it."""
        if self.serial:
            return f"lines {self.serial.data}, {self.serial.clock} and {self.serial.latch} of {self.chip}"
        return f"SPI {'.'.join(map(str, self.spi or ()))}"
