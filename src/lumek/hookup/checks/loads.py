"""The checks of milliamperes and ohms: lamps and what switches them, contrast, supply.

Formulas are in `lumek.hookup.formulas`, limits in `lumek.hookup.parts`.
"""

from lumek.hookup import formulas
from lumek.hookup.checks.findings import Finding, Findings, Severity
from lumek.hookup.file import Hookup
from lumek.hookup.formulas import MARGIN_V, ohms_text
from lumek.hookup.keys import ASSUMED_LINE_MA
from lumek.hookup.model import ModuleTable
from lumek.hookup.nets import register_volts
from lumek.hookup.wiring import BackpackTable, DirectTable, RegisterTable

RESISTOR_MW = 250.0
"""What a usual resistor dissipates."""


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
            exact = formulas.series_ohms(supply, forward, light.milliamps)
            standard = formulas.next_e12(exact)
            used = module.series_ohms(lamp)
            flows = (supply - forward) / used * 1000
            warmth = flows * flows * used / 1000
            numbers = {"exact_ohms": exact, "standard_ohms": standard, "ohms": used, "flows_ma": flows,
                       "warmth_mw": warmth}  # fmt: skip
            if ohms is None and module.resistor_on_board:
                yield Finding("backlight", "ok", name, f"{lit}: its resistor is on the board",
                              f"where it is not, it takes {ohms_text(standard)}", numbers)  # fmt: skip
                continue
            result = (
                f"{'fit ' if ohms is None else ''}{ohms_text(used)}; {flows:.1f} mA through it, {warmth:.0f} mW in it"
            )
            severity = "note" if ohms is None else "ok"
            because = f"{formula}: {exact:.1f}, so {ohms_text(standard)}"
            if formulas.exceeds(flows, light.milliamps):
                severity, because = "error", f"{because}; more breaks the lamp"
            elif warmth > RESISTOR_MW:
                severity, because = (
                    "warning",
                    f"{because}; a usual resistor takes {RESISTOR_MW:.0f} mW: take a larger one",
                )
            yield Finding("backlight", severity, name, f"{lit}: {result}", because,
                          numbers)  # fmt: skip


def drive(hookup: Hookup) -> Findings:
    """What a line, a channel or an output gives to a lamp, by itself or into the base of a transistor."""
    for name, module in hookup.panels.items():
        light, wiring = module.backlight, module.hookup
        own = "backlight" in wiring.roles
        switched = own or light.line is not None or light.led is not None or light.channels
        if not light.fitted or not switched or (own and isinstance(wiring, BackpackTable)):
            continue  # nothing switches it, or the backpack's own transistor does
        host = hookup.host
        if isinstance(wiring, BackpackTable):
            most = host.most_line_ma if host else ASSUMED_LINE_MA
            good = not formulas.exceeds(light.milliamps, most)
            because = (
                "at the backpack's jumper the lamp hangs on the line itself, and the jumper's other pin is at "
                f"{module.volts:g} V: leave the jumper on and give the expander's line the role 'backlight', or put a "
                "transistor between"
            )
            yield Finding("drive", "warning" if good else "error", name,
                          f"the lamp takes {light.milliamps:g} mA from a line that gives {most:g} mA at most", because,
                          {"lamp_ma": light.milliamps, "line_ma": most})  # fmt: skip
            continue
        high = register_volts(hookup, wiring) if own and isinstance(wiring, RegisterTable) else (
            host.logic_volts if host else None)  # fmt: skip
        low_lit = _is_lit_by_low(module)
        if high is None and not low_lit:
            yield Finding("drive", "note", name, "whether a line gives its transistor enough current is not known",
                          "the file has no [host] with its logic_volts", {})  # fmt: skip
            continue
        base = formulas.base_ma(module.lamp_supply if low_lit else high or 0.0)
        numbers = {"lamp_ma": light.milliamps, "base_ma": base, "switched_ma": base * formulas.GAIN}
        says = f"the lamp takes {light.milliamps:g} mA, and its transistor gets {base:.1f} mA of base current"
        because = f"(V - 0.7 V) / {ohms_text(formulas.BASE_OHMS)}; it surely switches {formulas.GAIN:g} times as much"
        remedy = f"{because}, {base * formulas.GAIN:.0f} mA: take a MOSFET for logic levels, or a smaller resistor"
        bad: Severity = "error" if formulas.exceeds(light.milliamps, base * formulas.MOST_GAIN) else "warning"
        good = not formulas.exceeds(light.milliamps, base * formulas.GAIN)
        yield Finding("drive", "ok" if good else bad, name, says, because if good else remedy, numbers)


def _is_lit_by_low(module: ModuleTable) -> bool:
    direct = isinstance(module.hookup, DirectTable) and "backlight" in module.hookup.roles
    return (
        (direct and not module.hookup.lit_at)
        or (module.backlight.line is not None and not module.backlight.on)
        or module.backlight.inverted
    )


def contrast(hookup: Hookup) -> Findings:
    """A potentiometer that burns or cannot set anything, and a supply too low for the glass."""
    for name, module in hookup.panels.items():
        asked = module.contrast
        ohms, volts = asked.potentiometer_ohms, module.volts
        assumed = "" if "glass_volts" in asked.model_fields_set else " (assumed)"
        lowest = volts * formulas.SERIES_OHMS / (formulas.SERIES_OHMS + formulas.LADDER_OHMS) if asked.pwm else 0.0
        across = volts - lowest
        numbers = {"across_v": across, "glass_v": asked.glass_volts}
        if formulas.exceeds(asked.glass_volts, across):
            severity: Severity = "error" if not assumed else "warning" if asked.pwm else "note"
            yield Finding("contrast", severity, name,
                          f"VO goes down to {lowest:.2f} V, which leaves the glass {across:.2f} V of "
                          f"{asked.glass_volts:g} V{assumed}",
                          f"VDD - VO: this glass needs a VO of {volts - asked.glass_volts:.1f} V, from a negative "
                          "supply; many modules for 3.3 V make it themselves (glass_volts: what yours needs)",
                          numbers)  # fmt: skip
        if asked.pwm:
            if not formulas.exceeds(asked.glass_volts, across):
                yield Finding("contrast", "ok", name, f"a PWM channel brings VO down to {lowest:.2f} V",
                              f"{ohms_text(formulas.SERIES_OHMS)} to it, {ohms_text(formulas.LADDER_OHMS)} in the "
                              "module (assumed)", numbers)  # fmt: skip
            continue
        warmth = volts * volts / ohms * 1000
        takes = f"takes {module.contrast_ma:.2f} mA and gets {warmth:.1f} mW"
        says = f"the contrast potentiometer of {ohms_text(ohms)} {takes}"
        bad = formulas.exceeds(warmth, formulas.TRIMMER_MW)
        weak = formulas.exceeds(ohms, 5 * formulas.LADDER_OHMS)
        because = (
            f"a small one takes {formulas.TRIMMER_MW:g} mW; VO loads it with some {ohms_text(formulas.LADDER_OHMS)}"
        )
        remedy = f"{because}: take 10 kohm"
        kind: Severity = "error" if bad or formulas.exceeds(ohms, 50 * formulas.LADDER_OHMS) else (
            "warning" if weak else "ok")  # fmt: skip
        yield Finding("contrast", kind, name, says, because if kind == "ok" else remedy,
                      {"ohms": ohms, "milliamps": module.contrast_ma, "warmth_mw": warmth})  # fmt: skip


def darkness(hookup: Hookup) -> Findings:
    """A backlight that a low lights, on a host whose high does not put it out."""
    for name, module in hookup.panels.items():
        if not _is_lit_by_low(module) or not module.backlight.fitted or hookup.host is None:
            continue
        high, least = hookup.host.logic_volts, module.lamp_supply - formulas.OFF_V
        says = f"a PNP transistor on {module.lamp_supply:g} V is off from {least:.2f} V on; a high is {high:.2f} V"
        because = f"it conducts with more than {formulas.OFF_V} V from base to emitter"
        good = not formulas.exceeds(least + MARGIN_V, high)
        yield Finding("darkness", "ok" if good else "error", name, says,
                      because if good else f"{because}; light it by a high, with an NPN transistor",
                      {"high_v": high, "needed_v": least})  # fmt: skip


def supply_budget(hookup: Hookup) -> Findings:
    """What all panels and backlights take, against the budget."""
    panels = sum(module.supply_ma + module.contrast_ma for module in hookup.panels.values())
    lamps = sum(module.lamps_ma for module in hookup.panels.values())
    says = f"panels take {panels:.0f} mA and backlights {lamps:.0f} mA: {panels + lamps:.0f} mA"
    numbers = {"panels_ma": panels, "backlights_ma": lamps, "sum_ma": panels + lamps}
    budget = hookup.host.supply_ma if hookup.host else None
    if budget is None:
        yield Finding("supply", "note", "", says, "no supply_ma in [host] to compare it with", numbers)
        return
    numbers["budget_ma"] = budget
    severity: Severity = "error" if formulas.exceeds(panels + lamps, budget) else "ok"
    remedy = "" if severity == "ok" else ": a supply that is too weak drops, and panels lose their text"
    yield Finding("supply", severity, "", f"{says} of {budget:.0f} mA", f"the sum, everything lit{remedy}", numbers)
