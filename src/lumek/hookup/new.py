"""A new hookup file, with comments that say what else it may have."""

from collections.abc import Iterator, Mapping, Sequence
from json import dumps
from textwrap import wrap
from typing import Any

from lumek.config.tables import one_of
from lumek.hookup.checks import check
from lumek.hookup.checks.findings import Finding
from lumek.hookup.file import parse
from lumek.hookup.maps import MAPS
from lumek.links.expanders import EXPANDERS
from lumek.ports.usb.firmata import BAUD
from lumek.ports.usb.repl import USUAL_BAUD

DIRECT_LINES = {
    4: {"rs": 25, "e": 24, "d4": 23, "d5": 22, "d6": 27, "d7": 5},
    8: {"rs": 25, "e": 24, "d0": 12, "d1": 13, "d2": 26, "d3": 6, "d4": 23, "d5": 22, "d6": 27, "d7": 5},
}
"""Lines of the usual header that belong to no bus; by the width of the data."""

BOARD_LINES = {
    4: {"rs": 2, "e": 3, "d4": 4, "d5": 5, "d6": 6, "d7": 7},
    8: {"rs": 2, "e": 3, "d0": 8, "d1": 9, "d2": 10, "d3": 11, "d4": 4, "d5": 5, "d6": 6, "d7": 7},
}
"""Pins of a board on USB, by the width of the data: four data lines are in one port with E, which changes at once.
An FTDI chip has 0 to 7 of them."""

REGISTER_LINES = {"rs": 0, "e": 1, "d4": 2, "d5": 3, "d6": 4, "d7": 5, "backlight": 6}

E2_LINES = {"host": 4, "firmata": 12, "micropython": 12, "ftdi": 1, "shift-register": 7}
"""The line of a second controller's E, on this host, on what is on USB, or on a register."""

SEVERITIES = ("ok", "note", "warning", "error")


WIDTH, LINE = 24, 98
"""Width of what comes before a comment, and of a line of a note."""


def matched(answers: Mapping[str, Any]) -> tuple[dict[str, Any], list[str]]:
    """The answers, with what makes the levels of host and panel match; and what to know of it, in sentences.

    answers: as `template` takes them; a `level_shifter` of None is found. Of the ways that the checks let pass, it is
        the one with the fewest changes.
    """
    ways = [{"level_shifter": shifted} for shifted in (False, True) if answers["level_shifter"] in (None, shifted)]
    if answers["kind"] == "backpack":
        ways += [{**way, "pullup_ohms": False} for way in reversed(ways)]
    tried = [(way, _worst({**answers, **way})) for way in ways]
    way, _ = min(tried, key=lambda one: SEVERITIES.index(one[1].severity))
    return {**answers, **way}, list(_reasons(answers, way, tried))


def _worst(answers: Mapping[str, Any]) -> Finding:
    """What the checks say that is worst."""
    return max(check(parse(template(answers), "the new file")), key=lambda finding: SEVERITIES.index(finding.severity))


def _reasons(
    answers: Mapping[str, Any], way: Mapping[str, Any], tried: list[tuple[dict[str, Any], Finding]]
) -> Iterator[str]:
    """Why a way was taken: what would be wrong without it."""
    direct = {"pullup_ohms" in other: finding for other, finding in tried if not other["level_shifter"]}
    found = answers["level_shifter"] is None and way["level_shifter"]
    if found:
        channels = "two channels, for SDA and SCL" if answers["kind"] == "backpack" else "a channel for each line"
        yield f"buy a level shifter ({channels}): without it {_short(direct[False])}"
    if "pullup_ohms" in way:
        kept = next(finding for other, finding in tried if other == {"level_shifter": way["level_shifter"]})
        yield f"take the two pull-up resistors off the backpack: with them {_short(kept)}"
        if found and direct[True].severity == "warning":
            yield (f"you may leave the level shifter out (level_shifter = false): most boards then work, although "
                   f"{_short(direct[True])}")  # fmt: skip


def _short(finding: Finding) -> str:
    """What a finding says, without times."""
    return finding.says.partition("; it rises")[0]


def template(answers: Mapping[str, Any], notes: Sequence[str] = ()) -> str:
    """The text of a hookup file.

    notes: sentences that it has as comments.
    answers: kind, size, rom, volts, header (yes or no), logic_volts, level_shifter (yes or no); for a backpack
        expander, bus, address, map and, where they are taken off, pullup_ohms; else lines (role -> line); for a board
        or a chip on USB port, and firmware ("firmata", "micropython"; "ftdi" for a chip).
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
        _row("# refresh_every_s = 10", "a disturbed panel is right again after that time, or twice that"),
        "",
        *(f"# {line}" for note in notes for line in wrap(f"- {note}", LINE, subsequent_indent="  ")),
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
        *_board(answers),
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
        *([] if answers.get("port") else [_row(f"bus = {answers['bus']}", f"/dev/i2c-{answers['bus']}")]),
        _row(f"address = {answers['address']:#04x}", "or pads = [1, 1, 1]: A2, A1, A0, 1 where open"),
        _row(f'map = "{answers["map"]}"', "how the board leads its lines to the panel:"),
        *(f"#   {name}: {one.found_on}" for name, one in MAPS.items()),
        "# or lines = { rs = 0, rw = 1, e = 2, backlight = 3, d4 = 4, d5 = 5, d6 = 6, d7 = 7 }, with backlight_on = 1",
        _row("# bus_hz = 100_000", "the clock of the bus, if it differs from the host's"),
        _row("# pullup_ohms = 4700", "on the backpack; false if they were removed")
        if answers.get("pullup_ohms", True)
        else _row("pullup_ohms = false", "taken off the backpack: others on the bus are enough"),
        _row("# metres = 0.2", "of cable"),
    ]


def _direct(answers: Mapping[str, Any]) -> list[str]:
    of = "pin of the board" if answers.get("port") else "line of the chip, which is not its position on the header"
    return [
        *([] if answers.get("port") else ['chip = "/dev/gpiochip0"']),
        f"# role = {of}; RW without a line is grounded",
        f"lines = {_lines(answers['lines'])}",
    ]


def _register(answers: Mapping[str, Any]) -> list[str]:
    return [
        _row('part = "74hct595"', "or 74hc595, which on 5 V takes nothing below 3.5 V for a high"),
        *(
            [_row("serial = { data = 2, clock = 3, latch = 4 }", "pins of the board")]
            if answers.get("port")
            else [
                _row("spi = [0, 0]", "/dev/spidev0.0, its chip select at RCLK; or"),
                "# serial = { data = 5, clock = 27, latch = 22 }",
            ]
        ),
        f"lines = {_lines(answers['lines'])}  # role = output, 0 is QA",
    ]


def _board(answers: Mapping[str, Any]) -> list[str]:
    if not answers.get("port"):
        return ['# port = "/dev/ttyACM0"       # for a microcontroller board on a USB cable']
    port, kind = _row(f"port = {dumps(answers['port'])}", "on USB: the lines are its pins"), answers["firmware"]
    if kind == "ftdi":
        return [port, _row('kind = "ftdi"', "a chip; firmata or micropython: a board")]
    return [
        port,
        _row(f'kind = "{kind}"', "what is on it: firmata or micropython"),
        _row(f"# baud = {BAUD if kind == 'firmata' else USUAL_BAUD}", "bits a second"),
    ]


def _lines(lines: Mapping[str, int]) -> str:
    return f"{{ {', '.join(f'{role} = {line}' for role, line in lines.items())} }}"
