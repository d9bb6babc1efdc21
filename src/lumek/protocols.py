"""What you may implement yourself: hardware under a link, a link, a light, a value for a place.

Anything with these methods will do; nothing needs to inherit from these classes. They are for annotations, and
load on CPython only.

```python
class MyBus:                                  # a bus, for `Backpack(MyBus())`
    hz = 100_000

    def write(self, address: int, data: bytes) -> None: ...

    def read(self, address: int, count: int) -> bytes: ...

    def wait_us(self, us: int) -> None: ...
```
"""

from collections.abc import Iterable, Mapping, Sequence
from typing import Any, Protocol, SupportsFloat, runtime_checkable

from lumek.core.glyph import Glyph
from lumek.core.instructions import Step

__all__ = [
    "Assignable", "Bus", "Channel", "Closable", "ColourLight", "Content", "DimmableLight", "LaysOut", "Light", "Lines",
    "Link", "Serial", "SwitchedLight",
]  # fmt: skip


@runtime_checkable
class Bus(Protocol):
    """An I2C bus.

    hz: the bus clock in hertz. Links count on the time that bytes take at this clock.

    A bus may offer more. `longest` is the longest transfer that it carries, in bytes. `quick(address)` calls a
    device without sending it a byte, and `owner(address)` names the driver that has a device: `lumek scan` uses both.
    A bus that holds writes back has `flush()`, which a link calls when it is done. One that does not may have
    `now_us()`: the time in microseconds by any clock, a whole number or a fraction, which may start anew after minutes.
    Lumek then returns without waiting for the panel, and waits before the next write only as long as is still needed.
    """

    hz: int

    def write(self, address: int, data: bytes) -> None:
        """Write bytes to a device in one transfer.

        address: 7 bits, 0x08 to 0x77.
        data: one byte or more.
        Raises NoAnswerError when no device acknowledges, BusError when the bus fails.
        """

    def read(self, address: int, count: int) -> bytes:
        """Read bytes from a device.

        address: 7 bits, 0x08 to 0x77.
        count: number of bytes, 1 or more.
        Returns the bytes. Raises NoAnswerError when no device acknowledges, BusError when the bus fails.
        """

    def wait_us(self, us: int) -> None:
        """Wait for at least this many microseconds."""


@runtime_checkable
class Lines(Protocol):
    """GPIO lines. A line is whatever the port takes for one: a number, a name.

    Lines may offer more. `drive_ns` is the shortest time that a call of `drive` takes, in nanoseconds, and
    `claim(lines)` is called once with all lines of a panel. Lines that hold back what is driven have `flush()`, which
    links and lights call when they are done; those that do not may have `now_us()`, as a bus. `slow_to_sense` is true
    where reading takes longer than a panel does.
    """

    def drive(self, levels: Mapping[Any, int]) -> None:
        """Make these lines outputs at these levels.

        levels: line -> 0 or 1. All change together, or one after the other in this order.
        Raises PortError for a line that does not exist or is taken.
        """

    def sense(self, lines: Iterable[Any]) -> Mapping[Any, int]:
        """Make these lines inputs, and read them.

        lines: the lines to read.
        Returns line -> 0 or 1. Raises PortError for a line that does not exist or is taken.
        """

    def wait_us(self, us: int) -> None:
        """Wait for at least this many microseconds."""


@runtime_checkable
class Serial(Protocol):
    """Three wires to a shift register, or SPI.

    It may have `state_us`, the shortest time from one latch pulse to the next in microseconds (default: 0.5), and
    `now_us()`, as a bus.
    """

    def send(self, data: bytes) -> None:
        """Send bytes, highest bit first, with one latch pulse after each. Raises PortError."""

    def wait_us(self, us: int) -> None:
        """Wait for at least this many microseconds."""


@runtime_checkable
class Link(Protocol):
    """The wiring between a panel and a port: turns steps into states of wires.

    width: data lines, 4 or 8.
    byte_us: microseconds that a byte takes on the wires.
    controllers: controllers that it has an E line for, 1 or 2.
    has_backlight: whether it switches a backlight.
    can_read: whether RW is wired.

    A link may offer more. `turn_us` is what a change of RS takes, in microseconds; default: 0.
    """

    width: int
    byte_us: int
    controllers: int
    has_backlight: bool
    can_read: bool

    def light(self, on: bool) -> None:
        """Switch the backlight with the next `send`."""

    def send(self, steps: Iterable[Step]) -> None:
        """Send steps, and return when `send` or `read` may be called again. Raises what the port raises."""

    def read(self, rs: int, count: int, us: int, enables: int = 1) -> bytes:
        """Read from a controller. A panel calls it only when `can_read` is true.

        rs: 0 for the status, 1 for data from where the address counter is.
        count: number of bytes, 1 or more.
        us: microseconds that the controller needs after each byte.
        enables: 1 for the controller behind E, 2 for the one behind E2.
        Returns the bytes. Raises what the port raises.
        """


@runtime_checkable
class Channel(Protocol):
    """Something that can be dimmed: a PWM channel, an LED."""

    def dim(self, fraction: float) -> None:
        """Set its power, 0.0 to 1.0. Raises PortError."""


class SwitchedLight(Protocol):
    """A backlight that is on or off. `offers` is "switch"."""

    offers: str

    def switch(self, on: bool) -> None:
        """Switch it on or off. Raises PortError."""


class DimmableLight(Channel, Protocol):
    """A backlight with a brightness. `offers` is "brightness"."""

    offers: str


class ColourLight(Protocol):
    """A backlight with a colour. `offers` is "colour"."""

    offers: str

    def tint(self, red: float, green: float, blue: float) -> None:
        """Set the power of each colour, 0.0 to 1.0. Raises PortError."""


Light = SwitchedLight | DimmableLight | ColourLight
"""A backlight. Its `offers` says which of the three it is."""


Content = str | Glyph
"""What a cell shows: a character (with the marks over it) or a glyph."""


class LaysOut(Protocol):
    """Something that lays itself out in a place of a panel, as `Text` and fields do."""

    def laid_out(self, rows: int, columns: int, leftward: bool = False) -> Sequence[Sequence[Content]]:
        """Lay it out.

        rows, columns: the size of the place, 1 or more each.
        leftward: whether the panel writes from right to left.
        Returns a list of cells for each row: characters and glyphs.
        """


Assignable = str | Glyph | LaysOut | SupportsFloat | Sequence[Content] | None
"""What may be assigned to a place of a panel: text, a glyph, a number, a field, or a list of text and glyphs."""


class Closable(Protocol):
    """Something that is closed with a panel: a port that nothing else uses."""

    def close(self) -> None:
        """Give back what it holds."""
