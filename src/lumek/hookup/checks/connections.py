"""The checks of lines, addresses and sizes."""

from lumek._harmless import quoted
from lumek.hookup.checks.findings import Finding, Findings, Severity
from lumek.hookup.file import Hookup
from lumek.hookup.formulas import ohms_text
from lumek.hookup.maps import BUS_OF, HEADER_PULLUPS, POSITIONS
from lumek.hookup.nets import buses_in_use, on_bus, uses
from lumek.hookup.wiring import BackpackTable, DirectTable
from lumek.links.expanders import EXPANDERS, at_address

SHARED = {"rs", "rw", *(f"d{bit}" for bit in range(8)), "data", "clock", "latch"}
"""Roles for which several panels may share a line, each in the same role."""

LOWER, UPPER = ("d0", "d1", "d2", "d3"), ("d4", "d5", "d6", "d7")


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
        if not isinstance(module.hookup, DirectTable):
            part = module.hookup.part.upper()
            problems += [
                (f"{role} is on line {quoted(line)} of the {part}", "it has lines 0 to 7")
                for role, line in given.items()
                if not isinstance(line, int) or line > 7
            ]
            if module.width == 8:
                problems.append((f"there are lines for 8-bit mode on the {part}", "its eight lines are too few"))
        for says, why in problems:
            yield Finding("lines", "error", name, says, why, {})
        if not problems:
            yield Finding("lines", "ok", name, "every role has its line", because, {})


def board(hookup: Hookup) -> Findings:
    """Pins of a board that are for something else at its start, or in its usual firmware."""
    known = hookup.known_board
    if known is None or hookup.host is None:
        return
    because = f"of {hookup.board_words}, from the data sheet of its chip"
    for name, module in hookup.panels.items():
        on_bus = [("SDA", hookup.host.bus_pins[0]), ("SCL", hookup.host.bus_pins[1])]
        used = [(role, line) for port, role, line in uses(hookup, name) if port == hookup.board]
        used += on_bus if isinstance(module.hookup, BackpackTable) else []
        odd = [(role, known.pin(line) or "") for role, line in used if (known.pin(line) or "") in known.careful]
        for role, pin in odd:
            yield Finding("board", "warning", name, f"{role} is on pin {pin}: {known.careful[pin]}", because, {})
        if used and not odd:
            yield Finding("board", "ok", name, "no pin has another use on this board", because, {})


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
                    f"{role} is on line {quoted(line)}",
                    "where that is on the header is not known: give its number",
                )
            elif position is None:
                found = "error", f"{role} is on line {line}", "the 40-pin header has lines 0 to 27"
            elif bus in in_use:
                found = "error", says, f"{bus} is in use"
            elif bus == "i2c-0":
                found = "warning", says, "there the host looks for the memory of an extension board as it starts"
            elif bus:
                pulled = f"; {ohms_text(HEADER_PULLUPS[bus])} lead from it to 3.3 V" if bus in HEADER_PULLUPS else ""
                found = "note", says, f"it is free while {bus} is off{pulled}"
            else:
                good.append(line)
                continue
            numbers = {"line": line, "position": position} if position and isinstance(line, int) else {}
            yield Finding("header", found[0], name, found[1], found[2], dict(numbers))
        if good:
            says = f"{'line' if len(good) == 1 else 'lines'} {', '.join(map(str, good))}: on the header, part of no bus"
            yield Finding("header", "ok", name, says, "the 40-pin header has lines 0 to 27, some of them of buses", {})


def speed(hookup: Hookup) -> Findings:
    """An expander that is rated slower than its bus."""
    for bus, panels in on_bus(hookup).items():
        clocks = sorted({panel.bus_hz for panel in panels.values()})
        if len(clocks) > 1:
            yield Finding("speed", "error", "", f"bus {bus} has {' and '.join(map(str, clocks))} Hz in this file",
                          "a bus has one clock", {})  # fmt: skip
        for name, panel in panels.items():
            rated = EXPANDERS[panel.part].rated_hz
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
            first = EXPANDERS[panel.part].base
            says = f"address {panel.at:#04x} of the {panel.part.upper()} on bus {bus}"
            because = f"{panel.part.upper()} data sheet: {first:#04x} to {first + 7:#04x} by its pads"
            numbers = {"address": panel.at, "first": first, "last": first + 7}
            good = first <= panel.at <= first + 7
            if not good:
                fits = [part.upper() for part in at_address(panel.at)]
                because += f"; {panel.at:#04x} is one of a {' or '.join(fits)}" if fits else ""
                meant = int(str(panel.at), 16)
                because += f"; is {meant:#04x} meant instead of {panel.at}?" if at_address(meant) else ""
            yield Finding("address", "ok" if good else "error", name, says, because, numbers)
            if panel.at in there:
                yield Finding("address", "error", name, f"{says} is also that of {there[panel.at]}",
                              "each device on a bus needs its own: change the pads of one", numbers)  # fmt: skip
            there[panel.at] = f"panel {quoted(name)}"


def size(hookup: Hookup) -> Findings:
    """A panel of four rows driven as one of two, or any other than its glass."""
    for name, module in hookup.panels.items():
        glass = module.glass or module.size
        numbers = {"rows": module.rows, "glass_rows": int(glass[-1])}
        if glass != module.size:
            folded = int(glass[-1]) == 4 and module.rows == 2
            because = f"write size = {quoted(glass)}"
            if folded:
                because = f"rows 2 and 3 go on in memory where rows 0 and 1 end, and would stay blank: {because}"
            yield Finding("size", "error", name, f"a {glass} panel is driven as {module.size}", because, numbers)
        elif module.size == "40x2":
            yield Finding("size", "note", name, "the panel is driven as 40x2",
                          "a 20x4 has the same memory: if it is one, write size = '20x4'", numbers)  # fmt: skip
        else:
            yield Finding("size", "ok", name, f"the panel is driven as {module.size}", "as its glass", numbers)
