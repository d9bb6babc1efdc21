"""I2C on Linux, through /dev/i2c-N.

Source: Linux documentation, i2c-dev (one I2C_RDWR call takes at most 42 messages of 8192 bytes, and answers how many of
them went through, which may be fewer) and smbus-protocol (an "I2C block write" is a command byte and up to 32 more).
"""

import errno
from fcntl import ioctl
from pathlib import Path
from typing import Any

from smbus2 import I2cFunc, SMBus, i2c_msg
from smbus2.smbus2 import I2C_RDWR, i2c_rdwr_ioctl_data

from lumek.errors import BusError, NoAnswerError
from lumek.ports.device_port import DevicePort
from lumek.ports.linux.device import lock_byte, not_allowed, there
from lumek.ports.waiting import now_us, wait_us

MOST_BYTES = 8192
MOST_MESSAGES = 42

QUICKEST_HZ = 1_000_000
"""The clock of a bus that is not stated: the quickest that usual adapters run (UM10204, Fast-mode Plus).

A slower guess would be dangerous: a link counts on the time that bytes take.
"""

NO_ANSWER = {errno.EREMOTEIO, errno.ENXIO, errno.EIO, errno.ETIMEDOUT, errno.ENODEV}
"""What adapters report when no device acknowledges (Linux documentation, "I2C/SMBus fault codes")."""

# What an adapter that only speaks SMBus can do, and the bytes that one transfer then carries; the best first.
SMBUS = (
    (I2cFunc.SMBUS_WRITE_I2C_BLOCK, 33),
    (I2cFunc.SMBUS_WRITE_BYTE_DATA, 2),
    (I2cFunc.SMBUS_WRITE_BYTE, 1),
)  # fmt: skip


class LinuxBus(DevicePort[SMBus]):
    """The I2C bus /dev/i2c-`number`, as a port.

    An address that is written to belongs to this process from then on: that of a panel of another program is refused,
    since what two programs send would mix. A bus that goes away is looked for again by each call.

    hz: the bus clock, in hertz; stating it does not set it. Default: what the device tree states, else 1 MHz, which is
        safe on a slower bus but makes the panel slower than it need be. `hz_known` says whether the clock was stated,
        by you or by the device tree. `longest` is the most bytes that one transfer carries, or None: 33 where the
        adapter only speaks SMBus.
    Raises BusError when the bus is missing or may not be used.
    """

    devices = Path("/sys/bus/i2c/devices")
    """Where the kernel lists buses, and who has which device."""

    adapters = Path("/sys/class/i2c-adapter")
    """Where kernels before 6.12 list buses as well."""

    def __init__(self, number: int, hz: int | None = None) -> None:
        self.number = number
        self.longest: int | None = None
        self._ours: set[int] = set()
        super().__init__()
        stated = hz or self._device_tree_hz()
        self.hz_known = stated is not None
        self.hz = stated or QUICKEST_HZ

    def __repr__(self) -> str:
        return f"<LinuxBus {self.number}, {self.hz} Hz{self._closed_mark}>"

    def _open(self) -> SMBus:
        number = self.number
        try:
            bus = SMBus(number)
        except FileNotFoundError:
            raise BusError(
                f"there is no I2C bus {number} (/dev/i2c-{number}); there is: {there('i2c-*')}. "
                "Enable I2C in the host's settings, load the module i2c-dev, or plug the adapter in"
            ) from None
        except PermissionError:
            raise BusError(not_allowed(f"/dev/i2c-{number}", "i2c-dev", "i2c")) from None
        except OSError as problem:
            raise BusError(f"/dev/i2c-{number} cannot be opened: {problem.strerror or problem}") from None
        if not bus.funcs & I2cFunc.I2C:
            self.longest = next((count for function, count in SMBUS if bus.funcs & function), None)
            if self.longest is None or not bus.funcs & I2cFunc.SMBUS_READ_BYTE:
                bus.close()
                raise BusError(f"the adapter of I2C bus {number} can neither do I2C transfers nor write SMBus bytes")
        self._listed = self._is_listed()
        return bus

    def _is_listed(self) -> bool:
        """Whether the kernel lists the bus, which it may not do for a container."""
        return (self.devices / f"i2c-{self.number}").exists()

    def _shut(self, device: SMBus) -> None:
        self._ours.clear()
        device.close()

    def write(self, address: int, data: bytes) -> None:
        """Write bytes to a device, in one transfer as far as the kernel allows.

        Raises BusError; also for more than `longest` bytes.
        """
        if address not in self._ours:
            self._claim(address)
        if self.longest is None:
            pieces = [data[start : start + MOST_BYTES] for start in range(0, len(data), MOST_BYTES)]
            messages = [i2c_msg.write(address, piece) for piece in pieces]
            for start in range(0, len(messages), MOST_MESSAGES):
                self._transfer(address, messages[start : start + MOST_MESSAGES])
        elif len(data) > self.longest:
            raise BusError(
                f"the adapter of I2C bus {self.number} carries {self.longest} bytes at once, not {len(data)}"
            )
        elif len(data) == 1:
            self._call(address, "write_byte", address, data[0])
        elif len(data) == 2:
            self._call(address, "write_byte_data", address, data[0], data[1])
        elif data:
            self._call(address, "write_i2c_block_data", address, data[0], list(data[1:]))

    def read(self, address: int, count: int) -> bytes:
        """Read up to 8192 bytes from a device. Raises BusError."""
        if self.longest is not None:
            return bytes(self._call(address, "read_byte", address) for _ in range(count))
        message = i2c_msg.read(address, count)
        self._transfer(address, [message])
        return bytes(message)

    def quick(self, address: int) -> None:
        """Call a device and send it nothing, or read a byte where the adapter cannot. Raises BusError."""
        if self._opened().funcs & I2cFunc.SMBUS_QUICK:
            self._call(address, "write_quick", address)
        else:
            self.read(address, 1)

    def owner(self, address: int) -> str | None:
        """The driver of the kernel that has the device at an address, if one has."""
        driver = self.devices / f"{self.number}-{address:04x}" / "driver"
        return driver.resolve().name if driver.exists() else None

    def now_us(self) -> float:
        """The time by a clock that does not go back, in microseconds."""
        return now_us()

    def wait_us(self, us: float) -> None:
        """Wait for at least this many microseconds."""
        wait_us(us)

    def _claim(self, address: int) -> None:
        """Keep an address to this process, by a lock on that byte of the device file.

        Another LinuxBus of this process takes part in that, and gives it up for both when it is closed: fcntl(2).
        """
        owner = lock_byte(self._opened().fd or 0, address)
        if owner is not None:
            raise BusError(
                f"address {address:#04x} on I2C bus {self.number} is in use by {owner}: end that first; what two "
                "programs send to one panel would mix"
            )
        self._ours.add(address)

    def _transfer(self, address: int, messages: list[i2c_msg]) -> None:
        """Carry messages, all or none as far as the caller knows: a part of them counts as no answer."""
        bus = self._opened()
        pack: Any = i2c_rdwr_ioctl_data.create  # the package's hints want a sequence, and its code takes messages
        try:
            done = ioctl(bus.fd or 0, I2C_RDWR, pack(*messages))
        except OSError as problem:
            raise self._failure(address, problem) from None
        if done < len(messages):
            after = f" after {done} of {len(messages)} messages" if done else ""
            raise self._failure(address, OSError(errno.EREMOTEIO, ""), after)

    def _call(self, address: int, name: str, *arguments: object) -> int:
        bus = self._opened()
        try:
            return int(getattr(bus, name)(*arguments) or 0)
        except OSError as problem:
            raise self._failure(address, problem) from None

    def _failure(self, address: int, problem: OSError, after: str = "") -> BusError:
        """What an error of the kernel means. after: what went through before it."""
        if (self._listed or problem.errno == errno.ENODEV) and not self._is_listed():
            self._lose()
            return BusError(f"I2C bus {self.number} is gone: its adapter was removed or its driver unbound")
        if problem.errno in NO_ANSWER:
            return NoAnswerError(self._nobody(address, after))
        if problem.errno == errno.EBUSY:
            owner = self.owner(address)
            whose = f"the kernel's driver {owner}" if owner else "a driver of the kernel or another program"
            return BusError(
                f"address {address:#04x} on I2C bus {self.number} is in use by {whose}: unbind that, or give the panel "
                "another address by its pads"
            )
        return BusError(f"I2C bus {self.number}: {problem.strerror or problem}")

    def _nobody(self, address: int, after: str) -> str:
        return (
            f"no device acknowledges at address {address:#04x} on I2C bus {self.number}{after}: check supply and wires "
            f"(SDA and SCL swapped?), and the address pads; 'lumek scan --bus {self.number}' lists who answers"
        )

    def _device_tree_hz(self) -> int | None:
        """The clock that the device tree states for the bus, a big-endian 32-bit number; None where it states none."""
        for folder in (self.devices, self.adapters):
            try:
                stated = (folder / f"i2c-{self.number}" / "of_node" / "clock-frequency").read_bytes()
            except OSError:
                continue
            return int.from_bytes(stated, "big") or None
        return None
