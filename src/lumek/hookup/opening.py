"""The ports that a hookup names: those of this host, or simulated ones with a simulated panel at their end."""

from abc import ABC, abstractmethod
from collections.abc import Callable, Hashable, Mapping, Sequence
from typing import TYPE_CHECKING, Any, TypeVar

from lumek._notice import notice
from lumek.core.instructions import NOMINAL_HZ
from lumek.errors import HookupError
from lumek.hookup.file import Hookup
from lumek.hookup.model import BacklightTable, ContrastTable, HostTable, ModuleTable
from lumek.hookup.wiring import BackpackTable, DirectTable, RegisterTable
from lumek.ports.bit_banged import SerialLines

if TYPE_CHECKING:
    from lumek.captures.recorder import Capture
    from lumek.ports.usb.cable import UsbBoard
    from lumek.protocols import Bus, Channel, DimmableLight, Light, Lines, Serial
    from lumek.twin import Twin, TwinBus, TwinLines, TwinSerial

Port = TypeVar("Port")


class Ports(ABC):
    """What panels are attached to: each port is opened once, and closed with the last panel.

    users: how many panels have yet to be closed.
    twins: the simulated panels, by name.
    """

    def __init__(self) -> None:
        self.users = 0
        self.twins: dict[str, Twin] = {}
        self._opened: dict[Hashable, Any] = {}
        self._groups: dict[Hashable, tuple[str, str]] = {}
        self._capture: Capture | None = None
        self._panels: Mapping[str, ModuleTable] = {}

    @abstractmethod
    def bus(self, wiring: BackpackTable) -> "Bus":
        """The I2C bus of a backpack."""

    @abstractmethod
    def lines(self, chip: str) -> "Lines":
        """The lines of a GPIO chip."""

    @abstractmethod
    def spi(self, wiring: RegisterTable) -> "Serial":
        """The SPI that leads to a register."""

    @abstractmethod
    def pwm(self, name: str, what: str, channel: list[int], of: BacklightTable | ContrastTable) -> "DimmableLight":
        """A PWM channel that feeds a lamp of a panel, "white", "red", "green" or "blue", or its "contrast"."""

    @abstractmethod
    def led(self, name: str, light: BacklightTable) -> "Light | Sequence[Channel]":
        """The LED class device that is a panel's backlight."""

    def serial(self, wiring: RegisterTable) -> "Serial":
        """What leads to a register: SPI, or three lines."""
        three = wiring.serial
        if three is None:
            return self.spi(wiring)
        return self.once(
            wiring.leads, lambda: SerialLines(self.lines(wiring.chip), three.data, three.clock, three.latch)
        )

    def once(self, key: Hashable, make: Callable[[], Port], wires: str = "", chip: str = "") -> Port:
        """The port of that key, made when it is asked for first.

        wires: the name of its wires in a capture; "" for what is not recorded. chip: of GPIO lines.
        """
        if key not in self._opened:
            self._opened[key] = make()
            if wires:
                self._groups[key] = wires, chip
                self._record(key)
        port: Port = self._opened[key]
        return port

    def record(self, capture: "Capture", panels: "Mapping[str, ModuleTable]") -> None:
        """Record what goes through the ports from now on.

        panels: those that are on them, by name.
        """
        self._capture, self._panels = capture, panels
        for key in self._groups:
            self._record(key)

    def _record(self, key: Hashable) -> None:
        if self._capture is not None:
            wires, chip = self._groups[key]
            names = wire_names(self._panels, chip) if chip else {}
            self._opened[key] = self._capture.around(self._opened[key], wires, names)

    def close(self) -> None:
        """Let one panel go, and close all ports with the last."""
        self.users -= 1
        if self.users <= 0:
            for port in self._opened.values():
                if hasattr(port, "close"):
                    port.close()
            self._opened.clear()


def group_of(place: str) -> str:
    """The name in a capture of the wires at a place of the host, such as /dev/gpiochip0."""
    return "".join(one if one.isascii() and one.isalnum() else "_" for one in place.rpartition("/")[2]).lower()


def wire_names(panels: "Mapping[str, ModuleTable]", chip: str) -> dict[Hashable, str]:
    """Line of a GPIO chip -> its name in a capture: the role; of panels that share lines, with the panel's name."""
    roles: dict[Hashable, list[tuple[str, str]]] = {}
    for name, module in panels.items():
        wiring, light = module.hookup, module.backlight
        if isinstance(wiring, DirectTable) and wiring.chip == chip:
            for role, line in wiring.roles.items():
                roles.setdefault(line, []).append((name, role))
        elif isinstance(wiring, RegisterTable) and wiring.serial and wiring.chip == chip:
            for role, line in wiring.serial.roles.items():
                roles.setdefault(line, []).append(("", role))
        if light.line is not None and light.chip == chip:
            roles.setdefault(light.line, []).append((name, "backlight"))
    several = len({name for users in roles.values() for name, _ in users}) > 1
    return {line: f"{users[0][0]}_{users[0][1]}" if several and len(users) == 1 and users[0][0] else users[0][1]
            for line, users in roles.items()}  # fmt: skip


class HostPorts(Ports):
    """The ports of this computer."""

    def bus(self, wiring: BackpackTable) -> "Bus":
        """A LinuxBus; it finds its clock out by itself when the file does not say it."""
        from lumek.ports.linux import LinuxBus

        hz = wiring.bus_hz if "bus_hz" in wiring.model_fields_set else None
        bus = self.once(("bus", wiring.bus), lambda: LinuxBus(wiring.bus, hz), f"i2c{wiring.bus}")
        if not getattr(bus, "hz_known", True):
            notice(
                f"the clock of I2C bus {wiring.bus} is unknown: Lumek assumes {bus.hz} Hz, which is safe but slow; set "
                "bus_hz in [hookup] to the real clock"
            )
        return bus

    def lines(self, chip: str) -> "Lines":
        """LinuxLines."""
        from lumek.ports.linux import LinuxLines

        return self.once(chip, lambda: LinuxLines(chip), group_of(chip), chip)

    def spi(self, wiring: RegisterTable) -> "Serial":
        """A LinuxSpi."""
        from lumek.ports.linux import LinuxSpi

        bus, device = wiring.spi or (0, 0)
        return self.once(wiring.leads, lambda: LinuxSpi(bus, device, wiring.spi_hz), f"spi{bus}_{device}")

    def pwm(self, name: str, what: str, channel: list[int], of: BacklightTable | ContrastTable) -> "DimmableLight":
        """A LinuxPwm."""
        from lumek.ports.linux import LinuxPwm

        chip, number = channel
        return LinuxPwm(chip, number, of.pwm_hz, isinstance(of, BacklightTable) and of.inverted)

    def led(self, name: str, light: BacklightTable) -> "Light | Sequence[Channel]":
        """A LinuxLed."""
        from lumek.ports.linux import LinuxLed

        return LinuxLed(light.led or "")


class UsbPorts(HostPorts):
    """The pins and the bus of the board, or of the FTDI chip, that a file names as its host.

    It has no SPI, PWM and LEDs: a file that asks for them is refused as it is read.
    """

    def __init__(self, host: HostTable | None) -> None:
        super().__init__()
        assert host is not None
        assert host.port is not None
        self._host, self._port = host, host.port

    def bus(self, wiring: BackpackTable) -> "Bus":
        """A UsbBus or FtdiBus."""
        from lumek.ports.usb import FtdiBus, UsbBus

        if self._host.kind == "ftdi":
            return self.once("bus", lambda: FtdiBus(self._port, wiring.bus_hz), "i2c")
        return self.once("bus", lambda: UsbBus(self._board(), wiring.bus_hz), "i2c")

    def lines(self, chip: str) -> "Lines":
        """UsbLines or FtdiLines."""
        from lumek.ports.usb import FtdiLines, UsbLines

        if self._host.kind == "ftdi":
            return self.once("lines", lambda: FtdiLines(self._port), group_of(chip), chip)
        return self.once("lines", lambda: UsbLines(self._board()), group_of(chip), chip)

    def _board(self) -> "UsbBoard":
        from lumek.ports.usb import open_board

        host = self._host
        return self.once(
            "board", lambda: open_board(self._port, host.kind, host.baud, bus=host.bus, sda=host.sda, scl=host.scl)
        )


def host_ports(hookup: Hookup) -> HostPorts:
    """The ports of the host of a hookup. Raises HookupError for a board that is not on a USB cable of this computer."""
    if hookup.host is None or not hookup.board:
        return HostPorts()
    if hookup.host.port is None:
        raise HookupError(
            f"{hookup.source} is for {hookup.board_words}, not for this computer: 'lumek firmware {hookup.source} OUT "
            "--for micropython' writes what the board runs, and --twin simulates it"
        )
    return UsbPorts(hookup.host)


class TwinPorts(Ports):
    """Simulated ports, to which all panels of a hookup are wired, in one simulated time."""

    def __init__(self, hookup: Hookup) -> None:
        from lumek.twin import TwinClock

        super().__init__()
        self._clock = TwinClock()
        self.twins = {name: self._wired(module) for name, module in hookup.panels.items()}

    def bus(self, wiring: BackpackTable) -> "TwinBus":
        """A TwinBus."""
        from lumek.twin import TwinBus

        return self.once(("bus", wiring.bus), lambda: TwinBus(self._clock, wiring.bus_hz), f"i2c{wiring.bus}")

    def lines(self, chip: str) -> "TwinLines":
        """TwinLines."""
        from lumek.twin import TwinLines

        return self.once(chip, lambda: TwinLines(self._clock), group_of(chip), chip)

    def spi(self, wiring: RegisterTable) -> "TwinSerial":
        """A TwinSerial."""
        from lumek.twin import TwinSerial

        return self.once(wiring.leads, lambda: TwinSerial(self._clock, wiring.spi_hz), group_of(wiring.leads))

    def pwm(self, name: str, what: str, channel: list[int], of: BacklightTable | ContrastTable) -> "DimmableLight":
        """A TwinChannel."""
        from lumek.twin.light import TwinChannel

        return TwinChannel(self.twins[name], what)

    def led(self, name: str, light: BacklightTable) -> "Light | Sequence[Channel]":
        """A lamp, or three of red, green and blue."""
        from lumek.twin.light import TwinChannel, coloured_backlight

        twin = self.twins[name]
        return coloured_backlight(twin) if light.coloured else TwinChannel(twin, "white")

    def _wired(self, module: ModuleTable) -> "Twin":
        """A simulated panel, at the end of its port."""
        from lumek import twin as simulated
        from lumek.twin.expander import expander_named

        wiring, light = module.hookup, module.backlight
        lit_at = wiring.lit_at if light.line is None else light.on
        hz = module.oscillator_hz or NOMINAL_HZ
        chips = [simulated.Controller(hz, module.volts) for _ in range(module.controllers)]
        if isinstance(wiring, BackpackTable):
            twin, _ = simulated.backpack_twin(
                module.size, module.rom, address=wiring.at, lines=wiring.bits, backlight_on=lit_at, controllers=chips,
                expander=expander_named(wiring.part), bus=self.bus(wiring),
            )  # fmt: skip
            for address in wiring.other_addresses:
                self.bus(wiring).connect(address, simulated.Bystander())
        elif isinstance(wiring, DirectTable):
            twin, _ = simulated.direct_twin(
                module.size, wiring.roles, module.rom, backlight_on=lit_at, controllers=chips,
                port=self.lines(wiring.chip),
            )  # fmt: skip
        else:
            three = wiring.serial.roles if wiring.serial else None
            port = self.lines(wiring.chip) if three else self.spi(wiring)
            twin, _ = simulated.shift_register_twin(
                module.size, wiring.bits, module.rom, backlight_on=lit_at, controllers=chips, three_lines=three,
                port=port,
            )  # fmt: skip
        if light.line is not None:
            self.lines(light.chip).connect(twin, {"backlight": light.line})
        twin.font = module.font
        if not light.fitted:
            twin.lamps["white"] = 0.0
        return twin
