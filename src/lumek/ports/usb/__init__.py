"""Microcontroller boards on a USB cable, as ports of this computer; and chips that turn USB into pins.

| port | is | needs |
|---|---|---|
| `FirmataBoard("/dev/ttyACM0")` | a board with a Firmata firmware, one of the examples of editors | extra: usb |
| `MicroPythonBoard("/dev/ttyACM0")` | a board with MicroPython, as it comes | extra: usb |
| `UsbBus(board)` | the I2C bus of either | |
| `UsbLines(board)` | the pins of either | |
| `FtdiBus("ftdi://ftdi:232h/1")`, `FtdiLines(...)` | the pins of an FTDI chip | extra: ftdi |
"""

from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from lumek.ports.usb.firmata import FirmataBoard
    from lumek.ports.usb.ftdi import FtdiBus, FtdiLines
    from lumek.ports.usb.remote import UsbBus, UsbLines
    from lumek.ports.usb.repl import MicroPythonBoard

__all__ = ["FirmataBoard", "FtdiBus", "FtdiLines", "MicroPythonBoard", "UsbBus", "UsbLines"]

MODULES = {"FirmataBoard": "firmata", "FtdiBus": "ftdi", "FtdiLines": "ftdi", "MicroPythonBoard": "repl",
           "UsbBus": "remote", "UsbLines": "remote"}  # fmt: skip


def __getattr__(name: str) -> Any:
    if name not in MODULES:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    from importlib import import_module

    return getattr(import_module(f"{__name__}.{MODULES[name]}"), name)
