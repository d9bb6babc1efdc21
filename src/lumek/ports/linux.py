"""I2C on Linux, through /dev/i2c-N.

Source: Linux documentation, i2c-dev: one I2C_RDWR call takes at most 42 messages of 8192 bytes.
"""

import errno
import time
from pathlib import Path
from types import TracebackType

from smbus2 import SMBus, i2c_msg

from lumek.errors import BusError, ClosedError, NoAnswerError

MOST_BYTES = 8192
MOST_MESSAGES = 42
STANDARD_HZ = 100_000

NO_ANSWER = {errno.EREMOTEIO, errno.ENXIO, errno.EIO, errno.ETIMEDOUT}
"""What adapters report when nobody acknowledges."""


class LinuxBus:
    """The I2C bus /dev/i2c-`number`, as a port.

    hz: the bus clock. When not given it is read from the device tree, else taken as 100 kHz; it does not set
        the clock. State it for a bus faster than 400 kHz that has no device tree.
    Raises BusError when the bus is missing or may not be used.
    """

    def __init__(self, number: int, hz: int | None = None) -> None:
        self.number = number
        self.hz = hz or _device_tree_hz(number) or STANDARD_HZ
        try:
            self._bus: SMBus | None = SMBus(number)
        except FileNotFoundError:
            there = ", ".join(sorted(path.name for path in Path("/dev").glob("i2c-*"))) or "none"
            raise BusError(
                f"there is no I2C bus {number} (/dev/i2c-{number}); there is: {there}. "
                "Enable I2C in the host's settings or load the module i2c-dev"
            ) from None
        except PermissionError:
            raise BusError(
                f"/dev/i2c-{number} may not be opened: add yourself to its group (often: sudo usermod -aG i2c $USER), "
                "then log in again"
            ) from None
        except OSError as problem:
            raise BusError(f"/dev/i2c-{number} cannot be opened: {problem.strerror or problem}") from None

    def __repr__(self) -> str:
        return f"<LinuxBus {self.number}, {self.hz} Hz{'' if self._bus else ', closed'}>"

    def write(self, address: int, data: bytes) -> None:
        """Write bytes to a device, in one transfer as far as the kernel allows. Raises BusError."""
        messages = [
            i2c_msg.write(address, data[start : start + MOST_BYTES]) for start in range(0, len(data), MOST_BYTES)
        ]
        for start in range(0, len(messages), MOST_MESSAGES):
            self._transfer(address, messages[start : start + MOST_MESSAGES])

    def read(self, address: int, count: int) -> bytes:
        """Read up to 8192 bytes from a device. Raises BusError."""
        message = i2c_msg.read(address, count)
        self._transfer(address, [message])
        return bytes(message)

    def wait_us(self, us: float) -> None:
        """Wait at least so long."""
        time.sleep(us / 1e6)

    def close(self) -> None:
        """Give the bus back."""
        if self._bus is not None:
            self._bus.close()
            self._bus = None

    def __enter__(self) -> "LinuxBus":
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def _transfer(self, address: int, messages: list[i2c_msg]) -> None:
        if self._bus is None:
            raise ClosedError(f"the I2C bus {self.number} was closed: make a new LinuxBus")
        try:
            self._bus.i2c_rdwr(*messages)
        except OSError as problem:
            if problem.errno in NO_ANSWER:
                raise NoAnswerError(
                    f"nobody acknowledges at address {address:#04x} on I2C bus {self.number}: check supply and wires "
                    f"(SDA and SCL swapped?), and the address pads; 'lumek scan --bus {self.number}' lists who answers"
                ) from None
            if problem.errno == errno.EOPNOTSUPP:
                raise BusError(f"the adapter of I2C bus {self.number} cannot do plain I2C transfers") from None
            raise BusError(f"I2C bus {self.number}: {problem.strerror or problem}") from None


def _device_tree_hz(number: int) -> int | None:
    """The clock that the device tree states for a bus: a big-endian 32-bit number."""
    try:
        return int.from_bytes(Path(f"/sys/class/i2c-adapter/i2c-{number}/of_node/clock-frequency").read_bytes(), "big")
    except OSError:
        return None
