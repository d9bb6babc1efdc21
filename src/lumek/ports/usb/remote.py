"""The pins and the I2C bus of a board on a USB cable, as ports for links."""

from collections.abc import Hashable, Iterable, Mapping

from lumek.errors import BusError
from lumek.ports.usb.cable import UsbBoard


class OfBoard:
    """What the ports of one board have in common: waiting, and sending what is held back."""

    def __init__(self, board: UsbBoard) -> None:
        self.board = board

    def __repr__(self) -> str:
        return f"<{type(self).__name__} of {self.board}>"

    def wait_us(self, us: float) -> None:
        """Let at least this many microseconds pass on the board between what it was given and what it will be."""
        with self.board.lock:
            self.board.pause(us)

    def flush(self) -> None:
        """Send what is held back. Raises PortError, and NoAnswerError when a device did not acknowledge."""
        with self.board.lock:
            self.board.flush()


class UsbLines(OfBoard):
    """The pins of a board, as a port of lines. They are known by what its firmware calls them: numbers, names.

    board: a `FirmataBoard` or a `MicroPythonBoard`; several ports may share it, and closing it is the program's
        business.

    What is driven is held back until `flush`, which links call when they are done; reading does it, too. Call it
    yourself after a `drive` of your own.
    Raises PortError when the board is gone or has no such pin.

    >>> from lumek.ports.usb import FirmataBoard, UsbLines
    >>> from lumek.twin import TwinBoard, TwinConnection, direct_twin
    >>> simulated = TwinBoard()
    >>> twin, _ = direct_twin("16x2", {"rs": 2, "e": 3, "d4": 4, "d5": 5, "d6": 6, "d7": 7}, port=simulated.lines)
    >>> board = FirmataBoard(TwinConnection(simulated))
    >>> panel = Panel("16x2", Direct(UsbLines(board), rs=2, e=3, data=(4, 5, 6, 7)))
    >>> panel[0] = "Hive 3"
    >>> twin.rows[0]
    'Hive 3          '
    """

    drive_ns = 1000
    """No board takes in and carries out a change of pins in less time."""

    slow_to_sense = True

    def claim(self, lines: Iterable[Hashable]) -> None:
        """See that the board has these pins. Raises PortError."""
        with self.board.lock:
            self.board.claim(lines)

    def drive(self, levels: Mapping[Hashable, int]) -> None:
        """Make these pins outputs at these levels, with the next `flush`. Raises PortError."""
        with self.board.lock:
            self.board.drive(levels)

    def sense(self, lines: Iterable[Hashable]) -> dict[Hashable, int]:
        """Make these pins inputs, and read them. Raises PortError."""
        with self.board.lock:
            return self.board.sense(lines)


class UsbBus(OfBoard):
    """The I2C bus of a board, as a port.

    board: a `FirmataBoard` or a `MicroPythonBoard`; several ports may share it.
    hz: the clock of the bus, in hertz. MicroPython sets it; Firmata firmwares run at 100_000.

    What is written is held back until `flush`, which links call when they are done; reading does it, too.
    Raises NoAnswerError when no device acknowledges, PortError when the board is gone.
    """

    def __init__(self, board: UsbBoard, hz: int = 100_000) -> None:
        super().__init__(board)
        self.hz = hz
        with board.lock:
            board.start_bus(hz)
        self.longest = board.longest

    def __repr__(self) -> str:
        return f"<UsbBus of {self.board}, {self.hz} Hz>"

    def write(self, address: int, data: bytes) -> None:
        """Write bytes to a device in one transfer, with the next `flush`. Raises BusError for too many of them."""
        if len(data) > self.longest:
            raise BusError(f"{self.board} carries {self.longest} bytes at once, not {len(data)}")
        with self.board.lock:
            self.board.write(address, data)

    def read(self, address: int, count: int) -> bytes:
        """Read bytes from a device. Raises NoAnswerError, PortError."""
        with self.board.lock:
            return self.board.read(address, count)
