"""lumek sensors: what the drivers of this host's kernel measure."""

from pathlib import Path

import click

from lumek.cli.output import say, say_json
from lumek.errors import CheckError
from lumek.readings.poller import Poller
from lumek.readings.probes.kernel import Sensor, kernel_probe, sensors
from lumek.readings.reading import Reading

LIMIT_S = 5.0
"""How long a sensor may take to answer; a 1-Wire thermometer needs 0.75 s, and they answer one after the other."""


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
    with Poller([kernel_probe(sensor.id, root=root) for sensor in found], every_s=3600, limit_s=LIMIT_S) as poller:
        poller.wait(LIMIT_S + 0.1)
        results = [(sensor, poller[sensor.id]) for sensor in found]
    if as_json:
        say_json([sensor_data(sensor, reading) for sensor, reading in results])
    elif not found:
        raise CheckError(
            f"no sensor is found under {root / 'sys'}: load its driver first (for 1-Wire w1-gpio; for a chip on I2C "
            "write its name to new_device), and look at dmesg"
        )
    width = max((len(sensor.id) for sensor in found), default=0)
    for sensor, reading in results if not as_json else ():
        value = f"{reading:.6g} {sensor.unit}".rstrip() if reading.good else f"{reading.flaw}: {reading.cause}"
        say(f"{sensor.id:{width}}  {value}" + (f"  ({sensor.label})" if sensor.label else ""))


def sensor_data(sensor: Sensor, reading: Reading) -> dict[str, object]:
    """A sensor and its reading, for a program."""
    value = None if reading != reading else float(reading)
    return {"id": sensor.id, "label": sensor.label, "unit": sensor.unit, "value": value, "flaw": reading.flaw,
            "cause": reading.cause or None}  # fmt: skip
