"""The list of lumek run --list-sensors."""

from pathlib import Path

import click

from lumek.cli.output import say, say_json
from lumek.errors import CheckError
from lumek.readings.poller import Poller
from lumek.readings.probes.kernel import Sensor, kernel_probe, sensors
from lumek.readings.reading import Reading

LIMIT_S = 5.0
"""How long a sensor may take to answer; a 1-Wire thermometer needs 0.75 s, and they answer one after the other."""


def list_them(root: Path, as_json: bool) -> None:
    """List the sensors of this host, with what they tell now. Raises CheckError when there are none.

    The first column is the id by which a program reads one: lumek.readings.kernel_probe("hwmon/cpu_thermal/temp1").
    """
    if not root.is_dir():
        raise click.BadParameter(f"{root} is not a folder", param_hint="--root")
    found = sensors(root)
    with Poller([kernel_probe(sensor.id, root=root) for sensor in found], every_s=3600, limit_s=LIMIT_S) as poller:
        poller.wait(LIMIT_S + 0.1)
        told = [(sensor, poller[sensor.id]) for sensor in found]
    if as_json:
        say_json([sensor_data(sensor, reading) for sensor, reading in told])
    elif not found:
        raise CheckError(
            f"no sensor is found under {root / 'sys'}: load its driver first (for 1-Wire w1-gpio; for a chip on I2C "
            "write its name to new_device), and look at dmesg"
        )
    width = max((len(sensor.id) for sensor in found), default=0)
    for sensor, reading in told if not as_json else ():
        value = f"{reading:.6g} {sensor.unit}".rstrip() if reading.good else f"{reading.flaw}: {reading.cause}"
        say(f"{sensor.id:{width}}  {value}" + (f"  ({sensor.label})" if sensor.label else ""))


def sensor_data(sensor: Sensor, reading: Reading) -> dict[str, object]:
    """What is told of a sensor, for a program."""
    value = None if reading != reading else float(reading)
    return {"id": sensor.id, "label": sensor.label, "unit": sensor.unit, "value": value, "flaw": reading.flaw,
            "cause": reading.cause or None}  # fmt: skip
