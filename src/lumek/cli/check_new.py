"""lumek check without a hookup file: a board of which nothing is known, and the file that then says how it is wired."""

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from lumek.cli.options import is_ftdi, writing
from lumek.cli.output import say, tell
from lumek.cli.scan import buses
from lumek.errors import BusError, CheckError

if TYPE_CHECKING:
    from lumek.captures.recorder import Capture
    from lumek.hookup.file import Hookup

SIMULATED_BUS, SIMULATED_ADDRESS, SIMULATED_MAP = 1, 0x3F, "control-high"
"""The board that is found with --twin."""


def unknown_board(
    number: int | None, address: int | None, port: str | None, firmware: str | None, size: str, simulated: bool,
    agreed: bool, asks: bool, file: Path, quiet: bool, capture: "Capture | None",
) -> "Hookup":  # fmt: skip
    """Find out how a backpack is wired, and write the hookup file. Raises CheckError when nothing is found.

    agreed: whether it may write to that address without asking.
    """
    from lumek.cli.hookup_new import QUESTIONS, answers
    from lumek.core.geometry import Geometry
    from lumek.diagnosis.finder import find_board
    from lumek.diagnosis.rung import Rung
    from lumek.diagnosis.who_answers import bus_rungs
    from lumek.hookup.file import parse
    from lumek.hookup.new import template

    Geometry(size)
    if file.exists():
        raise click.UsageError(f"{file} already exists: check it with --hookup {file}, or remove it")
    number = chosen_bus(number, port, simulated)
    with bus_to_search(number, port, firmware, size, simulated) as bus:
        if capture is not None:
            bus = capture.around(bus, "i2c" if port else f"i2c{number}")
        found: list[Any] = []
        for rung in bus_rungs(bus, number, address):
            if not isinstance(rung, Rung):
                found = [one for one in rung if one.could_be and one.owner is None]
                continue
            if not quiet:
                from lumek.cli.check import print_rung

                print_rung(rung)
            if rung.verdict == "failed":
                raise CheckError(f"{rung.name}: {rung.seen}: {rung.means}" if quiet else "see above what to do")
        if address is None and len(found) > 1:
            there = " or ".join(f"{one.address:#04x}" for one in found)
            raise click.UsageError(f"several devices may be panels: say which with --address {there}")
        at = found[0].address if address is None else address
        allow(number, at, port, simulated or agreed, asks)
        board = find_board(bus, at, size, seen_by_user if asks else lambda *_: None)
    if board is None and not asks:
        raise CheckError(
            f"nothing can be read from the panel at {at:#04x}, so that only eyes can tell its line map: run it in a "
            "terminal, without --yes and --json, and look at the panel; or check its supply, if it should be readable"
        )
    if board is None:
        raise CheckError(
            f"no line map is known with which the panel at {at:#04x} answers or shows a number: check its supply and "
            "contrast; a board of your own needs its lines in a file ('lumek hookup new')"
        )
    how = "its memory can be read" if board.how == "read" else "as you saw it"
    if not quiet:
        say(f"found: {board.expander.upper()} at {at:#04x}, line map {board.map} ({how})")
    known = {"kind": "backpack", "size": size, "bus": number, "address": at, "expander": board.expander,
             "map": board.map, "port": port, "firmware": firmware}  # fmt: skip
    chosen, notes = answers({**dict.fromkeys((*QUESTIONS, "header", "level_shifter")), **known}, asks=False)
    text = template(chosen, notes)
    for note in notes if not quiet else ():
        say(f"note: {note}")
    with writing(file) as beside:
        beside.write_text(text, encoding="utf-8")
    if not quiet:
        say(f"{file} is written")
    return parse(text, str(file))


def chosen_bus(number: int | None, port: str | None, simulated: bool) -> int:
    """The bus that is meant: the one that is named, the only one there is, or the only one with a possible panel."""
    if number is not None:
        return number
    if simulated:
        return SIMULATED_BUS
    if port is not None:
        return 0
    there = buses()
    if len(there) == 1:
        return there[0]
    if there:
        likely = [one for one in there if may_have_panel(one)]
        if len(likely) == 1:
            tell(f"looking at I2C bus {likely[0]}, the only one with a device that may be a panel's expander")
            return likely[0]
        raise click.UsageError(f"this host has several I2C buses: give --bus {' or '.join(map(str, likely or there))}")
    raise CheckError(
        "this host has no I2C bus (/dev/i2c-N): enable I2C in its settings, load the module i2c-dev, or plug an "
        "adapter in (--port for a board on USB); a panel on GPIO lines needs a file: lumek hookup new hive.toml"
    )


def may_have_panel(number: int) -> bool:
    """Whether a device that may be an expander, and that no driver has, answers on a bus. Nothing is written."""
    from lumek.hookup.scan import scan
    from lumek.ports.linux import LinuxBus

    try:
        with LinuxBus(number) as bus:
            return any(one.could_be and one.owner is None for one in scan(bus))
    except BusError:
        return False


@contextmanager
def bus_to_search(number: int, port: str | None, firmware: str | None, size: str, simulated: bool) -> Iterator[Any]:
    """The bus."""
    if simulated:
        from lumek.hookup.maps import MAPS
        from lumek.twin import backpack_twin

        one = MAPS[SIMULATED_MAP]
        yield backpack_twin(size, address=SIMULATED_ADDRESS, lines=one.lines, backlight_on=one.backlight_on)[1]
    elif port is not None and is_ftdi(port):
        from lumek.ports.usb import FtdiBus

        with FtdiBus(port) as bus:
            yield bus
    elif port is not None:
        from lumek.ports.usb import UsbBus, open_board

        with open_board(port, firmware or "firmata", bus=number) as board:
            yield UsbBus(board)
    else:
        from lumek.ports.linux import LinuxBus

        with LinuxBus(number) as linux:
            yield linux


def allow(number: int, address: int, port: str | None, allowed: bool, asks: bool) -> None:
    """Ask before the first write to a device that no file names. Raises UsageError without a user to ask."""
    on = port or f"I2C bus {number}"
    what = f"writing to {address:#04x} on {on}: relays or lamps on the same kind of chip would switch"
    if allowed:
        return
    if not asks:
        raise click.UsageError(f"{what}; run it in a terminal, or allow it with --yes --address {address:#04x}")
    if not click.confirm(f"Now comes {what}. Is it a panel", default=False, err=True):
        raise click.Abort


def seen_by_user(number: int, name: str) -> int | None:
    """The number that the user sees while a map is tried."""
    tell(f"trying the line map {name}")
    return int(click.prompt("Which number does the panel show (0: none)", type=click.IntRange(0), default=0, err=True))
