"""GPIO lines on Linux, through the character device of a chip.

Source: Linux documentation, "GPIO character device (v2)": the lines of one request are set by one call.
"""

import errno
import os
from collections.abc import Iterable, Mapping
from threading import RLock
from typing import Any

import gpiod
from gpiod.line import Direction, Value

from lumek._harmless import quoted
from lumek.errors import PortError
from lumek.ports.device_port import DevicePort
from lumek.ports.linux.device import not_allowed, there
from lumek.ports.waiting import now_us, wait_us

CONSUMER = "lumek, process {}"
"""What the kernel shows to others that want a line; it keeps 31 characters."""

AS_FOUND = gpiod.LineSettings(direction=Direction.AS_IS)
INPUT = gpiod.LineSettings(direction=Direction.INPUT)
VALUES = (Value.INACTIVE, Value.ACTIVE)
OUTPUTS = tuple(gpiod.LineSettings(direction=Direction.OUTPUT, output_value=value) for value in VALUES)


class LinuxLines(DevicePort[gpiod.Chip]):
    """The lines of a GPIO chip, as a port.

    chip: the path of its device file. Lines are known by their offset on the chip or by their name. They are asked for
        when they are first needed, those of a panel together, and belong to one request, which is given back at
        `close`. May be used from several threads. A chip that goes away is looked for again by each call.
    Raises PortError when the chip is missing or may not be used; later for a line that does not exist or that somebody
    else has.
    """

    drive_ns = 1000
    """A call takes longer than that on any host."""

    def __init__(self, chip: str = "/dev/gpiochip0") -> None:
        self.chip = chip
        self._offsets: dict[int | str, int] = {}
        self._settings: dict[int, gpiod.LineSettings] = {}
        self._outputs: set[int] = set()
        self._claimed: dict[int | str, None] = {}  # in order, for the day that the chip is gone and back
        self._request: gpiod.LineRequest | None = None
        self._lock = RLock()  # a new line needs a new request, which no other thread may use meanwhile
        super().__init__()

    def __repr__(self) -> str:
        return f"<LinuxLines {self.chip}{self._closed_mark}>"

    def _open(self) -> gpiod.Chip:
        try:
            return gpiod.Chip(self.chip)
        except FileNotFoundError:
            raise PortError(f"there is no GPIO chip {self.chip}; there is: {there('gpiochip*')}") from None
        except PermissionError:
            raise PortError(not_allowed(self.chip, "gpio", "gpio")) from None
        except OSError as problem:
            raise PortError(
                f"{self.chip} is not a GPIO chip ({problem.strerror or problem}); there is: {there('gpiochip*')}"
            ) from None

    def _shut(self, device: gpiod.Chip) -> None:
        request, self._request = self._request, None
        self._offsets, self._settings, self._outputs = {}, {}, set()
        if request:
            request.release()
        device.close()

    def claim(self, lines: Iterable[int | str]) -> None:
        """Ask for these lines, in one request with all asked for before; they stay as they are. Raises PortError."""
        with self._lock:
            try:
                self._claim(lines)
            except OSError as problem:
                raise self._failure(problem) from None

    def drive(self, levels: Mapping[int | str, int]) -> None:
        """Make these lines outputs at these levels, all in one call. Raises PortError."""
        with self._lock:
            try:
                wanted = {self._offset(line): level for line, level in levels.items()}
                known = self._outputs.issuperset(wanted)
                if not known:
                    self._claim(levels)
                self._settings.update({offset: OUTPUTS[level] for offset, level in wanted.items()})
                if known:
                    self._requested().set_values({offset: VALUES[level] for offset, level in wanted.items()})
                else:
                    self._requested().reconfigure_lines(self._config())
                    self._outputs.update(wanted)
            except OSError as problem:
                raise self._failure(problem) from None

    def sense(self, lines: Iterable[int | str]) -> dict[int | str, int]:
        """Make these lines inputs, and read them. Raises PortError."""
        with self._lock:
            try:
                wanted = {line: self._offset(line) for line in lines}
                if any(self._settings.get(offset) is not INPUT for offset in wanted.values()):
                    self._claim(wanted)
                    self._settings.update(dict.fromkeys(wanted.values(), INPUT))
                    self._outputs.difference_update(wanted.values())
                    self._requested().reconfigure_lines(self._config())
                values = self._requested().get_values(list(wanted.values()))
            except OSError as problem:
                raise self._failure(problem) from None
            return {line: int(value == Value.ACTIVE) for line, value in zip(wanted, values, strict=True)}

    def now_us(self) -> float:
        """The time by a clock that does not go back, in microseconds."""
        return now_us()

    def wait_us(self, us: float) -> None:
        """Wait for at least this many microseconds."""
        wait_us(us)

    def close(self) -> None:
        """Give lines and chip back. The lines keep their levels as far as the chip lets them."""
        with self._lock:
            super().close()

    def _claim(self, lines: Iterable[int | str]) -> None:
        chip = self._opened()
        lines = list(lines) if self._settings else [*self._claimed, *lines]
        known: dict[int, int | str] = {}
        for line in lines:
            other = known.setdefault(self._offset(line), line)
            if other != line:
                raise PortError(
                    f"{quoted(other)} and {quoted(line)} are the same line of {self.chip}: each role needs its own"
                )
        wanted = sorted(known.keys() - self._settings.keys())
        for offset in wanted:
            info = chip.get_line_info(offset)
            if info.used:
                raise PortError(
                    f"line {offset}{f' ({info.name})' if info.name else ''} of {self.chip} is in use by "
                    f"{quoted(info.consumer or 'the kernel')}: end that, or take another line"
                )
        if wanted:
            self._renew(chip, wanted)
        self._claimed.update(dict.fromkeys(lines))

    def _renew(self, chip: gpiod.Chip, wanted: list[int]) -> None:
        """Put these lines into one request with those that there are."""
        if self._request:
            self._request.release()
        self._settings.update(dict.fromkeys(wanted, AS_FOUND))
        try:
            self._request = chip.request_lines(config=self._config(), consumer=CONSUMER.format(os.getpid()))
        except OSError as problem:
            self._settings, self._outputs, self._request = {}, set(), None
            if problem.errno != errno.EBUSY:
                raise
            raise PortError(
                f"lines {wanted} of {self.chip} are not available: one was taken by another program"
            ) from None

    def _config(self) -> dict[Any, gpiod.LineSettings | None]:
        return dict(self._settings)

    def _requested(self) -> gpiod.LineRequest:
        self._opened()
        assert self._request is not None
        return self._request

    def _failure(self, problem: OSError) -> PortError:
        """What an error of the kernel means; one of ours stays as it is."""
        if isinstance(problem, PortError):
            return problem
        if problem.errno == errno.ENODEV:
            self._lose()
            return PortError(f"{self.chip} is gone: its adapter was removed or its driver unbound")
        return PortError(f"lines of {self.chip}: {problem.strerror or problem}")

    def _offset(self, line: int | str) -> int:
        """The offset of a line known by its offset or name. Raises PortError when there is none."""
        offset = self._offsets.get(line)
        if offset is not None:
            return offset
        chip = self._opened()
        count = chip.get_info().num_lines
        if isinstance(line, int):
            if not 0 <= line < count:
                raise PortError(
                    f"line {line} does not exist on {self.chip}: it has 0 to {count - 1}, "
                    "which are not positions on the header"
                )
            offset = line
        else:
            try:
                offset = chip.line_offset_from_id(line)
            except (OSError, ValueError):
                names = [name for place in range(count) if (name := chip.get_line_info(place).name)]
                raise PortError(
                    f"no line of {self.chip} is named {quoted(line)}; its names are {', '.join(names) or 'none'}"
                ) from None
        self._offsets[line] = offset
        return offset
