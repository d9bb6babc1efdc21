"""How a panel's memory comes back over the wires, and the text in it. Loaded when it is asked for.

Source: HD44780U data sheet, "Read data from CG or DDRAM" and "Read busy flag and address".
"""

from collections import namedtuple

from lumek.core.cells import text_of
from lumek.core.geometry import CGRAM, MEMORY
from lumek.core.glyph import ROW_BITS, ROWS
from lumek.core.instructions import SLOW_US, address_counter, entry_mode_set, set_cgram_address, set_ddram_address
from lumek.core.repaint import known_slots
from lumek.core.slots import COUNT, FIRST

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Sequence

    from lumek._driver import Driver
    from lumek.core.cells import Cells
    from lumek.core.instructions import Step
    from lumek.roms.rom import Rom

UNKNOWN = "\ufffd"
"""The text of a code that draws no known character."""

Memory = namedtuple("Memory", ("ddram", "cgram", "address"))
"""What was read from a controller: 80 bytes in the order in which its address counter walks, 64 bytes, an address."""


def memory_of(driver: "Driver", number: int) -> Memory:
    """The memory of a controller. Its address counter is elsewhere then: let the driver show everything again.

    number: 0, or 1 for the second controller.
    The driver must know what is shown.
    """
    status = _status(driver, number)
    driver.synchronise(shift=False)
    cgram = _read(driver, number, set_cgram_address(0), CGRAM)
    return Memory(_read(driver, number, set_ddram_address(0), MEMORY), cgram, address_counter(status))


def verified(driver: "Driver") -> None:
    """Compare all memory and the address counters with what they should be, and write again what differs."""
    counters(driver)
    driver.synchronise(shift=True)
    for number, shown in enumerate(driver.shown or ()):
        compared(driver, number, range(MEMORY), known_slots(shown))


def counters(driver: "Driver") -> None:
    """Count the address counters that are not where they should be."""
    for number, shown in enumerate(driver.shown or ()):
        expected = shown.counter
        if expected is not None and expected >= 0:
            _repaired(driver, address_counter(_status(driver, number)) != driver.geometry.address_of(expected))


def compared(driver: "Driver", number: int, cells: range, slots: "list[int]") -> None:
    """Read these cells and slots of a controller, and write those again that differ."""
    assert driver.shown is not None
    shown = driver.shown[number]
    counter, leftward = shown.counter, shown.leftward
    wrong: list[int] = []
    if cells:
        found = _read(driver, number, set_ddram_address(driver.geometry.address_of(cells[0])), len(cells))
        wrong = [index for index, code in zip(cells, found) if code != shown.codes[index]]  # noqa: B905  MicroPython
    redrawn, wrong_rows = [], 0
    for slot in slots:
        rows = shown.glyphs[slot] or b""
        found = _read(driver, number, set_cgram_address(slot * ROWS), len(rows))
        different = sum([byte & ROW_BITS != row for byte, row in zip(found, rows)])  # noqa: B905
        if different:
            redrawn.append(slot)
            wrong_rows += different
    _repaired(driver, len(wrong) + wrong_rows)
    if leftward:
        driver.send([driver.timings[number].instruction(entry_mode_set(increment=False))])
    shown.counter, shown.leftward = counter, leftward
    driver.write_again(number, wrong, redrawn)


def _repaired(driver: "Driver", count: int) -> None:
    if count:
        driver.health.repaired += count
        driver.health.tell("the panel's memory was not as it should be, and was repaired")


def _status(driver: "Driver", number: int) -> int:
    """Its status, once the counter has moved: after the longest instruction, which may be going on."""
    timing = driver.timings[number]
    return driver.read(0, 2, timing.scaled(SLOW_US), timing.enables)[1]


def _read(driver: "Driver", number: int, address: int, count: int) -> bytes:
    """Bytes from an address on; the counter is then anywhere. Reading moves it as the entry mode says: it counts up."""
    assert driver.shown is not None
    shown, timing = driver.shown[number], driver.timings[number]
    steps: list[Step] = []
    if shown.leftward:
        steps.append(timing.instruction(entry_mode_set()))
    steps.append(timing.instruction(address))
    shown.counter, shown.leftward = None, False
    driver.send(steps)
    return driver.read(1, count, timing.data_us, timing.enables)


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
                at = code % COUNT * ROWS
                if bytes([byte & ROW_BITS for byte in cgram[at : at + len(rows_wanted)]]) == rows_wanted:
                    character = text_of(content)
            line += character or UNKNOWN
        rows.append(line)
    return rows
