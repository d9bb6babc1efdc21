"""The lower rungs of a backpack: the bus, who answers on it, and whether that can be the expander."""

from collections.abc import Iterator
from contextlib import suppress

from lumek.diagnosis.rung import Rung, failed, ok
from lumek.errors import BusError, NoAnswerError
from lumek.hookup.scan import ADDRESSES, Found, scan
from lumek.links.expanders import EXPANDERS, at_address
from lumek.protocols import Bus

TOO_MANY = 100
"""More devices than that do not answer: a line that is held low looks like an acknowledge everywhere."""

SILENCE = (
    "(1) The backpack needs its supply, and ground in common with the host: measure 5 V at it. (2) SDA goes to SDA and "
    "SCL to SCL: swap them and try again. (3) At rest both lines are high, 3.3 V or 5 V: if not, fit 4.7 kOhm from "
    "each to the supply. (4) Try a slower bus and shorter wires"
)

PATTERNS = 0x00, 0xFF, 0x55, 0xAA
"""Levels of the data lines; all others stay low."""


def bus_rungs(bus: Bus, number: int, expected: int | None) -> Iterator[Rung | list[Found]]:
    """The rungs of a bus; the last that is yielded is the list of what answers, if they hold.

    expected: the address of the expander, or None when any will do.
    """
    try:
        found = list(scan(bus))
    except BusError as problem:
        yield failed(
            "bus",
            str(problem),
            "SDA or SCL is held low, has no pull-up resistor, or the adapter has failed",
            "Measure both lines at rest: each must be high. Take devices off the bus one by one; fit 4.7 kOhm from SDA "
            "and from SCL to the supply where there are none",
        )
        return
    if len(found) > TOO_MANY:
        yield failed(
            "bus",
            f"{len(found)} of {len(ADDRESSES)} addresses seem to answer",
            "SDA is held low, which looks like an acknowledge",
            "Look for a short circuit from SDA to ground",
        )
        return
    yield ok("bus", f"the lines are at rest, {bus.hz // 1000} kHz", hz=bus.hz)
    at = {one.address: one for one in found}
    there = ", ".join(f"{address:#04x}" for address in at)
    if not found:
        yield failed(
            "address",
            f"no device answers at any of {len(ADDRESSES)} addresses",
            "nothing that understands the bus is connected: no supply, swapped or loose wires, or no pull-ups",
            SILENCE,
        )
        return
    possible = [one for one in found if one.could_be and one.owner is None]
    if expected is not None and expected not in at:
        nearby = ", ".join(f"{one.address:#04x} ({' or '.join(one.could_be)})" for one in possible)
        yield failed(
            "address",
            f"{expected:#04x} does not answer; {there} {'does' if len(at) == 1 else 'do'}",
            f"the panel may be at {nearby}: its pads differ, or it is the other chip"
            if possible
            else "no panel's expander answers",
            f"Set address = {possible[0].address:#04x} in [hookup], or give --address {possible[0].address:#04x}"
            if possible
            else SILENCE,
        )
        return
    if expected is None and not possible:
        yield failed(
            "address",
            f"{there} {'answers' if len(at) == 1 else 'answer'}, which no expander can",
            "no panel's expander answers",
            SILENCE,
        )
        return
    one = at[expected] if expected is not None else possible[0]
    if one.owner is not None:
        device = f"{number}-{one.address:04x}"
        yield failed(
            "address",
            f"the kernel's driver {one.owner} has {one.address:#04x}",
            "two drivers cannot share one panel",
            f"Run: echo {device} | sudo tee /sys/bus/i2c/drivers/{one.owner}/unbind",
        )
        return
    others = ", ".join(f"{address:#04x}" for address in at if address != one.address)
    yield ok("address", f"{one.address:#04x} answers" + (f", and {others} beside it" if others else ""))
    yield found


def expander_rungs(bus: Bus, address: int, part: str, lines: dict[str, int]) -> Iterator[Rung]:
    """Whether the expander is the one that is expected, and holds what is written.

    To find out, all lines are driven high and low once; a panel takes that for a few halves of bytes.
    """
    try:
        with_registers = has_registers(bus, address)
    except NoAnswerError as problem:
        yield failed(
            "expander",
            str(problem),
            "it answered a moment ago: a loose wire, or a supply that breaks down",
            "Check plugs and solder joints of SDA, SCL, supply and ground",
        )
        return
    except BusError as problem:
        yield failed(
            "expander",
            str(problem),
            "another program or driver uses the panel",
            "End the other program, then run this again",
        )
        return
    registers = EXPANDERS[part].registers
    if with_registers != (registers is not None):
        other = next(name for name in at_address(address) if (EXPANDERS[name].registers is not None) == with_registers)
        yield failed(
            "expander",
            f"the chip at {address:#04x} does not behave like a {part.upper()}",
            f"it is a {other.upper()}",
            f"Set expander = '{other}' in [hookup]",
        )
        return
    wrong = _wrong_bits(bus, address, part, lines)
    if wrong and wrong != _wrong_bits(bus, address, part, lines):
        yield failed(
            "expander",
            f"it holds what is written, but not always: {', '.join(wrong)} differ",
            "the bus is disturbed: wires that are too long, weak pull-ups, noise, or a weak supply",
            "Shorten the wires, try a slower bus, and fit 100 nF across the supply of the backpack",
        )
        return
    if wrong:
        named = ", ".join(f"{role} (bit {lines[role]}) reads {level}" for role, level in wrong.items())
        yield failed(
            "expander",
            f"it does not hold what is written: {named}, whatever is driven",
            "that line is shorted, or held by a wire that belongs elsewhere",
            "Look at the solder joints of the backpack and of the panel's header",
        )
        return
    yield ok("expander", f"the {part.upper()} holds what is written")


def has_registers(bus: Bus, address: int) -> bool:
    """Whether the expander has registers, as the MCP23008, or is a plain port, as the PCF8574.

    The first byte of a transfer names a register of the one, and drives the lines of the other: it is read back.
    Raises BusError.
    """
    bus.write(address, b"\x00\xff")  # all lines are inputs, or all high
    answers = []
    for byte in (b"\x00", b"\x05"):  # the direction register, and one that is never 0xFF; or lines that go low
        bus.write(address, byte)
        answers.append(bus.read(address, 1)[0])
    bus.write(address, b"\x00\xff")
    return answers[0] == 0xFF and answers[1] in (0x00, 0x20)


def _wrong_bits(bus: Bus, address: int, part: str, lines: dict[str, int]) -> dict[str, int]:
    """The data lines that do not follow what is written: role -> level that they keep."""
    registers = EXPANDERS[part].registers
    roles = [role for role in lines if role[0] == "d"]
    wrong: dict[str, set[int]] = {}
    if registers:
        bus.write(address, registers.setup)
        bus.write(address, bytes((registers.direction, 0xFF & ~sum(1 << lines[role] for role in lines))))
    for pattern in PATTERNS:
        state = sum(1 << lines[role] for place, role in enumerate(roles) if pattern >> place & 1)
        bus.write(address, bytes((registers.pins, state)) if registers else bytes((state,)))
        found = bus.read(address, 1)[0]
        for role in roles:
            if (found ^ state) >> lines[role] & 1:
                wrong.setdefault(role, set()).add(found >> lines[role] & 1)
    with suppress(BusError):
        if registers:
            bus.write(address, bytes((registers.direction, 0xFF)))
    return {role: levels.pop() for role, levels in wrong.items()}
