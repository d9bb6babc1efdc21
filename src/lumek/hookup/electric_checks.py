"""The checks of volts, ohms and milliamperes; their formulas are in `lumek.hookup.electric`."""

from lumek.hookup import electric
from lumek.hookup.electric import Inputs, written
from lumek.hookup.file import Hookup
from lumek.hookup.findings import Finding, Findings, Severity
from lumek.hookup.model import Module
from lumek.hookup.nets import bus_sides, on_bus
from lumek.hookup.wiring import Backpack, Direct, Register

RESISTOR_MW = 250.0
"""What a usual resistor bears."""


def tolerance(hookup: Hookup) -> Findings:
    """RW wired to a host that does not bear the panel's supply."""
    for name, module in hookup.panels.items():
        if not isinstance(module.hookup, Direct) or "rw" not in module.hookup.roles:
            continue
        because = "with RW wired the panel drives its data pins up to its supply: ground RW, or fit a level shifter"
        says = f"RW is wired, and the panel's supply is {module.volts:.2f} V"
        if module.hookup.level_shifter:
            yield Finding("tolerance", "ok", name, f"{says}; a level shifter stands between", because, {})
        elif hookup.host is None:
            yield Finding("tolerance", "note", name, f"{says}; what the host bears is not known", because, {})
        else:
            bears = hookup.host.bears_volts
            numbers = {"panel_v": module.volts, "host_bears_v": bears}
            severity: Severity = "error" if electric.exceeds(module.volts, bears) else "ok"
            yield Finding("tolerance", severity, name, f"{says}; the host bears {bears:.2f} V", because, numbers)


def level(hookup: Hookup) -> Findings:
    """Whether a high of the host, or of the bus, is high enough for what it leads to."""
    for name, module in hookup.panels.items():
        wiring = module.hookup
        if hookup.host is None:
            says = "whether the host's level is high enough is not known"
            yield Finding("level", "note", name, says, "the file has no [host] with its logic_volts", {})
        elif isinstance(wiring, Backpack):
            side = next(side for side in bus_sides(hookup, wiring.bus) if name in side.panels)
            if side.pullups:  # else there is no level, which `pullups` tells
                inputs = electric.part_inputs(wiring.part, module.volts)
                yield _level(name, electric.high_level(side.pullups), "the bus goes up to", inputs, wiring, module)
        else:
            high = module.volts if wiring.level_shifter else hookup.host.logic_volts
            inputs = electric.controller_inputs(module.volts)
            if isinstance(wiring, Register):
                inputs = electric.part_inputs(wiring.part, module.volts)
            yield _level(name, high, "a high is", inputs, wiring, module)


def _level(
    name: str, high: float, what: str, inputs: Inputs, wiring: Backpack | Direct | Register, module: Module
) -> Finding:
    part = "HD44780U" if isinstance(wiring, Direct) else wiring.part.upper()
    says = f"{what} {high:.2f} V, and the {part} at {module.volts:g} V needs {inputs.high:.2f} V"
    numbers = {"high_v": high, "needed_v": inputs.high}
    if not electric.exceeds(inputs.high, high):
        return Finding("level", "ok", name, says, f"{part} data sheet, V_IH", numbers)
    # Most parts switch half-way between what is surely low and what is surely high.
    doubtful = high > (inputs.high + inputs.low) / 2
    hope = "many take it all the same; to be sure, fit a level shifter" if doubtful else "fit a level shifter"
    return Finding("level", "warning" if doubtful else "error", name, says, f"{part} data sheet, V_IH: {hope}", numbers)


def shifter(hookup: Hookup) -> Findings:
    """Panels of different supplies behind the level shifter."""
    volts = {name: module.volts for name, module in hookup.panels.items() if module.hookup.level_shifter}
    if volts:
        good = len(set(volts.values())) == 1
        listed = ", ".join(f"{supply:g} V" for supply in sorted(set(volts.values())))
        yield Finding("shifter", "ok" if good else "error", "", f"behind the level shifter is {listed}",
                      "it has one supply on that side" + ("" if good else "; take a file for each shifter"),
                      {f"{name}_v": supply for name, supply in volts.items()})  # fmt: skip


def bus_level(hookup: Hookup) -> Findings:
    """Pull-ups to the panel's supply on a host that does not bear what they make of the bus."""
    if hookup.host is None:
        return
    bears = hookup.host.bears_volts
    for bus in on_bus(hookup):
        side = bus_sides(hookup, bus)[0]
        if not side.pullups:
            continue
        high = electric.high_level(side.pullups)
        to = " and ".join(f"{written(pullup.ohms)} to {pullup.volts:g} V ({pullup.where})" for pullup in side.pullups)
        bad = electric.exceeds(high, bears)
        severity: Severity = "error" if bad else "ok"
        remedy = "; fit a level shifter, or take the backpack's pull-ups off" if bad else ""
        yield Finding("bus level", severity, "", f"{to} bring bus {bus} to {high:.2f} V; the host bears {bears:.2f} V",
                      f"a line stands at the mean of its pull-ups, weighted by 1/R{remedy}",
                      {"high_v": high, "host_bears_v": bears})  # fmt: skip


def pullups(hookup: Hookup) -> Findings:
    """Whether the pull-ups of a bus are in the range that its clock and capacitance allow."""
    for bus, panels in on_bus(hookup).items():
        mode = electric.mode_of(max(panel.bus_hz for panel in panels.values()))
        sides = bus_sides(hookup, bus)
        sunk = sum(electric.sunk_ma(side.pullups) for side in sides)
        for side in sides:
            ohms = electric.in_parallel(side.pullups)
            where = f"bus {bus}{f', {side.name}' if len(sides) > 1 else ''}"
            if not side.pullups:
                yield Finding("pull-ups", "error" if hookup.host else "note", "", f"{where} has no pull-ups",
                              "nobody else drives SDA and SCL high (UM10204, 3.1.1): those of the host are pullup_ohms "
                              "in [host]", {})  # fmt: skip
                continue
            least = electric.least_ohms(electric.high_level(side.pullups),
                                        max(0.001, mode.sink_ma - sunk + electric.sunk_ma(side.pullups)))  # fmt: skip
            most = electric.most_ohms(mode.rise_ns, side.pf)
            rise = electric.rise_ns(ohms, side.pf)
            numbers = {"ohms": ohms, "least_ohms": least, "most_ohms": most, "pf": side.pf, "rise_ns": rise,
                       "allowed_ns": mode.rise_ns, "sunk_ma": sunk}  # fmt: skip
            good = least <= ohms <= most and side.pf <= mode.pf
            count = f" ({len(side.pullups)} in parallel)" if len(side.pullups) > 1 else ""
            remedy = ""
            if ohms < least:
                remedy = f": a low takes {sunk:.1f} mA; take pull-ups off"
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


def backlight(hookup: Hookup) -> Findings:
    """The resistor of the backlight."""
    for name, module in hookup.panels.items():
        light = module.backlight
        if not light.fitted:
            continue
        volts, current = [
            "" if key in light.model_fields_set else " (assumed)" for key in ("forward_volts", "milliamps")
        ]
        supply = module.lamp_supply
        for lamp in range(light.lamps):
            forward, ohms = light.forward(lamp), light.fitted_ohms(lamp)
            of = f"{('red', 'green', 'blue')[lamp]} " if light.lamps > 1 else ""
            lit = f"{of}lamp of {forward:g} V{volts} and {light.milliamps:g} mA{current} on {supply:g} V"
            formula = "R = (V - V_F) / I, and the next value of E12"
            if supply <= forward:
                severity: Severity = "warning" if volts else "error"
                because = "its forward voltage is not reached"
                numbers = {"supply_v": supply, "forward_v": forward}
                yield Finding("backlight", severity, name, f"{lit}: never lights", because, numbers)
                continue
            exact = electric.series_ohms(supply, forward, light.milliamps)
            standard = electric.next_e12(exact)
            used = module.series_ohms(lamp)
            flows = (supply - forward) / used * 1000
            warmth = flows * flows * used / 1000
            numbers = {"exact_ohms": exact, "standard_ohms": standard, "ohms": used, "flows_ma": flows,
                       "warmth_mw": warmth}  # fmt: skip
            if ohms is None and module.resistor_on_board:
                yield Finding("backlight", "ok", name, f"{lit}: its resistor is on the board",
                              f"where it is not, it takes {written(standard)}", numbers)  # fmt: skip
                continue
            result = (
                f"{'fit ' if ohms is None else ''}{written(used)}; {flows:.1f} mA flow, and it takes {warmth:.0f} mW"
            )
            severity = "note" if ohms is None else "ok"
            because = f"{formula}: {exact:.1f}, so {written(standard)}"
            if electric.exceeds(flows, light.milliamps):
                severity, because = "error", f"{because}; more breaks the lamp"
            elif warmth > RESISTOR_MW:
                severity, because = (
                    "warning",
                    f"{because}; a usual resistor bears {RESISTOR_MW:.0f} mW: take a larger one",
                )
            yield Finding("backlight", severity, name, f"{lit}: {result}", because,
                          numbers)  # fmt: skip


def darkness(hookup: Hookup) -> Findings:
    """A backlight that a low lights, on a host whose high does not put it out."""
    for name, module in hookup.panels.items():
        light, direct = module.backlight, isinstance(module.hookup, Direct) and "backlight" in module.hookup.roles
        lit_by_low = (
            (direct and not module.hookup.lit_at) or (light.line is not None and not light.on) or light.inverted
        )
        if not lit_by_low or not light.fitted or hookup.host is None:
            continue
        high, least = hookup.host.logic_volts, module.lamp_supply - electric.OFF_V
        says = f"a PNP transistor on {module.lamp_supply:g} V is off from {least:.2f} V on; a high is {high:.2f} V"
        because = f"it conducts with more than {electric.OFF_V} V from base to emitter"
        good = not electric.exceeds(least, high)
        yield Finding("darkness", "ok" if good else "error", name, says,
                      because if good else f"{because}; light it by a high, with an NPN transistor",
                      {"high_v": high, "needed_v": least})  # fmt: skip


def supply(hookup: Hookup) -> Findings:
    """What all panels and backlights take, against the budget."""
    panels = sum(module.supply_ma for module in hookup.panels.values())
    lamps = sum(module.lamps_ma for module in hookup.panels.values())
    says = f"panels take {panels:.0f} mA and backlights {lamps:.0f} mA: {panels + lamps:.0f} mA"
    numbers = {"panels_ma": panels, "backlights_ma": lamps, "sum_ma": panels + lamps}
    budget = hookup.host.supply_ma if hookup.host else None
    if budget is None:
        yield Finding("supply", "note", "", says, "no supply_ma in [host] to compare it with", numbers)
        return
    numbers["budget_ma"] = budget
    severity: Severity = "error" if electric.exceeds(panels + lamps, budget) else "ok"
    remedy = "" if severity == "ok" else ": a supply that is too weak drops, and panels lose their text"
    yield Finding("supply", severity, "", f"{says} of {budget:.0f} mA", f"all together, lit{remedy}", numbers)
