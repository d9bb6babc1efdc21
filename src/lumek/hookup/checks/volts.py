"""The checks of volts: the levels on each net, and what its parts tolerate and need.

Formulas are in `lumek.hookup.formulas`, limits in `lumek.hookup.parts`.
"""

from dataclasses import replace

from lumek.hookup import formulas
from lumek.hookup.checks.findings import Finding, Findings
from lumek.hookup.file import ONLY, Hookup
from lumek.hookup.formulas import MARGIN_V, ohms_text
from lumek.hookup.model import ModuleTable
from lumek.hookup.nets import HOST, Net, NetEnd, bus_net, bus_sides, on_bus, register_volts, signal_nets
from lumek.hookup.parts import PARTS, Inputs, controller_inputs
from lumek.hookup.wiring import BackpackTable, DirectTable, RegisterTable


def ratings(hookup: Hookup) -> Findings:
    """An expander or register whose supply is not one that it works at."""
    for name, module in hookup.panels.items():
        wiring = module.hookup
        if isinstance(wiring, DirectTable):
            continue
        part = PARTS[wiring.part]
        volts = register_volts(hookup, wiring) if isinstance(wiring, RegisterTable) else module.volts
        least, most = part.supply
        good = least <= volts <= most
        says = f"the {part.name} has a supply of {volts:g} V, and works at {least:g} to {most:g} V"
        because = f"{part.name} data sheet, recommended operating conditions"
        remedy = "; at 3.3 V take a 74HC595" if wiring.part == "74hct595" and volts < least else ""
        yield Finding("ratings", "ok" if good else "error", name, says, because if good else because + remedy,
                      {"supply_v": volts, "least_v": least, "most_v": most})  # fmt: skip


def tolerance(hookup: Hookup) -> Findings:
    """A line that carries a higher voltage than a part at its end tolerates: host, controller or register."""
    nets = signal_nets(hookup)
    for name, module in hookup.panels.items():
        own = [(net, end) for net in nets if any(one.panel == name for one in net.ends)
               for end in net.ends if end.panel in ("", name) and net.driven]  # fmt: skip
        if hookup.host is None and isinstance(module.hookup, DirectTable) and "rw" in module.hookup.roles:
            yield Finding("tolerance", "note", name, "RW is wired, and what the host tolerates is unknown",
                          "with RW wired the panel drives its data pins up to its supply", {})  # fmt: skip
        if own:
            net, end = min(own, key=lambda pair: pair[1].bears - pair[0].high[0])
            yield _borne("tolerance", name, net, end)


def _borne(check: str, panel: str, net: Net, end: NetEnd, says: str = "", remedy: str = "") -> Finding:
    """Whether a part tolerates what is on a net."""
    high, who = net.high
    whose = f" of {end.panel}" if end.panel not in ("", ONLY, panel) else ""
    says = says or f"{who} drives {net.name} to {high:.2f} V"
    says = f"{says}; {end.part}{whose} tolerates {end.bears:.2f} V"
    numbers = {"high_v": high, "bears_v": end.bears}
    because = "absolute maximum ratings" if end.part != HOST else "what a pin of the host tolerates (tolerates_volts)"
    if not formulas.exceeds(high, end.bears - MARGIN_V):
        return Finding(check, "ok", panel, says, because, numbers)
    if not remedy:
        remedy = "ground RW, or fit a level shifter" if end.part == HOST else "fit a level shifter"
    if formulas.exceeds(high, end.bears):
        return Finding(check, "error", panel, says, f"{because}: {remedy}", numbers)
    return Finding(check, "warning", panel, f"{says}, with almost no margin",
                   f"{because}; supplies and resistors differ by some percent: {remedy}", numbers)  # fmt: skip


def logic_level(hookup: Hookup) -> Findings:
    """Whether a high of the host, or of the bus, is high enough for what it leads to."""
    for name, module in hookup.panels.items():
        wiring = module.hookup
        if hookup.host is None:
            says = "whether the host's level is high enough is not known"
            yield Finding("level", "note", name, says, "the file has no [host] with its logic_volts", {})
        elif isinstance(wiring, BackpackTable):
            side = next(side for side in bus_sides(hookup, wiring.bus) if name in side.panels)
            if side.pullups:  # else there is no level, which `pullups` reports
                inputs = PARTS[wiring.part].inputs(module.volts)
                yield _level(name, formulas.high_level(side.pullups), "the bus goes up to", inputs, wiring, module)
        else:
            high = module.volts if wiring.level_shifter else hookup.host.logic_volts
            inputs = controller_inputs(module.volts)
            if isinstance(wiring, RegisterTable):
                inputs = PARTS[wiring.part].inputs(module.volts)
            yield _level(name, high, "a high is", inputs, wiring, module)


def _level(
    name: str,
    high: float,
    what: str,
    inputs: Inputs,
    wiring: BackpackTable | DirectTable | RegisterTable,
    module: ModuleTable,
) -> Finding:
    part = "HD44780U" if isinstance(wiring, DirectTable) else wiring.part.upper()
    says = f"{what} {high:.2f} V, and the {part} at {module.volts:g} V needs {inputs.high:.2f} V"
    numbers = {"high_v": high, "needed_v": inputs.high}
    if not formulas.exceeds(inputs.high + MARGIN_V, high):
        return Finding("level", "ok", name, says, f"{part} data sheet, V_IH", numbers)
    if not formulas.exceeds(inputs.high, high):
        return Finding("level", "warning", name, f"{says}, with almost no margin",
                       f"{part} data sheet, V_IH; supplies and resistors differ by some percent: fit a level shifter",
                       numbers)  # fmt: skip
    # Most parts switch half-way between what is surely low and what is surely high.
    doubtful = high > (inputs.high + inputs.low) / 2
    hope = "many take it all the same; to be sure, fit a level shifter" if doubtful else "fit a level shifter"
    return Finding("level", "warning" if doubtful else "error", name, says, f"{part} data sheet, V_IH: {hope}", numbers)


def shifter(hookup: Hookup) -> Findings:
    """Panels of different supplies behind the level shifter, or one that is lower than the host's level."""
    volts = {name: module.volts for name, module in hookup.panels.items() if module.hookup.level_shifter}
    if not volts:
        return
    one = len(set(volts.values())) == 1
    listed = ", ".join(f"{supply:g} V" for supply in sorted(set(volts.values())))
    numbers = {f"{name}_v": supply for name, supply in volts.items()}
    says = f"behind the level shifter is {listed}"
    because = "it has one supply on that side" + ("" if one else "; take a file for each shifter")
    low = hookup.host.logic_volts if hookup.host else None
    if one and low is not None and formulas.exceeds(low, min(volts.values())):
        yield Finding("shifter", "error", "", f"{says}, and on its low side the host with {low:g} V",
                      "its transistors would conduct all the time: LV has to be the lower supply, so turn it around",
                      {**numbers, "host_v": low})  # fmt: skip
        return
    yield Finding("shifter", "ok" if one else "error", "", says, because, numbers)


def bus_level(hookup: Hookup) -> Findings:
    """Pull-ups that bring a bus above what the host or an expander on it tolerates."""
    for bus in on_bus(hookup):
        for side in bus_sides(hookup, bus):
            net = bus_net(hookup, bus, side)
            if not side.pullups or not net.ends:
                continue
            to = " and ".join(f"{ohms_text(one.ohms)} to {one.volts:g} V ({one.where})" for one in side.pullups)
            end = min(net.ends, key=lambda end: (end.bears, end.part, end.panel))
            finding = _borne("bus level", "", net, end, f"{to} bring {net.name} to {net.high[0]:.2f} V",
                             "fit a level shifter, or remove the pull-ups to the higher supply")  # fmt: skip
            yield replace(finding, because=f"the mean of the pull-ups, weighted by 1/R; {finding.because}")


def pullups(hookup: Hookup) -> Findings:
    """Whether the pull-ups of a bus are in the range that its clock and capacitance allow."""
    for bus, panels in on_bus(hookup).items():
        mode = formulas.mode_of(max(panel.bus_hz for panel in panels.values()))
        sides = bus_sides(hookup, bus)
        sunk = sum(formulas.sunk_ma(side.pullups) for side in sides)
        weakest = min([mode.sink_ma, *(PARTS[panel.part].sinks_ma for panel in panels.values())])
        for side in sides:
            ohms = formulas.in_parallel(side.pullups)
            where = f"bus {bus}{f', {side.name}' if len(sides) > 1 else ''}"
            if not side.pullups:
                yield Finding("pull-ups", "error" if hookup.host else "note", "", f"{where} has no pull-ups",
                              "nothing else drives SDA and SCL high (UM10204, 3.1.1): the host's are pullup_ohms "
                              "in [host]", {})  # fmt: skip
                continue
            left = weakest - sunk + formulas.sunk_ma(side.pullups)
            if left <= 0:
                yield Finding("pull-ups", "warning", "",
                              f"{where}: a low takes {sunk:.1f} mA through all pull-ups; {weakest:g} mA are allowed",
                              f"{mode.name}, I_OL: those on the other side of the shifter alone take too much; take "
                              "pull-ups off there", {"sunk_ma": sunk, "allowed_ma": weakest})  # fmt: skip
                continue
            least = formulas.least_ohms(formulas.high_level(side.pullups), left)
            most = formulas.most_ohms(mode.rise_ns, side.pf)
            rise = formulas.rise_ns(ohms, side.pf)
            numbers = {"ohms": ohms, "least_ohms": least, "most_ohms": most, "pf": side.pf, "rise_ns": rise,
                       "allowed_ns": mode.rise_ns, "sunk_ma": sunk}  # fmt: skip
            good = least <= ohms <= most and side.pf <= mode.pf
            count = f" ({len(side.pullups)} in parallel)" if len(side.pullups) > 1 else ""
            remedy = ""
            if ohms < least:
                remedy = f": a low takes {sunk:.1f} mA of {weakest:g} mA that every part can sink; take pull-ups off"
            elif side.pf > mode.pf:
                remedy = f": {side.pf:.0f} pF are more than {mode.pf:.0f} pF; shorten the cables"
            elif not good:
                remedy = ": add a pull-up, slow the bus down, or shorten the cables"
            yield Finding(
                "pull-ups", "ok" if good else "warning", "",
                f"{where}: {ohms:.0f} ohm{count}, allowed are {least:.0f} to {most:.0f}; "
                f"it rises in {rise:.0f} ns of at most {mode.rise_ns:.0f}",
                f"{mode.name}, {side.pf:.0f} pF ({side.capacitance}): UM10204, 7.1{remedy}", numbers,
            )  # fmt: skip
