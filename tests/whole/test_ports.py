"""The ports of real hosts, with the kernel's or the board's place taken by the simulated bus."""

import errno
import os
from types import SimpleNamespace

import pytest
from smbus2 import i2c_msg

import lumek
from lumek import Backpack, BusError, Panel
from lumek.cli import main
from lumek.ports import linux
from lumek.ports.board import BoardBus
from lumek.twin import TwinBus, backpack_twin


class Kernel:
    """Does what /dev/i2c-1 does for I2C_RDWR. Other numbers of buses fail as the error of that number."""

    bus: TwinBus
    error = errno.EREMOTEIO
    calls: list[list[int]]

    def __init__(self, number: int) -> None:
        if number != 1:
            raise OSError(number, os.strerror(number))

    def i2c_rdwr(self, *messages: i2c_msg) -> None:
        self.calls.append([message.len for message in messages])
        try:
            for message in messages:
                if message.flags & 1:
                    message.buf[0] = self.bus.read(message.addr, message.len)
                else:
                    self.bus.write(message.addr, bytes(message))
        except BusError:
            raise OSError(self.error, os.strerror(self.error)) from None

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
        panel[:] = "Good morning,\nbees"
    assert (twin.rows[0].rstrip(), twin.rows[1].rstrip(), twin.violations) == ("Good morning,", "bees", [])
    assert (bus.hz, kernel.calls[-1]) == (100_000, [])
    with pytest.raises(lumek.ClosedError):
        bus.read(0x27, 1)


def test_long_transfers_stay_within_the_limits_of_the_kernel(kernel: type[Kernel]) -> None:
    _, kernel.bus = backpack_twin("20x4")
    linux.LinuxBus(1).write(0x27, bytes(8192 * 43 + 5))
    assert kernel.calls == [[8192] * 42, [8192, 5]]


@pytest.mark.parametrize(
    ("number", "error", "message"),
    [
        (errno.ENOENT, 0, "there is no I2C bus 2 .*Enable I2C in the host's settings"),
        (errno.EACCES, 0, "add yourself to its group"),
        (errno.ENODEV, 0, "cannot be opened: No such device"),
        (1, errno.ENXIO, "nobody acknowledges at address 0x20 on I2C bus 1: .* pads; 'lumek scan --bus 1' lists"),
        (1, errno.EOPNOTSUPP, "cannot do plain I2C transfers"),
        (1, errno.EBUSY, "Device or resource busy"),
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
    kernel: type[Kernel], capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    twin, kernel.bus = backpack_twin("16x2", address=0x3E)
    for arguments in ("scan --bus 1", "show Bees --size 16x2 --bus 1 --address 0x3e"):
        with pytest.raises(SystemExit, match="0"):
            main(arguments.split())
    assert capsys.readouterr().out.startswith("0x3e  PCF8574A, pads A2 open A1 open A0 bridged\n")
    assert (twin.rows[0].rstrip(), twin.violations) == ("Bees", [])
    for error, message in ((errno.ENXIO, "no backpack answers on I2C bus 1"), (errno.EBUSY, "resource busy")):
        kernel.bus.cut()
        monkeypatch.setattr(kernel, "error", error)
        with pytest.raises(SystemExit, match="1"):
            main(["scan", "--bus", "1"])
        assert message in capsys.readouterr().err


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
    with pytest.raises(BusError, match="nobody acknowledges at address 0x20"):
        Panel("16x2", Backpack(BoardBus(i2c), 0x20))
