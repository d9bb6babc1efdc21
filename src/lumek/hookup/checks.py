"""What is checked before power is applied. Each check is a pure function from a hookup to what it finds.

An *error* cannot work, or can break something; a *warning* is outside of a data sheet, and may work or not; a *note* is
to be known; and what is *ok* is told, too, with its numbers. The formulas are in `lumek.hookup.electric`.
"""

import warnings
from collections import Counter
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Literal

from lumek.errors import CheckError, HookupWarning
from lumek.hookup import electric
from lumek.hookup.electric import Inputs, written
from lumek.hookup.file import Hookup
from lumek.hookup.maps import BUS_OF, HEADER_PULLUPS, POSITIONS
from lumek.hookup.model import Backpack, Direct, Module, Register
from lumek.hookup.nets import bus_sides, buses_in_use, on_bus, uses
from lumek.links.backpack import EXPANDERS

Severity = Literal["ok", "note", "warning", "error"]

RATED_HZ = {"pcf8574": 100_000, "pcf8574a": 100_000, "mcp23008": 1_700_000}
"""The fastest bus of each expander (its data sheet)."""

RESISTOR_MW = 250.0
"""What a usual resistor bears."""

SHARED = {"rs", "rw", *(f"d{bit}" for bit in range(8)), "data", "clock", "latch"}
"""Roles for which several panels may share a line, each in the same role."""

CANNOT_BE_DRIVEN = {"roles", "lines", "header", "size", "address", "speed"}
BREAKS_WHEN_DRIVEN = {"tolerance"}
"""Checks whose errors keep a panel from being attached."""

LOWER, UPPER = ("d0", "d1", "d2", "d3"), ("d4", "d5", "d6", "d7")


@dataclass(frozen=True)
class Finding:
    """What a check says.

    check: its name. panel: whom it is about; empty for all. says: what was found, with its numbers. because: the
    reason, and its source. numbers: what was compared; each name ends with its unit.
    """

    check: str
    severity: Severity
    panel: str
    says: str
    because: str
    numbers: Mapping[str, float]


Findings = Iterator[Finding]


def check(hookup: Hookup) -> list[Finding]:
    """All that the checks find, in the order in which one would mend it."""
    return [finding for one in CHECKS for finding in one(hookup)]


def tally(findings: list[Finding]) -> str:
    """How many there are of each severity, in words."""
    count = Counter(finding.severity for finding in findings)
    words: list[tuple[Severity, str]] = [("ok", "ok"), ("note", "notes"), ("warning", "warnings"), ("error", "errors")]
    return ", ".join(f"{count[one]} {one if count[one] == 1 else several}" for one, several in words)


def refuse(hookup: Hookup, real: bool) -> None:
    """Raise CheckError for what cannot be driven; on real hardware also for what driving would break.

    There any other error is a HookupWarning: the wires are as they are, and whoever knows better may go on.
    """
    errors = [finding for finding in check(hookup) if finding.severity == "error"]
    for finding in errors:
        of = f", panel {finding.panel!r}" if len(hookup.panels) > 1 and finding.panel else ""
        text = f"{hookup.source}{of}: {finding.says} ({finding.because}); 'lumek hookup {hookup.source}' tells all"
        if finding.check in CANNOT_BE_DRIVEN or (real and finding.check in BREAKS_WHEN_DRIVEN):
            raise CheckError(text)
        if real:
            warnings.warn(text, HookupWarning, stacklevel=4)


def roles(hookup: Hookup) -> Findings:
    """Two roles on one line."""
    because = "each role needs a line of its own; panels share only those of RS, RW and data, in the same role"
    taken: dict[tuple[str, int | str], tuple[str, str]] = {}
    for name in hookup.panels:
        clashes = []
        for port, role, line in uses(hookup, name):
            other, whose = taken.setdefault((port, line), (role, name))
            if (other, whose) != (role, name) and not (role == other and role in SHARED and whose != name):
                of = f" of {whose}" if whose != name else ""
                clashes.append(f"{role} and {other}{of} are both on line {line} of {port}")
        for says in clashes:
            yield Finding("roles", "error", name, says, because, {})
        if not clashes:
            yield Finding("roles", "ok", name, "no line has two roles", "each needs its own", {})


def lines(hookup: Hookup) -> Findings:
    """Lines missing for the mode, or such as the part does not have."""
    for name, module in hookup.panels.items():
        given = module.hookup.roles
        needed = ["rs", "e", *["e2"][: module.controllers - 1], *LOWER[: module.width - 4], *UPPER]
        missing = [role for role in needed if role not in given]
        because = f"a {module.size} panel in {module.width}-bit mode needs {', '.join(needed)}"
        problems = []
        if missing:
            problems.append((f"there is no line for {', '.join(missing)}", because))
        if "e2" in given and module.controllers == 1:
            problems.append((f"there is a line for e2, and a {module.size} panel has one controller", "40x4 has two"))
        if not isinstance(module.hookup, Direct):
            part = module.hookup.part.upper()
            problems += [
                (f"{role} is on line {line!r} of the {part}", "it has lines 0 to 7")
                for role, line in given.items()
                if not isinstance(line, int) or line > 7
            ]
            if module.width == 8:
                problems.append((f"there are lines for 8-bit mode on the {part}", "its eight lines are too few"))
        for says, why in problems:
            yield Finding("lines", "error", name, says, why, {})
        if not problems:
            yield Finding("lines", "ok", name, "every role has its line", because, {})


def header(hookup: Hookup) -> Findings:
    """Lines that the header does not have, or that a bus of it has."""
    if hookup.host is None or hookup.host.header is None:
        return
    in_use = buses_in_use(hookup)
    for name in hookup.panels:
        good = []
        for port, role, line in uses(hookup, name):
            if not port.startswith("/"):
                continue
            bus, signal = BUS_OF.get(line, ("", "")) if isinstance(line, int) else ("", "")
            position = POSITIONS.get(line) if isinstance(line, int) else None
            says = f"{role} is on line {line} (header {position}{f', {signal} of {bus}' if bus else ''})"
            found: tuple[Severity, str, str]
            if isinstance(line, str):
                found = (
                    "note",
                    f"{role} is on line {line!r}",
                    "where that is on the header is not known: give its number",
                )
            elif position is None:
                found = "error", f"{role} is on line {line}", "the 40-pin header has lines 0 to 27"
            elif bus in in_use:
                found = "error", says, f"{bus} is in use"
            elif bus == "i2c-0":
                found = "warning", says, "there the host looks for the memory of an extension board as it starts"
            elif bus:
                pulled = f"; {written(HEADER_PULLUPS[bus])} lead from it to 3.3 V" if bus in HEADER_PULLUPS else ""
                found = "note", says, f"it is free while {bus} is off{pulled}"
            else:
                good.append(line)
                continue
            numbers = {"line": line, "position": position} if position and isinstance(line, int) else {}
            yield Finding("header", found[0], name, found[1], found[2], dict(numbers))
        if good:
            says = f"{'line' if len(good) == 1 else 'lines'} {', '.join(map(str, good))}: on the header, and of no bus"
            yield Finding("header", "ok", name, says, "the 40-pin header has lines 0 to 27, some of them of buses", {})


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


def speed(hookup: Hookup) -> Findings:
    """An expander that is rated slower than its bus."""
    for bus, panels in on_bus(hookup).items():
        clocks = sorted({panel.bus_hz for panel in panels.values()})
        if len(clocks) > 1:
            yield Finding("speed", "error", "", f"bus {bus} is said to have {' and '.join(map(str, clocks))} Hz",
                          "a bus has one clock", {})  # fmt: skip
        for name, panel in panels.items():
            rated = RATED_HZ[panel.part]
            yield Finding(
                "speed", "ok" if panel.bus_hz <= rated else "warning", name,
                f"bus {bus} runs at {panel.bus_hz} Hz, and the {panel.part.upper()} is rated {rated} Hz",
                f"{panel.part.upper()} data sheet", {"bus_hz": panel.bus_hz, "rated_hz": rated},
            )  # fmt: skip


def address(hookup: Hookup) -> Findings:
    """An address outside of the expander's range, or used twice on a bus."""
    for bus, panels in on_bus(hookup).items():
        there: dict[int, str] = {}
        for panel in panels.values():
            there.update(dict.fromkeys(panel.other_addresses, "another device"))
        for name, panel in panels.items():
            first = EXPANDERS[panel.part]
            says = f"address {panel.at:#04x} of the {panel.part.upper()} on bus {bus}"
            because = f"{panel.part.upper()} data sheet: {first:#04x} to {first + 7:#04x} by its pads"
            numbers = {"address": panel.at, "first": first, "last": first + 7}
            good = first <= panel.at <= first + 7
            if not good:
                fits = [part.upper() for part, base in EXPANDERS.items() if base <= panel.at <= base + 7]
                because += f"; {panel.at:#04x} is one of a {' or '.join(fits)}" if fits else ""
            yield Finding("address", "ok" if good else "error", name, says, because, numbers)
            if panel.at in there:
                yield Finding("address", "error", name, f"{says} is also that of {there[panel.at]}",
                              "each device on a bus needs its own: change the pads of one", numbers)  # fmt: skip
            there[panel.at] = f"panel {name!r}"


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
                yield Finding("backlight", "error", name, f"{lit}: never lights", "its forward voltage is not reached",
                              {"supply_v": supply, "forward_v": forward})  # fmt: skip
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
            severity: Severity = "note" if ohms is None else "ok"
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


def size(hookup: Hookup) -> Findings:
    """A panel of four rows driven as one of two, or any other than its glass."""
    for name, module in hookup.panels.items():
        glass = module.glass or module.size
        numbers = {"rows": module.rows, "glass_rows": int(glass[-1])}
        if glass != module.size:
            folded = int(glass[-1]) == 4 and module.rows == 2
            because = f"write size = {glass!r}"
            if folded:
                because = f"rows 2 and 3 go on in memory where rows 0 and 1 end, and would stay blank: {because}"
            yield Finding("size", "error", name, f"a {glass} panel is driven as {module.size}", because, numbers)
        elif module.size == "40x2":
            yield Finding("size", "note", name, "the panel is driven as 40x2",
                          "a 20x4 has the same memory: if it is one, write size = '20x4'", numbers)  # fmt: skip
        else:
            yield Finding("size", "ok", name, f"the panel is driven as {module.size}", "as its glass is", numbers)


CHECKS = (roles, lines, header, size, address, speed, tolerance, level, bus_level, pullups, backlight, darkness, supply)
