"""lumek scan: the devices on an I2C bus."""

from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from lumek.cli.options import board_options, is_ftdi
from lumek.cli.output import say, say_json, tell
from lumek.errors import BusError, NoAnswerError
from lumek.links.expanders import address_ranges

if TYPE_CHECKING:
    from lumek.hookup.file import Hookup
    from lumek.hookup.scan import Found


@click.command(name="scan")
@click.option("--bus", "number", type=click.IntRange(0), metavar="N", help="The I2C bus to look at.")
@board_options
@click.option(
    "--twin", "file", type=click.Path(path_type=Path), metavar="FILE", help="The bus of a hookup file, simulated."
)
@click.option("--json", "as_json", is_flag=True, help="Print the list as JSON.")
def command(number: int | None, port: str | None, firmware: str | None, file: Path | None, as_json: bool) -> None:
    """List the devices on an I2C bus, and the panels that they may be.

    The scan disturbs no device: it calls an address without a byte after it or, where memories are, reads one byte. It
    does not call a device that a kernel driver uses. Without --bus and --port it lists the buses of this host.

    \b
    lumek scan --bus 1
    lumek scan --port /dev/ttyACM0
    lumek scan --twin hive.toml
    """  # noqa: D301
    from lumek.hookup.scan import scan

    if port is not None and file is not None:
        raise click.UsageError("--port is a real board, and --twin a simulated bus: leave one out")
    hookup = None
    if file is not None:
        number, bus, hookup = simulated(file, number)
        found = list(scan(bus))
    elif port is not None:
        number = number or 0
        found = on_usb(port, firmware, number)
    elif number is None:
        list_buses(as_json)
        return
    else:
        from lumek.ports.linux import LinuxBus

        with LinuxBus(number) as real:
            found = list(scan(real))
    of = f"the I2C bus at {port}" if port else f"{'simulated ' if file else ''}I2C bus {number}"
    if as_json:
        devices = [
            {"address": one.address, "could_be": one.could_be, "pads": one.pads if one.could_be else None,
             "driver": one.owner, "panel": panel_at(hookup, number, one.address)}
            for one in found
        ]  # fmt: skip
        say_json({"bus": number, **({"port": port} if port else {}), "simulated": file is not None, "found": devices})
    for one in found if not as_json else ():
        name = panel_at(hookup, number, one.address)
        whose = f"panel {name}" if hookup and len(hookup.panels) > 1 else f"the panel of {file}"
        say(described(one) + (f" ({whose})" if name else ""))
    if not found:
        raise NoAnswerError(
            f"no device answers on {of}. Check in this order: (1) that the backpack has its supply, and ground in "
            "common with the host; (2) that SDA and SCL are not swapped or loose; (3) that the bus has pull-ups: at "
            "rest both lines are high"
        )
    panels = [one.address for one in found if one.could_be]
    if not as_json and not panels:
        tell(f"none of these is a panel's expander ({address_ranges()})")
    elif not as_json and file is not None:
        several = hookup is not None and len(hookup.panels) > 1
        tell(f"next: lumek show Hello --hookup {file} --twin"
             + (f" --panel {panel_at(hookup, number, panels[0])}" if several else ""))  # fmt: skip
    elif not as_json:
        where = (
            f"--bus {number}" if port is None else f"--port {port}" + (f" --firmware {firmware}" if firmware else "")
        )
        tell(f"next: lumek check {where} --address {panels[0]:#04x}, which finds out how it is wired and writes "
             "hive.toml")  # fmt: skip


def described(one: "Found") -> str:
    """A line about a device."""
    if one.owner is not None:
        return f"{one.address:#04x}  in use by the driver {one.owner}"
    if not one.could_be:
        return f"{one.address:#04x}  another device"
    parts = " or ".join(part.upper() for part in one.could_be)
    pads = ", ".join(f"A{2 - place} {'open' if pad else 'bridged'}" for place, pad in enumerate(one.pads))
    return f"{one.address:#04x}  {parts}: {pads}"


def simulated(file: Path, number: int | None) -> "tuple[int, Any, Hookup]":
    """The simulated bus of a hookup: the one with that number, or the only one."""
    from lumek.hookup.file import read
    from lumek.hookup.nets import on_bus
    from lumek.hookup.opening import TwinPorts

    hookup = read(file)
    buses = on_bus(hookup)
    if not buses:
        raise click.UsageError(f"{file} has no panel on an I2C bus: its panels are wired differently")
    if number is None and len(buses) == 1:
        number = next(iter(buses))
    if number not in buses:
        there = " or ".join(map(str, sorted(buses)))
        raise click.UsageError(f"{file} has no panel on I2C bus {number}: give --bus {there}" if number is not None
                               else f"{file} has panels on several buses: give --bus {there}")  # fmt: skip
    return number, TwinPorts(hookup).bus(next(iter(buses[number].values()))), hookup


def on_usb(port: str, firmware: str | None, number: int) -> "list[Found]":
    """What is on the bus of a board or a chip on USB."""
    from lumek.hookup.scan import scan
    from lumek.ports.usb import FtdiBus, UsbBus, open_board

    if is_ftdi(port):
        with FtdiBus(port) as bus:
            return list(scan(bus))
    with open_board(port, firmware or "firmata", bus=number) as board:
        return list(scan(UsbBus(board)))


def panel_at(hookup: "Hookup | None", number: int | None, address: int) -> str | None:
    """The panel that a hookup has there."""
    from lumek.hookup.nets import on_bus

    panels = on_bus(hookup).get(number or 0, {}) if hookup else {}
    return next((name for name, panel in panels.items() if panel.at == address), None)


def buses() -> list[int]:
    """The numbers of the I2C buses of this host."""
    return sorted(int(path.name[4:]) for path in Path("/dev").glob("i2c-*") if path.name[4:].isdecimal())


def list_buses(as_json: bool) -> None:
    """List the I2C buses of this host."""
    numbers = buses()
    if as_json:
        say_json({"buses": numbers})
    for number in numbers if not as_json else ():
        name = Path(f"/sys/class/i2c-dev/i2c-{number}/name")
        say(f"I2C bus {number}{f'  {name.read_text().strip()}' if name.is_file() else ''}")
    if not numbers:
        raise BusError(
            "this host has no I2C bus (/dev/i2c-N): enable I2C in its settings or load the module i2c-dev; "
            "'lumek scan --twin FILE' looks at a simulated one"
        )
    if not as_json:
        tell("give one of them as --bus N")
