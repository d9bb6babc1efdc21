"""The tables of a hookup file. What may stand in them is said here, once; whether it can work is for the checks.

Each key's `description` says what is possible, its words in quotes, and is what an error tells.
"""

from abc import ABC, abstractmethod
from typing import Annotated, Literal, Self, get_args

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, model_validator

from lumek.core.geometry import SIZES, Geometry
from lumek.core.rom import rom_named
from lumek.hookup.electric import next_e12, series_ohms
from lumek.hookup.maps import BUSES, HEADER_PULLUPS, MAPS, MODULE_PINS, USUAL, LineMap
from lumek.links.backpack import EXPANDERS

GPIO_CHIP = "/dev/gpiochip0"

ASSUMED_PANEL_MA = 3.0
"""A controller, its column drivers and the glass's ladder: more than the sheets of modules state."""

ASSUMED_PULLUP_OHMS = 4700.0
"""On a backpack as it is sold."""

ASSUMED_FORWARD_V, ASSUMED_LAMP_MA = 3.1, 20.0
"""A white backlight of a small module."""

ABOVE_SUPPLY_V = 0.3
"""By so much more than its own supply a pin that is not tolerant bears, on most parts (absolute maximum ratings)."""

Size = Annotated[str, AfterValidator(lambda size: Geometry(size).size)]
RomName = Annotated[str, AfterValidator(lambda name: rom_named(name).name)]
Level = Literal[0, 1]
Volts = Annotated[float, Field(ge=0.5, le=30)]
Ohms = Annotated[float, Field(ge=0.1, le=10_000_000)]
Milliamps = Annotated[float, Field(ge=0.1, le=10_000)]
Line = Annotated[int, Field(ge=0, le=1023)] | Annotated[str, Field(min_length=1, max_length=64)]
Pin = Annotated[int, Field(ge=1, le=99)]
Path = Annotated[str, Field(min_length=1, max_length=255, pattern="^[^\x00]+$")]
Number = Annotated[int, Field(ge=0, le=255)]
Two = Annotated[list[Number], Field(min_length=2, max_length=2)]
PinName = Literal["vss", "vdd", "vo", "rs", "rw", "e", "e2", "d0", "d1", "d2", "d3", "d4", "d5", "d6", "d7", "a", "k"]
BusName = Literal["i2c-0", "i2c-1", "spi-0", "spi-1", "uart-0"]
MapName = Literal["control-low", "control-low-e2", "control-high", "control-high-reversed", "rw-grounded"]
Address = Annotated[int, Field(ge=0x08, le=0x77)]
THREE = Field(min_length=3, max_length=3)

LINE = "a line: its number, 0 to 1023, or its name in quotes"
CHIP = f"the path of a GPIO chip, as '{GPIO_CHIP}'"
VOLTS = "volts, 0.5 to 30"
OHMS = "ohms, 0.1 to 10000000"
MILLIAMPS = "milliamperes, 0.1 to 10000"
HERTZ = "hertz, 1000 to "
SWITCH = "true or false"
KINDS = "'backpack', 'direct' or 'shift-register'"
SIZE = f"one of {', '.join(repr(size) for size in SIZES)}"


class Table(BaseModel):
    """A table of the file: strict about kinds of values, and about keys that it does not know."""

    model_config = ConfigDict(extra="forbid", strict=True, frozen=True, allow_inf_nan=False)


class Lines(Table):
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


class Wiring(Table, ABC):
    """What the hookups of all kinds say."""

    backlight_on: Level | None = Field(None, description="0 or 1, the level of the backlight line that lights it")
    level_shifter: bool = Field(False, description=f"{SWITCH}: one stands between the host's level and the panel's")

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


class Backpack(Wiring):
    """[hookup] with kind = "backpack"."""

    kind: Literal["backpack"]
    expander: Literal["pcf8574", "pcf8574a", "mcp23008"] | None = Field(
        None, description="'pcf8574', 'pcf8574a' or 'mcp23008'"
    )
    bus: Number = Field(description="the number N of the I2C bus /dev/i2c-N, 0 to 255")
    bus_hz: Annotated[int, Field(ge=1000, le=1_000_000)] = Field(100_000, description=f"{HERTZ}1000000")
    address: Address | None = Field(None, description="a 7-bit address, 0x08 to 0x77, as 0x27")
    pads: Annotated[list[Level], THREE] | None = Field(None, description="[A2, A1, A0], each 1 (open) or 0 (bridged)")
    map: MapName | None = Field(None, description=f"one of {', '.join(repr(name) for name in MAPS)}")
    lines: Lines | None = Field(None, description="a table of role = bit, as { rs = 0, e = 2, d4 = 4, ... }")
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
        """The expander: as it is said, or else as the address has it."""
        a_variant = self.address is not None and self.address >= EXPANDERS["pcf8574a"]
        return self.expander or ("pcf8574a" if a_variant else "pcf8574")

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
        """The level of the backlight line that lights it: as it is said, or as the map has it."""
        return self._mapped.backlight_on if self.backlight_on is None and self.lines is None else super().lit_at

    @property
    def _mapped(self) -> LineMap:
        return MAPS[self.map or USUAL[self.part]]

    def _of_pads(self) -> int:
        return EXPANDERS[self.part] + sum(pad << 2 - place for place, pad in enumerate(self.pads or ()))


class Direct(Wiring):
    """[hookup] with kind = "direct"."""

    kind: Literal["direct"]
    chip: Path = Field(GPIO_CHIP, description=CHIP)
    lines: Lines = Field(description="a table of role = line, as { rs = 10, e = 9, d4 = 12, ... }")
    busy_flag: bool = Field(True, description=f"{SWITCH}: read the busy flag, where RW is wired")

    @property
    def roles(self) -> dict[str, int | str]:
        """Role -> line of the chip."""
        return self.lines.roles


class SerialLines(Table):
    """The lines that lead to SER, SRCLK and RCLK of a register."""

    data: Line = Field(description=LINE)
    clock: Line = Field(description=LINE)
    latch: Line = Field(description=LINE)

    @property
    def roles(self) -> dict[str, int | str]:
        """Pin -> line."""
        return dict(self)


class Register(Wiring):
    """[hookup] with kind = "shift-register"."""

    kind: Literal["shift-register"]
    part: Literal["74hc595", "74hct595"] = Field("74hc595", description="'74hc595' or '74hct595'")
    lines: Lines = Field(description="a table of role = output (0 is QA), as { rs = 0, e = 1, d4 = 2, ... }")
    spi: Two | None = Field(None, description="[bus, device], as [0, 0] for /dev/spidev0.0")
    spi_hz: Annotated[int, Field(ge=1000, le=10_000_000)] = Field(1_000_000, description=f"{HERTZ}10000000")
    chip: Path = Field(GPIO_CHIP, description=CHIP)
    serial: SerialLines | None = Field(None, description="a table, as { data = 17, clock = 27, latch = 22 }")

    @model_validator(mode="after")
    def _hangs_on_something(self) -> Self:
        if (self.spi is None) == (self.serial is None):
            raise ValueError(
                "needs the key 'spi', as [0, 0], or the table 'serial', as { data = 17, clock = 27, latch = 22 }; "
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


class Backlight(Table):
    """[backlight]: what feeds it, and what it is."""

    fitted: bool = Field(True, description=f"{SWITCH}: whether the module has one")
    line: Line | None = Field(None, description=LINE)
    on: Level = Field(1, description="0 or 1, the level of the line that lights it")
    chip: Path = Field(GPIO_CHIP, description=CHIP)
    pwm: Two | Annotated[list[Two], THREE] | None = Field(
        None, description="[chip, channel], or three of these for red, green and blue"
    )
    pwm_hz: Annotated[int, Field(ge=1, le=1_000_000)] = Field(1000, description="hertz, 1 to 1000000")
    inverted: bool = Field(False, description=f"{SWITCH}: PWM gives power while its output is low")
    led: Path | None = Field(None, description="the name of an LED class device, as 'panel'")
    coloured: bool = Field(False, description=f"{SWITCH}: whether the LED class device has three colours")
    supply_volts: Volts | None = Field(None, description=f"{VOLTS}; as the panel's when not said")
    forward_volts: Volts | Annotated[list[Volts], THREE] = Field(
        ASSUMED_FORWARD_V, description=f"{VOLTS}, across a lamp, from the module's sheet; or three (red, green, blue)"
    )
    milliamps: Milliamps = Field(ASSUMED_LAMP_MA, description=f"{MILLIAMPS}, through a lamp, from the module's sheet")
    ohms: Ohms | Annotated[list[Ohms], THREE] | None = Field(
        None, description=f"{OHMS}, the resistor in series that is fitted; or three (red, green, blue)"
    )
    on_board: bool | None = Field(None, description=f"{SWITCH}: the resistor is on the module or backpack")

    @model_validator(mode="after")
    def _is_fed_once(self) -> Self:
        feeds = [key for key in ("line", "pwm", "led") if getattr(self, key) is not None]
        if len(feeds) > 1:
            raise ValueError(f"is fed by {' and by '.join(feeds)}: leave one out")
        return self

    @property
    def channels(self) -> list[list[int]]:
        """The PWM channels: none, one, or those of red, green and blue."""
        numbers = [one for one in self.pwm or () if isinstance(one, int)]
        return [numbers] if numbers else [one for one in self.pwm or () if isinstance(one, list)]

    @property
    def lamps(self) -> int:
        """How many lamps there are, each with its resistor."""
        return 3 if self.coloured or len(self.channels) == 3 else 1

    def forward(self, lamp: int) -> float:
        """The forward voltage of a lamp."""
        return self.forward_volts[lamp] if isinstance(self.forward_volts, list) else self.forward_volts

    def fitted_ohms(self, lamp: int) -> float | None:
        """The resistor of a lamp, as far as it is said."""
        return self.ohms[lamp] if isinstance(self.ohms, list) else self.ohms


class Contrast(Table):
    """[contrast]: what feeds the contrast pin."""

    potentiometer_ohms: Ohms = Field(10_000.0, description=f"{OHMS}")
    pwm: Two | None = Field(None, description="[chip, channel]")
    pwm_hz: Annotated[int, Field(ge=1, le=1_000_000)] = Field(1000, description="hertz, 1 to 1000000")


class Module(Table):
    """[panel], or [panels.NAME]: the module, and how it is hooked up."""

    size: Size = Field(description=SIZE)
    rom: RomName = Field("A00", description="'A00' or 'A02'")
    volts: Annotated[float, Field(ge=2.7, le=5.5)] = Field(5.0, description="volts, 2.7 to 5.5")
    milliamps: Milliamps | None = Field(None, description=f"{MILLIAMPS}, without backlight, from the module's sheet")
    oscillator_hz: Annotated[int, Field(ge=50_000, le=1_000_000)] | None = Field(
        None, description="hertz, 50000 to 1000000"
    )
    glass: Size | None = Field(None, description=f"what is seen of the module, when that is not its size: {SIZE}")
    pins: dict[PinName, Pin] = Field(
        {}, description=f"a table of name = pin, 1 to 99; names are {str(get_args(PinName))[1:-1]}"
    )
    hookup: Annotated[Backpack | Direct | Register, Field(discriminator="kind")] = Field(
        description=f"a table, with kind = {KINDS}"
    )
    backlight: Backlight = Field(Backlight(), description="a table")
    contrast: Contrast = Field(Contrast(), description="a table")

    @model_validator(mode="after")
    def _is_lit_once(self) -> Self:
        fed = self.backlight.line is not None or self.backlight.pwm is not None or self.backlight.led is not None
        if fed and "backlight" in self.hookup.roles:
            raise ValueError("has a role 'backlight' in [hookup] and something else in [backlight]: leave one out")
        return self

    @property
    def controllers(self) -> int:
        """How many the size takes."""
        return Geometry(self.size).controllers

    @property
    def supply_ma(self) -> float:
        """What the panel takes, without its backlight: as it is said, or assumed."""
        return ASSUMED_PANEL_MA * self.controllers if self.milliamps is None else self.milliamps

    @property
    def width(self) -> int:
        """The mode: 8 where there is a line for one of d0 to d3, else 4."""
        return 8 if {"d0", "d1", "d2", "d3"} & self.hookup.roles.keys() else 4

    @property
    def rows(self) -> int:
        """How many the size has."""
        return Geometry(self.size).rows

    @property
    def lamp_supply(self) -> float:
        """The volts that feed the backlight."""
        return self.volts if self.backlight.supply_volts is None else self.backlight.supply_volts

    @property
    def resistor_on_board(self) -> bool:
        """Whether the backlight's resistor is on the module or backpack: as it is said, or usual."""
        if self.backlight.on_board is None:
            return isinstance(self.hookup, Backpack) and self.backlight.ohms is None
        return self.backlight.on_board

    def series_ohms(self, lamp: int) -> float:
        """The resistor of a lamp: as it is said, or the next of E12 for its current; 0 when it can never light."""
        fitted, forward = self.backlight.fitted_ohms(lamp), self.backlight.forward(lamp)
        if fitted is not None or self.lamp_supply <= forward:
            return fitted or 0.0
        return next_e12(series_ohms(self.lamp_supply, forward, self.backlight.milliamps))

    @property
    def lamps_ma(self) -> float:
        """What the backlight takes, all lamps lit."""
        return self.backlight.milliamps * self.backlight.lamps if self.backlight.fitted else 0.0

    @property
    def numbered(self) -> dict[str, int]:
        """Name -> pin; without those that nobody can know."""
        usual = MODULE_PINS if self.controllers == 1 else {}
        return {**usual, **{str(name): pin for name, pin in self.pins.items()}}


class Host(Table):
    """[host]: what the panels are wired to."""

    header: Literal["40-pin"] | None = Field(None, description="'40-pin', where it has the usual one")
    logic_volts: Volts = Field(3.3, description=f"{VOLTS}, of its outputs when high")
    tolerates_volts: Volts | None = Field(
        None, description=f"{VOLTS}, the most that a pin bears; {ABOVE_SUPPLY_V} V above logic_volts when not said"
    )
    supply_ma: Milliamps | None = Field(None, description=f"{MILLIAMPS}, what panels and backlights may take in all")
    pullup_ohms: Ohms | Literal[False] | None = Field(
        None, description=f"{OHMS}, from SDA and SCL to logic_volts, or false where there are none"
    )
    buses: list[BusName] = Field([], description=f"buses that are in use: {', '.join(repr(bus) for bus in BUSES)}")

    @property
    def bears_volts(self) -> float:
        """The most that a pin bears."""
        return self.logic_volts + ABOVE_SUPPLY_V if self.tolerates_volts is None else self.tolerates_volts

    def pullup_of(self, bus: int) -> float | Literal[False]:
        """The ohms from SDA and SCL of an I2C bus to `logic_volts`, or False for none."""
        if self.pullup_ohms is None:
            return HEADER_PULLUPS.get(f"i2c-{bus}", False) if self.header else False
        return self.pullup_ohms
