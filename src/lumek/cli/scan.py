"""lumek scan: where a backpack answers."""

import click

from lumek.errors import NoAnswerError
from lumek.links.backpack import EXPANDERS


@click.command(name="scan")
@click.option("--bus", "number", type=click.IntRange(0), metavar="N", required=True, help="The I2C bus to look at.")
def command(number: int) -> None:
    """List the addresses of an I2C bus at which a backpack may be.

    Reads one byte from each address that a PCF8574, PCF8574A or MCP23008 can have, which changes nothing.
    """
    from lumek.ports.linux import LinuxBus

    found = 0
    with LinuxBus(number) as bus:
        for address in sorted({base + pads for base in EXPANDERS.values() for pads in range(8)}):
            try:
                bus.read(address, 1)
            except NoAnswerError:
                continue
            found += 1
            names = " or ".join(name.upper() for name, base in EXPANDERS.items() if base <= address <= base + 7)
            pads = " ".join(f"A{pad} {'open' if address >> pad & 1 else 'bridged'}" for pad in (2, 1, 0))
            click.echo(f"{address:#04x}  {names}, pads {pads}")
    if not found:
        raise NoAnswerError(
            f"no backpack answers on I2C bus {number}: check its supply, whether SDA and SCL are swapped, "
            "and that the bus has pull-ups"
        )
