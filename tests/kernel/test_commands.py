"""The command in the guest: what it finds on the kernel's buses, and the readings of the kernel's own drivers."""

import subprocess
import sys
from pathlib import Path

import pytest
from machines.computer import FOUR_WITH_RW, Computer

from support.waiting import until

HOOKUP = """
[panel]
size = "20x4"
[hookup]
kind = "backpack"
bus = 0
bus_hz = 100_000
address = 0x27
"""

CLOCKS = pytest.mark.parametrize("hz", [100_000, 400_000, 1_000_000])

FACE = """
[probes]
cold = { kernel = "hwmon/lm75/temp1" }
brood = { kernel = "w1/28-000316a4b1c2", every_s = 2 }
humidity = { kernel = "hwmon/sht3x/humidity1" }
pressure = { kernel = "iio/bmp280/pressure" }
[faces.all]
text = \"\"\"
Cold
Brood
Humidity
Pressure\"\"\"
fields = [
  { kind = "number", of = "cold", row = 0, column = 10, decimals = 1, unit = " °C" },
  { kind = "number", of = "brood", row = 1, column = 10, decimals = 2, unit = " °C" },
  { kind = "number", of = "humidity", row = 2, column = 10, decimals = 1, unit = " %" },
  { kind = "number", of = "pressure", row = 3, column = 10, decimals = 2, unit = " hPa" },
]
"""

# Data sheets' numbers and those that tools/machines/chips.py was made with. The driver of the TMP102 takes 13
# bits from a chip that answers with 12, so that it is left out here.
SENSORS = {
    "hwmon/lm75/temp1": -12.5, "hwmon/sht3x/temp1": 21.5, "hwmon/sht3x/humidity1": 48.5,
    "iio/ads1015/voltage0": 1.234, "iio/bmp280/temp": 25.08, "iio/bmp280/pressure": 1006.53,
    "w1/28-000316a4b1c2": 35.25, "w1/28-000316a4b1c3": -3.5,
}  # fmt: skip


GPIO = """
[panel]
size = "16x2"
[hookup]
kind = "direct"
chip = "/dev/gpiochip0"
lines = LINES
"""


def write(name: str, text: str) -> str:
    path = Path("/run") / name
    path.write_text(text, encoding="utf-8")
    return str(path)


def add_sensors() -> None:
    chips = {"lm75": 0x48, "ads1015": 0x4A, "bmp280": 0x76, "sht3x": 0x44, "ds2482": 0x18}
    new = Path("/sys/bus/i2c/devices/i2c-0/new_device")
    for name, address in chips.items():
        if not Path(f"/sys/bus/i2c/devices/0-{address:04x}").exists():
            new.write_text(f"{name} {address:#x}")
    until(lambda: len(list(Path("/sys/bus/w1/devices").glob("28-*"))) == 2, "the 1-Wire thermometers are found")


def remove_sensors() -> None:
    for path in Path("/sys/bus/i2c/devices").glob("0-*"):
        Path("/sys/bus/i2c/devices/i2c-0/delete_device").write_text(f"0x{path.name[-2:]}")


@CLOCKS
def test_scan_finds_who_answers_and_writes_to_nobody(computer: Computer, hz: int) -> None:
    computer.call(remove_sensors)
    computer.i2c.hz, before = hz, len(computer.i2c.transfers)
    found = computer.lumek("scan", "--bus", "0")
    assert found.code == 0
    assert [line.split()[0] for line in found.out.splitlines()] == [f"{at:#04x}" for at in sorted(computer.i2c.devices)]
    assert "0x27  PCF8574 or MCP23008" in found.out
    assert not any(one.data for one in computer.i2c.transfers[before:] if one.kind == "write")
    assert computer.memory.written == 0
    computer.call(add_sensors)
    assert "0x48  in use by the driver lm75" in computer.lumek("scan", "--bus", "0").out


@CLOCKS
def test_show_draws_on_the_panel(computer: Computer, hz: int) -> None:
    computer.i2c.hz = hz
    hookup = computer.call(write, "show.toml", HOOKUP.replace("100_000", str(hz)))
    wires = hookup.replace("show.toml", "wires.vcd")
    found = computer.lumek("show", "Hive 3", "--hookup", hookup, "--record", wires)
    assert (found.code, found.err) == (0, "")
    assert computer.panels["0x27"].rows[0] == "Hive 3".ljust(20)
    decoded = computer.lumek("decode", wires, "--hookup", hookup).out
    assert "│ Hive 3               │" in decoded
    assert "times are those of the host's clock" in decoded
    assert " ! " not in decoded
    if hz == 100_000:  # the command itself, with an interpreter of its own
        program = computer.call(installed)
        found = computer.start(program=[program, "show", "Hive 4", "--hookup", hookup]).ended()
        assert (found.code, found.err, computer.panels["0x27"].rows[0]) == (0, "", "Hive 4".ljust(20))
    assert computer.panels["0x27"].violations == []


def installed() -> str:
    import sys

    return str(Path(sys.executable).parent / "lumek")


@CLOCKS
def test_sensors_of_the_kernels_own_drivers(computer: Computer, hz: int) -> None:
    computer.i2c.hz = hz
    computer.call(add_sensors)
    found = computer.lumek("sensors")
    assert found.code == 0
    values = {}
    for line in found.out.splitlines():
        words = line.split()
        if words and words[0] in SENSORS:
            values[words[0]] = float(words[1])
    assert values == pytest.approx(SENSORS, abs=0.006)


@CLOCKS
def test_a_face_over_them(computer: Computer, hz: int) -> None:
    computer.i2c.hz = hz
    computer.call(add_sensors)
    face = computer.call(write, "hive.toml", HOOKUP.replace("100_000", str(hz)) + FACE)
    found = computer.lumek("run", face, "--once")
    assert found.code == 0, found.err
    assert [row.split() for row in computer.panels["0x27"].rows] == [
        ["Cold", "-12.5", "°C"], ["Brood", "35.25", "°C"], ["Humidity", "48.5", "%"], ["Pressure", "1006.5", "hPa"],
    ]  # fmt: skip


def test_check_finds_out_what_a_backpack_is_and_that_nothing_is_wrong(computer: Computer) -> None:
    computer.call(remove_sensors)
    computer.i2c.hz = 100_000
    out = computer.call(check_in, "/run/new", "--bus", "0", "--address", "0x27", "--yes")
    assert "found: PCF8574 at 0x27, line map control-low (its memory can be read)" in out
    for rung in ("bus", "address", "expander", "controller", "memory", "text"):
        assert f"ok      {rung}" in out
    assert "its oscillator runs at" in out
    twin = computer.panels["0x27"]
    assert twin.rows[0] == "1 Lumek            <"
    twin.violations.clear()  # it tried other line maps, too


def test_check_reads_a_panel_on_lines(computer: Computer) -> None:
    lines = "{" + ", ".join(f"{role} = {line}" for role, line in FOUR_WITH_RW.items()) + "}"
    file = computer.call(write, "lines.toml", GPIO.replace("LINES", lines))
    done = computer.lumek("check", "--hookup", file, "--yes")
    assert (done.code, done.err) == (0, f"lumek: next: lumek show Hello --hookup {file}\n"), done.out
    for rung in ("wires", "controller", "memory", "text"):
        assert f"ok      {rung}" in done.out


def test_check_says_who_has_the_panel_and_what_gives_access(computer: Computer) -> None:
    file = computer.call(write, "no_bus.toml", HOOKUP.replace("bus = 0", "bus = 7"))
    done = computer.lumek("check", "--hookup", file, "--yes")
    assert (done.code, "failed  host" in done.out) == (1, True)
    assert "there is no I2C bus 7" in done.out


def check_in(folder: str, *arguments: str) -> str:
    """What lumek check prints in a new folder."""
    Path(folder).mkdir()
    return subprocess.run([sys.executable, "-m", "lumek", "check", *arguments], cwd=folder, check=True, text=True,
                          capture_output=True).stdout  # fmt: skip
