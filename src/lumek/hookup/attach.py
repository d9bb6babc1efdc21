"""Panels from a hookup file, real or simulated."""

from collections.abc import Hashable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from lumek.core.instructions import SLOWEST_HZ
from lumek.errors import HookupError
from lumek.hookup.checks import refuse
from lumek.hookup.file import Hookup, read
from lumek.hookup.model import ModuleTable
from lumek.hookup.opening import Ports, TwinPorts, host_ports
from lumek.hookup.wiring import BackpackTable, DirectTable, RegisterTable
from lumek.lights.lamps import LineLight
from lumek.links.backpack import Backpack as BackpackLink
from lumek.links.direct import Direct as DirectLink
from lumek.links.shift_register import ShiftRegister as RegisterLink
from lumek.panel import Panel
from lumek.protocols import Channel, Light

if TYPE_CHECKING:
    from lumek.captures.recorder import Capture

COLOURS = ("red", "green", "blue")


def attach(file: str | Path, twin: bool = False, panel: str | None = None, capture: "Capture | None" = None) -> Panel:
    """The panel of a hookup file.

    twin: simulate that wiring; `panel.twin` is then the simulated panel.
    panel: which of several, by its name in the file.
    capture: records the wires; see `lumek.captures.Capture`.
    Raises HookupError for a file that cannot be read or has no such panel, CheckError for wiring that cannot be driven,
    or that reading would break, and PortError when the hardware is not there; any other error that `lumek hookup` finds
    is a HookupWarning. Closing the panel gives back what it opened.

    Panels that share GPIO lines or a register must be attached together: use `attach_all`.
    """
    hookup = read(file)
    if panel is None:
        if len(hookup.panels) > 1:
            names = ", ".join(repr(name) for name in hookup.panels)
            raise HookupError(
                f"{file} has several panels ({names}): say which with panel= (--panel), or drive all with attach_all"
            )
        panel = next(iter(hookup.panels))
    hookup.only(panel)
    return attached(hookup, twin, [panel], capture)[panel]


def attach_all(file: str | Path, twin: bool = False, capture: "Capture | None" = None) -> dict[str, Panel]:
    """All panels of a hookup file, by name; see `attach`. What they share is given back when the last is closed."""
    hookup = read(file)
    return attached(hookup, twin, list(hookup.panels), capture)


def attached(hookup: Hookup, twin: bool, names: list[str], capture: "Capture | None" = None) -> dict[str, Panel]:
    """The panels of these names, as `attach` makes them."""
    refuse(hookup, real=not twin)
    ports: Ports = TwinPorts(hookup) if twin else host_ports(hookup)
    try:
        if capture is not None:
            ports.record(capture, hookup.panels)
        # All links on the same lines come before the first panel, so that each E is low from then on.
        places = {_place(hookup.panels[name]) for name in names}
        made = {name: link_of(module, ports) for name, module in hookup.panels.items() if _place(module) in places}
        panels = {}
        for name in names:
            module = hookup.panels[name]
            contrast = (
                ports.pwm(name, "contrast", module.contrast.pwm, module.contrast) if module.contrast.pwm else None
            )
            panels[name] = Panel(
                module.size, made[name], module.rom, module.oscillator_hz or SLOWEST_HZ, ports.twins.get(name),
                light_of(name, module, ports), contrast, ports, module.retries, module.refresh_every_s,
                module.verify_every_s, module.font,
            )  # fmt: skip
            ports.users += 1
    except BaseException:
        ports.users = 1
        ports.close()
        raise
    return panels


def link_of(module: ModuleTable, ports: "Ports") -> BackpackLink | DirectLink | RegisterLink:
    """The link to a panel."""
    wiring = module.hookup
    if isinstance(wiring, BackpackTable):
        return BackpackLink(ports.bus(wiring), wiring.at, wiring.part, wiring.bits, wiring.lit_at, wiring.cautious)
    if isinstance(wiring, RegisterTable):
        return RegisterLink(ports.serial(wiring), wiring.bits, wiring.lit_at, wiring.cautious)
    lines: dict[str, Any] = dict(wiring.roles)
    data = [lines.pop(f"d{bit}") for bit in range(8 - module.width, 8)]
    return DirectLink(
        ports.lines(wiring.chip),
        data=data,
        backlight_on=wiring.lit_at,
        busy_flag=wiring.busy_flag,
        cautious=wiring.cautious,
        **lines,
    )


def light_of(name: str, module: ModuleTable, ports: "Ports") -> Light | Sequence[Channel] | None:
    """The backlight, when it is not the link that switches it."""
    light = module.backlight
    if light.line is not None:
        return LineLight(ports.lines(light.chip), light.line, light.on)
    if light.led is not None:
        return ports.led(name, light)
    if len(light.channels) == 3:
        return [
            ports.pwm(name, colour, channel, light) for colour, channel in zip(COLOURS, light.channels, strict=True)
        ]
    return ports.pwm(name, "white", light.channels[0], light) if light.channels else None


def _place(module: ModuleTable) -> Hashable:
    """What panels are on that share their lines."""
    wiring = module.hookup
    if isinstance(wiring, BackpackTable):
        return wiring.bus, wiring.at
    return wiring.chip if isinstance(wiring, DirectTable) else wiring.leads
