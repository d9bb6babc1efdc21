"""Recording what a port sends: the wires as they were driven, as a VCD file.

A wrapped port does what the port does, and draws it. Where the time is simulated it is that of the simulation, to the
nanosecond. On a real port the host's clock says when a call begins; the bits of a transfer follow at the bus's clock,
since no program sees them. The file says which of the two it is.

How the bits are drawn is in `lumek.captures.recorded_ports`.
Source: IEEE 1364, "Value change dump files".
"""

import threading
import time
from collections.abc import Callable, Hashable, Mapping
from errno import EINVAL
from os import PathLike
from pathlib import Path
from typing import Any, Self

from vcd.writer import Variable, VCDWriter

from lumek._harmless import quoted
from lumek._notice import notice
from lumek.errors import SettingError

SIMULATED, HOST = "simulated", "host"
TIMES = {
    SIMULATED: "simulated: exact",
    HOST: "host: transfers begin by the host's clock, their bits follow at the stated clock",
}
"""What the file says of its time."""

MARK = "Lumek capture; time is "
"""How its comment begins."""

BUFFER = 1 << 16

BUS_TICK_NS, TICK_NS = 100, 10
"""The time scale of a file that has buses alone, and of any other. A bus needs no finer one, and programs that take
samples at each tick open the file faster."""


class Capture:
    """A VCD file of what ports send. Closing it closes the file; the ports stay open.

    path: the file; an old one is overwritten.
    lock: held while something is drawn, since panels may be used from several threads.
    Raises OSError when it cannot be written at the start. What goes wrong later ends it with a notice, and the panel
    goes on.
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
        self.lock = threading.RLock()

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
        from lumek.captures.recorded_ports import WRAPPERS, kind_of

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
            with self.lock:
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
            with self.lock:
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

    def __exit__(self, *exc: object) -> None:
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
        if not self.path.is_file():
            raise OSError(
                EINVAL, "a wire was added after the first byte, and only an ordinary file can be written again"
            )
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
    from lumek.captures.recorded_ports import kind_of

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
