"""Which lines and buses a hookup uses, and what hangs on them."""

import re
from collections.abc import Iterator
from dataclasses import dataclass

from lumek.hookup.electric import BOARD_PF, SHIFTER_OHMS, Pullup
from lumek.hookup.file import Hookup
from lumek.hookup.wiring import Backpack, Direct, Register


@dataclass(frozen=True)
class Side:
    """The part of an I2C bus on one side of a level shifter, or all of it.

    panels: those on it. pullups: of SDA, and the same of SCL. pf: its capacitance; capacitance: what that is made of.
    """

    name: str
    panels: tuple[str, ...]
    pullups: tuple[Pullup, ...]
    pf: float
    capacitance: str


def uses(hookup: Hookup, name: str) -> Iterator[tuple[str, str, int | str]]:
    """(port, role, line) for all lines that a panel uses: of a GPIO chip, an expander, a register or a PWM chip."""
    module = hookup.panels[name]
    wiring = module.hookup
    if isinstance(wiring, Direct):
        port = wiring.chip
    elif isinstance(wiring, Backpack):
        port = f"the {wiring.part.upper()} at {wiring.at:#04x} on bus {wiring.bus}"
    else:
        port = f"the {wiring.part.upper()} on {wiring.leads}"
    for role, line in wiring.roles.items():
        yield port, role, number_of(hookup, line) if isinstance(wiring, Direct) else line
    if isinstance(wiring, Register) and wiring.serial:
        for role, line in wiring.serial.roles.items():
            yield wiring.chip, role, number_of(hookup, line)
    if module.backlight.line is not None:
        yield module.backlight.chip, "backlight", number_of(hookup, module.backlight.line)
    colours = ("red", "green", "blue") if module.backlight.lamps == 3 else ("backlight",)
    for colour, (chip, channel) in zip(colours, module.backlight.channels, strict=False):
        yield f"PWM chip {chip}", colour, channel
    if module.contrast.pwm:
        yield f"PWM chip {module.contrast.pwm[0]}", "contrast", module.contrast.pwm[1]


def number_of(hookup: Hookup, line: int | str) -> int | str:
    """A line by its number, also when it is given as "GPIO10" on a host with the usual header."""
    usual = (
        re.fullmatch(r"GPIO(\d{1,4})", line) if isinstance(line, str) and hookup.host and hookup.host.header else None
    )
    return int(usual[1]) if usual else line


def on_bus(hookup: Hookup) -> dict[int, dict[str, Backpack]]:
    """The panels on each I2C bus."""
    buses: dict[int, dict[str, Backpack]] = {}
    for name, module in hookup.panels.items():
        if isinstance(module.hookup, Backpack):
            buses.setdefault(module.hookup.bus, {})[name] = module.hookup
    return buses


def buses_in_use(hookup: Hookup) -> set[str]:
    """The buses of the host that the file uses, or says to be in use: "i2c-1", "spi-0"."""
    spi = {f"spi-{wiring.spi[0]}" for module in hookup.panels.values()
           if isinstance(wiring := module.hookup, Register) and wiring.spi}  # fmt: skip
    return {f"i2c-{bus}" for bus in on_bus(hookup)} | spi | set(hookup.host.buses if hookup.host else ())


def bus_sides(hookup: Hookup, bus: int) -> list[Side]:
    """The sides of an I2C bus, that of the host first; a second one when there is a level shifter."""
    panels = on_bus(hookup)[bus]
    near = {name: panel for name, panel in panels.items() if not panel.level_shifter}
    far = {name: panel for name, panel in panels.items() if panel.level_shifter}
    others = len({address for panel in panels.values() for address in panel.other_addresses})
    of_host = []
    if hookup.host and (ohms := hookup.host.pullup_of(bus)):
        of_host.append(Pullup(hookup.host.logic_volts, ohms, "host"))
    if far:
        logic, volts = hookup.host.logic_volts if hookup.host else 3.3, hookup.panels[next(iter(far))].volts
        of_host.append(Pullup(logic, SHIFTER_OHMS, "level shifter"))
        return [
            _side(hookup, "host's side", near, of_host, 2 + others),
            _side(hookup, "panels' side", far, [Pullup(volts, SHIFTER_OHMS, "level shifter")], 1),
        ]
    return [_side(hookup, "", near, of_host, 1 + others)]


def _side(hookup: Hookup, name: str, panels: dict[str, Backpack], pullups: list[Pullup], others: int) -> Side:
    boards = len(panels) + others
    cable = sum(panel.metres * panel.pf_per_metre for panel in panels.values())
    own = [Pullup(hookup.panels[one].volts, panel.pullup_ohms, one)
           for one, panel in panels.items() if panel.pullup_ohms]  # fmt: skip
    return Side(name, tuple(panels), (*pullups, *own), boards * BOARD_PF + cable,
                f"{boards} boards of {BOARD_PF:.0f} and {cable:.0f} of cable")  # fmt: skip
