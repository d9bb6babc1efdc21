"""Panels that options name, opened: of a hookup file, on a bus, or simulated."""

from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

import click

import lumek
from lumek.cli.options import capture_to

if TYPE_CHECKING:
    from lumek import Panel
    from lumek.captures.recorder import Capture

USUAL_SIZE, USUAL_ADDRESS = "20x4", 0x27


def check_panel(
    hookup: Path | None, panel: str | None, simulated: bool, number: int | None, address: int | None,
    size: str | None, rom: str | None,
) -> None:  # fmt: skip
    """Whether options that name a panel fit together. Raises UsageError."""
    if hookup is not None:
        given = {"--size": size, "--rom": rom, "--bus": number, "--address": address}
        if said := [option for option, value in given.items() if value is not None]:
            raise click.UsageError(f"{said[0]} is already set in {hookup}; drop the option")
    elif panel is not None:
        raise click.UsageError(f"--panel {panel} needs --hookup FILE, which has a panel of that name")
    elif address is not None and number is None and not simulated:
        raise click.UsageError(f"--address {address:#04x} needs --bus N, the number of the I2C bus")


def simulated_panel(
    hookup: Path | None, panel: str | None, size: str | None, rom: str | None, capture: "Capture | None" = None
) -> "Panel":
    """The panel, simulated."""
    if hookup is not None:
        return lumek.attach(hookup, twin=True, panel=panel, capture=capture)
    return lumek.simulate(size or USUAL_SIZE, rom or "A00", capture=capture)


def real_panel(
    stack: ExitStack, hookup: Path | None, panel: str | None, number: int | None, address: int | None, size: str,
    rom: str | None, capture: "Capture | None",
) -> "Panel | None":  # fmt: skip
    """The panel itself, closed with the stack; None where neither a file nor a bus is named."""
    if hookup is not None:
        return stack.enter_context(lumek.attach(hookup, panel=panel, capture=capture))
    if number is None:
        return None
    from lumek.ports.linux import LinuxBus

    bus = stack.enter_context(LinuxBus(number))
    port = bus if capture is None else capture.around(bus, f"i2c{number}")
    link = lumek.Backpack(port, USUAL_ADDRESS if address is None else address)
    return stack.enter_context(lumek.Panel(size, link, rom or "A00"))


@contextmanager
def opened(
    hookup: Path | None, panel: str | None, simulated: bool, number: int | None, address: int | None,
    size: str | None, rom: str | None, record: Path | None,
) -> "Iterator[Panel]":  # fmt: skip
    """A block with one panel: real where a file or a bus is named and --twin is not. record: where its wires go."""
    check_panel(hookup, panel, simulated, number, address, size, rom)
    with ExitStack() as stack:
        capture = stack.enter_context(capture_to(record))
        real = None
        if not simulated:
            real = real_panel(stack, hookup, panel, number, address, size or USUAL_SIZE, rom, capture)
        yield real or stack.enter_context(simulated_panel(hookup, panel, size, rom, capture))
