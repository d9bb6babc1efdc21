"""Instructions and data that a program sends by itself, and what is then known of the panel. Loaded when it is used.

Everything that they do is followed here, so that the next assignment repaints what they changed, and nothing else.
Source: HD44780U data sheet (ADE-207-272), table 6, "Instructions".
"""

from collections import namedtuple

from lumek._driver import FAILURES
from lumek._harmless import quoted
from lumek.core.geometry import CGRAM
from lumek.core.glyph import ROW_BITS, ROWS
from lumek.core.instructions import (
    SLOW_US,
    address_counter,
    busy_flag,
    function_set,
    set_cgram_address,
    set_ddram_address,
)
from lumek.core.picture import BLANKS
from lumek.core.values import is_whole
from lumek.errors import SettingError

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterable
    from typing import Any

    from lumek._driver import Driver
    from lumek.core.geometry import Geometry
    from lumek.core.instructions import Step
    from lumek.core.picture import Picture

Status = namedtuple("Status", ("busy", "address"))
"""What a controller said of itself: whether it is busy, and its address counter."""


def byte_of(value: "Any") -> int:
    """A byte that was given. Raises SettingError for anything else."""
    if not is_whole(value) or not 0 <= value <= 0xFF:
        raise SettingError(
            f"an instruction is a byte, 0x00 to 0xff, as lumek.core.instructions has them, not {quoted(value)}"
        )
    return int(value)


def bytes_of(data: "bytes | bytearray | int | Iterable[int]") -> bytes:
    """Data that were given, as bytes. Raises SettingError."""
    given: Any = (data,) if is_whole(data) else data
    try:
        return bytes([byte_of(value) for value in given])
    except (TypeError, SettingError):
        raise SettingError(f"data are bytes, or whole numbers from 0 to 255, not {quoted(data)}") from None


def send(driver: "Driver", number: int, rs: int, data: bytes) -> None:
    """Send bytes to a controller whose picture is known. Raises what the port raises, and repeats nothing."""
    timing = driver.timings[number]
    steps: list[Step] = [timing.write(data)] if rs else [timing.instruction(code) for code in data]
    shown = driver.shown
    assert shown is not None
    try:
        driver.send(steps)
    except FAILURES as problem:
        driver.health.failed(problem)
        raise
    shown[number].tag, shown[number].rs = None, rs
    for byte in data:
        known = _written(driver, number, byte) if rs else _executed(driver, number, byte)
        if not known:
            driver.doubt()
            return


def read(driver: "Driver", number: int, count: int) -> bytes:
    """Read data from where the address counter is, which then is further on."""
    shown, timing = (driver.shown or [])[number], driver.timings[number]
    if shown.counter is not None:  # after a write, the first byte would not be valid
        in_cgram, address = shown.counter < 0, driver.geometry.address_of
        code = set_cgram_address(~shown.counter) if in_cgram else set_ddram_address(address(shown.counter))
        driver.send([timing.instruction(code)])
    data = driver.read(1, count, timing.data_us, timing.enables)
    for _ in range(count):
        _step(shown)
    return data


def status(driver: "Driver", number: int) -> Status:
    """The busy flag, and the address counter once it has moved after the last byte."""
    timing = driver.timings[number]
    found = driver.read(0, 2, timing.scaled(SLOW_US), timing.enables)
    return Status(busy_flag(found[0]), address_counter(found[1]))


def _written(driver: "Driver", number: int, byte: int) -> bool:
    """What data make of the picture. Returns whether it is still known."""
    shown = (driver.shown or [])[number]
    if shown.counter is None:
        return False
    if shown.counter < 0:
        slot, row = divmod(~shown.counter, ROWS)
        if driver.geometry.tall and slot % 2:
            slot, row = slot - 1, row + ROWS
        rows = shown.glyphs[slot]
        if rows is not None and row < len(rows):
            shown.glyphs[slot] = rows[:row] + bytes((byte & ROW_BITS,)) + rows[row + 1 :]
    else:
        shown.codes[shown.counter] = byte
        if shown.scrolls:
            _shift(driver.geometry, shown, right=shown.leftward)
    _step(shown)
    return True


def _executed(driver: "Driver", number: int, code: int) -> bool:
    """What an instruction makes of the picture. Returns whether it is still known."""
    shown, geometry = (driver.shown or [])[number], driver.geometry
    if code & 0x80:
        address = code & 0x7F
        exists = address < 0x28 or 0x40 <= address < 0x68 if geometry.lines == 2 else address < 0x50
        shown.counter = geometry.index_of(address) if exists else None
    elif code & 0x40:
        shown.counter = ~(code & 0x3F)
    elif code & 0x20:
        wanted = function_set(driver.link.width == 8, geometry.lines == 2, geometry.tall)
        return (code ^ wanted) & (0x1C if geometry.lines == 1 else 0x18) == 0
    elif code & 0x10:
        if code & 0x08:
            _shift(geometry, shown, right=bool(code & 0x04))
        else:
            _step(shown, back=not code & 0x04)
    elif code & 0x08:
        shown.on, shown.underline, shown.blink = bool(code & 4), bool(code & 2), bool(code & 1)
    elif code & 0x04:
        shown.leftward, shown.scrolls = not code & 2, bool(code & 1)
    elif code:
        shown.shift, shown.counter = 0, 0
        if code == 1:
            shown.codes[:] = BLANKS
            shown.leftward = False
    return True


def _shift(geometry: "Geometry", shown: "Picture", right: bool) -> None:
    shown.shift = (shown.shift + (1 if right else -1)) % geometry.ring


def _step(shown: "Picture", back: "bool | None" = None) -> None:
    """Let the counter go on; in the direction of the entry mode, unless that is given."""
    step = -1 if (shown.leftward if back is None else back) else 1
    if shown.counter is not None and shown.counter < 0:
        shown.counter = ~((~shown.counter + step) % CGRAM)
    elif shown.counter is not None:
        shown.counter = (shown.counter + step) % len(shown.codes)
