"""The hardware of a Linux host. What a port needs is loaded when it is used, so that one does not ask for another's.

| port | is | through |
|---|---|---|
| `LinuxBus(1)` | an I2C bus | smbus2 |
| `LinuxLines("/dev/gpiochip0")` | GPIO lines | gpiod |
| `LinuxSpi(0, 0)` | SPI to a shift register | spidev (extra: spi) |
| `LinuxPwm(0, 1)` | a PWM channel | sysfs |
| `LinuxLed("panel")` | an LED class device | sysfs |
"""

from typing import TYPE_CHECKING, Any

from lumek.errors import PortError

if TYPE_CHECKING:
    from lumek.ports.linux.bus import LinuxBus
    from lumek.ports.linux.channels import LinuxLed, LinuxPwm
    from lumek.ports.linux.lines import LinuxLines
    from lumek.ports.linux.spi import LinuxSpi

__all__ = ["LinuxBus", "LinuxLed", "LinuxLines", "LinuxPwm", "LinuxSpi"]

MODULES = {"LinuxBus": "bus", "LinuxLed": "channels", "LinuxLines": "lines", "LinuxPwm": "channels", "LinuxSpi": "spi"}


DEVICES = {"LinuxBus": "/dev/i2c-N", "LinuxLines": "/dev/gpiochipN", "LinuxSpi": "/dev/spidevB.D"}


def __getattr__(name: str) -> Any:
    if name not in MODULES:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    from importlib import import_module

    try:
        return getattr(import_module(f"{__name__}.{MODULES[name]}"), name)
    except ModuleNotFoundError as problem:
        return _missing(name, str(problem.name))


def _missing(name: str, module: str) -> type:
    """A class in place of a port that this system cannot have: it can be imported, and says so when it is made."""

    class Missing:
        def __init__(self, *_: object, **__: object) -> None:
            raise PortError(
                f"this system has no {DEVICES.get(name, 'such channel')}: only Linux has (no module {module}); put the "
                "panel on a board or a chip on USB, or simulate it"
            )

    Missing.__name__ = Missing.__qualname__ = name
    return Missing
