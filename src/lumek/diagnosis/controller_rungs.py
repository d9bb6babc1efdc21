"""The upper rungs of a panel that can be read: whether its controller answers, what it holds, and how fast it is.

When it does not answer as it should, causes are looked for in this order: a panel that needs `cautious`, something that
comes and goes, another line map, two wires that are swapped, a busy flag that never clears, wires that never change.
"""

from collections.abc import Iterator
from typing import Any

from lumek.core.geometry import Geometry
from lumek.core.instructions import SLOWEST_HZ
from lumek.diagnosis.prober import Prober, Told, stuck_wires, transposed
from lumek.diagnosis.rung import Rung, failed, ok, unknown
from lumek.diagnosis.timed import TimedBackpack, TimedDirect
from lumek.errors import LumekError
from lumek.hookup.maps import MAPS
from lumek.hookup.model import ModuleTable
from lumek.hookup.wiring import BackpackTable, DirectTable
from lumek.twin import Twin

MARGIN_HZ = 5_000
"""An oscillator_hz that is advised is a multiple of that, below what was measured."""

VAGUE = 2
"""Bounds so far apart say nothing."""

QUICKEST_HZ = 400_000
"""No part is quicker."""

MOST_LISTED = 3
"""Answers that are listed."""

GENUINE = "genuine parts run at 190 to 350 kHz"


def hasty(rung: str, seen: str) -> Rung:
    """A failure that goes away with `cautious`."""
    return failed(
        rung,
        seen,
        "the panel ignores data that begins while it is busy, and this link is fast; with more careful timing it works",
        "Set cautious = true in [hookup]; each byte then takes a little longer",
    )


class ControllerRungs:
    """The rungs of the controllers of one panel.

    module: the panel. port: its bus or lines, opened.
    twin: the simulated panel, whose clock then gives the time.
    """

    def __init__(self, module: ModuleTable, port: Any, twin: Twin | None) -> None:
        self._module, self._port, self._twin = module, port, twin

    def climb(self) -> Iterator[Rung]:
        """The rungs, up to the first that fails."""
        wiring, size = self._module.hookup, self._module.size
        if not isinstance(wiring, (BackpackTable, DirectTable)) or "rw" not in wiring.roles:
            yield unknown("controller", "RW has no line: the panel cannot be asked, and only eyes can tell")
            return
        link = self._link()
        for number in range(Geometry(size).controllers):
            prober = Prober(link, size, 1 << number)
            of = f" {number + 1}" if Geometry(size).controllers > 1 else ""
            prober.wake()
            answers = prober.answers()
            if not all(answer.right for answer in answers):
                prober.wake()
                yield self._no_controller(answers, prober.answers())
                return
            yield ok("controller", f"the controller{of} answers, at all {len(answers)} addresses")
            walk = prober.walk()
            if not any(answer.status for answer in walk):
                yield failed(
                    "controller",
                    "its counter stays at 0 while data is read",
                    "RS does not arrive: what is meant as data is taken for instructions",
                    "Check the wire of RS, at both ends",
                )
                return
            if not all(answer.right for answer in walk):
                yield self._no_controller([*answers, *walk], [*answers, *prober.walk()])
                return
            yield from self._memory(prober, of)
            yield from self._speed(prober)

    def _no_controller(self, answers: list[Told], again: list[Told]) -> Rung:
        """What is wrong when it does not answer as it should. again: what it answered a second time."""
        wrong = [f"{answer.status:#04x} for {answer.sent:#04x}" for answer in answers if not answer.right]
        back = ", ".join(wrong[:MOST_LISTED]) + (f" and {len(wrong) - MOST_LISTED} more" * (len(wrong) > MOST_LISTED))
        seen = f"the controller does not answer as it should: {back}"
        if self._works_cautiously():
            return hasty("controller", seen)
        if answers != again and any(answer.right for answer in (*answers, *again)):
            return failed(
                "controller",
                f"{seen}; and something else when asked again",
                "something disturbs it now and then: a loose wire, noise, or a weak supply",
                "Shorten the wires, fit 100 nF across the panel's supply, and press on each plug meanwhile",
            )
        wiring = self._module.hookup
        if isinstance(wiring, BackpackTable):
            for name, one in MAPS.items():
                if "rw" in one.lines and one.lines != wiring.bits and self._works(one.lines, one.backlight_on):
                    return failed(
                        "controller",
                        seen,
                        f"the board has another line map: it answers with {name!r}",
                        f"Set map = '{name}' in [hookup], without lines",
                    )
        for first, second, lines in transposed(wiring.roles):
            if self._works(lines):
                return failed(
                    "controller",
                    seen,
                    f"the wires of {first} and {second} are swapped: exchanged, it answers",
                    f"Swap these two wires, or the numbers of {first} and {second} in lines",
                )
        statuses = {answer.status for answer in answers}
        if all(answer.status & 0x80 and answer.status & 0x7F == answer.sent for answer in answers):
            return failed(
                "controller",
                "the busy flag never clears, though the address is right",
                "the wire of D7 is held high, or the controller's oscillator has stopped",
                "Check D7, and the panel's supply; ground RW and drop it from lines to drive it by waits",
            )
        if statuses <= {0xFF} or statuses <= {0x00}:
            level = "high" if statuses == {0xFF} else "low"
            return failed(
                "controller",
                f"nothing drives the data lines while they are read: all stay {level}",
                "E or RW does not reach the panel, or its controller has no supply",
                "Measure 5 V (3.3 V) between pins 1 and 2 of the panel; check the wires of E and RW, and "
                "the contrast: an upper row of blocks says that the panel has supply, and was never started",
            )
        stuck = stuck_wires(answers, self._module.width)
        if stuck:
            named = " and ".join(f"{role} reads {level} whatever is sent" for role, level in stuck.items())
            return failed(
                "controller",
                f"{seen}: {named}",
                "that wire is off or shorted",
                f"Check the wire of {' and '.join(stuck)}, at both ends",
            )
        return failed(
            "controller",
            seen,
            "a data wire, RS or E is off, loose or shorted, or the line map is another",
            "Check the wires of RS, E and the data lines; a bit that never changes names the wire",
        )

    def _works(self, lines: dict[str, Any], lit_at: int | None = None) -> bool:
        try:
            prober = Prober(self._link(lines, lit_at), self._module.size)
            prober.wake()
            return prober.works()
        except LumekError:
            return False

    def _works_cautiously(self) -> bool:
        """Whether everything works with `cautious`."""
        if self._module.hookup.cautious:
            return False
        try:
            prober = Prober(self._link(cautious=True), self._module.size)
            prober.wake()
            return prober.works() and not prober.display_memory().wrong
        except LumekError:
            return False

    def _memory(self, prober: Prober, of: str) -> Iterator[Rung]:
        for name, held in (("DDRAM", prober.display_memory()), ("CGRAM", prober.glyph_memory())):
            if held.wrong and self._works_cautiously():
                yield hasty("memory", f"{held.wrong} of {held.size} bytes of {name}{of} come back different")
                return
            if held.wrong:
                bits = ", ".join(f"D{bit}" for bit in range(8) if held.bits >> bit & 1)
                yield failed(
                    "memory",
                    f"{held.wrong} of {held.size} bytes of {name}{of} come back different ({bits})",
                    "what is sent is disturbed on its way: a loose wire, noise, or a weak supply",
                    f"Shorten the wires, fit 100 nF across the panel's supply, and check the wires of {bits}",
                    wrong=held.wrong,
                )
                return
            yield ok("memory", f"{name}{of} holds four patterns in {held.size} bytes")

    def _speed(self, prober: Prober) -> Iterator[Rung]:
        found = prober.oscillator_hz()
        if found is None:
            yield failed(
                "speed",
                "the busy flag does not clear after 'return home'",
                "the oscillator has stopped, or D7 is held high",
                "Check the panel's supply and the wire of D7",
            )
            return
        lowest, highest = found
        waits_for = self._module.oscillator_hz or SLOWEST_HZ
        allowed = int(lowest // MARGIN_HZ * MARGIN_HZ)
        seen = f"its oscillator runs at {lowest / 1000:.0f} to {highest / 1000:.0f} kHz; {GENUINE}"
        numbers = {"lowest_hz": lowest, "highest_hz": highest, "allowed_hz": allowed}
        if highest < waits_for:
            yield failed(
                "speed",
                seen,
                f"Lumek waits for one of {waits_for / 1000:.0f} kHz: characters get lost",
                f"Set oscillator_hz = {allowed} in [panel]",
                **numbers,
            )
        elif highest > VAGUE * lowest:
            yield unknown("speed", f"calls of this host take too long to measure the oscillator: {seen}")
        elif lowest > QUICKEST_HZ:
            yield unknown(
                "speed",
                f"{seen}: the bus must be slower than {self._bus_hz()} Hz, as bus_hz says",
                "Set bus_hz in [hookup] to the real clock; an expander may stretch it",
            )
        else:
            gain = f"; oscillator_hz = {allowed} would shorten its waits" if allowed > waits_for * 1.2 else ""
            yield ok("speed", seen + gain, **numbers)

    def _bus_hz(self) -> int:
        wiring = self._module.hookup
        return wiring.bus_hz if isinstance(wiring, BackpackTable) else 0

    def _link(self, lines: dict[str, Any] | None = None, lit_at: int | None = None, cautious: bool = False) -> Any:
        """A link for the prober, with other lines where they are given."""
        wiring = self._module.hookup
        cautious = cautious or wiring.cautious
        if isinstance(wiring, BackpackTable):
            return TimedBackpack(
                self._port, wiring.at, wiring.part, lines or wiring.bits,
                wiring.lit_at if lit_at is None else lit_at, cautious,
            )  # fmt: skip
        roles = dict(lines or wiring.roles)
        data = [roles.pop(f"d{bit}") for bit in range(8 - self._module.width, 8)]
        link = TimedDirect(
            self._port, data=data, backlight_on=wiring.lit_at, busy_flag=False, cautious=cautious, **roles
        )
        if self._twin is not None:
            clock = self._twin.clock
            link.now_us = lambda: clock.now_ns / 1000
        return link
