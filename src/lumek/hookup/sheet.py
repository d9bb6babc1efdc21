"""The wiring table: every wire that is to be plugged in, in the order in which one does it.

Ground comes first and the supply last, so that nothing is fed through its signals. What the table says of lines, pads
and outputs comes from the same tables of the file that `attach` drives.
"""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Literal

from lumek.hookup.colours import COLOURS, supply_colour
from lumek.hookup.file import Hookup
from lumek.hookup.formulas import ohms_text
from lumek.hookup.maps import BUSES, OUTPUTS, POSITIONS, PWM_ELSEWHERE, REGISTER_PINS
from lumek.hookup.model import ModuleTable
from lumek.hookup.nets import number_of, pwm_line
from lumek.hookup.wiring import BackpackTable, DirectTable, RegisterTable
from lumek.roms import rom_named

Kind = Literal["ground", "supply", "host", "register", "potentiometer", "open", "pads"]

GROUND_POSITION, SUPPLY_POSITIONS = 6, {5.0: 2, 3.3: 1}
"""Of the usual header."""

SUPPLY_NAMES = {5.0: ("VBUS", "VIN", "5V", "VSYS"), 3.3: ("3V3",)}
"""What the supplies of a board are called."""

FTDI_PINS = {"SCL": "D0", "SDA": "D1 + D2"}
"""The bus of an FTDI chip. Source: the documentation of pyftdi, "I2C", "Wiring"."""


@dataclass(frozen=True)
class End:
    """Where a wire goes.

    kind: "ground"; "supply"; "host", a line or signal of it; "register", an output of it; "potentiometer", its wiper;
        "open"; "pads", which are set and not wired.
    name: as it is called there.
    position: on the header, or in the drawing of a board, if it has one.
    line: number or name of a GPIO line, or the output of a register.
    numbered: whether the position is one of a header.
    """

    kind: Kind
    name: str
    position: int | None = None
    line: int | str | None = None
    numbered: bool = True

    def __str__(self) -> str:
        return f"header {self.position} ({self.name})" if self.position and self.numbered else self.name


@dataclass(frozen=True)
class Wire:
    """One row of the table.

    panel: its name in the file.
    part: what has the pin: "panel", "backpack", "register" or "level shifter".
    pin: its number there, if it has one that is known.
    name: of the pin.
    to: where the wire goes.
    through: what it goes through from the pin on: "level shifter", "100 ohm", "NPN", "PNP", "RC".
    emitter: where that of the transistor goes, if there is one.
    """

    panel: str
    part: str
    pin: int | None
    name: str
    to: End
    colour: str
    note: str = ""
    through: tuple[str, ...] = ()
    emitter: End | None = None

    @property
    def goes(self) -> str:
        """The whole way, in words."""
        ways = [WAYS.get(one, one).format(emitter=self.emitter) for one in self.through]
        return ", then ".join((*ways, str(self.to)))


WAYS = {
    "RC": "1 kohm, with 10 uF from VO to GND",
    "NPN": "the collector of an NPN transistor (emitter to {emitter}, base through 1 kohm)",
    "PNP": "the collector of a PNP transistor (emitter to {emitter}, base through 1 kohm)",
}
"""What parts of a way are, in words."""


def title(hookup: Hookup, name: str) -> str:
    """Size, mode and address of a panel."""
    module, wiring = hookup.panels[name], hookup.panels[name].hookup
    if isinstance(wiring, BackpackTable):
        on = hookup.board_words or f"I2C bus {wiring.bus}"
        how = f"{wiring.part.upper()} at {wiring.at:#04x} on {on}"
    elif isinstance(wiring, DirectTable):
        how = f"pins of {hookup.board_words}" if hookup.board else f"lines of {wiring.chip}"
    else:
        how = f"{wiring.part.upper()} on {wiring.leads}"
    return f"{module.size}, ROM {rom_named(module.rom).name}, {module.volts:g} V, {module.width}-bit, {how}"


def wires(hookup: Hookup, name: str) -> list[Wire]:
    """The wires of a panel: grounds, then signals, then supplies.

    Those of a register that several panels share, and of the level shifter, are the first one's.
    """
    module, wiring = hookup.panels[name], hookup.panels[name].hookup
    before = list(hookup.panels.values())[: list(hookup.panels).index(name)]
    rows = list(_backpack(hookup, name, wiring) if isinstance(wiring, BackpackTable) else _panel(hookup, name))
    registers = {one.hookup.leads for one in before if isinstance(one.hookup, RegisterTable)}
    if isinstance(wiring, RegisterTable) and wiring.leads not in registers:
        rows += _register(hookup, name, wiring)
    if wiring.level_shifter and not any(one.hookup.level_shifter for one in before):
        logic = hookup.host.logic_volts if hookup.host else 3.3
        rows += [
            Wire(name, "level shifter", None, "GND", ground(hookup), "black"),
            Wire(name, "level shifter", None, "LV", supply(hookup, logic), supply_colour(logic), "the host's level"),
            Wire(
                name,
                "level shifter",
                None,
                "HV",
                supply(hookup, module.volts),
                supply_colour(module.volts),
                "the panel's level",
            ),
        ]
    order = {"pads": 0, "ground": 1, "supply": 3}
    return sorted(rows, key=lambda wire: 4 if wire.note.startswith(LAST) else order.get(wire.to.kind, 2))


def ground(hookup: Hookup) -> End:
    """Ground, at one of its positions."""
    board = hookup.known_board
    if board is not None:
        return End("ground", "GND", board.position("GND"), None, False)
    return End("ground", "GND", GROUND_POSITION if hookup.host and hookup.host.header else None)


def colour_at(end: End) -> str:
    """The colour of the wires of ground or of a supply."""
    return "black" if end.kind == "ground" else supply_colour(float(end.name.removesuffix(" V")))


def supply(hookup: Hookup, volts: float) -> End:
    """A supply of that voltage."""
    board = hookup.known_board
    if board is not None:
        names = SUPPLY_NAMES.get(volts, ())
        return End("supply", f"{volts:g} V", board.position(*names), None, False)
    position = SUPPLY_POSITIONS.get(volts) if hookup.host and hookup.host.header else None
    return End("supply", f"{volts:g} V", position)


def line_end(hookup: Hookup, line: int | str) -> End:
    """A GPIO line."""
    board = hookup.known_board
    if board is not None:
        name = board.pin(line) or str(line)
        return End("host", f"pin {name}", board.position(name), name, False)
    number = number_of(hookup, line)
    position = POSITIONS.get(number) if hookup.host and hookup.host.header and isinstance(number, int) else None
    label = f"D{line}" if isinstance(line, int) and hookup.board_kind == "FTDI chip" else line
    return End("host", f"{'pin' if hookup.board else 'line'} {label}", position, number)


def pwm_end(hookup: Hookup, chip: int, channel: int) -> End:
    """A PWM channel: where the header has it."""
    line = pwm_line(hookup, chip, channel)
    if line is None:
        return End("host", f"PWM channel {channel} of chip {chip}")
    return End("host", f"line {line}{PWM}{channel}", POSITIONS[line], line)


def pwm_note(end: End) -> str:
    """Where else the header may have a PWM channel."""
    line = PWM_ELSEWHERE.get(end.line) if isinstance(end.line, int) and PWM in end.name else None
    return f"or header {POSITIONS[line]} (line {line}), as the host is set up" if line is not None else ""


def signal_end(hookup: Hookup, bus: str, signal: str, otherwise: str) -> End:
    """A signal of a bus of the host: where the header has it, or as it is called otherwise."""
    line = BUSES.get(bus, {}).get(signal) if hookup.host and hookup.host.header else None
    if line is None:
        return End("host", f"{signal} of {otherwise}")
    return End("host", f"line {line}, {signal}", POSITIONS[line], line)


def _backpack(hookup: Hookup, name: str, wiring: BackpackTable) -> Iterator[Wire]:
    module = hookup.panels[name]
    shifted = ("level shifter",) if wiring.level_shifter else ()
    pads = ", ".join(f"A{pad} {'open' if wiring.at >> pad & 1 else 'bridged'}" for pad in (2, 1, 0))
    yield Wire(name, "backpack", None, "pads", End("pads", pads), "",
               f"together {wiring.at:#04x}; 'lumek scan' shows the address that answers")  # fmt: skip
    yield Wire(name, "backpack", None, "GND", ground(hookup), "black", FIRST)
    pulled = f"{ohms_text(wiring.pullup_ohms)} to {module.volts:g} V" if wiring.pullup_ohms else "no pull-ups"
    notes = {"SDA": "if swapped with SCL, no device answers", "SCL": f"on the backpack: {pulled}"}
    for signal, note in notes.items():
        if hookup.known_board is not None and hookup.host is not None:
            pin = line_end(hookup, hookup.host.bus_pins[signal == "SCL"])
            to = End("host", f"{pin.name} ({signal} of I2C{hookup.host.bus})", pin.position, pin.line, False)
            yield Wire(name, "backpack", None, signal, to, COLOURS[signal], note, shifted)
            continue
        place = "the board" if hookup.board else f"I2C bus {wiring.bus}"
        if hookup.board_kind == "FTDI chip":
            place = f"the chip, {FTDI_PINS[signal]}"
        to = signal_end(hookup, f"i2c-{wiring.bus}", signal, place)
        yield Wire(name, "backpack", None, signal, to, COLOURS[signal], note, shifted)
    fed = list(_fed(hookup, module)) if "backlight" not in wiring.roles else []
    for colour, control, _ in fed:
        yield Wire(
            name,
            "backpack",
            None,
            f"LED{colour}",
            control,
            "grey",
            "at the lamp's pin of the backlight jumper, which comes off; its other pin is at the supply",
        )
    jumper = "; the backlight jumper stays on" if module.backlight.fitted and not fed else ""
    volts = supply(hookup, module.volts)
    yield Wire(name, "backpack", None, "VCC", volts, colour_at(volts), f"{LAST}{jumper}")


def _panel(hookup: Hookup, name: str) -> Iterator[Wire]:
    module, wiring = hookup.panels[name], hookup.panels[name].hookup
    numbered = module.numbered

    def wire(pin: str, to: End, note: str = "", through: tuple[str, ...] = (), emitter: End | None = None) -> Wire:
        note = note or NOTES.get(pin, "")
        colour = COLOURS.get(pin.split()[0].upper()) or colour_at(to)
        if pin == "a" and to.kind == "supply":  # as its supply, but striped
            colour = colour_at(to) if "-" in colour_at(to) else f"{colour_at(to)}-white"
        return Wire(name, "panel", numbered.get(pin), pin.upper(), to, colour, note, through, emitter)

    yield wire("vss", ground(hookup), FIRST)
    if module.contrast.pwm:
        to = pwm_end(hookup, *module.contrast.pwm)
        yield wire("vo", to, pwm_note(to), ("RC",))
    else:
        note = f"; at {module.volts:g} V many glasses stay pale" if module.volts < 4.5 else ""
        to = End(
            "potentiometer", f"wiper of {ohms_text(module.contrast.potentiometer_ohms)}, GND to {module.volts:g} V"
        )
        yield wire("vo", to, f"if the panel is blank or all blocks, turn it{note}")
    for role in ("rs", "rw", "e", "e2", *(f"d{bit}" for bit in range(8))):
        line = wiring.roles.get(role)
        if line is None:
            if role == "rw":
                yield wire(role, ground(hookup), "left open, the panel may drive its data pins against the host")
            elif role[0] == "d" and role < "d4" and module.width == 4:
                yield wire(role, End("open", "stays open"), "4-bit mode takes D4 to D7" if role == "d0" else "")
        elif isinstance(wiring, RegisterTable):
            output, pin = OUTPUTS.get(line, ("", None)) if isinstance(line, int) else ("", None)
            note = "held low: a register reads nothing" if role == "rw" else ""
            yield wire(role, End("register", f"{output} of the register, its pin {pin}", None, line), note)
        else:
            yield wire(role, line_end(hookup, line), "", ("level shifter",) if wiring.level_shifter else ())
    if module.backlight.fitted:
        yield from _lamps(hookup, module, wire)
    yield wire("vdd", supply(hookup, module.volts), LAST)


def _lamps(hookup: Hookup, module: ModuleTable, wire: Callable[..., Wire]) -> Iterator[Wire]:
    resistors = [() if module.resistor_on_board else (ohms_text(module.series_ohms(lamp)),)
                 for lamp in range(module.backlight.lamps)]  # fmt: skip
    fed = list(_fed(hookup, module))
    feed = supply(hookup, module.lamp_supply)
    if not fed:
        yield wire("k", ground(hookup))
        yield wire("a", feed, "", resistors[0])
    elif fed[0][2]:
        for (colour, control, _), resistor in zip(fed, resistors, strict=False):
            # One lamp has its resistor at A, three share A.
            notes = [pwm_note(control), "the module's data sheet has the pin" if colour == " red" else ""]
            yield wire(
                f"k{colour}",
                control,
                "; ".join(note for note in notes if note),
                (*(resistor if colour else ()), "NPN"),
                ground(hookup),
            )
        yield wire("a", feed, "", () if fed[0][0] else resistors[0])
    else:
        yield wire("k", ground(hookup))
        for (colour, control, _), resistor in zip(fed, resistors, strict=False):
            yield wire(f"a{colour}", control, pwm_note(control), (*resistor, "PNP"), feed)


def _fed(hookup: Hookup, module: ModuleTable) -> Iterator[tuple[str, End, int]]:
    """(colour, what switches it, the level at which it is lit) of each lamp that is switched."""
    wiring, light = module.hookup, module.backlight
    line = wiring.roles.get("backlight")
    if line is not None and isinstance(wiring, RegisterTable):
        output, pin = OUTPUTS.get(line, ("", None)) if isinstance(line, int) else ("", None)
        yield "", End("register", f"{output} of the register, its pin {pin}", None, line), wiring.lit_at
    elif line is not None:
        yield "", line_end(hookup, line), wiring.lit_at
    elif light.line is not None:
        yield "", line_end(hookup, light.line), light.on
    elif light.led is not None:
        colours = (" red", " green", " blue") if light.coloured else ("",)
        yield from ((colour, End("host", f"LED {light.led!r}{colour}"), 1) for colour in colours)
    else:
        colours = (" red", " green", " blue") if len(light.channels) == 3 else ("",)
        for colour, (chip, channel) in zip(colours, light.channels, strict=False):
            yield colour, pwm_end(hookup, chip, channel), 1 - light.inverted


def _register(hookup: Hookup, name: str, wiring: RegisterTable) -> Iterator[Wire]:
    shifted = ("level shifter",) if wiring.level_shifter else ()

    def wire(pin: str, to: End, note: str = "", through: tuple[str, ...] = ()) -> Wire:
        return Wire(name, "register", REGISTER_PINS[pin], pin, to, COLOURS.get(pin) or colour_at(to), note, through)

    volts = supply(hookup, hookup.panels[name].volts)
    yield wire("GND", ground(hookup))
    yield wire("OE", ground(hookup), "left open, its outputs may be off")
    for pin, signal in (("SER", "MOSI"), ("SRCLK", "SCLK"), ("RCLK", "CE")):
        if wiring.serial:
            line = {"SER": wiring.serial.data, "SRCLK": wiring.serial.clock, "RCLK": wiring.serial.latch}[pin]
            yield wire(pin, line_end(hookup, line), "", shifted)
        else:
            bus, device = wiring.spi or (0, 0)
            signal = f"{signal}{device}" if signal == "CE" else signal
            yield wire(pin, signal_end(hookup, f"spi-{bus}", signal, f"SPI {bus}"), "", shifted)
    yield wire("SRCLR", volts, "left open, it may clear itself")
    yield wire("VCC", volts, "100 nF from here to GND, close to it")


PWM = ", PWM "

FIRST = "first; a rail joins everything that goes to GND"
LAST = "last, with the host off"

NOTES = {
    "rs": "next to RW: do not mix them up",
    "rw": "so that the busy flag can be read",
    "e": "the panel takes data as it falls: keep this wire short",
    "e2": "E of the lower two rows",
    "d4": "the first of four, not D0",
}
"""Where people go wrong."""
