"""Port expanders: all that Lumek knows of each chip, in one table.

The link, the hookup file with its checks and its template, `lumek scan` and all help texts and errors take it from
here. To add a chip, add a row, and a class in `lumek.twin.expander` that names it.
Sources: data sheets of the PCF8574 and PCF8574A (NXP, rev. 5; "Quasi-bidirectional I/Os", limiting values, static
characteristics) and of the MCP23008 (DS21919; table 1-3, registers; section 1.2.1, byte mode; DC characteristics).
"""

from collections import namedtuple

LINES = {"rs": 0, "rw": 1, "e": 2, "backlight": 3, "d4": 4, "d5": 5, "d6": 6, "d7": 7}
"""Role -> bit of the expander, on most boards with a PCF8574."""

E2_LINES = {"rs": 0, "e2": 1, "e": 2, "backlight": 3, "d4": 4, "d5": 5, "d6": 6, "d7": 7}
"""The same with two controllers: RW is grounded, and its line leads to the second E."""

MCP_LINES = {"rs": 1, "e": 2, "d4": 3, "d5": 4, "d6": 5, "d7": 6, "backlight": 7}
"""Role -> bit of the expander, on boards with an MCP23008. RW is grounded."""

Registers = namedtuple("Registers", ("direction", "pins", "latch", "setup"))
"""Addresses of the registers of a chip that has any, and the bytes that make it take states in a row."""

Expander = namedtuple(
    "Expander",
    ("base", "delivered", "rated_hz", "lines", "registers", "supply_mv", "above_mv", "high_percent", "low_percent",
     "sinks_ma"),
)  # fmt: skip
"""A chip.

base: its address with all three pads at 0; the pads add 0 to 7.
delivered: its address as boards are sold.
rated_hz: the fastest bus that it is rated for.
lines: role -> bit on the usual board.
registers: its `Registers`, or None when a byte sets the lines.
supply_mv: lowest and highest supply.
above_mv: voltage above the supply that an input withstands.
high_percent, low_percent: input thresholds, in percent of the supply.
sinks_ma: current that it sinks at 0.4 V on the bus.
"""

EXPANDERS = {
    "pcf8574": Expander(0x20, 0x27, 100_000, LINES, None, (2500, 6000), 500, 70, 30, 3),
    "pcf8574a": Expander(0x38, 0x3F, 100_000, LINES, None, (2500, 6000), 500, 70, 30, 3),
    # IOCON.SEQOP holds the register pointer still, so that one transfer carries many port states.
    "mcp23008": Expander(
        0x20, 0x20, 1_700_000, MCP_LINES, Registers(0x00, 0x09, 0x0A, b"\x05\x20"), (1800, 5500), 600, 80, 20, 3
    ),
}
"""The chips by name. Of two with the same addresses, the first is the one that an address means by itself."""


def at_address(address: int) -> list[str]:
    """The chips that can have a 7-bit address, in the order of the table."""
    return [name for name in EXPANDERS if EXPANDERS[name].base <= address <= EXPANDERS[name].base + 7]


def address_ranges(names: "list[str] | None" = None) -> str:
    """The addresses of chips (default: all), for an error: "mcp23008 0x20 to 0x27, ..."."""
    bases = sorted([(name, EXPANDERS[name].base) for name in names or EXPANDERS])
    return ", ".join([f"{name} {base:#04x} to {base + 7:#04x}" for name, base in bases])
