"""Panels on the buses and lines of a real kernel. The functions above a test run in the guest."""

import os
import re
import time
from collections import Counter
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import pytest
from machines.computer import EIGHT, FOUR, FOUR_WITH_RW, OUTPUTS, THREE_LINES, Computer

import lumek
from lumek import Backpack, Direct, Glyph, Panel, ShiftRegister
from lumek.ports.bit_banged import SerialLines
from lumek.ports.linux import LinuxBus, LinuxLed, LinuxLines, LinuxPwm, LinuxSpi
from lumek.twin import Twin

DROP = Glyph("..#..\n..#..\n.###.\n.###.\n#####\n#####\n.###.\n.....")
TRACING = Path("/sys/kernel/tracing")


def draw(panel: Panel) -> None:
    """Text, numbers and glyphs, in the ways that programs write them."""
    panel.clear()
    panel.glyphs["💧"] = DROP
    panel[0] = "Hive 3 💧 🐝"
    for kilograms in (39.9, 40.6, 41.4):
        panel[1, 0:8] = f"{kilograms} kg"
    with panel.together():
        panel[-1, -4:] = "34°C"
        panel.cursor, panel.cursor_shape = (0, 2), "underline"
    panel.backlight = False
    panel.backlight = True


def look(twin: Twin, lit: bool = True) -> None:
    """Check that a panel shows just what one does that is simulated in this process, and was treated as it asks.

    lit: whether its backlight is on; virtio-gpio drives a line no longer that was given back.
    """
    local = lumek.simulate(twin.size)
    draw(local)
    assert local.twin is not None
    assert (twin.violations, twin.rows, twin.cursor) == ([], local.twin.rows, (0, 2))
    assert (twin.dots() == local.twin.dots()).all()
    assert twin.backlight == lit


def on_backpack(address: int, size: str, expander: str, hz: int | None, states: str | None = None) -> dict[str, Any]:
    if states is not None:  # as if a device tree stated the clock
        LinuxBus.devices = Path(states)
    with LinuxBus(0, hz) as bus:
        panel = Panel(size, Backpack(bus, address, expander))
        draw(panel)
        return {"hz": bus.hz, "wrong": [*panel.read_back()] != panel.rows if expander == "pcf8574" else False}


def device_tree(hz: int) -> str:
    """The folder of the kernel's buses, with a clock laid over it as a device tree would state it."""
    folder = Path(f"/run/tree-{hz}")
    (folder / "upper" / "i2c-0" / "of_node").mkdir(parents=True)
    (folder / "upper" / "i2c-0" / "of_node" / "clock-frequency").write_bytes(hz.to_bytes(4, "big"))
    (folder / "there").mkdir()
    os.system(f"mount -t overlay -o lowerdir={folder}/upper:/sys/bus/i2c/devices none {folder}/there")
    return str(folder / "there")


@pytest.mark.parametrize("hz", [100_000, 400_000, 1_000_000])
@pytest.mark.parametrize("clock", ["stated", "found", "unknown"])
def test_a_backpack_at_every_clock(computer: Computer, hz: int, clock: str) -> None:
    computer.i2c.hz, before = hz, len(computer.i2c.transfers)
    tree = computer.call(device_tree, hz) if clock == "found" else None
    found = computer.call(on_backpack, 0x27, "20x4", "pcf8574", hz if clock == "stated" else None, tree)
    assert found == {"hz": 1_000_000 if clock == "unknown" else hz, "wrong": False}
    look(computer.panels["0x27"])
    transfers = computer.i2c.transfers[before:]
    assert {(one.address, one.kind) for one in transfers} == {(0x27, "write"), (0x27, "read")}
    # A row with what makes its glyphs is one message on the bus, as the driver made it: no layer cut it in pieces.
    assert max(len(one.data) for one in transfers) > 80


def test_an_mcp23008(computer: Computer) -> None:
    computer.i2c.hz = 400_000
    computer.call(on_backpack, 0x20, "16x2", "mcp23008", 400_000)
    look(computer.panels["0x20"])


def on_lines(lines: Mapping[str, int]) -> list[Any]:
    with LinuxLines("/dev/gpiochip0") as port:
        data = [line for role, line in sorted(lines.items()) if role[0] == "d"]
        others: dict[str, Any] = {role: line for role, line in lines.items() if role[0] != "d"}
        panel = Panel("16x2", Direct(port, data=data, **others))
        draw(panel)
        return [panel.read_back() == panel.rows, bytes(panel.memory()[1][:8]).hex()]


@pytest.mark.parametrize(("panel", "lines"), [("eight lines", EIGHT), ("four lines with RW", FOUR_WITH_RW)])
def test_lines_with_busy_flag_and_memory_read_back(computer: Computer, panel: str, lines: dict[str, int]) -> None:
    assert computer.call(on_lines, lines) == [True, bytes(DROP.rows).hex()]
    look(computer.panels[panel], lit=False)


def on_four_lines(lines: Mapping[str, int]) -> None:
    named = {role: f"P{line}" for role, line in lines.items()}
    with LinuxLines("/dev/gpiochip0") as port:
        data = [named[f"d{bit}"] for bit in range(4, 8)]
        draw(Panel("16x2", Direct(port, rs=named["rs"], e=named["e"], data=data, backlight=named["backlight"])))


def test_four_lines_by_name(computer: Computer) -> None:
    computer.call(on_four_lines, FOUR)
    look(computer.panels["four lines"], lit=False)


def on_register(outputs: Mapping[str, int], three: Mapping[str, int] | None) -> None:
    if three is None:
        with LinuxSpi(0, 0, hz=100_000) as spi:
            draw(Panel("16x2", ShiftRegister(spi, outputs)))
    else:
        with LinuxLines("/dev/gpiochip0") as lines:
            draw(Panel("16x2", ShiftRegister(SerialLines(lines, **three), outputs)))


@pytest.mark.parametrize(("panel", "three"), [("595", THREE_LINES), ("spi", None)])
def test_a_shift_register_on_three_lines_and_on_spi(
    computer: Computer, panel: str, three: dict[str, int] | None
) -> None:
    if three is None:
        pytest.importorskip("spidev", reason="pip install -e '.[spi]'")
    computer.call(on_register, OUTPUTS, three)
    look(computer.panels[panel])


def lights() -> dict[str, Any]:
    (chip,) = Path("/sys/class/pwm").glob("pwmchip*")
    found: dict[str, Any] = {}
    for hz, inverted, fraction in ((1000, False, 0.25), (50, True, 0.0), (10_000, False, 1.0)):
        pwm = LinuxPwm(int(chip.name[7:]), 1, hz, inverted)
        pwm.dim(fraction)
        found[f"{hz} Hz"] = [int((pwm.path / name).read_text()) for name in ("period", "duty_cycle", "enable")]
    white, colours = LinuxLed("panel:white"), LinuxLed("panel:rgb")
    white.dim(0.4)
    found["white"] = [white.offers, (white.path / "brightness").read_text().strip()]
    colours.tint(1, 0.5, 0)
    names = "multi_index", "multi_intensity", "brightness"
    found["colours"] = [colours.offers, *((colours.path / name).read_text().strip() for name in names)]
    return found


def test_pwm_and_leds(computer: Computer) -> None:
    found = computer.call(lights)
    assert found == {
        "1000 Hz": [1_000_000, 250_000, 1], "50 Hz": [20_000_000, 20_000_000, 1], "10000 Hz": [100_000, 100_000, 1],
        "white": ["brightness", "0"],  # an LED of leds-gpio is on or off
        "colours": ["colour", "green red blue", "100 200 0", "200"],
    }  # fmt: skip


def on_smbus() -> list[list[int]]:
    """What the kernel says that it was given for i2c-stub, which knows SMBus only."""
    stub = next(path for path in LinuxBus.devices.glob("i2c-*") if "SMBus stub" in (path / "name").read_text())
    (TRACING / "events/smbus/enable").write_text("1")
    (TRACING / "trace").write_text("")
    with LinuxBus(int(stub.name[4:])) as bus:
        Panel("16x2", Backpack(bus, 0x27))[0] = "Hive 3"
    written = []
    for line in (TRACING / "trace").read_text().splitlines():
        found = re.search(r"smbus_write: i2c-\d+ a=027 f=0000 c=([0-9a-f]+) (\w+) l=\d+ \[([0-9a-f-]*)\]", line)
        if found:
            data = [int(byte, 16) for byte in filter(None, found[3].split("-"))]
            written.append(
                [int(found[1], 16), *(data[1:] if "BLOCK" in found[2] else data)]
            )  # it begins with its length
    (TRACING / "events/smbus/enable").write_text("0")
    return written


def test_an_adapter_that_only_speaks_smbus(computer: Computer) -> None:
    written = computer.call(on_smbus)
    twin, bus = lumek.twin.backpack_twin("16x2")
    for transfer in written:
        assert len(transfer) <= 33
        bus.write(0x27, bytes(transfer))
        bus.wait_us(5000)
    assert twin.rows[0] == "Hive 3".ljust(16)


def on_simulated_lines() -> dict[str, Any]:
    """A panel of four lines, on a chip of gpio-sim whose levels are looked at after each call."""
    config = Path("/sys/kernel/config/gpio-sim/panel")
    roles = ["rs", "e", "d4", "d5", "d6", "d7", "backlight"]
    (config / "bank0").mkdir(parents=True)
    (config / "bank0" / "num_lines").write_text("7")
    for number, role in enumerate(roles):
        (config / "bank0" / f"line{number}").mkdir()
        (config / "bank0" / f"line{number}" / "name").write_text(role.upper())
    (config / "live").write_text("1")
    chip = (config / "bank0" / "chip_name").read_text().strip()
    folder = Path("/sys/devices/platform") / (config / "dev_name").read_text().strip() / chip
    levels = [os.open(folder / f"sim_gpio{number}" / "value", os.O_RDONLY) for number in range(7)]
    (TRACING / "set_ftrace_filter").write_text("gpio_sim_set gpio_sim_set_multiple")
    (TRACING / "current_tracer").write_text("function")
    twin, began = Twin("16x2", lumek.roms.rom_named("A00"), lumek.twin.TwinClock()), time.monotonic_ns()
    twin.set_pins({"rw": 0}, -1_000_000)
    calls = 0

    class Watched(LinuxLines):
        def drive(self, wanted: Mapping[int | str, int]) -> None:
            nonlocal calls
            super().drive(wanted)
            calls += 1
            twin.clock.now_ns = time.monotonic_ns() - began
            twin.set_pins({role: int(os.pread(file, 2, 0)) for role, file in zip(roles, levels, strict=True)},
                          twin.clock.now_ns)  # fmt: skip

    with Watched(f"/dev/{chip}") as lines:
        panel = Panel("16x2", Direct(lines, rs="RS", e="E", data=("D4", "D5", "D6", "D7"), backlight="BACKLIGHT"))
        (TRACING / "trace").write_text("")
        calls = 0
        panel[0] = "Hive 3"
        made = Counter(re.findall(r": (gpio_sim_set\w*) <-", (TRACING / "trace").read_text()))
        found = {"rows": twin.rows, "violations": [str(one) for one in twin.violations], "calls": calls, "made": made}
    (TRACING / "current_tracer").write_text("nop")
    (config / "live").write_text("0")
    return found


def test_all_lines_of_a_call_change_at_once(computer: Computer) -> None:
    found = computer.call(on_simulated_lines)
    assert (found["rows"][0], found["violations"]) == ("Hive 3".ljust(16), [])
    assert found["made"] == {"gpio_sim_set_multiple": found["calls"]}


def on_simulated_buttons() -> list[str]:
    """What buttons and an encoder order, on a chip of gpio-sim whose lines are pulled up and down."""
    from lumek.messages import Desk
    from lumek.messages.ways.buttons_way import ButtonsWay

    config = Path("/sys/kernel/config/gpio-sim/buttons")
    (config / "bank0").mkdir(parents=True)
    (config / "bank0" / "num_lines").write_text("5")
    (config / "live").write_text("1")
    chip = (config / "bank0" / "chip_name").read_text().strip()
    folder = Path("/sys/devices/platform") / (config / "dev_name").read_text().strip() / chip
    pulls = [folder / f"sim_gpio{line}" / "pull" for line in range(5)]

    def pull(line: int, level: int) -> None:
        pulls[line].write_text("pull-up" if level else "pull-down")
        time.sleep(0.05)

    for line in range(5):
        pull(line, 1)
    ordered: list[str] = []
    way = ButtonsWay(next=0, hold=1, clear=2, encoder=[3, 4], chip=f"/dev/{chip}")
    way.order = ordered.append  # type: ignore[assignment, method-assign]
    with way:
        way.open(Desk())
        time.sleep(1)
        for line in (0, 1, 2, 0):
            pull(line, 0)
            pull(line, 1)
        for first, second in ((3, 4), (3, 4), (4, 3)):
            for level in (0, 1):
                pull(first, level)
                pull(second, level)
        time.sleep(0.5)
        ordered.append(way.trouble)
    (config / "live").write_text("0")
    return ordered


def test_buttons_and_an_encoder_on_lines_of_a_kernel(computer: Computer) -> None:
    assert computer.call(on_simulated_buttons) == ["next", "hold", "clear", "next", "next", "next", "back", ""]
