"""PWM channels and LED class devices on Linux, through sysfs.

Source: Linux documentation, "Pulse Width Modulation (PWM) interface", "LED handling under Linux" and "Multicolor LED
handling under Linux".
"""

import errno
import time
from pathlib import Path

from lumek._harmless import quoted
from lumek.errors import PortError
from lumek.ports.linux.device import there

EXPORT_S = 1.0
"""So long the files of a channel may take to appear and to be given to the user's group."""


class LinuxPwm:
    """A PWM channel, as a light that offers brightness, one of three of a coloured light, or the contrast.

    chip, channel: as in /sys/class/pwm/pwmchip`chip`/pwm`channel`.
    hz: how often it switches.
    inverted: the output is low for the time that it should give power.
    root: where the PWM chips are found.
    Raises PortError when it does not exist or may not be used.
    """

    offers = "brightness"

    def __init__(
        self, chip: int, channel: int, hz: int = 1000, inverted: bool = False, root: str | Path = "/sys/class/pwm"
    ) -> None:
        folder = Path(root) / f"pwmchip{chip}"
        if not folder.is_dir():
            raise PortError(
                f"there is no PWM chip {chip} ({folder}); there is: {there('pwmchip*', root)}. "
                "Enable PWM in the host's settings"
            )
        count = int(_read(folder / "npwm"))
        if channel not in range(count):
            raise PortError(f"PWM chip {chip} has no channel {quoted(channel)}: it has 0 to {count - 1}")
        if not 1 <= hz <= 1_000_000:
            raise PortError(f"hz of a PWM channel is 1 to 1000000, not {quoted(hz)}")
        self.path = folder / f"pwm{channel}"
        self._inverted = inverted
        self._period_ns = 1_000_000_000 // hz
        if not self.path.is_dir():
            _write(folder / "export", channel)
            self._wait_for_files()
        # The duty cycle may at no time be longer than the period, and cannot be set before there is a period.
        if int(_read(self.path / "period")):
            _write(self.path / "duty_cycle", 0)
        _write(self.path / "period", self._period_ns)
        _write(self.path / "enable", 1)

    def __repr__(self) -> str:
        return f"<LinuxPwm {self.path}>"

    def dim(self, fraction: float) -> None:
        """Set the share of the time with power, 0.0 to 1.0. Raises PortError."""
        share = 1 - fraction if self._inverted else fraction
        _write(self.path / "duty_cycle", round(share * self._period_ns))

    def _wait_for_files(self) -> None:
        end = time.monotonic() + EXPORT_S
        while time.monotonic() < end:
            try:
                with (self.path / "duty_cycle").open("r+"):
                    return
            except OSError:
                time.sleep(0.01)


class LinuxLed:
    """An LED class device, as a light: with brightness, and colour when it is a multicolour one.

    name: as in /sys/class/leds/`name`.
    root: where the LEDs are found.
    Raises PortError when it does not exist or may not be used.
    """

    def __init__(self, name: str, root: str | Path = "/sys/class/leds") -> None:
        self.path = Path(root) / name
        if not (self.path / "brightness").is_file():
            raise PortError(f"there is no LED {quoted(name)} ({self.path}); there is: {there('*', root)}")
        self._most = int(_read(self.path / "max_brightness"))
        colours = self.path / "multi_index"
        self._colours = _read(colours).split() if colours.is_file() else []
        self.offers = "colour" if {"red", "green", "blue"} <= set(self._colours) else "brightness"

    def __repr__(self) -> str:
        return f"<LinuxLed {self.path}>"

    def dim(self, fraction: float) -> None:
        """Set its power, 0.0 to 1.0. Raises PortError."""
        _write(self.path / "brightness", round(fraction * self._most))

    def tint(self, red: float, green: float, blue: float) -> None:
        """Set the power of each colour, 0.0 to 1.0; colours beside these three none. Raises PortError."""
        share = {"red": red, "green": green, "blue": blue}
        _write(
            self.path / "multi_intensity",
            " ".join(str(round(share.get(colour, 0.0) * self._most)) for colour in self._colours),
        )
        _write(self.path / "brightness", self._most)


def _read(path: Path) -> str:
    try:
        return path.read_text(encoding="ascii").strip()
    except OSError as problem:
        raise PortError(f"{path} cannot be read: {problem.strerror or problem}") from None


def _write(path: Path, value: object) -> None:
    try:
        path.write_text(str(value), encoding="ascii")
    except PermissionError:
        raise PortError(
            f"{path} may not be written: give it to your group by a udev rule, or run as another user"
        ) from None
    except OSError as problem:
        taken = " (another program has it)" if problem.errno == errno.EBUSY else ""
        raise PortError(f"{path} cannot be written: {problem.strerror or problem}{taken}") from None
