"""The pins of an FTDI chip on USB: its I2C bus, or eight lines.

Sources: the documentation of pyftdi ("I2C", "GPIO"); FTDI's AN 135 and AN 232R-01 (bit-bang mode: the chip puts one
byte after the other on its pins, at a clock of its own, so that what is sent at once also has its time).
"""

from abc import abstractmethod
from collections.abc import Callable, Hashable, Iterable, Mapping
from math import ceil
from threading import RLock
from typing import Any, TypeVar

from lumek._harmless import quoted
from lumek.errors import NoAnswerError, PackageError, PortError
from lumek.ports.device_port import DevicePort
from lumek.ports.waiting import wait_us

STATES_HZ = 250_000
"""States of the pins in a second: E is high for 4 us."""

MOST_HELD = 4096
Result = TypeVar("Result")


class FtdiChip(DevicePort[Any]):
    """What the ports of a chip have in common. url: which chip."""

    def __init__(self, url: str) -> None:
        self.url = url
        self._lock = RLock()
        super().__init__()

    def __repr__(self) -> str:
        return f"<{type(self).__name__} {self.url}{self._closed_mark}>"

    @abstractmethod
    def _controller(self) -> Any:
        """What pyftdi has for it, opened."""

    def _open(self) -> Any:
        try:
            return self._controller()
        except ImportError:
            raise PackageError("an FTDI chip needs the package pyftdi: pip install 'lumek[ftdi]'") from None
        except Exception as problem:  # pyftdi and what it needs have errors of many kinds
            raise PortError(
                f"there is no FTDI chip at {quoted(self.url)}, or it may not be used ({quoted(str(problem), 80)}): "
                "'ftdi_urls.py' lists them; on Linux a udev rule gives access (docs/computers.md)"
            ) from None

    def _shut(self, device: Any) -> None:
        device.close()

    def _call(self, act: Callable[[Any], Result]) -> Result:
        """What an act with the chip returns. A chip that fails is lost."""
        device = self._opened()
        try:
            return act(device)
        except PortError:
            raise
        except OSError as problem:
            self._lose()
            raise PortError(
                f"the FTDI chip at {self.url} is gone ({quoted(str(problem), 80)}): check its cable"
            ) from None


class FtdiBus(FtdiChip):
    """The I2C bus of an FTDI chip that has one (FT232H, FT2232H, FT4232H): SCL at D0, SDA at D1 and D2.

    url: which chip, as pyftdi takes it: "ftdi://ftdi:232h/1"; 'ftdi:///?' lists them on the terminal.
    hz: the clock of the bus, in hertz, up to 400_000.
    Raises PortError when the chip is missing or may not be used, PackageError without pyftdi.
    """

    def __init__(self, url: str = "ftdi:///1", hz: int = 100_000) -> None:
        self.hz = hz
        super().__init__(url)

    def _controller(self) -> Any:
        from pyftdi.i2c import I2cController

        controller = I2cController()
        controller.configure(self.url, frequency=self.hz)
        return controller

    def write(self, address: int, data: bytes) -> None:
        """Write bytes to a device in one transfer. Raises NoAnswerError when no device acknowledges, PortError."""
        self._transfer(address, lambda port: port.write(data))

    def read(self, address: int, count: int) -> bytes:
        """Read bytes from a device. Raises NoAnswerError when no device acknowledges, PortError."""
        return bytes(self._transfer(address, lambda port: port.read(count)))

    def wait_us(self, us: float) -> None:
        """Wait for at least this many microseconds."""
        wait_us(us)

    def _transfer(self, address: int, act: Callable[[Any], Result]) -> Result:
        from pyftdi.i2c import I2cNackError

        def answered(device: Any) -> Result:
            try:
                return act(device.get_port(address))
            except I2cNackError:
                raise NoAnswerError(
                    f"no device acknowledges at address {address:#04x} on the I2C bus of {self.url}: check supply and "
                    "wires (SDA and SCL swapped? are D1 and D2 joined?), and the address pads"
                ) from None

        with self._lock:
            return self._call(answered)


class FtdiLines(FtdiChip):
    """Eight pins of an FTDI chip, D0 to D7, as a port of lines: 0 to 7.

    url: which chip, as for `FtdiBus`.

    What is driven is held back until `flush`, which links call when they are done; the chip then puts it out by its own
    clock, waits included.
    Raises PortError when the chip is missing or may not be used, or for another line, PackageError without pyftdi.
    """

    drive_ns = 1_000_000_000 // STATES_HZ

    slow_to_sense = True

    def __init__(self, url: str = "ftdi:///1") -> None:
        self._state = self._outputs = 0
        self._held = bytearray()
        super().__init__(url)

    def _controller(self) -> Any:
        from pyftdi.gpio import GpioAsyncController

        controller = GpioAsyncController()
        controller.configure(self.url, direction=0, frequency=STATES_HZ)
        self._outputs = 0
        return controller

    def claim(self, lines: Iterable[Hashable]) -> None:
        """See that the chip has these lines."""
        for line in lines:
            _bit(line)

    def drive(self, levels: Mapping[Hashable, int]) -> None:
        """Make these lines outputs at these levels, together, with the next `flush`. Raises PortError."""
        with self._lock:
            self._opened()
            outputs = self._outputs
            for line, level in levels.items():
                bit = _bit(line)
                outputs |= bit
                self._state = self._state | bit if level else self._state & ~bit
            if outputs != self._outputs:
                self._turn(outputs)
            self._held.append(self._state)
            if len(self._held) >= MOST_HELD:
                self.flush()

    def sense(self, lines: Iterable[Hashable]) -> dict[Hashable, int]:
        """Make these lines inputs, and read them. Raises PortError."""
        with self._lock:
            bits = {line: _bit(line) for line in lines}
            self._turn(self._outputs & ~sum(bits.values()))
            levels = self._call(lambda device: device.read())
            return {line: int(bool(levels & bit)) for line, bit in bits.items()}

    def wait_us(self, us: float) -> None:
        """Let at least this many microseconds pass between what was driven and what will be."""
        with self._lock:
            if us <= MOST_HELD * self.drive_ns // 1000:
                self._held += bytes((self._state,)) * ceil(us * 1000 / self.drive_ns)
            else:
                self.flush()
                wait_us(us)

    def flush(self) -> None:
        """Send what was held back, and return when it is on the pins. Raises PortError."""
        with self._lock:
            held = bytes(self._held)
            self._held.clear()
            if held:
                self._call(lambda device: device.write(held))
                wait_us(len(held) * self.drive_ns / 1000)

    def _turn(self, outputs: int) -> None:
        """Make these pins outputs, and the others inputs, when what was held back is out."""
        self.flush()
        if outputs != self._outputs:
            if outputs & ~self._outputs:  # their levels first
                self._call(lambda device: device.write(bytes((self._state,))))
            self._call(lambda device: device.set_direction(0xFF, outputs))
            self._outputs = outputs


def _bit(line: Hashable) -> int:
    number = int(line[1:]) if isinstance(line, str) and line[:1] in "Dd" and line[1:].isdecimal() else line
    if not isinstance(number, int) or not 0 <= number <= 7:
        raise PortError(f"an FTDI chip has the lines 0 to 7 ('D0' to 'D7'), not {quoted(line)}")
    return 1 << number
