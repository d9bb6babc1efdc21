"""The simulated GPIO lines of a host, and what may hang on them.

A line is driven by the host (an output), or not driven (an input, as all are at first). What is connected to it sees
that, and may drive it itself.
"""

import threading
from collections.abc import Hashable, Iterable, Mapping

from lumek.twin.expander import Wired, check_contention
from lumek.twin.harm import Harm
from lumek.twin.time_base import TwinClock


class TwinLines:
    """GPIO lines with the methods of a lines port.

    clock: the simulated time.
    drive_ns: nanoseconds that a call takes; levels change at its beginning. `calls` counts the calls of `drive` and
        `sense`; `levels` is what the host drives, None where it does not.
    """

    def __init__(self, clock: TwinClock, drive_ns: int = 1000) -> None:
        self.clock = clock
        self.drive_ns = drive_ns
        self.calls = 0
        self.levels: dict[Hashable, int | None] = {}
        self.harms: list[Harm] = []
        """What goes wrong on them; see `lumek.twin.faults`."""
        self._wired: list[tuple[Wired, dict[str, Hashable]]] = []
        self._lock = threading.RLock()

    def __repr__(self) -> str:
        return f"<TwinLines, {self.drive_ns} ns a call, {len(self.levels)} lines>"

    def connect(self, device: Wired, lines: Mapping[str, Hashable]) -> None:
        """Let lines lead to a device: its pin -> line. Several devices may hang on one line."""
        self._wired.append((device, dict(lines)))
        for line in lines.values():
            self.levels.setdefault(line, None)
        device.set_pins({pin: self.levels[line] for pin, line in lines.items()}, self.clock.now_ns)

    def drive(self, levels: Mapping[Hashable, int]) -> None:
        """Make these lines outputs at these levels, all at once."""
        self._call(levels)

    def sense(self, lines: Iterable[Hashable]) -> dict[Hashable, int]:
        """Make these lines inputs, and read them at the end of the call."""
        lines = tuple(lines)
        self._call(dict.fromkeys(lines))
        driven = {}
        pulled_up: set[Hashable] = set()
        for device, pins in self._wired:
            output = device.output(self.clock.now_ns) or {}
            driven.update({line: output[pin] for pin, line in pins.items() if pin in output})
            for pin, line in pins.items():
                if device.at_rest(pin):
                    pulled_up.add(line)
        return {line: driven.get(line, int(line in pulled_up)) for line in lines}

    def now_us(self) -> float:
        """The simulated time, in microseconds."""
        return self.clock.now_ns / 1000

    def wait_us(self, us: float) -> None:
        """Let simulated time pass."""
        with self._lock:
            self.clock.now_ns += round(us * 1000)

    def _call(self, levels: Mapping[Hashable, int | None]) -> None:
        with self._lock:
            for harm in self.harms:
                harm.calling()
            now = self.clock.now_ns
            self.calls += 1
            changed = {line: level for line, level in levels.items() if self.levels.get(line) != level}
            for device, pins in self._wired if changed else ():
                own = {pin: changed[line] for pin, line in pins.items() if line in changed}
                if own:
                    check_contention(device, {pin: self.levels[line] for pin, line in pins.items()}, now)
                    device.set_pins(own, now)
            self.levels.update(levels)
            self.clock.now_ns += self.drive_ns
