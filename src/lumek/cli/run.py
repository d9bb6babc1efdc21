"""lumek run: the sensors of this host."""

import json
from pathlib import Path
from typing import TYPE_CHECKING

import click

from lumek.errors import CheckError

if TYPE_CHECKING:
    from lumek.readings.probes.kernel import Sensor
    from lumek.readings.reading import Reading

LIMIT_S = 5.0
"""How long a sensor may take to answer; a 1-Wire thermometer needs 0.75 s, and they answer one after the other."""


@click.command(name="run")
@click.option("--list-sensors", is_flag=True, help="List the sensors of this host, with what they tell now.")
@click.option("--json", "as_json", is_flag=True, help="Print it for a program to read.")
@click.option(
    "--root",
    type=click.Path(path_type=Path),
    metavar="FOLDER",
    default=Path("/"),
    help="Where the kernel's file system begins (default /).",
)
def command(list_sensors: bool, as_json: bool, root: Path) -> None:
    """List the sensors of this host.

    Sensors are those that a driver of the Linux kernel has: hwmon, IIO and 1-Wire thermometers. The first column is
    the id by which a program reads one: lumek.readings.kernel_probe("hwmon/cpu_thermal/temp1").

    \b
    lumek run --list-sensors
    """  # noqa: D301
    if not list_sensors:
        raise click.UsageError("say what to do: lumek run --list-sensors")
    from lumek.readings.poller import Poller
    from lumek.readings.probes.kernel import kernel_probe, sensors

    if not root.is_dir():
        raise click.BadParameter(f"{root} is no folder", param_hint="--root")
    found = sensors(root)
    with Poller([kernel_probe(sensor.id, root=root) for sensor in found], every_s=3600, limit_s=LIMIT_S) as poller:
        poller.wait(LIMIT_S + 0.1)
        told = [(sensor, poller[sensor.id]) for sensor in found]
    if as_json:
        click.echo(json.dumps([as_data(sensor, reading) for sensor, reading in told], indent=2, ensure_ascii=False))
    elif not found:
        raise CheckError(
            f"no sensor is found under {root / 'sys'}: load its driver first (for 1-Wire w1-gpio; for a chip on I2C "
            "write its name to new_device), and look at dmesg"
        )
    width = max((len(sensor.id) for sensor in found), default=0)
    for sensor, reading in told if not as_json else ():
        value = f"{reading:.6g} {sensor.unit}".rstrip() if reading.good else f"{reading.flaw}: {reading.cause}"
        click.echo(f"{sensor.id:{width}}  {value}" + (f"  ({sensor.label})" if sensor.label else ""))


def as_data(sensor: "Sensor", reading: "Reading") -> dict[str, object]:
    """What is told of a sensor, for a program."""
    value = None if reading != reading else float(reading)
    return {"id": sensor.id, "label": sensor.label, "unit": sensor.unit, "value": value, "flaw": reading.flaw,
            "cause": reading.cause or None}  # fmt: skip
