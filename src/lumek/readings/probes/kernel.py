"""Sensors that a driver of the Linux kernel has, through its own files: hwmon, IIO and 1-Wire thermometers.

A sensor's id stays the same when the kernel numbers its devices otherwise: `hwmon/cpu_thermal/temp1`,
`iio/bme280/humidityrelative`, `w1/28-0316a4b1c2ff`; a second device of one name has `@2` after it.
Sources: the kernel's Documentation/hwmon/sysfs-interface, Documentation/ABI/testing/sysfs-bus-iio and
Documentation/w1/slaves/w1_therm.
"""

import re
from abc import abstractmethod
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Unpack

from lumek._files import read_bytes
from lumek._harmless import quoted
from lumek.errors import GarbledError, SettingError
from lumek.readings.probe import Probe, ProbeSettings
from lumek.readings.reading import number_in

HWMON = {"temp": ("°C", 1e-3), "in": ("V", 1e-3), "curr": ("A", 1e-3), "power": ("W", 1e-6), "energy": ("J", 1e-6),
         "humidity": ("%", 1e-3), "fan": ("rpm", 1.0), "freq": ("Hz", 1.0)}  # fmt: skip
"""What comes before the number in a name of hwmon: unit, and what a unit of the file is in it."""

IIO = {
    "temp": ("°C", 1e-3), "humidityrelative": ("%", 1e-3), "pressure": ("hPa", 10.0), "voltage": ("V", 1e-3),
    "current": ("A", 1e-3), "illuminance": ("lx", 1.0), "resistance": ("Ω", 1.0), "accel": ("m/s²", 1.0),
    "anglvel": ("rad/s", 1.0), "magn": ("G", 1.0), "proximity": ("", 1.0), "intensity": ("", 1.0),
    "distance": ("m", 1.0), "concentration": ("%", 1.0), "ph": ("", 1.0), "power": ("W", 1e-3), "energy": ("J", 1.0),
    "uvindex": ("", 1.0), "massconcentration": ("µg/m³", 1.0), "velocity": ("m/s", 1.0), "count": ("", 1.0),
}  # fmt: skip
"""The same for channels of IIO, where (raw + offset) * scale is in the units of its ABI: millivolts, kilopascals ..."""

PAGE_BYTES = 4096
"""Of a file in sysfs (Linux documentation, "sysfs")."""

ONE_WIRE = re.compile("[0-9a-f]{2}-[0-9a-f]{12}$")
"""The name of a device on a 1-Wire bus: its family and its number (Linux documentation, "w1/w1-generic")."""

POWER_ON_MILLI_C = 85_000
"""What a 1-Wire thermometer reports before it has measured (DS18B20 data sheet, table 1, note)."""


@dataclass(frozen=True)
class Sensor:
    """A sensor that was found: its id, unit and label, the kind of its probe, and its device's folder."""

    id: str
    unit: str
    label: str
    kind: "type[KernelProbe]"
    folder: Path
    channel: str


class KernelProbe(Probe):
    """A sensor of the kernel; `kernel_probe` makes the right kind.

    A sensor that was taken away is missing, and found again when it is back, even under another number.
    """

    def __init__(
        self,
        id: str,
        name: str | None = None,
        unit: str = "",
        root: str | Path = "/",
        **settings: Unpack[ProbeSettings],
    ) -> None:
        super().__init__(id if name is None else name, unit, **settings)
        self.id = id
        self.root = Path(root)
        self._sensor: Sensor | None = None
        self._unit_given = bool(self.unit)

    @classmethod
    def of(cls, sensor: Sensor, root: str | Path = "/") -> "KernelProbe":
        """A probe of a sensor that `sensors` has found."""
        probe = kernel_probe(sensor.id, root=root)
        probe._sensor = sensor
        return probe

    def take(self) -> object:
        """The value as it is now, in the unit of the sensor."""
        sensor = self._sensor
        if sensor is None or not sensor.folder.is_dir():
            self._sensor = sensor = _with_id(self.id, self.root)
        if sensor is None:
            raise LookupError(f"there is no sensor {self.id}: 'lumek sensors' lists them")
        if not self._unit_given:
            self.unit = sensor.unit
        return self.value(sensor)

    @abstractmethod
    def value(self, sensor: Sensor) -> float:
        """What the files of the sensor say. Raises OSError and GarbledError."""


class HwmonProbe(KernelProbe):
    """A sensor of hwmon: the file CHANNEL_input. One that the driver marks as faulty is invalid."""

    def value(self, sensor: Sensor) -> float:
        """What the files of the sensor say. Raises OSError and GarbledError."""
        fault = sensor.folder / f"{sensor.channel}_fault"
        if fault.is_file() and _number(fault):
            raise GarbledError(f"the driver says that {self.id} is faulty")
        return _number(sensor.folder / f"{sensor.channel}_input") * HWMON[sensor.channel.rstrip("0123456789")][1]


class IioProbe(KernelProbe):
    """A channel of an IIO device: its processed value if it has one, else (raw + offset) * scale."""

    def value(self, sensor: Sensor) -> float:
        """What the files of the sensor say. Raises OSError and GarbledError."""
        factor = IIO[_kind(sensor.channel)][1]
        processed = sensor.folder / f"in_{sensor.channel}_input"
        if processed.is_file():
            return _number(processed) * factor
        raw = _number(sensor.folder / f"in_{sensor.channel}_raw")
        return (raw + _shared(sensor, "offset", 0.0)) * _shared(sensor, "scale", 1.0) * factor


class OneWireProbe(KernelProbe):
    """A 1-Wire thermometer: the file w1_slave with its check sum, or the file temperature where there is no other.

    85 °C, which such a thermometer reports when it lost its supply before it measured, is invalid.
    """

    def value(self, sensor: Sensor) -> float:
        """What the files of the sensor say. Raises OSError and GarbledError."""
        lines = sensor.folder / "w1_slave"
        if lines.is_file():
            text = _read(lines)
            found = re.search(r"crc=\w+ (YES|NO).*?t=(-?\d+)", text, re.DOTALL)
            if found is None or found[1] == "NO":
                raise GarbledError(
                    f"{self.id} answers with a wrong check sum" if found else f"{lines} says {quoted(text)}"
                )
            milli = float(found[2])
        else:
            milli = _number(sensor.folder / "temperature")
        if milli == POWER_ON_MILLI_C:
            raise GarbledError(f"{self.id} gives 85 °C, its value at power-on, which it has not measured")
        return milli / 1000


def kernel_probe(
    id: str, name: str | None = None, unit: str = "", *, root: str | Path = "/", **settings: Unpack[ProbeSettings]
) -> KernelProbe:
    """A probe of a sensor by its id, as `sensors` and `lumek sensors` list it.

    name: the id by default.
    unit: the sensor's own by default.
    root: where the kernel's file system begins; only tests need it.
    settings: those of `Probe`. The sensor need not be there yet.
    Raises SettingError for anything but an id.
    """
    kind = KINDS.get(id.partition("/")[0])
    if kind is None or id.count("/") != (1 if kind is OneWireProbe else 2):
        raise SettingError(
            f"{quoted(id)} is not a sensor id, such as hwmon/cpu_thermal/temp1, iio/bme280/temp or w1/28-0316a4b1c2ff"
        )
    return kind(id, name, unit, root, **settings)


def sensors(root: str | Path = "/") -> list[Sensor]:
    """The sensors of this host, in the order of their ids.

    root: where the kernel's file system begins.
    A 1-Wire thermometer that the kernel has under hwmon, too, is listed once: reading it takes most of a second.
    """
    sys = Path(root) / "sys"
    return [sensor for family, found in FOUND.items() for sensor in found(sys / FOLDERS[family], None)]


def _with_id(id: str, root: Path) -> Sensor | None:
    """The sensor of an id, if it is there; only devices of its name are looked into."""
    family, device = id.split("/")[:2]
    found = FOUND[family](root / "sys" / FOLDERS[family], device)
    return next((sensor for sensor in found if sensor.id == id), None)


KINDS: dict[str, type[KernelProbe]] = {"hwmon": HwmonProbe, "iio": IioProbe, "w1": OneWireProbe}
FOLDERS = {"hwmon": "class/hwmon", "iio": "bus/iio/devices", "w1": "bus/w1/devices"}


def _hwmon(folder: Path, only: str | None) -> Iterator[Sensor]:
    for name, device in _named(folder, "hwmon*"):
        if only != name and (only or ONE_WIRE.match((device / "device").resolve().name)):
            continue
        for file in sorted(device.glob("*_input"), key=_in_order):
            channel = file.name.removesuffix("_input")
            if (kind := channel.rstrip("0123456789")) in HWMON:
                label = _text(device / f"{channel}_label")
                yield Sensor(f"hwmon/{name}/{channel}", HWMON[kind][0], label, HwmonProbe, device, channel)


def _iio(folder: Path, only: str | None) -> Iterator[Sensor]:
    for name, device in _named(folder, "iio:device*"):
        if only not in (None, name):
            continue
        files = {*device.glob("in_*_raw"), *device.glob("in_*_input")}
        channels = {re.sub(r"^in_|_(raw|input)$", "", file.name): file for file in files}
        for channel in sorted(channels, key=lambda channel: _in_order(channels[channel])):
            if (kind := _kind(channel)) in IIO:
                label = _text(device / f"in_{channel}_label")
                yield Sensor(f"iio/{name}/{channel}", IIO[kind][0], label, IioProbe, device, channel)


def _one_wire(folder: Path, only: str | None) -> Iterator[Sensor]:
    for device in sorted(folder.glob("[0-9a-f][0-9a-f]-*")) if only is None else [folder / only]:
        if (device / "w1_slave").is_file() or (device / "temperature").is_file():
            yield Sensor(f"w1/{device.name}", "°C", "", OneWireProbe, device, "")


FOUND: dict[str, Callable[[Path, str | None], Iterator[Sensor]]] = {"hwmon": _hwmon, "iio": _iio, "w1": _one_wire}
"""Family -> what finds its sensors in a folder: all of them, or those of the device of a name."""


def _named(folder: Path, pattern: str) -> Iterator[tuple[str, Path]]:
    """Devices with their names; the second of a name gets @2."""
    seen: dict[str, int] = {}
    for device in sorted(folder.glob(pattern), key=_in_order):
        name = re.sub(r"[\s/@]", "_", _text(device / "name") or device.name.replace(":", "_"))
        seen[name] = seen.get(name, 0) + 1
        yield (name if seen[name] == 1 else f"{name}@{seen[name]}"), device


def _kind(channel: str) -> str:
    """What a channel of IIO measures: "voltage" of voltage0-voltage1, "accel" of accel_x."""
    return re.split(r"[\d_-]", channel, maxsplit=1)[0]


def _shared(sensor: Sensor, what: str, default: float) -> float:
    """The offset or scale of a channel, which all of its kind may share."""
    differential = re.sub(r"\d", "", sensor.channel)
    for channel in (sensor.channel, differential, _kind(sensor.channel)):
        file = sensor.folder / f"in_{channel}_{what}"
        if file.is_file():
            return _number(file)
    return default


def _read(file: Path) -> str:
    """The text of a file of the kernel, which has no more than a page. Raises OSError."""
    return read_bytes(file, PAGE_BYTES).decode(errors="replace")


def _number(file: Path) -> float:
    text = _read(file).strip()
    try:
        return number_in(text)
    except ValueError:
        raise GarbledError(f"{file} says {quoted(text)}") from None


def _text(file: Path) -> str:
    try:
        return " ".join(_read(file).split())
    except OSError:
        return ""


def _in_order(path: Path) -> list[Any]:
    """temp2 before temp10."""
    return [int(part) if part.isdecimal() else part for part in re.split(r"(\d+)", path.name)]
