"""Which lines and buses a hookup uses, and what hangs on them."""

import re
from collections.abc import Iterator
from dataclasses import dataclass, field

from lumek.hookup.file import ONLY, Hookup
from lumek.hookup.formulas import BOARD_PF, SHIFTER_OHMS, Pullup, high_level
from lumek.hookup.keys import GPIO_CHIP
from lumek.hookup.maps import PWM_LINES
from lumek.hookup.model import HostTable, ModuleTable
from lumek.hookup.parts import CONTROLLER, PARTS
from lumek.hookup.wiring import BackpackTable, DirectTable, RegisterTable

HOST = "the host"


@dataclass(frozen=True)
class Side:
    """The part of an I2C bus on one side of a level shifter, or all of it.

    panels: those on it.
    pullups: of SDA, and the same of SCL.
    pf: its capacitance; capacitance: what that is made of.
    has_host: whether the host is on it.
    """

    name: str
    panels: tuple[str, ...]
    pullups: tuple[Pullup, ...]
    pf: float
    capacitance: str
    has_host: bool


@dataclass(frozen=True)
class NetEnd:
    """A part at the end of a net: its name, its panel, and the highest voltage that it tolerates there."""

    part: str
    panel: str
    bears: float


@dataclass
class Net:
    """What is joined by wires: the levels that are driven onto it, by whom, and the parts that must tolerate them."""

    name: str
    driven: dict[str, float] = field(default_factory=dict)
    ends: set[NetEnd] = field(default_factory=set)

    @property
    def high(self) -> tuple[float, str]:
        """The highest level, and what drives it; nothing where it is not driven."""
        return max(((volts, who) for who, volts in self.driven.items()), default=(0.0, ""))


def signal_nets(hookup: Hookup) -> list[Net]:
    """The nets of GPIO lines and of the outputs of registers."""
    nets: dict[tuple[str, int | str], Net] = {}

    def net(port: str, line: int | str) -> Net:
        return nets.setdefault((port, line), Net(f"line {line} of {port}"))

    for name, module in hookup.panels.items():
        wiring = module.hookup
        if isinstance(wiring, DirectTable):
            reads = "rw" in wiring.roles
            for role, line in wiring.roles.items():
                if role != "backlight":
                    number = number_of(hookup, line)
                    near, far = net(wiring.chip, number), net(f"{wiring.chip}, behind the level shifter", number)
                    _signal(hookup, name, near, far if wiring.level_shifter else near, reads and role[0] == "d")
        elif isinstance(wiring, RegisterTable):
            part, supply = PARTS[wiring.part], register_volts(hookup, wiring)
            leads = Net(wiring.leads)
            if wiring.level_shifter:
                leads.driven["the level shifter"] = supply
            elif hookup.host:
                leads.driven[HOST] = hookup.host.logic_volts
            leads.ends.add(NetEnd(f"the {part.name}", name, part.bears(supply)))
            nets[f"{wiring.leads}, for {name}", ""] = leads
            for line in wiring.roles.values():
                outputs = net(f"the {part.name} on {wiring.leads}", line)
                outputs.driven[f"the {part.name}"] = supply
                outputs.ends.add(_controller(name, module))
    return [net for net in nets.values() if net.ends]


def _signal(hookup: Hookup, name: str, near: Net, far: Net, answers: bool) -> None:
    """Join host and panel by a line, on two nets where a level shifter is between them; `answers`: both drive it."""
    module, host = hookup.panels[name], hookup.host
    if far is not near:
        far.driven["the level shifter"] = module.volts
    if host:
        near.driven[HOST] = host.logic_volts
        if answers:
            near.ends.add(_host(host))
    if answers:
        far.driven["the panel" if name == ONLY else f"panel {name!r}"] = module.volts
    far.ends.add(_controller(name, module))


def _host(host: HostTable) -> NetEnd:
    return NetEnd(HOST, "", host.bears_volts)


def _controller(name: str, module: ModuleTable) -> NetEnd:
    return NetEnd(f"the {CONTROLLER.name}", name, CONTROLLER.bears(module.volts))


def bus_net(hookup: Hookup, bus: int, side: Side) -> Net:
    """SDA, and the same of SCL, on one side of an I2C bus."""
    net = Net(f"bus {bus}{f', {side.name}' if side.name else ''}", {"pull-ups": high_level(side.pullups)})
    for name in side.panels:
        wiring, volts = on_bus(hookup)[bus][name], hookup.panels[name].volts
        net.ends.add(NetEnd(f"the {PARTS[wiring.part].name}", name, PARTS[wiring.part].bears(volts)))
    if hookup.host and side.has_host:
        net.ends.add(_host(hookup.host))
    return net


def register_volts(hookup: Hookup, wiring: RegisterTable) -> float:
    """The supply of a register: that of the first panel on it."""
    return next(module.volts for module in hookup.panels.values()
                if isinstance(module.hookup, RegisterTable) and module.hookup.leads == wiring.leads)  # fmt: skip


def uses(hookup: Hookup, name: str) -> Iterator[tuple[str, str, int | str]]:
    """(port, role, line) for all lines that a panel uses: of a GPIO chip, an expander, a register or a PWM chip."""
    module = hookup.panels[name]
    wiring = module.hookup
    if isinstance(wiring, DirectTable):
        port = wiring.chip
    elif isinstance(wiring, BackpackTable):
        port = f"the {wiring.part.upper()} at {wiring.at:#04x} on bus {wiring.bus}"
    else:
        port = f"the {wiring.part.upper()} on {wiring.leads}"
    for role, line in wiring.roles.items():
        yield port, role, number_of(hookup, line) if isinstance(wiring, DirectTable) else line
    if isinstance(wiring, RegisterTable) and wiring.serial:
        for role, line in wiring.serial.roles.items():
            yield wiring.chip, role, number_of(hookup, line)
    if module.backlight.line is not None:
        yield module.backlight.chip, "backlight", number_of(hookup, module.backlight.line)
    colours = ("red", "green", "blue") if module.backlight.lamps == 3 else ("backlight",)
    channels = dict(zip(colours, module.backlight.channels, strict=False))
    if module.contrast.pwm:
        channels["contrast"] = module.contrast.pwm
    for role, (chip, channel) in channels.items():
        pwm = pwm_line(hookup, chip, channel)
        yield (f"PWM chip {chip}", role, channel) if pwm is None else (GPIO_CHIP, role, pwm)


def pwm_line(hookup: Hookup, chip: int, channel: int) -> int | None:
    """The line on which the usual header has a PWM channel; None where it has none."""
    return PWM_LINES.get(channel) if hookup.host and hookup.host.header and chip == 0 else None


def number_of(hookup: Hookup, line: int | str) -> int | str:
    """A line by its number, also when it is given as "GPIO10" on a host with the usual header."""
    usual = (
        re.fullmatch(r"GPIO(\d{1,4})", line) if isinstance(line, str) and hookup.host and hookup.host.header else None
    )
    return int(usual[1]) if usual else line


def on_bus(hookup: Hookup) -> dict[int, dict[str, BackpackTable]]:
    """The panels on each I2C bus."""
    buses: dict[int, dict[str, BackpackTable]] = {}
    for name, module in hookup.panels.items():
        if isinstance(module.hookup, BackpackTable):
            buses.setdefault(module.hookup.bus, {})[name] = module.hookup
    return buses


def buses_in_use(hookup: Hookup) -> set[str]:
    """The buses of the host that the file uses, or says to be in use: "i2c-1", "spi-0"."""
    spi = {f"spi-{wiring.spi[0]}" for module in hookup.panels.values()
           if isinstance(wiring := module.hookup, RegisterTable) and wiring.spi}  # fmt: skip
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
            _side(hookup, "panels' side", far, [Pullup(volts, SHIFTER_OHMS, "level shifter")], 1, False),
        ]
    return [_side(hookup, "", near, of_host, 1 + others)]


def _side(
    hookup: Hookup,
    name: str,
    panels: dict[str, BackpackTable],
    pullups: list[Pullup],
    others: int,
    has_host: bool = True,
) -> Side:
    boards = len(panels) + others
    cable = sum(panel.metres * panel.pf_per_metre for panel in panels.values())
    own = [Pullup(hookup.panels[one].volts, panel.pullup_ohms, one)
           for one, panel in panels.items() if panel.pullup_ohms]  # fmt: skip
    return Side(name, tuple(panels), (*pullups, *own), boards * BOARD_PF + cable,
                f"{boards} boards of {BOARD_PF:.0f} and {cable:.0f} of cable", has_host)  # fmt: skip
