"""How boards lead their eight lines to the panel, by name, and where the lines of a host's header are.

Sources: circuit diagrams of backpacks as they are sold; the usual 40-pin header of single-board computers; data sheet
of the 74HC595 (pins).
"""

from dataclasses import dataclass

from lumek.links.expanders import E2_LINES, EXPANDERS, LINES, MCP_LINES


@dataclass(frozen=True)
class LineMap:
    """Role -> bit, the level that lights the backlight, and the boards on which it is found."""

    lines: dict[str, int]
    backlight_on: int
    found_on: str


MAPS = {
    "control-low": LineMap(LINES, 1, "most boards with a PCF8574 or PCF8574A"),
    "control-low-e2": LineMap(E2_LINES, 1, "the same for 40x4: RW is grounded, and its line leads to E2"),
    "control-high": LineMap(
        {"d4": 0, "d5": 1, "d6": 2, "d7": 3, "rs": 4, "rw": 5, "e": 6, "backlight": 7},
        1,
        "some: data on bits 0 to 3, RS on 4, lit by 1",
    ),
    "control-high-reversed": LineMap(
        {"d4": 0, "d5": 1, "d6": 2, "d7": 3, "e": 4, "rw": 5, "rs": 6, "backlight": 7},
        0,
        "some: data on bits 0 to 3, RS on 6, lit by 0",
    ),
    "rw-grounded": LineMap(MCP_LINES, 1, "boards with an MCP23008"),
}
"""The common line maps. Every other is written as `lines`."""

USUAL = {name: next(usual for usual, one in MAPS.items() if one.lines is chip.lines)
         for name, chip in EXPANDERS.items()}  # fmt: skip
"""The map of an expander whose hookup names none."""

# Position on the usual 40-pin header: line of the GPIO chip, or what else is there. Odd positions are the row at the
# board's inner side.
HEADER: dict[int, int | str] = {
    1: "3.3 V", 2: "5 V", 3: 2, 4: "5 V", 5: 3, 6: "GND", 7: 4, 8: 14, 9: "GND", 10: 15, 11: 17, 12: 18, 13: 27,
    14: "GND", 15: 22, 16: 23, 17: "3.3 V", 18: 24, 19: 10, 20: "GND", 21: 9, 22: 25, 23: 11, 24: 8, 25: "GND", 26: 7,
    27: 0, 28: 1, 29: 5, 30: "GND", 31: 6, 32: 12, 33: 13, 34: "GND", 35: 19, 36: 16, 37: 26, 38: 20, 39: "GND",
    40: 21,
}  # fmt: skip

POSITIONS = {line: position for position, line in HEADER.items() if isinstance(line, int)}
"""Line of the GPIO chip -> position on the header."""

BUSES = {
    "i2c-0": {"SDA": 0, "SCL": 1},
    "i2c-1": {"SDA": 2, "SCL": 3},
    "spi-0": {"MOSI": 10, "MISO": 9, "SCLK": 11, "CE0": 8, "CE1": 7},
    "spi-1": {"MOSI": 20, "MISO": 19, "SCLK": 21, "CE0": 18, "CE1": 17, "CE2": 16},
    "uart-0": {"TXD": 14, "RXD": 15},
}
"""The buses of the header, and the lines that each takes."""

PWM_LINES = {0: 12, 1: 13, 2: 18, 3: 19}
"""Channel of the header's PWM chip -> its line."""

PWM_ELSEWHERE = {12: 18, 13: 19}
"""Where that chip has two channels only, they may also be on the second of these lines, as the host is set up."""

BUS_OF = {line: (bus, signal) for bus, signals in BUSES.items() for signal, line in signals.items()}
"""Line -> the bus that has it when it is switched on, and its signal there."""

HEADER_PULLUPS = {"i2c-1": 1800.0}
"""Buses of the header whose SDA and SCL have resistors on the host: their ohms."""

OUTPUTS = {0: ("QA", 15), 1: ("QB", 1), 2: ("QC", 2), 3: ("QD", 3), 4: ("QE", 4), 5: ("QF", 5), 6: ("QG", 6),
           7: ("QH", 7)}  # fmt: skip
"""Output of a 74HC595 -> its name, and its pin on the DIP-16 package."""

REGISTER_PINS = {"VCC": 16, "GND": 8, "SRCLR": 10, "OE": 13, "SER": 14, "SRCLK": 11, "RCLK": 12}
"""Its other pins."""

MODULE_PINS = {
    "vss": 1, "vdd": 2, "vo": 3, "rs": 4, "rw": 5, "e": 6, "d0": 7, "d1": 8, "d2": 9, "d3": 10, "d4": 11, "d5": 12,
    "d6": 13, "d7": 14, "a": 15, "k": 16,
}  # fmt: skip
"""Name -> pin of a module with one controller. Those with two have another order, each maker his own."""
