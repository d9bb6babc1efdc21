"""The port for Linux, with the kernel's place taken by the simulated bus."""

import errno
import os

import pytest
from smbus2 import i2c_msg

import lumek
from lumek import Backpack, BusError, Panel
from lumek.ports import linux
from lumek.twin import TwinBus, backpack_twin


class Kernel:
    """Does what /dev/i2c-1 does: I2C_RDWR, within its limits."""

    bus: TwinBus
    fails_with: int | None = None
    calls: list[list[int]]

    def __init__(self, number: int) -> None:
        if number != 1:
            raise OSError(number, os.strerror(number))

    def i2c_rdwr(self, *messages: i2c_msg) -> None:
        assert len(messages) <= 42
        assert all(message.len <= 8192 for message in messages)
        self.calls.append([message.len for message in messages])
        if self.fails_with:
            raise OSError(self.fails_with, os.strerror(self.fails_with))
        for message in messages:
            try:
                if message.flags & 1:
                    message.buf[0] = self.bus.read(message.addr, message.len)
                else:
                    self.bus.write(message.addr, bytes(message))
            except BusError:
                raise OSError(errno.EREMOTEIO, "Remote I/O error") from None

    def close(self) -> None:
        self.calls.append([])


@pytest.fixture
def kernel(monkeypatch: pytest.MonkeyPatch) -> type[Kernel]:
    monkeypatch.setattr(linux, "SMBus", Kernel)
    monkeypatch.setattr(Kernel, "calls", [], raising=False)
    monkeypatch.setattr(linux.time, "sleep", lambda seconds: Kernel.bus.wait_us(seconds * 1e6))
    return Kernel


def test_a_panel_is_driven_through_the_kernel(kernel: type[Kernel]) -> None:
    twin, kernel.bus = backpack_twin("20x4")
    with linux.LinuxBus(1) as bus, Panel("20x4", Backpack(bus)) as panel:
        assert bus.hz == 100_000
        panel[:] = "Good morning,\nbees"
    assert twin.rows[:2] == ["Good morning,       ", "bees                "]
    assert twin.violations == []
    assert kernel.calls[-1] == []
    with pytest.raises(lumek.ClosedError):
        bus.read(0x27, 1)


def test_long_transfers_stay_within_the_limits_of_the_kernel(kernel: type[Kernel]) -> None:
    _, kernel.bus = backpack_twin("20x4")
    linux.LinuxBus(1).write(0x27, bytes(8192 * 43 + 5))
    assert kernel.calls == [[8192] * 42, [8192, 5]]


@pytest.mark.parametrize(
    ("number", "message"),
    [
        (errno.ENOENT, "Enable I2C in the host's settings"),
        (errno.EACCES, "add yourself to its group"),
        (errno.ENODEV, "cannot be opened: No such device"),
    ],
)
def test_a_bus_that_cannot_be_opened_says_what_to_do(kernel: type[Kernel], number: int, message: str) -> None:
    with pytest.raises(BusError, match=message):
        linux.LinuxBus(number)


@pytest.mark.parametrize(
    ("failure", "message"),
    [
        (None, "nobody acknowledges at address 0x20 on I2C bus 1: check .* address pads; 'lumek scan --bus 1' lists"),
        (errno.EOPNOTSUPP, "cannot do plain I2C transfers"),
        (errno.EBUSY, "Device or resource busy"),
    ],
)
def test_a_transfer_that_fails_says_why(
    kernel: type[Kernel], monkeypatch: pytest.MonkeyPatch, failure: int | None, message: str
) -> None:
    _, kernel.bus = backpack_twin("16x2")
    monkeypatch.setattr(kernel, "fails_with", failure)
    with pytest.raises(BusError, match=message):
        Panel("16x2", Backpack(linux.LinuxBus(1), 0x20))


def test_scan_and_show_reach_the_bus(kernel: type[Kernel], capsys: pytest.CaptureFixture[str]) -> None:
    from lumek.cli import main

    twin, kernel.bus = backpack_twin("16x2", address=0x3E)
    for arguments in (["scan", "--bus", "1"], ["show", "Hive 3", "--size", "16x2", "--bus", "1", "--address", "0x3e"]):
        with pytest.raises(SystemExit) as ended:
            main(arguments)
        assert ended.value.code == 0
    assert capsys.readouterr().out.startswith("0x3e  PCF8574A, pads A2 open A1 open A0 bridged\n")
    assert twin.rows[0] == "Hive 3          "
    assert twin.violations == []
