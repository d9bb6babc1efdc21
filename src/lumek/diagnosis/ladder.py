"""The ladder for a panel of a hookup: each rung rests on those before it, and the first that fails ends it.

| rung | what is looked at |
|---|---|
| file | the hookup's own checks |
| host | bus, chip or port: there, allowed, and not in use |
| bus, address, expander | (backpacks) lines at rest, who answers, what it is, whether it holds what is written |
| wires | (GPIO lines) whether the panel pulls up what it should |
| controller | (with RW) whether it answers; if not, whether it does with another map, or with two lines swapped |
| memory, speed | (with RW) whether DDRAM and CGRAM hold patterns, and how fast its oscillator runs |
| text | the panel started and written, and (with RW) read back |

The rungs of controller, memory and speed are in `controller_rungs`. What only eyes can see comes after all of these, in
`eyes`.
"""

from collections.abc import Callable, Iterator
from typing import TYPE_CHECKING, Any

from lumek.core.geometry import Geometry
from lumek.core.instructions import SLOWEST_HZ
from lumek.diagnosis.controller_rungs import ControllerRungs, hasty
from lumek.diagnosis.rung import Rung, failed, ok, unknown
from lumek.diagnosis.who_answers import bus_rungs, expander_rungs
from lumek.errors import LumekError, PortError
from lumek.hookup.attach import light_of, link_of
from lumek.hookup.checks import check
from lumek.hookup.file import Hookup
from lumek.hookup.model import ModuleTable
from lumek.hookup.opening import Ports, TwinPorts, host_ports
from lumek.hookup.wiring import BackpackTable, DirectTable
from lumek.panel import Panel
from lumek.twin import Twin

if TYPE_CHECKING:
    from lumek.captures.recorder import Capture


class Ladder:
    """Rungs for one panel.

    hookup: of one panel or several. name: of the panel.
    twin: simulate it.
    prepare: called with the simulated panel before anything is looked at, to let something be wrong with it.
    capture: records the wires.
    """

    def __init__(
        self,
        hookup: Hookup,
        name: str,
        twin: bool = False,
        prepare: Callable[[Twin], object] = lambda twin: None,
        capture: "Capture | None" = None,
    ) -> None:
        self.hookup, self.name = hookup.only(name), name
        self.module: ModuleTable = hookup.panels[name]
        self.twin: Twin | None = None
        self.panel: Panel | None = None
        """The panel, once it shows something."""
        self._simulated, self._prepare, self._capture = twin, prepare, capture
        self._ports: Ports | None = None
        self.size = self.module.size

    def climb(self) -> Iterator[Rung]:
        """The rungs, up to the first that fails."""
        for rung in self._rungs():
            yield rung
            if rung.verdict == "failed":
                return

    def close(self) -> None:
        """Give back what was opened."""
        if self._ports is not None:
            self._ports.users = 1
            self._ports.close()
            self._ports = None

    def __enter__(self) -> "Ladder":
        return self

    def __exit__(self, *exc: object) -> None:
        self.close()

    def _rungs(self) -> Iterator[Rung]:
        yield self._file()
        wiring = self.module.hookup
        try:
            self._ports = ports = self._open()
            if self._capture is not None:
                ports.record(self._capture, self.hookup.panels)
            self.twin = ports.twins.get(self.name)
            if self.twin is not None:
                self._prepare(self.twin)
            port = self._port(ports)
        except LumekError as problem:
            yield failed(
                "host",
                str(problem),
                "the host's own hardware is not there, not allowed, or in use",
                "Do what this says, then run it again",
            )
            return
        yield ok("host", f"{self._host_words()} is there, and may be used")
        if isinstance(wiring, BackpackTable):
            yield from (rung for rung in bus_rungs(port, wiring.bus, wiring.at) if isinstance(rung, Rung))
            yield from expander_rungs(port, wiring.at, wiring.part, wiring.bits)
        elif isinstance(wiring, DirectTable):
            yield from self._wires(port, wiring)
        try:
            yield from ControllerRungs(self.module, port, self.twin).climb()
            yield from self._text(ports)
        except PortError as problem:
            yield failed(
                "panel",
                str(problem),
                "it stopped answering: a loose wire, or a supply that breaks down",
                "Check plugs, solder joints and the supply",
            )

    def _file(self) -> Rung:
        findings = check(self.hookup)
        errors = [finding for finding in findings if finding.severity == "error"]
        if errors:
            first = errors[0]
            return failed(
                "file",
                f"{first.check}: {first.says}",
                first.because,
                f"Change the wiring or {self.hookup.source}; 'lumek hookup {self.hookup.source}' lists all",
            )
        warnings = [f"{finding.check}: {finding.says}" for finding in findings if finding.severity == "warning"]
        return ok(
            "file",
            f"{self.hookup.source}, {self.size}: "
            + (f"warnings: {'; '.join(warnings)}" if warnings else "its checks find nothing"),
        )

    def _open(self) -> Ports:
        if self._simulated:
            return TwinPorts(self.hookup)
        return host_ports(self.hookup)

    def _host_words(self) -> str:
        """What the panel is wired to, for people."""
        wiring = self.module.hookup
        what = (
            f"I2C bus {wiring.bus}"
            if isinstance(wiring, BackpackTable)
            else (wiring.chip if isinstance(wiring, DirectTable) else wiring.leads)
        )
        of = f" of {self.hookup.board_words}" if self.hookup.board and isinstance(wiring, BackpackTable) else ""
        return f"{'simulated ' if self._simulated else ''}{what}{of}"

    def _port(self, ports: Ports) -> Any:
        """The port of the panel, opened; of lines they are claimed."""
        wiring = self.module.hookup
        if isinstance(wiring, BackpackTable):
            return ports.bus(wiring)
        if isinstance(wiring, DirectTable):
            lines = ports.lines(wiring.chip)
            if hasattr(lines, "claim"):
                lines.claim(list(wiring.roles.values()))
            return lines
        return ports.serial(wiring)

    def _wires(self, lines: Any, wiring: DirectTable) -> Iterator[Rung]:
        """Whether the panel pulls up its data pins and RS, which it does by itself."""
        if wiring.level_shifter:
            yield unknown("wires", "a level shifter is between host and panel: the panel's pull-ups are not seen")
            return
        roles = {role: line for role, line in wiring.roles.items() if role[0] == "d" or role in ("rs", "rw")}
        levels = lines.sense(list(roles.values()))
        low = [role for role, line in roles.items() if not levels[line]]
        named = ", ".join(f"{role} (line {roles[role]})" for role in low)
        if len(low) == len(roles):
            yield failed(
                "wires",
                f"{named} are low, though the panel pulls them up",
                "the panel has no supply, or no ground in common with the host",
                "Measure the supply between pins 1 (VSS) and 2 (VDD) of the panel",
            )
        elif low:
            yield failed(
                "wires",
                f"{named} {'is' if len(low) == 1 else 'are'} low, though the panel pulls up all of these wires",
                "a wire is off, leads elsewhere, or is shorted to ground",
                "Check both ends of each against 'lumek hookup'",
            )
        else:
            yield ok("wires", f"the panel pulls up {', '.join(roles)}")

    def _text(self, ports: Ports) -> Iterator[Rung]:
        """The panel, started, with a picture for the eyes; read back where that is possible."""
        self.panel = panel = self._started(self.module, ports)
        if not panel._driver.link.can_read:
            yield unknown("text", "the panel was started, and shows a test picture, if all is well")
            return
        back = panel.read_back()
        if back != panel.rows:
            row = next(row for row, (one, two) in enumerate(zip(back, panel.rows, strict=True)) if one != two)
            seen = f"row {row} has {back[row]!r} in its memory, not {panel.rows[row]!r}"
            wiring = self.module.hookup
            if not wiring.cautious:
                cautious = self.module.model_copy(update={"hookup": wiring.model_copy(update={"cautious": True})})
                other = self._started(cautious, ports)
                if other.read_back() == other.rows:
                    self.panel = other
                    yield hasty("text", seen)
                    return
            yield failed(
                "text",
                seen,
                "characters get lost or changed on their way",
                "Shorten the wires, or set a lower oscillator_hz",
            )
            return
        yield ok("text", "the test picture is in the panel's memory")

    def _started(self, module: ModuleTable, ports: Ports) -> Panel:
        """The panel, showing the test picture."""
        panel = Panel(
            module.size,
            link_of(module, ports),
            module.rom,
            module.oscillator_hz or SLOWEST_HZ,
            self.twin,
            light_of(self.name, module, ports),
            font=module.font,
        )
        panel[:] = test_picture(module.size)
        return panel


def test_picture(size: str) -> str:
    """A picture by which eyes tell rows and columns: each row begins with its number, and ends with a mark."""
    geometry = Geometry(size)
    return "\n".join(
        f"{row} Lumek".ljust(geometry.columns - 1)[: geometry.columns - 1] + "<" for row in range(1, geometry.rows + 1)
    )
