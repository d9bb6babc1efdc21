"""The devices on an I2C bus, and the expanders that they may be.

Each address is asked by the shortest thing that leaves a device as it is: an address without a byte after it (SMBus
"quick command", write), or, where memories and the like take that for something else, the reading of one byte.
Sources: UM10204, 3.1.12 (reserved addresses); Linux documentation, "smbus-protocol" (quick command).
"""

from collections.abc import Iterator
from dataclasses import dataclass

from lumek.errors import NoAnswerError
from lumek.links.expanders import at_address
from lumek.protocols import Bus

ADDRESSES = range(0x08, 0x78)
"""All that are not reserved."""

READ = {*range(0x30, 0x38), *range(0x50, 0x60)}
"""Where memories and their write protection are: these are read from."""


@dataclass(frozen=True)
class Found:
    """An address with a device.

    owner: the driver of the kernel that has the device, which is then not asked.
    could_be: the expanders it may be.
    """

    address: int
    owner: str | None

    @property
    def could_be(self) -> list[str]:
        """The expanders that may have this address; none for what is something else."""
        return at_address(self.address)

    @property
    def pads(self) -> list[int]:
        """A2, A1 and A0 of such an expander: 1 is open, 0 bridged."""
        return [self.address >> pad & 1 for pad in (2, 1, 0)]


def scan(bus: Bus) -> Iterator[Found]:
    """All devices on a bus, by address.

    bus: a bus port. Its `quick(address)`, if it has one, calls without a byte; else a byte is read. Its
        `owner(address)`, if it has one, names the driver that has a device.
    Raises BusError when the bus fails.
    """
    owner = getattr(bus, "owner", lambda address: None)
    for address in ADDRESSES:
        name = owner(address)
        if name is None:
            try:
                if address in READ or not hasattr(bus, "quick"):
                    bus.read(address, 1)
                else:
                    bus.quick(address)
            except NoAnswerError:
                continue
        yield Found(address, name)
