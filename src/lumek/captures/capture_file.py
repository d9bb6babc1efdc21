"""Opening a capture, whatever kind of file it is."""

from os import PathLike
from pathlib import Path
from stat import S_ISREG

from lumek._harmless import quoted
from lumek.captures.bus_log import BusLog, is_bus_log
from lumek.captures.csv_levels import CsvLevels
from lumek.captures.vcd_file import VcdFile
from lumek.errors import CaptureError

LOOKED_AT = 1 << 16


def open_capture(path: str | PathLike[str], bus_hz: int) -> VcdFile | CsvLevels | BusLog:
    """A capture: VCD, a table of levels, or a log of an I2C bus.

    bus_hz: the clock of a bus whose log has the times of transfers only.
    Raises CaptureError for what is none of them, or cannot be read.
    """
    path = Path(path)
    try:
        if not S_ISREG(path.stat().st_mode):
            raise CaptureError(f"{quoted(str(path))} is not an ordinary file")
        with path.open("rb") as file:
            head = file.read(LOOKED_AT)
        if b"\0" in head:
            raise CaptureError(f"{quoted(path.name)} is not text: export it as VCD or CSV")
        if not head.strip():
            raise CaptureError(f"{quoted(path.name)} is empty")
        if b"$enddefinitions" in head or head.lstrip()[:1] == b"$":
            return VcdFile(path)
        return BusLog(path, bus_hz) if is_bus_log(path) else CsvLevels(path)
    except OSError as problem:
        raise CaptureError(f"cannot read {quoted(str(path))}: {problem.strerror or problem}") from None
