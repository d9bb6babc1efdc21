"""A new hookup file, with comments that say what else it may have."""

from collections.abc import Mapping
from typing import Any

from lumek.config.tables import one_of
from lumek.hookup.maps import MAPS
from lumek.links.expanders import EXPANDERS

DIRECT_LINES = {
    4: {"rs": 25, "e": 24, "d4": 23, "d5": 22, "d6": 27, "d7": 17},
    8: {"rs": 25, "e": 24, "d0": 12, "d1": 13, "d2": 16, "d3": 26, "d4": 23, "d5": 22, "d6": 27, "d7": 17},
}
"""Lines of the usual header that no bus takes while SPI 1 is off; by the width of the data."""

REGISTER_LINES = {"rs": 0, "e": 1, "d4": 2, "d5": 3, "d6": 4, "d7": 5, "backlight": 6}

E2_LINE = {"direct": 5, "shift-register": 7}
"""The line of a second controller."""


WIDTH = 24
"""Width of what comes before a comment."""


def template(answers: Mapping[str, Any]) -> str:
    """The text of a hookup file.

    answers: kind, size, rom, volts, header (yes or no), logic_volts, level_shifter (yes or no); for a backpack
        expander, bus, address and map, else lines (role -> line).
    """
    own = {"backpack": _backpack, "direct": _direct, "shift-register": _register}[answers["kind"]]
    return "\n".join((
        "# How a panel is wired. Lumek draws it, checks it and drives it:",
        "#   lumek hookup FILE                             its wiring table, and what the checks say",
        '#   lumek show --hookup FILE --twin "Hive 3"      the same panel, simulated',
        '#   lumek.attach("FILE")                          in a program',
        "",
        "[panel]",
        _row(f'size = "{answers["size"]}"', "columns x rows"),
        _row(f'rom = "{answers["rom"]}"', "A00 (Japanese) or A02 (European)"),
        _row(f"volts = {answers['volts']:g}", "its supply"),
        _row("# milliamps = 2", "what it takes without backlight, from its sheet"),
        "",
        "[hookup]",
        _row(f'kind = "{answers["kind"]}"', "backpack, direct or shift-register"),
        *own(answers),
        _row(f"level_shifter = {str(answers['level_shifter']).lower()}", "between the host's level and the panel's"),
        "",
        "[backlight]",
        _row("# forward_volts = 3.1", "across the lamp, and"),
        _row("# milliamps = 20", "through it, from the module's sheet"),
        _row("# ohms = 100", "the resistor that is fitted; without it the sheet says which one to fit"),
        _row("# fitted = false", "for a module without backlight"),
        "",
        "[contrast]",
        _row("# potentiometer_ohms = 10_000", ""),
        "",
        "[host]",
        _row(f'{"" if answers["header"] else "# "}header = "40-pin"', "the sheet lists its positions beside lines"),
        _row(f"logic_volts = {answers['logic_volts']:g}", "of its outputs"),
        _row("# tolerates_volts = 5.5", "the highest voltage its pins tolerate, if more than 0.3 V above"),
        _row("# supply_ma = 500", "what panels and backlights may take in all"),
        "",
    ))  # fmt: skip


def _row(text: str, comment: str) -> str:
    return f"{text:<{WIDTH}} # {comment}" if comment else text


def _backpack(answers: Mapping[str, Any]) -> list[str]:
    return [
        _row(f'expander = "{answers["expander"]}"', one_of(EXPANDERS).replace("'", "")),
        _row(f"bus = {answers['bus']}", f"/dev/i2c-{answers['bus']}"),
        _row(f"address = {answers['address']:#04x}", "or pads = [1, 1, 1]: A2, A1, A0, 1 where open"),
        _row(f'map = "{answers["map"]}"', "how the board leads its lines to the panel:"),
        *(f"#   {name}: {one.found_on}" for name, one in MAPS.items()),
        "# or lines = { rs = 0, rw = 1, e = 2, backlight = 3, d4 = 4, d5 = 5, d6 = 6, d7 = 7 }, with backlight_on = 1",
        _row("# bus_hz = 100_000", "the clock of the bus, if it differs from the host's"),
        _row("# pullup_ohms = 4700", "on the backpack; false if they were removed"),
        _row("# metres = 0.2", "of cable"),
    ]


def _direct(answers: Mapping[str, Any]) -> list[str]:
    return [
        'chip = "/dev/gpiochip0"',
        "# role = line of the chip, which is not its position on the header; RW without a line is grounded",
        f"lines = {_lines(answers['lines'])}",
    ]


def _register(answers: Mapping[str, Any]) -> list[str]:
    return [
        _row('part = "74hct595"', "or 74hc595, which on 5 V takes nothing below 3.5 V for a high"),
        _row("spi = [0, 0]", "/dev/spidev0.0, its chip select at RCLK; or"),
        "# serial = { data = 17, clock = 27, latch = 22 }",
        f"lines = {_lines(answers['lines'])}  # role = output, 0 is QA",
    ]


def _lines(lines: Mapping[str, int]) -> str:
    return f"{{ {', '.join(f'{role} = {line}' for role, line in lines.items())} }}"
