"""The ports of a capture: each does what the port within it does, and draws it.

The bits of a byte are drawn so that the device that takes it does so at the end of the byte: at the falling edge of the
acknowledge's clock (I2C), at the rising edge of the latch (shift register).
Sources: UM10204, "START and STOP conditions", "Acknowledge"; 74HC595 data sheet.
"""

from collections.abc import Callable, Hashable, Iterable, Mapping
from typing import Any

from lumek._harmless import quoted
from lumek.captures.recorder import HOST, SIMULATED, Capture
from lumek.errors import HookupError, NoAnswerError

FLUSH_US = 1000
"""From this wait on, what was recorded goes to the file at once."""

SEEN_BEFORE_NS = 100
"""How long before the end of a call what it sensed is drawn: E may fall at its very end."""


class Recorded:
    """What the wrapped ports have in common: all that they do not record goes to the port itself.

    capture: where it goes. port: the port. name: of its wires' group.
    """

    def __init__(self, capture: Capture, port: Any, name: str) -> None:
        self._capture, self._recorded, self._group = capture, port, name
        clock = getattr(port, "clock", None)
        self._clock = clock if hasattr(clock, "now_ns") else None
        self._offset_ns = 0
        hz = getattr(port, "hz", None)
        known = hz is not None and getattr(port, "hz_known", True)
        capture.clocked(HOST if self._clock is None else SIMULATED,
                          f"{name} at {hz} Hz{'' if known else ' (assumed)'}" if hz else "")  # fmt: skip

    def __getattr__(self, name: str) -> Any:
        return getattr(self._recorded, name)

    def __repr__(self) -> str:
        return repr(self._recorded)

    def wait_us(self, us: int) -> None:
        """Wait for at least this many microseconds."""
        if us >= FLUSH_US:
            self._capture.flush()
        self._recorded.wait_us(us)

    def flush(self) -> None:
        """Let a port that holds things back send them."""
        if hasattr(self._recorded, "flush"):
            self._recorded.flush()
        self._capture.flush()

    def _now_ns(self) -> int:
        if self._clock is None:
            return self._capture.not_before(self._capture.host_ns())
        now: int = self._clock.now_ns + self._offset_ns
        begins = self._capture.not_before(now)
        self._offset_ns += begins - now  # another simulated panel, with a clock of its own, is ahead
        return begins


class RecordedBus(Recorded):
    """An I2C bus."""

    def __init__(self, capture: Capture, port: Any, name: str, lines: Mapping[Hashable, str]) -> None:
        super().__init__(capture, port, name)
        self._scl, self._sda = capture.wire(name, "scl", "1"), capture.wire(name, "sda", "1")
        self._hz = int(port.hz)

    def write(self, address: int, data: bytes) -> None:
        """Write bytes to a device in one transfer."""
        self._carry(address << 1, data, lambda: self._recorded.write(address, data))

    def read(self, address: int, count: int) -> bytes:
        """Read bytes from a device."""
        data: bytes = self._carry(address << 1 | 1, None, lambda: self._recorded.read(address, count))
        return data

    def quick(self, address: int) -> None:
        """Call a device and send it nothing."""
        self._carry(address << 1, b"", lambda: self._recorded.quick(address))

    def _carry(self, head: int, data: bytes | None, act: Callable[[], Any]) -> Any:
        """Let a transfer happen, and draw it.

        data: what is written; None for what is read.
        """
        begins, sent = self._now_ns(), getattr(self._recorded, "sent", None)
        try:
            result = act()
        except Exception as problem:
            carried = self._recorded.sent - sent if sent is not None else 1
            went = (bytes((head,)) + (data or b""))[: max(1, carried)]
            # The last byte that went is the one that was not acknowledged.
            self._draw(begins, went, [True] * (len(went) - 1) + [not isinstance(problem, NoAnswerError)])
            raise
        body = result if data is None else data
        acknowledged = [True] * (len(body) + 1)
        if data is None:
            acknowledged[-1] = False  # whoever reads does not acknowledge the last byte
        self._draw(begins, bytes((head,)) + bytes(body), acknowledged)
        return result

    def _draw(self, begins: int, data: bytes, acknowledged: list[bool]) -> None:
        with self._capture.lock:  # a panel on another port may have drawn meanwhile
            self._draw_from(self._capture.not_before(begins), data, acknowledged)

    def _draw_from(self, begins: int, data: bytes, acknowledged: list[bool]) -> None:
        change, scl, sda = self._capture.change, self._scl, self._sda
        clock = 1_000_000_000 // self._hz
        half, quarter = clock // 2, clock // 4
        change(sda, begins + half, "0")  # start: SDA falls while SCL is high
        at = begins + clock
        change(scl, at, "0")
        ticks = [tick * 1_000_000_000 // self._hz for tick in range(10)]
        for byte, taken in zip(data, acknowledged, strict=True):
            bits = byte << 1 | (not taken)
            for place in range(9):
                begin = at + ticks[place]
                change(sda, begin + quarter, "1" if bits >> (8 - place) & 1 else "0")
                change(scl, begin + half, "1")
                change(scl, at + ticks[place + 1], "0")
            at += ticks[9]
        change(sda, at + quarter, "0")
        change(scl, at + half, "1")
        change(sda, at + clock, "1")  # stop: SDA rises while SCL is high


class RecordedLines(Recorded):
    """GPIO lines."""

    def __init__(self, capture: Capture, port: Any, name: str, lines: Mapping[Hashable, str]) -> None:
        super().__init__(capture, port, name)
        self._names = dict(lines)
        self._numbers: dict[Hashable, int] = {}
        self._sensed: list[Any] = []
        for line in lines:
            self._number(line)

    def claim(self, lines: Iterable[Hashable]) -> None:
        """Take all lines of a panel."""
        lines = list(lines)
        for line in lines:
            self._number(line)
        if hasattr(self._recorded, "claim"):
            self._recorded.claim(lines)

    def drive(self, levels: Mapping[Any, int]) -> None:
        """Make these lines outputs at these levels."""
        begins = self._now_ns()
        self._recorded.drive(levels)
        with self._capture.lock:
            for line, level in levels.items():
                self._capture.change(self._number(line), begins, "1" if level else "0")
            if self._sensed:
                self._release(self._now_ns(), levels)

    def sense(self, lines: Iterable[Any]) -> Mapping[Any, int]:
        """Make these lines inputs, and read them."""
        lines = list(lines)
        begins = self._now_ns()
        found: Mapping[Any, int] = self._recorded.sense(lines)
        with self._capture.lock:
            self._release(begins, ())
            for line in lines:
                self._capture.change(self._number(line), begins, "z")
            self._sensed = lines
            seen = self._capture.not_before(self._now_ns() - SEEN_BEFORE_NS)
            for line in lines:
                self._capture.change(self._number(line), seen, "1" if found[line] else "0")
        return found

    def _release(self, begins: int, driven: Iterable[Any]) -> None:
        """What was sensed is known for that sample only."""
        for line in self._sensed:
            if line not in driven:
                self._capture.change(self._number(line), begins, "z")
        self._sensed = []

    def _number(self, line: Hashable) -> int:
        if line not in self._numbers:
            name = self._names.get(line) or f"line{line}" if isinstance(line, int) else self._names.get(line, str(line))
            tidy = "".join(one if one.isascii() and (one.isalnum() or one in "_-") else "_" for one in name)
            self._numbers[line] = self._capture.wire(self._group, tidy, "z")
        return self._numbers[line]


class RecordedSerial(Recorded):
    """A serial port that leads to a shift register: SPI with its chip select as the latch."""

    def __init__(self, capture: Capture, port: Any, name: str, lines: Mapping[Hashable, str]) -> None:
        super().__init__(capture, port, name)
        self._data, self._clock_wire, self._latch = (
            capture.wire(name, wire, "0") for wire in ("data", "clock", "latch")
        )
        hz = getattr(port, "hz", None)
        self._byte_ns = 8_000_000_000 // int(hz) if hz else int(getattr(port, "state_us", 0.5) * 1000)
        self._falls: int | None = None

    def send(self, data: bytes) -> None:
        """Bytes out, and a latch pulse after each."""
        begins = self._now_ns()
        self._recorded.send(data)
        with self._capture.lock:
            self._draw(self._capture.not_before(begins), data)

    def _draw(self, begins: int, data: bytes) -> None:
        change, clock = self._capture.change, self._byte_ns // 8
        for byte in data:
            if self._falls is not None:
                change(self._latch, begins + clock // 8, "0")
            for place in range(8):
                at = begins + self._byte_ns * place // 8
                change(self._data, at + clock // 4, "1" if byte >> (7 - place) & 1 else "0")
                change(self._clock_wire, at + clock // 2, "1")
                change(self._clock_wire, begins + self._byte_ns * (place + 1) // 8, "0")
            begins += self._byte_ns
            change(self._latch, begins, "1")
            self._falls = begins


WRAPPERS: dict[str, tuple[Callable[..., Any], tuple[str, ...]]] = {
    "i2c": (RecordedBus, ("write", "read", "hz")),
    "gpio": (RecordedLines, ("drive", "sense")),
    "register": (RecordedSerial, ("send", "wait_us")),
}
"""Kind of a port: what records it, and the methods by which it is known."""


def kind_of(port: Any) -> str:
    """Which of WRAPPERS records a port. Raises HookupError for anything else than a port."""
    for kind, (_, methods) in WRAPPERS.items():
        if all(hasattr(port, one) for one in methods):
            return kind
    raise HookupError(f"what is recorded is a bus, lines, or a serial port, not {quoted(port)}")
