"""lumek sensors: what the drivers of this host's kernel measure."""

from collections.abc import Iterator
from pathlib import Path
from time import monotonic, sleep

import click

from lumek.cli.output import say, say_json
from lumek.errors import CheckError
from lumek.readings.poller import Poller
from lumek.readings.probes.kernel import KernelProbe, Sensor, sensors
from lumek.readings.reading import Reading

LIMIT_S = 5.0
"""How long a sensor may take to answer; a 1-Wire thermometer needs 0.75 s, and they answer one after the other."""

AT_ONCE_S = 0.5


@click.command(name="sensors")
@click.option("--json", "as_json", is_flag=True, help="Print the list as JSON.")
@click.option(
    "--root",
    type=click.Path(path_type=Path),
    metavar="FOLDER",
    default=Path("/"),
    help="Where the kernel's file system begins (default /).",
)
def command(as_json: bool, root: Path) -> None:
    """List the sensors of this host, with their readings.

    They are those that drivers of the Linux kernel offer: hwmon, IIO and 1-Wire thermometers. The first column is
    the id for a face file, as kernel = "hwmon/cpu_thermal/temp1", and for lumek.readings.kernel_probe(). Exit code 1
    when there are none.
    """
    if not root.is_dir():
        raise click.BadParameter(f"{root} is not a folder", param_hint="--root")
    found = sensors(root)
    if as_json:
        answers = {sensor.id: sensor_data(sensor, reading) for sensor, reading in read(found, root)}
        say_json([answers[sensor.id] for sensor in found])
    elif not found:
        raise CheckError(
            f"no sensor is found under {root / 'sys'}: load its driver first (for 1-Wire w1-gpio; for a chip on I2C "
            "write its name to new_device), and look at dmesg"
        )
    width = max((len(sensor.id) for sensor in found), default=0)
    for sensor, reading in read(found, root) if not as_json else ():
        value = f"{reading:.6g} {sensor.unit}".rstrip() if reading.good else f"{reading.flaw}: {reading.cause}"
        say(f"{sensor.id:{width}}  {value}" + (f"  ({sensor.label})" if sensor.label else ""))


def read(found: list[Sensor], root: Path) -> Iterator[tuple[Sensor, Reading]]:
    """The sensors and their readings: those that answer at once, in their order, and then each when it answers."""
    with Poller([KernelProbe.of(sensor, root) for sensor in found], every_s=3600, limit_s=LIMIT_S) as poller:
        end, left = monotonic() + LIMIT_S + 0.1, list(found)
        poller.wait(AT_ONCE_S)
        while left:
            silent = {*poller.awaited()} if monotonic() < end else set()
            for sensor in [one for one in left if one.id not in silent]:
                yield sensor, poller[sensor.id]
                left.remove(sensor)
            sleep(AT_ONCE_S / 10 if left else 0)


def sensor_data(sensor: Sensor, reading: Reading) -> dict[str, object]:
    """A sensor and its reading, for a program."""
    value = None if reading != reading else float(reading)
    return {"id": sensor.id, "label": sensor.label, "unit": sensor.unit, "value": value, "flaw": reading.flaw,
            "cause": reading.cause or None}  # fmt: skip
