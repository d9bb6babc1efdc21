"""Microcontroller boards: their pins, what these are called, and what the data sheets of their chips allow.

A board is known by its chip. Sources, for pins, absolute maximum ratings and memory: RP2040 data sheet (2.19, 5.5.3,
2.6.2), RP2350 data sheet (9, 14.9, 4.2), ESP32 series data sheet (2.2, 4.1, 5.1), ESP32-S2, -S3 and -C3 series data
sheets (2, 5), ESP8266EX data sheet (2, 5.1), nRF52840 product specification (7.1, 6.9.4, 9), nRF52833 product
specification and the edge connector of the board that has it, SAM D5x/E5x family data sheet (6, 54.2).
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field

MICROPYTHON, CIRCUITPYTHON = "micropython", "circuitpython"


@dataclass(frozen=True)
class Board:
    """What is known of a kind of board.

    title: for people. pins: name -> what `machine.Pin` takes. other: other names of pins -> their names above.
    input_only, careful: pins that cannot be outputs; pins that decide how the chip starts, and why.
    i2c: number of an I2C controller -> the (SDA, SCL) that are taken where a file does not say.
    sda, scl: the pins that a controller can have, by its number; a controller that is missing can have any.
    logic_volts: of its outputs. tolerates_volts: the highest at a pin. line_ma: the highest current of an output.
    ram_kb: memory of the chip. systems: the interpreters that there are for it. left, right: pins from the top, as the
        drawing has them.
    """

    title: str
    pins: dict[str, "int | str"]
    i2c: dict[int, tuple[str, str]]
    tolerates_volts: float
    line_ma: float
    ram_kb: int
    left: Sequence[str]
    right: Sequence[str]
    other: dict[str, str] = field(default_factory=dict)
    input_only: tuple[str, ...] = ()
    careful: dict[str, str] = field(default_factory=dict)
    sda: dict[int, tuple[str, ...]] = field(default_factory=dict)
    scl: dict[int, tuple[str, ...]] = field(default_factory=dict)
    logic_volts: float = 3.3
    systems: tuple[str, ...] = (MICROPYTHON, CIRCUITPYTHON)

    @property
    def named(self) -> str:
        """The title with its article."""
        return f"{'an' if self.title[0] in 'EnR' else 'a'} {self.title}"

    @property
    def positions(self) -> dict[int, str]:
        """Place in the drawing -> name: odd ones from the top on the left, even ones on the right."""
        return {
            2 * place + side: name
            for side, names in ((1, self.left), (2, self.right)) for place, name in enumerate(names)
        }  # fmt: skip

    def position(self, *names: str) -> int | None:
        """The first place in the drawing that has one of these names."""
        return next((place for name in names for place, one in self.positions.items() if one == name), None)

    def pin(self, name: "int | str") -> str | None:
        """The name of a pin that is given as a name, another name, or what `machine.Pin` takes; None for no pin."""
        text = str(name)
        if text in self.pins:
            return text
        if text in self.other:
            return self.other[text]
        return next((own for own, number in self.pins.items() if str(number) == text), None)


def _numbered(prefix: str, numbers: "Sequence[int]") -> dict[str, "int | str"]:
    return {f"{prefix}{number}": number for number in numbers}


def _names(prefix: str, numbers: "Sequence[int]") -> tuple[str, ...]:
    return tuple(f"{prefix}{number}" for number in numbers)


_RP_SDA = {0: _names("GP", range(0, 30, 4)), 1: _names("GP", range(2, 30, 4))}
_RP_SCL = {0: _names("GP", range(1, 30, 4)), 1: _names("GP", range(3, 30, 4))}
_RP_LEFT = (
    *_names("GP", (0, 1)), "GND", *_names("GP", (2, 3, 4, 5)), "GND", *_names("GP", (6, 7, 8, 9)), "GND",
    *_names("GP", (10, 11, 12, 13)), "GND", *_names("GP", (14, 15)),
)  # fmt: skip
_RP_RIGHT = (
    "VBUS", "VSYS", "GND", "EN", "3V3", "VREF", "GP28", "AGND", "GP27", "GP26", "RUN", "GP22", "GND", "GP21", "GP20",
    "GP19", "GP18", "GND", "GP17", "GP16",
)  # fmt: skip
_STRAPPED = "its level at reset decides how the chip starts"

BOARDS: dict[str, Board] = {
    "rp2040": Board(
        "RP2040 board", _numbered("GP", range(30)), {0: ("GP4", "GP5"), 1: ("GP6", "GP7")}, 3.8, 12, 264,
        _RP_LEFT, _RP_RIGHT, sda=_RP_SDA, scl=_RP_SCL,
    ),
    "rp2350": Board(
        "RP2350 board", _numbered("GP", range(30)), {0: ("GP4", "GP5"), 1: ("GP6", "GP7")}, 5.5, 12, 520,
        _RP_LEFT, _RP_RIGHT, sda=_RP_SDA, scl=_RP_SCL,
    ),
    "esp32": Board(
        "ESP32 board", _numbered("IO", (*range(6), *range(12, 20), 21, 22, 23, 25, 26, 27, *range(32, 40))),
        {0: ("IO19", "IO18"), 1: ("IO26", "IO25")}, 3.6, 40, 520,
        ("3V3", "EN", "IO36", "IO39", "IO34", "IO35", "IO32", "IO33", "IO25", "IO26", "IO27", "IO14", "IO12", "GND",
         "IO13", "VIN"),
        ("GND", "IO23", "IO22", "IO1", "IO3", "IO21", "IO19", "IO18", "IO5", "IO17", "IO16", "IO4", "IO0", "IO2",
         "IO15", "GND"),
        input_only=_names("IO", (34, 35, 36, 37, 38, 39)),
        careful={**dict.fromkeys(_names("IO", (0, 2, 5, 12, 15)), _STRAPPED),
                 **dict.fromkeys(_names("IO", (1, 3)), "the console of the board uses it")},
    ),
    "esp32-s2": Board(
        "ESP32-S2 board", _numbered("IO", (*range(22), 26, *range(33, 47))), {0: ("IO8", "IO9"), 1: ("IO4", "IO5")},
        3.6, 40, 320,
        ("3V3", *_names("IO", range(14)), "GND"),
        ("VIN", *_names("IO", (14, 15, 16, 17, 18, 21, 33, 34, 35, 36, 37, 38, 39, 40)), "GND"),
        input_only=("IO46",), careful=dict.fromkeys(_names("IO", (0, 45, 46)), _STRAPPED),
    ),
    "esp32-s3": Board(
        "ESP32-S3 board", _numbered("IO", (*range(22), *range(33, 49))), {0: ("IO8", "IO9"), 1: ("IO4", "IO5")},
        3.6, 40, 512,
        ("3V3", "EN", *_names("IO", (4, 5, 6, 7, 15, 16, 17, 18, 8, 3, 46, 9, 10, 11, 12, 13, 14)), "VIN", "GND"),
        ("GND", *_names("IO", (43, 44, 1, 2, 42, 41, 40, 39, 38, 37, 36, 35, 0, 45, 48, 47, 21, 20, 19)), "GND"),
        careful={**dict.fromkeys(_names("IO", (0, 3, 45, 46)), _STRAPPED),
                 **dict.fromkeys(_names("IO", (19, 20)), "USB uses it")},
    ),
    "esp32-c3": Board(
        "ESP32-C3 board", _numbered("IO", (*range(11), *range(18, 22))), {0: ("IO5", "IO4")}, 3.6, 40, 400,
        ("3V3", *_names("IO", range(8)), "GND"),
        ("VIN", *_names("IO", (21, 20, 19, 18, 10, 9, 8)), "GND", "GND"),
        careful={**dict.fromkeys(_names("IO", (2, 8, 9)), _STRAPPED),
                 **dict.fromkeys(_names("IO", (18, 19)), "USB uses it")},
    ),
    "esp8266": Board(
        "ESP8266 board",
        {"D0": 16, "D1": 5, "D2": 4, "D3": 0, "D4": 2, "D5": 14, "D6": 12, "D7": 13, "D8": 15, "RX": 3, "TX": 1},
        {0: ("D2", "D1")}, 3.6, 12, 80,
        ("RST", "A0", "D0", "D5", "D6", "D7", "D8", "3V3"), ("TX", "RX", "D1", "D2", "D3", "D4", "GND", "5V"),
        other={f"GPIO{number}": name for name, number in (("D0", 16), ("D1", 5), ("D2", 4), ("D3", 0), ("D4", 2),
                                                          ("D5", 14), ("D6", 12), ("D7", 13), ("D8", 15))},
        careful={**dict.fromkeys(("D3", "D4", "D8"), _STRAPPED), "D0": "it wakes the chip",
                 **dict.fromkeys(("RX", "TX"), "the console of the board uses it")},
        systems=(MICROPYTHON,),
    ),
    "nrf52840": Board(
        "nRF52840 board",
        {f"P{port}.{number:02}": 32 * port + number for port, count in ((0, 32), (1, 16)) for number in range(count)},
        {0: ("P0.12", "P0.11"), 1: ("P0.26", "P0.27")}, 3.6, 2, 256,
        ("3V3", "GND", *(f"P0.{number:02}" for number in (2, 3, 4, 5, 28, 29, 30, 31, 13, 14, 15, 24, 25))),
        ("VIN", "EN", "GND", *(f"P0.{number:02}" for number in (11, 12, 6, 7, 8, 26, 27)), "P1.08", "P1.09", "GND"),
        careful={"P0.18": "it is the reset", "P0.09": "NFC uses it", "P0.10": "NFC uses it"},
    ),
    "microbit-v2": Board(
        "micro:bit V2", {f"P{number}": f"pin{number}" for number in (*range(17), 19, 20)}, {0: ("P20", "P19")},
        3.6, 2, 128,
        ("P0", "P1", "P2", "3V3", "GND", "P3", "P4", "P5", "P6", "P7"),
        ("P8", "P9", "P10", "P11", "P12", "P13", "P14", "P15", "P16", "P19", "P20"),
        sda={0: ("P20",)}, scl={0: ("P19",)},
        careful={**dict.fromkeys(_names("P", (3, 4, 6, 7, 10)), "the display of the board uses it"),
                 **dict.fromkeys(("P5", "P11"), "a button of the board uses it")},
        systems=(MICROPYTHON,),
    ),
    "samd51": Board(
        "SAMD51 board",
        {**{f"D{number}": f"D{number}" for number in range(14)}, **{f"A{number}": f"A{number}" for number in range(6)},
         "SDA": "SDA", "SCL": "SCL"},
        {0: ("SDA", "SCL")}, 3.6, 8, 192,
        ("RST", "3V3", "AREF", "GND", "A0", "A1", "A2", "A3", "A4", "A5"),
        ("VIN", "EN", "D13", "D12", "D11", "D10", "D9", "D6", "D5", "SCL", "SDA"),
        sda={0: ("SDA",)}, scl={0: ("SCL",)},
    ),
}  # fmt: skip
"""The boards by the names of their chips."""


def listed(pins: Iterable[str]) -> str:
    """Names of pins in few words: GP0 to GP29."""
    runs: list[list[str]] = []
    for name in pins:
        head, number = name.rstrip("0123456789"), name[len(name.rstrip("0123456789")) :]
        last = runs[-1][-1] if runs else ""
        follows = number and last.rstrip("0123456789") == head and int(last[len(head) :]) + 1 == int(number)
        if follows:
            runs[-1].append(name)
        else:
            runs.append([name])
    return ", ".join(run[0] if len(run) == 1 else f"{run[0]} to {run[-1]}" for run in runs)
