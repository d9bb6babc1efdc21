"""The other tables of a hookup file, and all of a panel's together. Whether they can work is for the checks."""

from typing import Annotated, ClassVar, Literal, Self, get_args

from pydantic import Field, model_validator

from lumek.config.tables import Table, one_of
from lumek.core.geometry import Geometry
from lumek.hookup.boards import BOARDS, Board, listed
from lumek.hookup.formulas import next_e12, series_ohms
from lumek.hookup.keys import (
    ABOVE_SUPPLY_V,
    ASSUMED_FORWARD_V,
    ASSUMED_GLASS_V,
    ASSUMED_LAMP_MA,
    ASSUMED_LINE_MA,
    ASSUMED_PANEL_MA,
    CHIP,
    GPIO_CHIP,
    KINDS,
    LINE,
    MILLIAMPS,
    OHMS,
    PORT,
    REFRESH,
    SIZE,
    SWITCH,
    THREE,
    VOLTS,
    BoardName,
    BusName,
    DeviceName,
    DevicePath,
    Level,
    Line,
    Milliamps,
    Number,
    Ohms,
    Pin,
    PinName,
    PortName,
    RefreshEvery,
    Retries,
    RomName,
    Size,
    Two,
    Volts,
)
from lumek.hookup.maps import BUSES, HEADER_PULLUPS, MODULE_PINS
from lumek.hookup.wiring import BackpackTable, DirectTable, RegisterTable


class BacklightTable(Table):
    """[backlight]: what feeds it, and what it is."""

    fitted: bool = Field(True, description=f"{SWITCH}: the module has one")
    line: Line | None = Field(None, description=LINE)
    on: Level = Field(1, description="0 or 1, the level of the line that lights it")
    chip: DevicePath = Field(GPIO_CHIP, description=CHIP)
    pwm: Two | Annotated[list[Two], THREE] | None = Field(
        None, description="[chip, channel], or three of these for red, green and blue"
    )
    pwm_hz: Annotated[int, Field(ge=1, le=1_000_000)] = Field(1000, description="hertz, 1 to 1000000")
    inverted: bool = Field(False, description=f"{SWITCH}: PWM gives power while its output is low")
    led: DeviceName | None = Field(None, description="the name of an LED class device, as 'panel'")
    coloured: bool = Field(False, description=f"{SWITCH}: the LED class device has three colours")
    supply_volts: Volts | None = Field(None, description=f"{VOLTS}; default: volts of the panel")
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


class ContrastTable(Table):
    """[contrast]: what feeds the contrast pin."""

    potentiometer_ohms: Ohms = Field(10_000.0, description=f"{OHMS}")
    glass_volts: Volts = Field(
        ASSUMED_GLASS_V, description=f"{VOLTS}, that the glass needs from VDD to VO, from the module's sheet"
    )
    pwm: Two | None = Field(None, description="[chip, channel]")
    pwm_hz: Annotated[int, Field(ge=1, le=1_000_000)] = Field(1000, description="hertz, 1 to 1000000")


class ModuleTable(Table):
    """[panel], or [panels.NAME]: the module, and how it is hooked up."""

    own_tables: ClassVar[tuple[str, ...]] = ("hookup", "backlight", "contrast")

    size: Size = Field(description=SIZE)
    font: Literal["5x8", "5x10"] = Field("5x8", description="'5x8', or '5x10' where one line has cells of 5x10 dots")
    rom: RomName = Field("A00", description="'A00', 'A02', or the path of a ROM file, as 'c40.toml'")
    volts: Annotated[float, Field(ge=2.7, le=5.5)] = Field(5.0, description="volts, 2.7 to 5.5")
    milliamps: Milliamps | None = Field(None, description=f"{MILLIAMPS}, without backlight, from the module's sheet")
    oscillator_hz: Annotated[int, Field(ge=50_000, le=1_000_000)] | None = Field(
        None, description="hertz, 50000 to 1000000"
    )
    retries: Retries = Field(2, description="a whole number, 0 to 10: how often a transfer that fails is repeated")
    refresh_every_s: RefreshEvery | None = Field(None, description=f"{REFRESH}; default: not by itself")
    verify_every_s: RefreshEvery | None = Field(None, description=f"the same by reading back: {REFRESH}")
    glass: Size | None = Field(None, description=f"what is seen of the module, when that is not its size: {SIZE}")
    pins: dict[PinName, Pin] = Field(
        {}, description=f"a table of name = pin, 1 to 99; names are {str(get_args(PinName))[1:-1]}"
    )
    hookup: Annotated[BackpackTable | DirectTable | RegisterTable, Field(discriminator="kind")] = Field(
        description=f"a table, with kind = {KINDS}"
    )
    backlight: BacklightTable = Field(BacklightTable(), description="a table")
    contrast: ContrastTable = Field(ContrastTable(), description="a table")

    @model_validator(mode="after")
    def _has_its_font(self) -> Self:
        if self.font != "5x8" and Geometry(self.size).lines != 1:
            raise ValueError(f"has font = {self.font!r}, which only 8x1, 16x1 and 20x1 have: use '5x8'")
        return self

    @model_validator(mode="after")
    def _counts_each_pin_once(self) -> Self:
        taken: dict[int, str] = {}
        for name, pin in self.numbered.items():
            if taken.setdefault(pin, name) != name:
                raise ValueError(f"has pin {pin} as both {taken[pin]} and {name}: say in pins where each of them is")
        return self

    @model_validator(mode="after")
    def _can_be_verified(self) -> Self:
        if self.verify_every_s is not None and "rw" not in self.hookup.roles:
            raise ValueError("has verify_every_s, but nothing can be read without a line for rw: use refresh_every_s")
        return self

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
        """What the panel takes, without its backlight: as the file says, or assumed."""
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
        """Whether the backlight's resistor is on the module or backpack: as the file says, or the usual one."""
        if self.backlight.on_board is None:
            return isinstance(self.hookup, BackpackTable) and self.backlight.ohms is None
        return self.backlight.on_board

    def series_ohms(self, lamp: int) -> float:
        """The resistor of a lamp: as the file says, or the next of E12 for its current; 0 when it can never light."""
        fitted, forward = self.backlight.fitted_ohms(lamp), self.backlight.forward(lamp)
        if fitted is not None or self.lamp_supply <= forward:
            return fitted or 0.0
        return next_e12(series_ohms(self.lamp_supply, forward, self.backlight.milliamps))

    @property
    def lamps_ma(self) -> float:
        """What the backlight takes, all lamps lit."""
        return self.backlight.milliamps * self.backlight.lamps if self.backlight.fitted else 0.0

    @property
    def contrast_ma(self) -> float:
        """What the potentiometer for the contrast takes."""
        return 0.0 if self.contrast.pwm else self.volts / self.contrast.potentiometer_ohms * 1000

    @property
    def numbered(self) -> dict[str, int]:
        """Name -> pin; without those that are unknown."""
        usual = MODULE_PINS if self.controllers == 1 else {}
        return {**usual, **{str(name): pin for name, pin in self.pins.items()}}


class HostTable(Table):
    """[host]: what the panels are wired to: this computer, or a microcontroller board on a USB cable."""

    board: BoardName | None = Field(None, description=f"a microcontroller board, by its chip: {one_of(BOARDS)}")
    header: Literal["40-pin"] | None = Field(None, description="'40-pin', where it has the usual one")
    logic_volts: Volts = Field(3.3, description=f"{VOLTS}, of its outputs when high")
    tolerates_volts: Volts | None = Field(
        None,
        description=f"{VOLTS}, the highest voltage that a pin tolerates; default: {ABOVE_SUPPLY_V} V above logic_volts",
    )
    line_ma: Milliamps = Field(ASSUMED_LINE_MA, description=f"{MILLIAMPS}, the most that one of its outputs gives")
    supply_ma: Milliamps | None = Field(None, description=f"{MILLIAMPS}, what panels and backlights may take in all")
    pullup_ohms: Ohms | Literal[False] | None = Field(
        None, description=f"{OHMS}, from SDA and SCL to logic_volts, or false for none; 1800 on bus 1 of the header"
    )
    buses: list[BusName] = Field([], description=f"buses that are in use: {', '.join(repr(bus) for bus in BUSES)}")
    port: PortName | None = Field(None, description=f"{PORT}; its pins are then the lines of all panels")
    kind: Literal["firmata", "micropython", "ftdi"] = Field(
        "firmata", description="'firmata' or 'micropython', what is on that board; or 'ftdi', for such a chip"
    )
    baud: Annotated[int, Field(ge=300, le=4_000_000)] | None = Field(
        None, description="bits a second, 300 to 4000000; default: 57600 for Firmata, 115200 for MicroPython"
    )
    bus: Number = Field(0, description="the number N of the I2C controller of a board, 0 to 255")
    sda: Line | None = Field(None, description=f"the pin of SDA on a board: {LINE}; default: its usual one")
    scl: Line | None = Field(None, description=f"the pin of SCL on a board: {LINE}; default: its usual one")

    @model_validator(mode="after")
    def _has_a_board_for_its_pins(self) -> Self:
        keys = ("kind", "baud") if self.board else ("kind", "baud", "bus", "sda", "scl")
        given = [key for key in keys if key in self.model_fields_set]
        if given and self.port is None:
            raise ValueError(f"has {given[0]}, but no port: say where the board is, as port = '/dev/ttyACM0'")
        if self.board and self.header:
            raise ValueError(f"has header = {self.header!r} and board = {self.board!r}: leave one out")
        if (self.sda is None) != (self.scl is None):
            raise ValueError("has one of sda and scl: give both, or leave both out")
        own = {"micropython": (), "firmata": ("bus", "sda"), "ftdi": ("bus", "sda", "baud")}
        for key in own[self.kind] if self.port is not None else ():
            if key in self.model_fields_set:
                raise ValueError(f"has {key}, but with kind = {self.kind!r} that is fixed: leave it out")
        return self

    @model_validator(mode="after")
    def _has_these_pins(self) -> Self:
        board = self.known_board
        if board is None:
            return self
        for key in ("sda", "scl"):
            pin, able = getattr(self, key), getattr(board, key).get(self.bus)
            if pin is not None and (own := board.pin(pin)) is None:
                there = listed(board.pins)
                raise ValueError(f"has {key} = {pin!r}, not a pin of {board.named}: it has {there}")
            if pin is not None and able and own not in able:
                raise ValueError(
                    f"has {key} = {pin!r}, which I2C{self.bus} of {board.named} cannot use: use {', '.join(able)}"
                )
        if self.bus not in board.i2c:
            raise ValueError(f"has bus = {self.bus}, which {board.named} does not have: it has "
                             f"{' and '.join(map(str, board.i2c))}")  # fmt: skip
        return self

    @property
    def known_board(self) -> Board | None:
        """What is known of the board."""
        return BOARDS[self.board] if self.board else None

    @property
    def bus_pins(self) -> tuple[str, str]:
        """The pins of SDA and SCL on a board, by the names of its table."""
        board = self.known_board
        if board is None:
            return "SDA", "SCL"
        usual = board.i2c[self.bus]
        given = (self.sda, usual[0]), (self.scl, usual[1])
        sda, scl = (own if pin is None else board.pin(pin) for pin, own in given)
        return sda or usual[0], scl or usual[1]

    @property
    def most_line_ma(self) -> float:
        """The most that one of its outputs gives."""
        board = self.known_board
        return board.line_ma if board is not None and "line_ma" not in self.model_fields_set else self.line_ma

    @property
    def bears_volts(self) -> float:
        """The highest voltage that a pin tolerates."""
        board = self.known_board
        if board is not None and self.tolerates_volts is None:
            return board.tolerates_volts
        return self.logic_volts + ABOVE_SUPPLY_V if self.tolerates_volts is None else self.tolerates_volts

    def pullup_of(self, bus: int) -> float | Literal[False]:
        """The ohms from SDA and SCL of an I2C bus to `logic_volts`, or False for none."""
        if self.pullup_ohms is None:
            return HEADER_PULLUPS.get(f"i2c-{bus}", False) if self.header else False
        return self.pullup_ohms
