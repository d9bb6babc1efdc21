"""What pyftdi's own classes meet: an FTDI chip whose eight pins, or whose bus, lead to simulated panels."""

from collections.abc import Callable
from typing import TypeVar

import pyftdi.ftdi
import pyftdi.i2c
import pyftdi.usbtools

from lumek.errors import LumekError
from lumek.twin import TwinBus, TwinLines

Result = TypeVar("Result")


class FtdiPins:
    """What pyftdi's own class for a chip does, for eight pins in bit-bang mode: they lead to lines of a panel."""

    BitMode = pyftdi.ftdi.Ftdi.BitMode
    lines: TwinLines
    hz = 0
    away = False

    def __init__(self) -> None:
        self.outputs, self.level, self.is_connected = 0, 0, False

    def open_bitbang_from_url(self, url: str, direction: int, sync: bool, baudrate: int) -> int:
        """Open it; the clock of its states."""
        if self.away:
            raise pyftdi.usbtools.UsbToolsError("No USB device matches URL")
        self.set_bitmode(direction, self.BitMode.BITBANG)
        type(self).hz, self.is_connected = baudrate, True
        return baudrate

    def set_bitmode(self, outputs: int, mode: object) -> None:
        """Make these pins outputs, and the others inputs."""
        self.outputs = outputs
        self._drive()
        self.lines.sense([pin for pin in range(8) if not outputs >> pin & 1])

    def write_data(self, data: bytes) -> None:
        """Put out one state after the other."""
        if self.away:
            raise pyftdi.ftdi.FtdiError("UsbError: [Errno 19] No such device (it may have been disconnected)")
        for self.level in data:
            self._drive()
            self.lines.wait_us(1e6 / self.hz)

    def read_pins(self) -> int:
        """The levels of all pins."""
        inputs = [pin for pin in range(8) if not self.outputs >> pin & 1]
        levels = self.lines.sense(inputs)
        return sum(levels[pin] << pin for pin in inputs) | self.level & self.outputs

    def close(self, freeze: bool = False) -> None:
        """Let it go."""
        self.is_connected = False

    def _drive(self) -> None:
        self.lines.drive({pin: self.level >> pin & 1 for pin in range(8) if self.outputs >> pin & 1})


class FtdiController:
    """What pyftdi's controller of a bus does, with a simulated bus at its pins."""

    bus: TwinBus

    def configure(self, url: str, frequency: float) -> None:
        """Open it at a clock."""
        self.bus.hz = int(frequency)

    def get_port(self, address: int) -> "FtdiController":
        """A device of its bus."""
        self.address = address
        return self

    def write(self, data: bytes) -> None:
        """Write to it."""
        self._transfer(lambda: self.bus.write(self.address, data))

    def read(self, count: int) -> bytes:
        """Read from it."""
        return self._transfer(lambda: self.bus.read(self.address, count))

    def _transfer(self, act: Callable[[], Result]) -> Result:
        try:
            return act()
        except LumekError:
            raise pyftdi.i2c.I2cNackError("NACK from slave") from None

    def close(self) -> None:
        """Let it go."""
