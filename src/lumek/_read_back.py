"""How a panel's memory comes back over the wires, and the text in it. Loaded when it is asked for.

Source: HD44780U data sheet, "Read data from CG or DDRAM" and "Read busy flag and address".
"""

from collections import namedtuple

from lumek._harmless import quoted
from lumek.core.cells import text_of
from lumek.core.geometry import MEMORY, is_whole
from lumek.core.instructions import (
    READ_STATUS_US,
    address_counter,
    entry_mode_set,
    set_cgram_address,
    set_ddram_address,
)
from lumek.core.slots import COUNT, FIRST
from lumek.errors import HookupError, PlaceError

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Sequence

    from lumek._driver import Driver
    from lumek.core.cells import Cells
    from lumek.roms.rom import Rom

CGRAM = 64

UNKNOWN = "\ufffd"
"""The text of a code that draws no known character."""

ROW_BITS = 0x1F

Memory = namedtuple("Memory", ("ddram", "cgram", "address"))
"""What was read from a controller: 80 bytes in the order in which its address counter walks, 64 bytes, an address."""


def memory_of(driver: "Driver", number: int) -> Memory:
    """The memory of a controller. Its address counter is elsewhere then: let the driver show everything again.

    number: 0, or 1 for the second controller.
    Raises PlaceError for a controller that is not there, HookupError when RW is not wired.
    """
    if not is_whole(number) or not 0 <= number < len(driver.timings):
        raise PlaceError(f"controller {quoted(number)} does not exist: this panel has {len(driver.timings)}, from 0")
    if not driver.link.can_read:
        raise HookupError("nothing can be read from this panel: its RW pin is grounded, or has no line given as 'rw'")
    timing = driver.timings[number]
    shown, driver.shown = driver.shown, None
    if not shown or shown[number].leftward:  # reading, too, moves the address counter as the entry mode says
        driver.link.send([timing.instruction(entry_mode_set())])
    status = driver.link.read(0, 1, READ_STATUS_US, timing.enables)[0]
    parts = []
    for address, count in ((set_cgram_address(0), CGRAM), (set_ddram_address(0), MEMORY)):
        driver.link.send([timing.instruction(address)])
        parts.append(driver.link.read(1, count, timing.data_us, timing.enables))
    if shown:
        shown[number].counter, shown[number].leftward = 0, False
    driver.shown = shown
    return Memory(parts[1], parts[0], address_counter(status))


def text_in(memories: "Sequence[Memory]", cells: "Cells", rom: "Rom") -> list[str]:
    """The characters, row by row, that the memory of each controller draws; UNKNOWN where none is known."""
    rows = []
    for controller, indexes in cells.places():
        ddram, cgram, _ = memories[controller]
        line = ""
        for index in indexes:
            code = ddram[index]
            character = rom.character(code)
            content, rows_wanted = cells.written(controller, index)
            if code < FIRST and rows_wanted is not None:
                at = code % COUNT * 8
                if bytes([byte & ROW_BITS for byte in cgram[at : at + 8]]) == rows_wanted:
                    character = text_of(content)
            line += character or UNKNOWN
        rows.append(line)
    return rows
