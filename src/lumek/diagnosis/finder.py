"""A board of which nothing is known: which chip it has, and how its lines lead to the panel.

*By reading.* Where RW is wired, the panel is started under each known map, an address is set and read back. Under
another map that cannot succeed by chance: seven addresses, of which each bit is 0 and 1, come back as they were sent.
Display memory is put back as it was where the map is right.

*By eyes.* Where nothing can be read, the panel shows the number of each map in turn, and the user says which is seen.
A number that was seen once may stay while another map is tried, so the number that is named counts, not the moment.
"""

from collections.abc import Callable, Iterator
from typing import NamedTuple

from lumek.diagnosis.prober import Prober
from lumek.diagnosis.timed import TimedBackpack
from lumek.diagnosis.who_answers import has_registers
from lumek.errors import LumekError
from lumek.hookup.maps import MAPS, LineMap
from lumek.links.backpack import Backpack
from lumek.links.expanders import EXPANDERS, at_address
from lumek.panel import Panel
from lumek.protocols import Bus

Sees = Callable[[int, str], int | None]
"""(number, name of the map) -> the number that the user sees, 0 for none; None without a user to ask."""


class Board(NamedTuple):
    """What was found. how: "read" or "seen"."""

    expander: str
    map: str
    how: str


def chip_at(bus: Bus, address: int) -> str:
    """The expander at an address. Raises BusError."""
    registers = has_registers(bus, address)
    names = [name for name in at_address(address) if (EXPANDERS[name].registers is not None) == registers]
    return names[0] if names else at_address(address)[0]


def find_board(bus: Bus, address: int, size: str, sees: Sees) -> Board | None:
    """The chip and the map of a board; None when none was found. Raises BusError."""
    expander = chip_at(bus, address)
    for name, one in MAPS.items():
        if "rw" in one.lines and _answers(bus, address, expander, one, size):
            return Board(expander, name, "read")
    candidates = list(_by_eyes(expander, size))
    for number, (name, one) in enumerate(candidates, 1):
        try:
            panel = Panel(size, Backpack(bus, address, expander, one.lines, one.backlight_on))
            panel[:] = "\n".join([f"Map number {number}"] * panel.shape[0])
        except LumekError:
            continue
        seen = sees(number, name)
        if seen is None:
            return None
        if 1 <= seen <= len(candidates):
            return Board(expander, candidates[seen - 1][0], "seen")
    return None


def _answers(bus: Bus, address: int, expander: str, one: LineMap, size: str) -> bool:
    """Whether a panel under this map answers; its memory is as before."""
    prober = Prober(TimedBackpack(bus, address, expander, one.lines, one.backlight_on), size)
    try:
        prober.wake()
        return prober.works() and prober.display_memory().wrong == 0
    except LumekError:
        return False


def _by_eyes(expander: str, size: str) -> Iterator[tuple[str, LineMap]]:
    """The maps that are tried, the usual ones of the chip first."""
    wide = size == "40x4"
    usual = EXPANDERS[expander].lines
    for name, one in sorted(MAPS.items(), key=lambda item: item[1].lines is not usual):
        if ("e2" in one.lines) == wide:
            yield name, one
