"""What is behind the guest's virtio-i2c and virtio-gpio: simulated panels and chips, in real time.

Source: virtio 1.3, 5.17 (I2C adapter) and 5.18 (GPIO).
"""

import struct
import time
from collections.abc import Mapping
from dataclasses import dataclass

from lumek.twin import TwinClock
from lumek.twin.bus import Device
from lumek.twin.expander import Wired, check_contention

FAIL_NEXT, IS_READ = 1, 2
GET_NAMES, GET_DIRECTION, SET_DIRECTION, GET_VALUE, SET_VALUE = 1, 2, 3, 4, 5
OUTPUT = 1


class HostClock(TwinClock):
    """The time of a simulated panel, which is that of this computer; what a bus would add to it is not taken."""

    def __init__(self) -> None:
        self._start = time.monotonic_ns()

    @property
    def now_ns(self) -> int:
        """Nanoseconds since it began."""
        return time.monotonic_ns() - self._start

    @now_ns.setter
    def now_ns(self, value: int) -> None:
        pass


@dataclass(frozen=True)
class Transfer:
    """One message on the bus: when it ended, "write" or "read", or "refused" when nobody acknowledged."""

    time_ns: int
    address: int
    kind: str
    data: bytes


class I2cAdapter:
    """The adapter of /dev/i2c-0. A transfer takes as long as it does at `hz`, and each byte in it has its own moment.

    devices: address -> what is there.
    transfers: all that there were.
    dead: whether nothing comes through any more, as when a plug was pulled.
    refuse_after: this many more messages go through, and then one is refused; None for no such thing.
    """

    features = 1  # requests without a byte
    config = b""

    def __init__(self, clock: TwinClock, hz: int = 100_000) -> None:
        self.clock, self.hz = clock, hz
        self.devices: dict[int, Device] = {}
        self.transfers: list[Transfer] = []
        self.dead = False
        self.refuse_after: int | None = None
        self._free_ns = 0
        self._failed = False

    def handle(self, queue: int, request: list[bytes], room: int) -> bytes:
        """Carry one message."""
        address, _, flags = struct.unpack("<HHI", request[0])
        address >>= 1
        bit_ns = 1_000_000_000 // self.hz
        now = max(self.clock.now_ns, self._free_ns) + 10 * bit_ns
        device = None if self._failed or self._refused() else self.devices.get(address)
        self._failed = device is None and bool(flags & FAIL_NEXT)
        if device is None:
            self.transfers.append(Transfer(now, address, "refused", b"".join(request[1:])))
            return bytes(room - 1) + b"\1"
        device.start()
        data = bytearray()
        for byte in bytes(room - 1) if flags & IS_READ else b"".join(request[1:]):
            now += 9 * bit_ns
            if flags & IS_READ:
                byte = device.read(now)
            else:
                device.write(byte, now)
            data.append(byte)
        self.transfers.append(Transfer(now, address, "read" if flags & IS_READ else "write", bytes(data)))
        self._free_ns = now + bit_ns
        while self.clock.now_ns < self._free_ns:
            pass
        return (bytes(data) if flags & IS_READ else b"") + b"\0"

    def _refused(self) -> bool:
        if self.refuse_after is not None:
            self.refuse_after -= 1
            if self.refuse_after < 0:
                self.refuse_after = None
                return True
        return self.dead


class GpioChip:
    """The chip of /dev/gpiochip0. `names` are those of its lines, in their order."""

    features = 0

    def __init__(self, clock: TwinClock, names: list[str]) -> None:
        self.clock = clock
        self._names = b"".join(name.encode() + b"\0" for name in names)
        self.config = struct.pack("<HxxI", len(names), len(self._names))
        self._directions = [0] * len(names)
        self._values = [0] * len(names)
        self._wired: list[tuple[Wired, dict[str, int]]] = []

    def connect(self, device: Wired, lines: Mapping[str, int]) -> None:
        """Let lines lead to a device: its pin -> line."""
        self._wired.append((device, dict(lines)))
        device.set_pins({pin: self.level(line) for pin, line in lines.items()}, self.clock.now_ns)

    def level(self, line: int) -> int | None:
        """What the guest drives, or None."""
        return self._values[line] if self._directions[line] == OUTPUT else None

    def handle(self, queue: int, request: list[bytes], room: int) -> bytes | None:
        """Answer a request; the second queue, of interrupts, has nothing to say."""
        if queue:
            return None
        kind, line, value = struct.unpack("<HHI", request[0])
        if kind == GET_NAMES:
            return b"\0" + self._names
        if line >= len(self._values):
            return b"\1\0"
        if kind == GET_DIRECTION:
            return bytes((0, self._directions[line]))
        if kind == GET_VALUE:
            level = self.level(line)
            return bytes((0, self._seen(line) if level is None else level))
        if kind not in (SET_DIRECTION, SET_VALUE):
            return b"\1\0"
        before = self.level(line)
        (self._directions if kind == SET_DIRECTION else self._values)[line] = value
        if self.level(line) != before:
            self._change(line)
        return b"\0\0"

    def _change(self, line: int) -> None:
        now = self.clock.now_ns
        for device, lines in self._wired:
            own: dict[str, int | None] = {pin: self.level(line) for pin, place in lines.items() if place == line}
            if own:
                device.set_pins(own, now)
                check_contention(device, {pin: self.level(place) for pin, place in lines.items()}, now)

    def _seen(self, line: int) -> int:
        """What a line that is an input reads: what is driven onto it, or the pull-up of a panel's pin."""
        for device, lines in self._wired:
            for pin, place in lines.items():
                if place == line:
                    return (device.output(self.clock.now_ns) or {}).get(pin, device.at_rest(pin))
        return 0
