"""The small modules of a board that follow from a hookup file: how its panels are made, and a program to begin with."""

from collections.abc import Sequence

from lumek.core.instructions import SLOWEST_HZ
from lumek.errors import HookupError
from lumek.hookup.boards import BOARDS, CIRCUITPYTHON
from lumek.hookup.file import Hookup
from lumek.hookup.model import HostTable, ModuleTable
from lumek.hookup.wiring import BackpackTable, DirectTable, RegisterTable

WIRE = """class Wire:
    writeto = staticmethod(i2c.write)

    @staticmethod
    def readfrom_into(address, data):
        data[:] = i2c.read(address, len(data))
"""
"""The bus of a micro:bit, as other boards have it."""


class Written:
    """The modules for one hookup.

    entries: name in `lumek` on the board -> full name, of what the modules import.
    hookup: the text of the module with `panel()` and `panels()`.
    """

    def __init__(self, hookup: Hookup, system: str) -> None:
        if hookup.host is None or hookup.host.known_board is None:
            raise HookupError(
                f"{hookup.source} does not say which board it is for: give it [host] with board = 'rp2040' or another "
                f"of {', '.join(BOARDS)}"
            )
        self._host: HostTable = hookup.host
        self._board = hookup.host.known_board
        if system not in self._board.systems:
            raise HookupError(
                f"there is no {system} for {self._board.named}: use --for {' or '.join(self._board.systems)}"
            )
        self._system = system
        self._circuit = system == CIRCUITPYTHON
        self._is_microbit = self._host.board == "microbit-v2"
        self._imports: dict[str, set[str]] = {}
        self._ports: dict[str, str] = {}
        self.entries: dict[str, str] = {}
        self._use("Panel", "panel:Panel")
        links = {name: self._link(module) for name, module in hookup.panels.items()}
        panels = {name: self._panel(module) for name, module in hookup.panels.items()}
        self.hookup = self._text(hookup.source, links, panels)

    def _use(self, name: str, full: str) -> str:
        self.entries[name] = full
        self._import("lumek", name)
        return name

    def _import(self, module: str, name: str = "") -> None:
        self._imports.setdefault(module, set()).update({name} if name else set())

    def _pin(self, line: "int | str") -> str:
        """The expression that gives a pin for a bus."""
        number = self._board.pins[self._board.pin(line) or ""]
        if self._circuit:
            self._import("board")
            return f"board.{self._board.pin(line)}".replace(".P0.", ".P0_").replace(".P1.", ".P1_")
        if self._is_microbit:
            self._import("microbit", str(number))
            return str(number)
        self._import("machine", "Pin")
        return f"Pin({number!r})"

    def _io(self, line: "int | str") -> str:
        """The expression that gives a pin as an input or output."""
        if self._circuit:
            self._import("digitalio", "DigitalInOut")
            return f"DigitalInOut({self._pin(line)})"
        return self._pin(line)

    def _bus(self, hz: int) -> str:
        self._use("BoardBus", "ports.board:BoardBus")
        sda, scl = map(self._pin, self._host.bus_pins) if not self._is_microbit else ("", "")
        if self._circuit:
            self._import("busio")
            i2c = f"busio.I2C({scl}, {sda}, frequency={hz})"
        elif self._is_microbit:
            self._import("microbit", "i2c")
            i2c = "Wire"
        elif self._host.board == "esp8266":
            self._import("machine", "SoftI2C")
            i2c = f"SoftI2C(scl={scl}, sda={sda}, freq={hz})"
        else:
            self._import("machine", "I2C")
            i2c = f"I2C({self._host.bus}, scl={scl}, sda={sda}, freq={hz})"
        return self._ports.setdefault("bus", f"BoardBus({i2c}, {hz})")

    def _lines(self, lines: "list[int | str]") -> str:
        """All lines of all panels are pins of one port."""
        self._use("BoardLines", "ports.board:BoardLines")
        for line in lines:
            name = self._board.pin(line) or ""
            self._ports.setdefault(f"pin {name}", f"{name!r}: {self._io(line)}")
        return "lines"

    def _name(self, line: "int | str | None") -> str:
        return repr(None if line is None else self._board.pin(line))

    def _link(self, module: ModuleTable) -> str:
        wiring = module.hookup
        cautious = ", cautious=True" if wiring.cautious else ""
        if isinstance(wiring, BackpackTable):
            self._use("Backpack", "links.backpack:Backpack")
            self._bus(wiring.bus_hz)
            return f"Backpack(bus, {wiring.at:#04x}, {wiring.part!r}, {wiring.roles}, {wiring.lit_at}{cautious})"
        if isinstance(wiring, DirectTable):
            self._use("Direct", "links.direct:Direct")
            roles = wiring.roles
            data = [roles[role] for role in (f"d{bit}" for bit in range(8)) if role in roles]
            self._lines(list(roles.values()))
            named = [f"{role}={self._name(line)}" for role, line in roles.items() if role[:1] != "d"]
            named.append(f"data=({', '.join(map(self._name, data))})")
            if "backlight" in roles:
                named.append(f"backlight_on={wiring.lit_at}")
            if wiring.busy_flag is not None:
                named.append(f"busy_flag={wiring.busy_flag}")
            return f"Direct(lines, {', '.join(named)}{cautious})"
        return self._register(wiring, cautious)

    def _register(self, wiring: RegisterTable, cautious: str) -> str:
        three = wiring.serial
        if three is None:
            raise HookupError(
                "a register on a board hangs on three pins: give serial = { data = ..., clock = ..., latch = ... }"
            )
        self._use("ShiftRegister", "links.shift_register:ShiftRegister")
        self._use("BoardSpi", "ports.board:BoardSpi")
        data, clock, latch = three.data, three.clock, three.latch
        if self._circuit:
            self._import("bitbangio")
            spi = f"bitbangio.SPI({self._pin(clock)}, {self._pin(data)})"
            latch_pin = self._io(latch)
        elif self._is_microbit:
            raise HookupError("a micro:bit drives no register from here: use a backpack, or direct wiring")
        else:
            self._import("machine", "SoftSPI")
            free = self._board.pins[self._board.pin(data) or ""]
            spi = f"SoftSPI(sck={self._pin(clock)}, mosi={self._pin(data)}, miso=Pin({free!r}))"
            latch_pin = f"Pin({self._board.pins[self._board.pin(latch) or '']!r}, Pin.OUT)"
        self._ports.setdefault("serial", f"BoardSpi({spi}, {latch_pin})")
        return f"ShiftRegister(serial, {wiring.roles}, {wiring.lit_at}{cautious})"

    def _panel(self, module: ModuleTable) -> str:
        rom = module.rom
        if rom not in ("A00", "A02"):
            raise HookupError(f"ROM {rom} is a file, and a board has A00 and A02: take the one that is nearest")
        self._use(rom, f"roms.{rom.lower()}:{rom}")
        more = []
        if module.oscillator_hz not in (None, SLOWEST_HZ):
            more.append(f"oscillator_hz={module.oscillator_hz}")
        if module.backlight.line is not None:
            self._use("LineLight", "lights.lamps:LineLight")
            self._lines([module.backlight.line])
            more.append(f"backlight=LineLight(lines, {self._name(module.backlight.line)}, {module.backlight.on})")
        for key, usual in (("retries", 2), ("refresh_every_s", None), ("verify_every_s", None), ("font", "5x8")):
            if getattr(module, key) != usual:
                more.append(f"{key}={getattr(module, key)!r}")
        return ", ".join([repr(module.size), "{link}", rom, *more])

    def _text(self, source: str, links: dict[str, str], panels: dict[str, str]) -> str:
        lines = [f"import {module}" for module, names in sorted(self._imports.items()) if not names]
        lines += [f"from {module} import {', '.join(sorted(names))}"
                  for module, names in sorted(self._imports.items()) if names]  # fmt: skip
        lines += ["", *(WIRE.splitlines() if self._is_microbit and "bus" in self._ports else ()), ""]
        body = [f"{name} = {made}" for name, made in self._ports.items() if not name.startswith("pin ")]
        pins = [made for name, made in self._ports.items() if name.startswith("pin ")]
        if pins:
            body.append(f"lines = BoardLines({{{', '.join(pins)}}})")
        if len(panels) == 1:
            name = next(iter(panels))
            body.append(f"return Panel({panels[name].format(link=links[name])})")
            lines += ["def panel():", *[f"    {line}" for line in body]]
        else:
            # Links come before the first panel, so that each E on shared lines is low from then on.
            body += [f"link{place} = {link}" for place, link in enumerate(links.values())]
            made = [f"{name!r}: Panel({text.format(link=f'link{place}')})"
                    for place, (name, text) in enumerate(panels.items())]  # fmt: skip
            lines += ["def panels():", *[f"    {line}" for line in body], f"    return {{{', '.join(made)}}}"]
        return "\n".join(lines).strip() + "\n"


def program(module: str, several: bool, probes: "Sequence[str] | None" = None) -> str:
    """A program to begin with; probes: the names of what its faces show, if it has any."""
    if probes is not None:
        readers = "".join([f"\n\ndef read_{place}():\n    return None  # {name}: read your sensor here\n"
                           for place, name in enumerate(probes)])  # fmt: skip
        given = ", ".join([f"{name!r}: read_{place}" for place, name in enumerate(probes)])
        return f"""import {module}
import {module}_faces
from lumek.board import run
{readers}

run({module}.panel(), {module}_faces, {{{given}}})
"""
    if several:
        return f"""import {module}

panels = {module}.panels()
for name in panels:
    panels[name][0] = name
    print(panels[name])
"""
    return f"""import {module}

panel = {module}.panel()
panel[0] = "Good morning"
print(panel)
"""
