"""SPI on Linux, through /dev/spidevB.D.

Source: Linux documentation, spidev: the chip select goes back to rest at the end of each message. Wired to the latch
clock of a shift register, it is the latch pulse; so each byte is a message of its own.
"""

from errno import ENODEV, ESHUTDOWN
from typing import Any

from lumek._harmless import quoted
from lumek.errors import PortError
from lumek.ports.device_port import DevicePort
from lumek.ports.linux.device import lock_byte, not_allowed, there
from lumek.ports.waiting import now_us, wait_us

CALL_US = 2
"""A message takes longer than its bits by at least that."""


class LinuxSpi(DevicePort[Any]):
    """The device /dev/spidev`bus`.`device`, as a serial port to a shift register.

    Wire MOSI to SER, SCLK to SRCLK and the chip select to RCLK.
    hz: the clock, up to 10_000_000.
    Raises PortError when the device is missing or may not be used, or the package spidev is not installed.
    """

    def __init__(self, bus: int = 0, device: int = 0, hz: int = 1_000_000) -> None:
        self.path = f"/dev/spidev{bus}.{device}"
        if not isinstance(hz, int) or not 1000 <= hz <= 10_000_000:
            raise PortError(f"the clock of SPI is 1000 to 10000000 Hz, not {quoted(hz)}")
        self.hz = hz
        self.state_us = 8_000_000 / hz + CALL_US
        self._bus_and_device = bus, device
        super().__init__()

    def __repr__(self) -> str:
        return f"<LinuxSpi {self.path}, {self.hz} Hz{self._closed_mark}>"

    def _open(self) -> Any:
        try:
            from spidev import SpiDev
        except ImportError:
            raise PortError("SPI needs the package spidev: pip install 'lumek[spi]'") from None
        spi = SpiDev()
        try:
            spi.open(*self._bus_and_device)
            spi.max_speed_hz = self.hz
            spi.mode = 0
        except FileNotFoundError:
            raise PortError(
                f"there is no {self.path}; there is: {there('spidev*')}. Enable SPI in the host's settings"
            ) from None
        except PermissionError:
            raise PortError(not_allowed(self.path, "spidev", "spi")) from None
        except OSError as problem:
            raise PortError(f"{self.path} cannot be opened: {problem.strerror or problem}") from None
        owner = lock_byte(spi.fileno(), 0)
        if owner is not None:
            spi.close()
            raise PortError(f"{self.path} is in use by {owner}: end that first")
        return spi

    def _shut(self, device: Any) -> None:
        device.close()

    def send(self, data: bytes) -> None:
        """Bytes out, highest bit first, and one latch pulse after each. Raises PortError."""
        write = self._opened().writebytes
        try:
            for byte in data:
                write((byte,))
        except OSError as problem:
            if problem.errno in (ENODEV, ESHUTDOWN):
                self._lose()
                raise PortError(f"{self.path} is gone: its adapter was removed or its driver unbound") from None
            raise PortError(f"{self.path}: {problem.strerror or problem}") from None

    def now_us(self) -> float:
        """The time by a clock that does not go back, in microseconds."""
        return now_us()

    def wait_us(self, us: float) -> None:
        """Wait for at least this many microseconds."""
        wait_us(us)
