"""Recording what a port sends: the wires as they were driven, as a VCD file.

A wrapped port does what the port does, and draws it. Where the time is simulated it is that of the simulation, to the
nanosecond. On a real port the host's clock says when a call begins; the bits of a transfer follow at the bus's clock,
since no program sees them. The file says which of the two it is.

The bits of a byte are drawn so that the device that takes it does so at the end of the byte: at the falling edge of the
acknowledge's clock (I2C), at the rising edge of the latch (shift register).
Sources: IEEE 1364, "Value change dump files"; UM10204, "START and STOP conditions", "Acknowledge"; 74HC595 data sheet.
"""

import time
from collections.abc import Callable, Hashable, Iterable, Mapping
from os import PathLike
from pathlib import Path
from types import TracebackType
from typing import Any, Self

from vcd.writer import Variable, VCDWriter

from lumek._harmless import quoted
from lumek._notice import notice
from lumek.errors import HookupError, NoAnswerError, SettingError

SIMULATED, HOST = "simulated", "host"
TIMES = {
    SIMULATED: "simulated: exact",
    HOST: "host: transfers begin by the host's clock, their bits follow at the stated clock",
}
"""What the file says of its time."""

MARK = "Lumek capture; time is "
"""How its comment begins."""

FLUSH_US = 1000
"""From this wait on, what was recorded goes to the file at once."""

BUFFER = 1 << 16

SEEN_BEFORE_NS = 100
"""How long before the end of a call what it sensed is drawn: E may fall at its very end."""

BUS_TICK_NS, TICK_NS = 100, 10
"""The time scale of a file that has buses alone, and of any other. A bus needs no finer one, and programs that take
samples at each tick open the file faster."""


class Capture:
    """A VCD file of what ports send. Closing it closes the file; the ports stay open.

    path: the file, which an old one makes room for.
    Raises OSError when it cannot be written at the start. What goes wrong later ends it with a notice, and
    the panel goes on.
    """

    def __init__(self, path: str | PathLike[str]) -> None:
        self.path = Path(path)
        self._file = self.path.open("w", encoding="ascii", newline="\n", buffering=BUFFER)
        self._writer: VCDWriter | None = None
        self._wires: list[tuple[str, str, str]] = []
        self._variables: list[Variable[Any]] = []
        self._levels: list[str] = []
        self._last_ns, self._tick_ns = 0, BUS_TICK_NS
        self._began_ns = time.perf_counter_ns()
        self._ports: dict[int, tuple[Any, Any]] = {}
        self._kinds: set[str] = set()
        self._kinds_of_port: set[str] = set()
        self._clocks: list[str] = []
        self._ended = False

    def __repr__(self) -> str:
        return f"<Capture {self.path}{', closed' if self._ended else ''}>"

    def around(self, port: Any, name: str = "", lines: Mapping[Hashable, str] | None = None) -> Any:
        """The port, with all that goes through it recorded.

        port: a bus, lines, or a serial port to a shift register; see `lumek.protocols`. Wrapped twice it is the same.
        name: of the group of its wires in the file; default: "i2c", "gpio" or "register", with a number from the
            second on. A port with the name of another goes on with its wires.
        lines: of GPIO lines, line -> name of its wire ("rs", "e", ...); lines that are not in it are named by number.
        Raises HookupError for anything else than a port.
        """
        if id(port) in self._ports:
            return self._ports[id(port)][1]
        kind = kind_of(port)
        names = {one for one, _, _ in self._wires}
        group, number = name or kind, 2
        while group in names and not name:
            group, number = f"{kind}{number}", number + 1
        self._kinds_of_port.add(kind)
        wrapped = WRAPPERS[kind][0](self, port, group, lines or {})
        self._ports[id(port)] = port, wrapped
        return wrapped

    def wire(self, group: str, name: str, resting: str) -> int:
        """One more wire, and its number; see `change`. resting: its level before the first change."""
        for number, (one, other, _) in enumerate(self._wires):
            if (one, other) == (group, name):
                return number
        self._wires.append((group, name, resting))
        self._levels.append(resting)
        if self._writer is not None and not self._ended:
            self._guarded(self._list_again)
        return len(self._wires) - 1

    def clocked(self, kind: str, what: str) -> None:
        """Take note of how a port's time is known, and at which clock its bits are drawn."""
        self._kinds.add(kind)
        if what:
            self._clocks.append(what)

    def change(self, wire: int, time_ns: int, level: str) -> None:
        """A wire takes a level ("0", "1", or "z" where nothing drives it). Times do not go back."""
        if self._levels[wire] == level or self._ended:
            return
        self._levels[wire] = level
        time_ns = self._last_ns = max(time_ns, self._last_ns)
        try:
            if self._writer is None:
                self._begin()
            assert self._writer is not None
            self._writer.change(self._variables[wire], time_ns // self._tick_ns, level)
        except OSError as problem:
            self._fail(problem)

    def not_before(self, time_ns: int) -> int:
        """That time, or the last that was recorded, where that is later."""
        return max(time_ns, self._last_ns)

    def host_ns(self) -> int:
        """Nanoseconds since the capture began, by the host's clock."""
        return time.perf_counter_ns() - self._began_ns

    def flush(self) -> None:
        """Bring what was recorded to the file, so that it is there whatever becomes of the program."""
        if self._writer is not None and not self._ended:
            self._guarded(self._writer.flush)

    def close(self) -> None:
        """End it. A second time does nothing."""
        if not self._ended:
            if self._writer is None:
                self._guarded(self._begin)
            if self._writer is not None:
                self._guarded(self._writer.close)
        if not self._file.closed:
            self._guarded(self._file.close)
        self._ended = True

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def _begin(self) -> None:
        """Write the head, with all wires and their levels at rest."""
        if {"gpio", "register"} & self._kinds_of_port:
            self._tick_ns = TICK_NS
        kinds = [f"{MARK}{TIMES[kind]}" for kind in sorted(self._kinds)]
        comment = "; ".join([*kinds, *self._clocks])
        self._writer = VCDWriter(
            self._file, timescale=f"{self._tick_ns} ns", date="", comment=comment, version="Lumek", check_values=False
        )
        self._variables = [self._writer.register_var(*wire[:2], "wire", 1, wire[2]) for wire in self._wires]
        self._writer.flush()

    def _list_again(self) -> None:
        """Bring another wire into a file that lists its wires at its beginning: write it again, with a longer list."""
        assert self._writer is not None
        self._writer.flush()
        before, old_tick_ns = self._file, self._tick_ns
        beside = self.path.with_name(f".{self.path.name}.part")
        self._file = beside.open("w", encoding="ascii", newline="\n", buffering=BUFFER)
        self._begin()
        with self.path.open(encoding="ascii") as source:
            for line in source:
                if line.startswith("$dumpvars"):
                    break
            for line in source:
                if line.startswith("$end"):
                    break
            for line in source:
                own = line if line[0] != "#" else f"#{int(line[1:]) * old_tick_ns // self._tick_ns}\n"
                self._file.write(own)
        for variable, level in zip(self._variables, self._levels, strict=True):
            variable.value = level
        before.close()
        beside.replace(self.path)

    def _guarded(self, act: Callable[[], object]) -> None:
        try:
            act()
        except OSError as problem:
            self._fail(problem)

    def _fail(self, problem: OSError) -> None:
        if not self._ended:
            self._ended = True
            notice(f"capture to {self.path} ended: {problem.strerror or problem}")


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
            # The last byte that went is the one that nobody acknowledged.
            self._draw(begins, went, [True] * (len(went) - 1) + [not isinstance(problem, NoAnswerError)])
            raise
        body = result if data is None else data
        acknowledged = [True] * (len(body) + 1)
        if data is None:
            acknowledged[-1] = False  # whoever reads does not acknowledge the last byte
        self._draw(begins, bytes((head,)) + bytes(body), acknowledged)
        return result

    def _draw(self, begins: int, data: bytes, acknowledged: list[bool]) -> None:
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
        for line, level in levels.items():
            self._capture.change(self._number(line), begins, "1" if level else "0")
        if self._sensed:
            self._release(self._now_ns(), levels)

    def sense(self, lines: Iterable[Any]) -> Mapping[Any, int]:
        """Make these lines inputs, and read them."""
        lines = list(lines)
        begins = self._now_ns()
        found: Mapping[Any, int] = self._recorded.sense(lines)
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


def record(port: Any, path: str | PathLike[str], name: str = "", lines: Mapping[Hashable, str] | None = None) -> Any:
    """Record what goes through a port, into a VCD file.

    port, name, lines: see `Capture.around`.
    path: the file; an old one is overwritten.
    Returns the port, wrapped. Its `close()` ends the capture, and closes the port, if that can be closed; for several
    ports in one file use a `Capture`. Raises SettingError when the file cannot be written.

    >>> from lumek.captures import record
    >>> from lumek.twin import backpack_twin
    >>> twin, bus = backpack_twin("16x2")
    >>> port = record(bus, "wires.vcd")
    >>> panel = Panel("16x2", Backpack(port, 0x27))
    >>> panel[0] = "Hive 3"
    >>> port.close()
    """
    kind_of(port)
    try:
        capture = Capture(path)
    except OSError as problem:
        raise SettingError(f"cannot record to {quoted(str(path))}: {problem.strerror or problem}") from None
    wrapped = capture.around(port, name, lines)

    def close() -> None:
        capture.close()
        if hasattr(port, "close"):
            port.close()

    wrapped.close = close
    return wrapped
