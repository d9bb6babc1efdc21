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

from lumek._harmless import quoted
from lumek.errors import SettingError

if TYPE_CHECKING:
    from lumek.ports.usb.cable import UsbBoard
    from lumek.ports.usb.firmata import FirmataBoard
    from lumek.ports.usb.ftdi import FtdiBus, FtdiLines
    from lumek.ports.usb.remote import UsbBus, UsbLines
    from lumek.ports.usb.repl import MicroPythonBoard

__all__ = ["FirmataBoard", "FtdiBus", "FtdiLines", "MicroPythonBoard", "UsbBus", "UsbLines", "open_board"]

MODULES = {"FirmataBoard": "firmata", "FtdiBus": "ftdi", "FtdiLines": "ftdi", "MicroPythonBoard": "repl",
           "UsbBus": "remote", "UsbLines": "remote"}  # fmt: skip


def open_board(
    port: str,
    firmware: str = "firmata",
    baud: int | None = None,
    *,
    bus: int = 0,
    sda: int | str | None = None,
    scl: int | str | None = None,
) -> "UsbBoard":
    """The board at a serial port.

    port: its name, "/dev/ttyACM0" or "COM3".
    firmware: what is on it, "firmata" or "micropython".
    baud: bits a second; default: what that firmware usually has.
    bus, sda, scl: see `MicroPythonBoard`; the other has one bus at pins of its own.
    Raises PortError when there is no such board, SettingError for another firmware, PackageError without pyserial.
    """
    from lumek.ports.usb.firmata import BAUD, FirmataBoard
    from lumek.ports.usb.repl import USUAL_BAUD, MicroPythonBoard

    if firmware == "firmata":
        return FirmataBoard(port, baud or BAUD)
    if firmware != "micropython":
        raise SettingError(f"the firmware of a board is 'firmata' or 'micropython', not {quoted(firmware)}")
    return MicroPythonBoard(port, baud or USUAL_BAUD, bus=bus, sda=sda, scl=scl)


def __getattr__(name: str) -> Any:
    if name not in MODULES:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    from importlib import import_module

    return getattr(import_module(f"{__name__}.{MODULES[name]}"), name)
