"""The ports of real hosts, with the kernel's or the board's place taken by the simulated bus and lines."""

import errno
import os
import re
import sys
import threading
import time
from collections.abc import Callable
from pathlib import Path
from types import SimpleNamespace

import gpiod
import pytest
from gpiod.line import Direction, Value
from smbus2 import I2cFunc
from smbus2.smbus2 import I2C_RDWR, i2c_rdwr_ioctl_data

import lumek
from lumek import Backpack, BusError, Direct, NoAnswerError, Panel, PortError, ShiftRegister
from lumek.cli import main
from lumek.hookup.scan import scan
from lumek.links.expanders import MCP_LINES
from lumek.ports import linux
from lumek.ports.board import BoardBus, BoardLines, BoardPwm, BoardSpi
from lumek.twin import Bystander, Mcp23008, TwinBus, TwinLines, backpack_twin, direct_twin, shift_register_twin

LINES = {"rs": 10, "rw": 11, "e": 9, "d4": 12, "d5": 16, "d6": 20, "d7": 21}
NAMED = {"rs": "GPIO10", "rw": 11, "e": "GPIO9", "data": ("GPIO12", 16, 20, 21)}
OUTPUTS = {"rs": 1, "e": 2, "d4": 3, "d5": 4, "d6": 5, "d7": 6}


def refused(number: int) -> OSError:
    return OSError(number, os.strerror(number))


def write_files(folder: Path, **contents: object) -> Path:
    folder.mkdir(parents=True)
    for name, content in contents.items():
        (folder / name).write_text(str(content))
    return folder


class Kernel:
    """Does what /dev/i2c-1 does. Other numbers of buses fail as the error of that number.

    counts: an adapter that answers with the number of messages that went through, instead of an error.
    """

    bus: TwinBus
    error = errno.EREMOTEIO
    counts = False
    funcs = I2cFunc.I2C
    calls: list[list[int]]

    def __init__(self, number: int) -> None:
        if number != 1:
            raise refused(number)
        self.fd = self
        self.file = os.memfd_create("i2c")

    def fileno(self) -> int:
        return self.file

    def ioctl(self, request: int, data: i2c_rdwr_ioctl_data) -> int:
        assert request == I2C_RDWR
        messages = data.msgs[: data.nmsgs]
        self.calls.append([message.len for message in messages])
        for done, message in enumerate(messages):
            try:
                if message.flags & 1:
                    message.buf[0] = self.ask(self.bus.read, message.addr, message.len)
                else:
                    self.ask(self.bus.write, message.addr, bytes(message))
            except OSError:
                if self.counts:
                    return done
                raise
        return len(messages)

    def write_quick(self, address: int) -> None:
        self.ask(self.bus.quick, address)

    def read_byte(self, address: int) -> int:
        return self.ask(self.bus.read, address, 1)[0]

    def write_byte(self, address: int, byte: int) -> None:
        self.write_i2c_block_data(address, byte, [])

    def write_byte_data(self, address: int, register: int, byte: int) -> None:
        self.write_i2c_block_data(address, register, [byte])

    def write_i2c_block_data(self, address: int, register: int, data: list[int]) -> None:
        assert len(data) <= 32
        self.calls.append([1 + len(data)])
        self.ask(self.bus.write, address, bytes((register, *data)))

    def ask(self, transfer: Callable, *arguments: object) -> bytes:
        try:
            return transfer(*arguments)
        except BusError:
            raise refused(self.error) from None

    def close(self) -> None:
        self.calls.append([])


@pytest.fixture
def kernel(monkeypatch: pytest.MonkeyPatch) -> type[Kernel]:
    from lumek.ports.linux import bus

    monkeypatch.setattr(bus, "SMBus", Kernel)
    monkeypatch.setattr(bus, "ioctl", Kernel.ioctl)
    monkeypatch.setattr(bus, "wait_us", lambda us: Kernel.bus.wait_us(us))
    monkeypatch.setattr(bus, "now_us", lambda: Kernel.bus.now_us())
    monkeypatch.setattr(Kernel, "calls", [], raising=False)
    return Kernel


def test_a_panel_is_driven_through_the_kernel(kernel: type[Kernel]) -> None:
    twin, kernel.bus = backpack_twin("20x4")
    with linux.LinuxBus(1) as bus, Panel("20x4", Backpack(bus)) as panel:
        panel[:] = "Good morning,\nbees"
    assert (twin.rows[0].rstrip(), twin.rows[1].rstrip(), twin.violations) == ("Good morning,", "bees", [])
    assert kernel.calls[-1] == []
    with pytest.raises(lumek.ClosedError):
        bus.read(0x27, 1)


BLOCKS = I2cFunc.SMBUS_WRITE_I2C_BLOCK | I2cFunc.SMBUS_READ_BYTE
PAIRS = I2cFunc.SMBUS_WRITE_BYTE_DATA | I2cFunc.SMBUS_READ_BYTE


@pytest.mark.parametrize(("can", "longest"), [(BLOCKS, 33), (PAIRS, 2)])
@pytest.mark.parametrize("expander", ["pcf8574", "mcp23008"])
def test_an_adapter_that_only_speaks_smbus_will_do(
    kernel: type[Kernel], monkeypatch: pytest.MonkeyPatch, can: I2cFunc, longest: int, expander: str
) -> None:
    monkeypatch.setattr(kernel, "funcs", can)
    board = {"lines": MCP_LINES, "expander": Mcp23008} if expander == "mcp23008" else {}
    twin, kernel.bus = backpack_twin("20x4", **board)
    panel = Panel("20x4", Backpack(linux.LinuxBus(1), 0x27, expander))
    panel[:] = "Good morning,\nbees"
    assert (twin.rows, twin.violations) == (panel.rows, [])
    assert max(kernel.calls) == [longest]
    if expander == "pcf8574":
        assert panel.read_back() == panel.rows
    monkeypatch.setattr(kernel, "funcs", I2cFunc.SMBUS_QUICK)
    with pytest.raises(BusError, match="can neither do I2C transfers nor write SMBus bytes"):
        linux.LinuxBus(1)


def test_messages_that_did_not_go_through_are_no_success(kernel: type[Kernel], monkeypatch: pytest.MonkeyPatch) -> None:
    # Linux, i2c-dev: I2C_RDWR answers how many messages went through; virtio-i2c gives 0 when no device acknowledges.
    monkeypatch.setattr(kernel, "counts", True)
    _, kernel.bus = backpack_twin("20x4")
    bus = linux.LinuxBus(1)
    for transfer in (lambda: bus.write(0x26, b"\0"), lambda: bus.read(0x26, 1), lambda: bus.quick(0x50)):
        with pytest.raises(NoAnswerError, match="no device acknowledges at address 0x"):
            transfer()
    assert [one.address for one in scan(bus)] == [0x27]
    kernel.bus.cut(after=8193)
    with pytest.raises(NoAnswerError, match="after 1 of 3 messages"):
        bus.write(0x27, bytes(20_000))


def test_the_clock_is_found_where_the_kernel_states_it_and_never_guessed_too_slow(
    kernel: type[Kernel], monkeypatch: pytest.MonkeyPatch, tmp_path: Path, caplog: pytest.LogCaptureFixture
) -> None:
    places = {name: tmp_path / name for name in ("devices", "adapters")}
    for name, place in places.items():
        monkeypatch.setattr(linux.LinuxBus, name, place)
    # UM10204: Fast-mode Plus, 1 MHz, is the quickest that a usual adapter runs.
    assert (linux.LinuxBus(1).hz, linux.LinuxBus(1, hz=50_000).hz) == (1_000_000, 50_000)
    for name, hz in (("adapters", 100_000), ("devices", 400_000)):  # only 6.11 and older have the first
        folder = write_files(places[name] / "i2c-1" / "of_node")
        (folder / "clock-frequency").write_bytes(hz.to_bytes(4, "big"))
        assert linux.LinuxBus(1).hz == hz
    folder.joinpath("clock-frequency").unlink()
    places["adapters"].rename(tmp_path / "gone")
    file = tmp_path / "hive.toml"
    file.write_text('[panel]\nsize = "20x4"\n[hookup]\nkind = "backpack"\nbus = 1\naddress = 0x27\n')
    twin, kernel.bus = backpack_twin("20x4", hz=1_000_000)
    lumek.attach(file)[:] = "a slow guess would break this\nbees"
    assert (twin.rows[1].rstrip(), twin.violations) == ("bees", [])
    assert "clock of I2C bus 1 is unknown" in caplog.text
    assert "set bus_hz in [hookup]" in caplog.text


@pytest.mark.slow
def test_long_transfers_stay_within_the_limits_of_the_kernel(kernel: type[Kernel]) -> None:
    _, kernel.bus = backpack_twin("20x4")
    linux.LinuxBus(1).write(0x27, bytes(8192 * 43 + 5))
    assert kernel.calls == [[8192] * 42, [8192, 5]]


@pytest.mark.parametrize(
    ("number", "error", "message"),
    [
        (errno.ENOENT, 0, "there is no I2C bus 2 .*Enable I2C in the host's settings"),
        (errno.EACCES, 0, "no group has access to it. Run: sudo groupadd -f i2c && sudo usermod -aG i2c .USER && echo"),
        (errno.ENODEV, 0, "cannot be opened: No such device"),
        (1, errno.ENXIO, "no device acknowledges at address 0x20 on I2C bus 1: .* pads; 'lumek scan --bus 1' lists"),
        (1, errno.EBUSY, "address 0x20 on I2C bus 1 is in use by a driver of the kernel or another program: unbind"),
        (1, errno.ENODEV, "I2C bus 1 is gone"),
        (1, errno.EOPNOTSUPP, "I2C bus 1: Operation not supported"),
    ],
)
def test_what_the_kernel_refuses_is_told_with_what_to_do(
    kernel: type[Kernel], monkeypatch: pytest.MonkeyPatch, number: int, error: int, message: str
) -> None:
    _, kernel.bus = backpack_twin("16x2")
    monkeypatch.setattr(kernel, "error", error)
    with pytest.raises(BusError, match=message):
        Panel("16x2", Backpack(linux.LinuxBus(number), 0x20))


def test_scan_and_show_reach_the_bus(
    kernel: type[Kernel], capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    twin, kernel.bus = backpack_twin("16x2", address=0x3E)
    backpack_twin("16x2", address=0x20, bus=kernel.bus)
    others = {address: Bystander() for address in (0x30, 0x48, 0x50, 0x68, 0x77)}
    for address, other in others.items():
        kernel.bus.connect(address, other)
    for folder in ("i2c-1", "1-0068", "clock"):
        (tmp_path / folder).mkdir()
    (tmp_path / "1-0068" / "driver").symlink_to(tmp_path / "clock")
    monkeypatch.setattr(linux.LinuxBus, "devices", tmp_path)
    for can in (I2cFunc.I2C, I2cFunc.I2C | I2cFunc.SMBUS_QUICK):
        monkeypatch.setattr(kernel, "funcs", can)
        with pytest.raises(SystemExit, match="0"):
            main(["scan", "--bus", "1"])
        assert capsys.readouterr().out.splitlines() == [
            "0x20  PCF8574 or MCP23008: A2 bridged, A1 bridged, A0 bridged", "0x30  another device",
            "0x3e  PCF8574A: A2 open, A1 open, A0 bridged", "0x48  another device", "0x50  another device",
            "0x68  in use by the driver clock", "0x77  another device",
        ]  # fmt: skip
    # Called without a byte twice, but for the first time, when the adapter could not.
    assert {address: (bytes(one.taken), one.given) for address, one in others.items()} == {
        0x30: (b"", 2), 0x48: (b"", 1), 0x50: (b"", 2), 0x68: (b"", 0), 0x77: (b"", 1)
    }  # fmt: skip
    with pytest.raises(SystemExit, match="0"):
        main(["show", "Bees", "--size", "16x2", "--bus", "1", "--address", "0x3e"])
    assert (twin.rows[0].rstrip(), twin.violations) == ("Bees", [])
    monkeypatch.setattr(kernel, "error", errno.EBUSY)
    kernel.bus.cut()
    with pytest.raises(BusError, match="address 0x68 on I2C bus 1 is in use by the kernel's driver clock: unbind"):
        linux.LinuxBus(1).read(0x68, 1)
    (tmp_path / "1-0068" / "driver").unlink()
    advice = (
        r"no device answers on I2C bus 1. Check in this order: \(1\) .*supply.*\(2\) .*SDA and SCL.*\(3\) .*pull-ups"
    )
    # i2c-stub reports ENODEV at addresses where nobody is.
    for error, message in (
        (errno.ENXIO, advice),
        (errno.ENODEV, advice),
        (errno.EBUSY, "0x08 .*is in use by a driver"),
    ):
        monkeypatch.setattr(kernel, "error", error)
        with pytest.raises(SystemExit, match="1"):
            main(["scan", "--bus", "1"])
        assert re.search(message, capsys.readouterr().err)


class GpioChip:
    """Does what a chip with 28 lines does, of which 25 has no name and 7 is another program's."""

    lines: TwinLines
    requests: list[tuple[int, ...]]

    def __init__(self, path: str) -> None:
        if path != "/dev/gpiochip0":
            raise refused(int(path))

    def get_info(self) -> SimpleNamespace:
        return SimpleNamespace(num_lines=28)

    def get_line_info(self, offset: int) -> SimpleNamespace:
        name = "" if offset == 25 else f"GPIO{offset}"
        return SimpleNamespace(used=offset == 7, consumer="spi0 CS1" if offset == 7 else "", name=name)

    def line_offset_from_id(self, name: str) -> int:
        if not name.startswith("GPIO"):
            raise refused(errno.ENOENT)
        return int(name[4:])

    def request_lines(self, config: dict[int, gpiod.LineSettings], consumer: str) -> "GpioChip":
        assert consumer == f"lumek, process {os.getpid()}"
        self.requests.append(tuple(config))
        self.config: dict[int, gpiod.LineSettings] = {}
        self.reconfigure_lines(config)
        return self

    def reconfigure_lines(self, config: dict[int, gpiod.LineSettings]) -> None:
        assert tuple(config) == self.requests[-1]  # what is left out would fall back to another setting
        changed = {offset: one for offset, one in config.items() if self.config.get(offset) != one}
        self.config = dict(config)
        ways = {way: [o for o, one in changed.items() if one.direction == way] for way in Direction}
        self.lines.sense(ways[Direction.INPUT])
        self.lines.drive({offset: changed[offset].output_value.value for offset in ways[Direction.OUTPUT]})

    def set_values(self, values: dict[int, Value]) -> None:
        assert self.requests[-1], "the request was released"
        assert all(self.config[offset].direction == Direction.OUTPUT for offset in values)
        self.lines.drive({offset: value.value for offset, value in values.items()})

    def get_values(self, offsets: list[int]) -> list[Value]:
        return [Value(level) for level in self.lines.sense(offsets).values()]

    def release(self) -> None:
        self.requests.append(())

    close = release


@pytest.fixture
def chip(monkeypatch: pytest.MonkeyPatch) -> type[GpioChip]:
    from lumek.ports.linux import lines

    monkeypatch.setattr(gpiod, "Chip", GpioChip)
    monkeypatch.setattr(GpioChip, "requests", [], raising=False)
    monkeypatch.setattr(lines, "wait_us", lambda us: GpioChip.lines.wait_us(us))
    monkeypatch.setattr(lines, "now_us", lambda: GpioChip.lines.now_us())
    return GpioChip


def test_a_panel_is_driven_through_the_gpio_device(chip: type[GpioChip]) -> None:
    twin, chip.lines = direct_twin("16x2", {**LINES, "backlight": 18})
    with linux.LinuxLines("/dev/gpiochip0") as lines:
        panel = Panel("16x2", Direct(lines, **NAMED), backlight=lumek.LineLight(lines, 18))
        panel[:] = "Good morning,\nbees"
        assert (twin.rows, panel.read_back(), twin.backlight) == (panel.rows, panel.rows, True)
        panel.backlight = False
    assert (twin.backlight, twin.violations) == (False, [])
    assert chip.requests == [(9, 10, 11, 12, 16, 20, 21), (), (9, 10, 11, 12, 16, 20, 21, 18), (), ()]
    with pytest.raises(lumek.ClosedError):
        panel[0] = "x"


def test_a_second_panel_on_a_chip_does_not_disturb_a_thread_that_drives_the_first(chip: type[GpioChip]) -> None:
    twin, chip.lines = direct_twin("16x2", LINES)
    lines = linux.LinuxLines("/dev/gpiochip0")
    panel = Panel("16x2", Direct(lines, **NAMED))
    ended, broke = threading.Event(), []

    def drive() -> None:
        try:
            while not ended.is_set():
                panel[0] = str(time.perf_counter_ns())
        except BaseException as problem:
            broke.append(problem)

    thread = threading.Thread(target=drive)
    thread.start()
    for line in (0, 1, 2, 3, 4, 5):  # each needs a new request, with all lines
        Direct(lines, **{**NAMED, "e": line})
        lumek.LineLight(lines, 22 + line % 3).switch(True)
    ended.set()
    thread.join()
    assert (broke, twin.rows, twin.violations) == ([], panel.rows, [])


@pytest.mark.parametrize(
    ("path", "lines", "message"),
    [
        (str(errno.ENOENT), {}, "there is no GPIO chip 2; there is: "),
        (str(errno.EACCES), {}, "you may not open 13, and no group .*-aG gpio"),
        (str(errno.ENOTTY), {}, "25 is not a GPIO chip"),
        ("/dev/gpiochip0", {"e": 28}, "line 28 does not exist on /dev/gpiochip0: it has 0 to 27"),
        ("/dev/gpiochip0", {"e": 10}, "'GPIO10' and 10 are the same line of /dev/gpiochip0"),
        ("/dev/gpiochip0", {"e": 7}, r"line 7 \(GPIO7\) of /dev/gpiochip0 is in use by 'spi0 CS1'"),
        ("/dev/gpiochip0", {"e": "ENABLE"}, "no line of /dev/gpiochip0 is named 'ENABLE'; its names are GPIO0, GPIO1"),
    ],
)
def test_what_the_gpio_device_refuses_is_told(chip: type[GpioChip], path: str, lines: dict, message: str) -> None:
    _, chip.lines = direct_twin("16x2", LINES)
    with pytest.raises(PortError, match=message):
        Direct(linux.LinuxLines(path), **{**NAMED, **lines})


def test_a_panel_is_driven_through_the_spi_device(monkeypatch: pytest.MonkeyPatch) -> None:
    from lumek.ports.linux import spi

    def opened(bus: int, device: int) -> None:
        if bus:
            raise refused(bus)

    twin, serial = shift_register_twin("16x2", OUTPUTS)
    file = os.memfd_create("spi")
    device = SimpleNamespace(
        open=opened, close=lambda: None, writebytes=lambda data: serial.send(bytes(data)), fileno=lambda: file
    )
    monkeypatch.setitem(sys.modules, "spidev", SimpleNamespace(SpiDev=lambda: device))
    monkeypatch.setattr(spi, "wait_us", serial.wait_us)
    monkeypatch.setattr(spi, "now_us", serial.now_us)
    with linux.LinuxSpi() as port:
        panel = Panel("16x2", ShiftRegister(port, OUTPUTS))
        panel[1] = "bees"
    assert (twin.rows, twin.violations, device.max_speed_hz, device.mode) == (panel.rows, [], 1_000_000, 0)
    with pytest.raises(lumek.ClosedError):
        panel[1] = ""
    for bus, message in ((2, "there is no /dev/spidev2.0; there is: .*Enable SPI"), (13, "-aG spi"), (5, "error")):
        with pytest.raises(PortError, match=message):
            linux.LinuxSpi(bus)
    with pytest.raises(PortError, match="1000 to 10000000 Hz, not 0"):
        linux.LinuxSpi(hz=0)
    monkeypatch.setitem(sys.modules, "spidev", None)
    with pytest.raises(PortError, match=r"pip install 'lumek\[spi\]'"):
        linux.LinuxSpi()


def test_pwm_channels_dim_colour_and_set_the_contrast(tmp_path: Path) -> None:
    chip = write_files(tmp_path / "pwmchip0", npwm=4, export="")
    for channel in range(3):
        write_files(chip / f"pwm{channel}", duty_cycle=777, period=5, enable=0)

    def kernel() -> None:  # makes the channel that is asked for
        while (chip / "export").read_text() != "3":
            time.sleep(0.001)
        write_files(chip / "pwm3", enable=0, period=0, duty_cycle=0)

    threading.Thread(target=kernel, daemon=True).start()
    pwms = [linux.LinuxPwm(0, channel, hz=500, inverted=channel == 3, root=tmp_path) for channel in range(4)]
    twin, bus = backpack_twin("16x2")
    panel = Panel("16x2", Backpack(bus), twin=twin, backlight=pwms[:3], contrast=pwms[3])
    for value, duties in (("#20c0a0", (251_000, 1_506_000, 1_255_000)), (0.25, (500_000,) * 3), (False, (0,) * 3)):
        panel.backlight = value
        found = [int((chip / f"pwm{channel}" / "duty_cycle").read_text()) for channel in range(3)]
        assert found == pytest.approx(duties, abs=1000)
        assert panel.backlight == value
    panel.contrast = 0.4
    settings = [(chip / "pwm3" / name).read_text() for name in ("duty_cycle", "period", "enable")]
    assert (settings, panel.contrast) == (["1200000", "2000000", "1"], 0.4)
    refusals = ((1, 0), "no PWM chip 1 .*; there is: pwmchip0"), ((0, 4), "no channel 4: it has 0 to 3")
    for arguments, message in refusals:
        with pytest.raises(PortError, match=message):
            linux.LinuxPwm(*arguments, root=tmp_path)
    (chip / "pwm0" / "duty_cycle").unlink()
    (chip / "pwm0" / "duty_cycle").mkdir()
    with pytest.raises(PortError, match="duty_cycle cannot be written: Is a directory"):
        panel.backlight = "red"


LEDS = [("blue white green red", "#ff0080", "128 0 0 255"), ("", 0.5, "")]


@pytest.mark.parametrize(("index", "value", "intensity"), LEDS)
def test_leds_shine_in_what_they_have(tmp_path: Path, index: str, value: object, intensity: str) -> None:
    files = {"multi_index": index, "multi_intensity": ""} if index else {}
    led = write_files(tmp_path / "hive", brightness=0, max_brightness=255, **files)
    panel = Panel("16x2", Backpack(backpack_twin("16x2")[1]), backlight=linux.LinuxLed("hive", root=tmp_path))
    panel.backlight = value
    assert (led / "brightness").read_text() == ("255" if index else "128")
    assert not index or (led / "multi_intensity").read_text() == intensity
    if not index:
        with pytest.raises(lumek.SettingError, match=r"'red' is not possible: this backlight has a brightness"):
            panel.backlight = "red"


def test_a_panel_is_driven_by_a_microcontroller(monkeypatch: pytest.MonkeyPatch) -> None:
    twin, bus = backpack_twin("16x2")
    locks: list[int] = []
    i2c = SimpleNamespace(
        try_lock=lambda: locks.append(1) or len(locks) == 1, unlock=locks.clear,
        writeto=bus.write, readfrom_into=lambda address, data: data.__setitem__(0, bus.read(address, len(data))[0]),
    )  # fmt: skip
    monkeypatch.setattr("time.sleep", lambda seconds: bus.wait_us(seconds * 1e6))
    Panel("16x2", Backpack(BoardBus(i2c)))[1] = "bees"
    assert (twin.rows[1].rstrip(), twin.violations, locks) == ("bees", [], [])
    with pytest.raises(BusError, match="no device acknowledges at address 0x20"):
        Panel("16x2", Backpack(BoardBus(i2c), 0x20))


class MicroPin:
    """A pin as MicroPython has it."""

    OUT, IN = 1, 0

    def __init__(self, lines: TwinLines, line: int) -> None:
        self.lines, self.line, self.mode = lines, line, None

    def init(self, mode: int, value: int = 0) -> None:
        self.mode = mode
        self.lines.drive({self.line: value}) if mode else self.lines.sense([self.line])

    def value(self, level: int | None = None) -> int | None:
        if level is None:
            return self.lines.sense([self.line])[self.line]
        assert self.mode == self.OUT
        return self.lines.drive({self.line: level})


class CircuitPin:
    """A pin as CircuitPython has it."""

    lines: TwinLines
    line: int
    output: bool | None

    def __init__(self, lines: TwinLines, line: int) -> None:
        self.__dict__.update(lines=lines, line=line, output=None)

    def switch_to_output(self, level: int) -> None:
        self.__dict__["output"] = True
        self.lines.drive({self.line: level})

    def switch_to_input(self) -> None:
        self.__dict__["output"] = False
        self.lines.sense([self.line])

    @property
    def value(self) -> bool:
        return bool(self.lines.sense([self.line])[self.line])

    @value.setter
    def value(self, level: int) -> None:
        assert self.output
        self.lines.drive({self.line: level})


@pytest.mark.parametrize("kind", [MicroPin, CircuitPin])
def test_pins_of_a_microcontroller_are_lines(monkeypatch: pytest.MonkeyPatch, kind: type) -> None:
    twin, lines = direct_twin("16x2", LINES)
    monkeypatch.setattr("time.sleep", lambda seconds: lines.wait_us(seconds * 1e6))
    port = BoardLines({line: kind(lines, line) for line in LINES.values()})
    panel = Panel("16x2", Direct(port, rs=10, rw=11, e=9, data=(12, 16, 20, 21)), twin=twin)
    panel[:] = "Good morning,\nbees"
    assert (twin.rows, panel.read_back(), twin.violations) == (panel.rows, panel.rows, [])
    with pytest.raises(PortError, match="there is no pin 3 among those given to BoardLines: there is 10, 11"):
        Panel("16x2", Direct(port, rs=3, e=9, data=(12, 16, 20, 21)))


@pytest.mark.parametrize("kind", [MicroPin, CircuitPin])
def test_a_shift_register_and_pwm_of_a_microcontroller(monkeypatch: pytest.MonkeyPatch, kind: type) -> None:
    twin, serial = shift_register_twin("16x2", OUTPUTS)
    monkeypatch.setattr("time.sleep", lambda seconds: serial.wait_us(seconds * 1e6))
    sent: list[bytes] = []
    spi = SimpleNamespace(write=sent.append)
    wire = SimpleNamespace(drive=lambda levels: serial.send(sent.pop()) if levels[8] else None)
    latch = kind(wire, 8)
    latch.init(latch.OUT) if kind is MicroPin else latch.switch_to_output(0)
    port = BoardSpi(spi, latch)
    duties: list[int] = []
    circuit = SimpleNamespace(duty_cycle=0)
    pwms = BoardPwm(SimpleNamespace(duty_u16=duties.append)), BoardPwm(circuit)
    panel = Panel("16x2", ShiftRegister(port, OUTPUTS), twin=twin, backlight=pwms[0], contrast=pwms[1])
    panel[0], panel.backlight, panel.contrast = "Bees", 0.5, 1.0
    assert (twin.rows, twin.violations, duties, circuit.duty_cycle) == (panel.rows, [], [65535, 32768], 65535)
