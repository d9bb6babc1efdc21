"""GPIO lines on Linux, through the character device of a chip.

Source: Linux documentation, "GPIO character device (v2)": the lines of one request are set by one call.
"""

import errno
from collections.abc import Iterable, Mapping
from threading import RLock
from typing import Any

import gpiod
from gpiod.line import Direction, Value

from lumek._harmless import quoted
from lumek.errors import ClosedError, PortError
from lumek.ports.linux.device import Closing, not_allowed, there
from lumek.ports.linux.waiting import wait_us

CONSUMER = "lumek"

AS_FOUND = gpiod.LineSettings(direction=Direction.AS_IS)
INPUT = gpiod.LineSettings(direction=Direction.INPUT)
VALUES = (Value.INACTIVE, Value.ACTIVE)
OUTPUTS = tuple(gpiod.LineSettings(direction=Direction.OUTPUT, output_value=value) for value in VALUES)


class LinuxLines(Closing):
    """The lines of a GPIO chip, as a port.

    chip: the path of its device file. Lines are known by their offset on the chip or by their name. They are asked for
        when they are first needed, those of a panel together, and belong to one request, which is given back at
        `close`. May be used from several threads.
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
        self._request: gpiod.LineRequest | None = None
        self._chip: gpiod.Chip | None = None
        self._lock = RLock()  # a new line needs a new request, which no other thread may use meanwhile
        try:
            self._chip = gpiod.Chip(chip)
        except FileNotFoundError:
            raise PortError(f"there is no GPIO chip {chip}; there is: {there('gpiochip*')}") from None
        except PermissionError:
            raise PortError(not_allowed(chip, "gpio")) from None
        except OSError as problem:
            raise PortError(
                f"{chip} is not a GPIO chip ({problem.strerror or problem}); there is: {there('gpiochip*')}"
            ) from None

    def __repr__(self) -> str:
        return f"<LinuxLines {self.chip}{'' if self._chip else ', closed'}>"

    def claim(self, lines: Iterable[int | str]) -> None:
        """Ask for these lines, in one request with all asked for before; they stay as they are. Raises PortError."""
        with self._lock:
            chip = self._open_chip()
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
                        f"{info.consumer or 'the kernel'!r}: end that, or take another line"
                    )
            if wanted:
                self._renew(chip, wanted)

    def drive(self, levels: Mapping[int | str, int]) -> None:
        """Make these lines outputs at these levels, all in one call. Raises PortError."""
        with self._lock:
            wanted = {self._offset(line): level for line, level in levels.items()}
            known = self._outputs.issuperset(wanted)
            if not known:
                self.claim(wanted)
            self._settings.update({offset: OUTPUTS[level] for offset, level in wanted.items()})
            if known:
                self._call("set_values", {offset: VALUES[level] for offset, level in wanted.items()})
            else:
                self._call("reconfigure_lines", self._config())
                self._outputs.update(wanted)

    def sense(self, lines: Iterable[int | str]) -> dict[int | str, int]:
        """Make these lines inputs, and read them. Raises PortError."""
        with self._lock:
            wanted = {line: self._offset(line) for line in lines}
            if any(self._settings.get(offset) is not INPUT for offset in wanted.values()):
                self.claim(wanted)
                self._settings.update(dict.fromkeys(wanted.values(), INPUT))
                self._outputs.difference_update(wanted.values())
                self._call("reconfigure_lines", self._config())
            values = self._call("get_values", list(wanted.values()))
            return {line: int(value == Value.ACTIVE) for line, value in zip(wanted, values, strict=True)}

    def wait_us(self, us: float) -> None:
        """Wait for at least this many microseconds."""
        wait_us(us)

    def close(self) -> None:
        """Give lines and chip back. The lines keep their levels as far as the chip lets them."""
        with self._lock:
            if self._request:
                self._request.release()
            if self._chip:
                self._chip.close()
            self._request = self._chip = None

    def _renew(self, chip: gpiod.Chip, wanted: list[int]) -> None:
        """Put these lines into one request with those that there are."""
        if self._request:
            self._request.release()
        self._settings.update(dict.fromkeys(wanted, AS_FOUND))
        try:
            self._request = chip.request_lines(config=self._config(), consumer=CONSUMER)
        except OSError as problem:
            self._settings, self._outputs, self._request = {}, set(), None
            taken = problem.errno == errno.EBUSY
            what = "one was taken by another program" if taken else problem.strerror or problem
            raise PortError(f"lines {wanted} of {self.chip} are not available: {what}") from None

    def _config(self) -> dict[Any, gpiod.LineSettings | None]:
        return dict(self._settings)

    def _call(self, name: str, argument: Any) -> Any:
        self._open_chip()
        try:
            return getattr(self._request, name)(argument)
        except OSError as problem:
            raise PortError(f"lines of {self.chip}: {problem.strerror or problem}") from None

    def _open_chip(self) -> gpiod.Chip:
        if self._chip is None:
            raise ClosedError(f"{self.chip} was closed: make a new LinuxLines")
        return self._chip

    def _offset(self, line: int | str) -> int:
        """The offset of a line known by its offset or name. Raises PortError when there is none."""
        offset = self._offsets.get(line)
        if offset is not None:
            return offset
        chip = self._open_chip()
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
