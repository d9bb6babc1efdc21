"""I2C on a microcontroller, under MicroPython or CircuitPython.

Source: the documentation of `machine.I2C` (MicroPython) and of `busio.I2C` (CircuitPython).
"""

import time

from lumek.errors import NoAnswerError

TYPE_CHECKING = False
if TYPE_CHECKING:
    from typing import Any


class BoardBus:
    """An I2C bus of the board, as a port.

    i2c: a `machine.I2C` or `machine.SoftI2C` of MicroPython, or a `busio.I2C` of CircuitPython.
    hz: the clock that it was made with; Lumek waits by it and does not set it.
    """

    def __init__(self, i2c: "Any", hz: int = 100_000) -> None:
        self.hz = hz
        self._i2c = i2c

    def write(self, address: int, data: bytes) -> None:
        """Write bytes to a device in one transfer. Raises NoAnswerError when nobody acknowledges."""
        self._call(address, self._i2c.writeto, data)

    def read(self, address: int, count: int) -> bytes:
        """Read bytes from a device. Raises NoAnswerError when nobody acknowledges."""
        data = bytearray(count)
        self._call(address, self._i2c.readfrom_into, data)
        return bytes(data)

    def wait_us(self, us: int) -> None:
        """Wait at least so long."""
        if hasattr(time, "sleep_us"):
            time.sleep_us(us)
        else:
            time.sleep(us / 1e6)

    def _call(self, address: int, transfer: "Any", data: "bytes | bytearray") -> None:
        locks = hasattr(self._i2c, "try_lock")  # CircuitPython shares a bus between its users
        while locks and not self._i2c.try_lock():
            pass
        try:
            transfer(address, data)
        except OSError as problem:
            raise NoAnswerError(
                f"nobody acknowledges at address {address:#04x} ({problem}): check supply, wires and address pads"
            ) from None
        finally:
            if locks:
                self._i2c.unlock()
