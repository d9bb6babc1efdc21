"""Links that say whether a controller is still busy some time after an instruction, from which its oscillator follows.

Source: HD44780U data sheet, "Read busy flag and address"; PCF8574 data sheet, "Reading from a port": the pins are taken
at the acknowledge of the address.
"""

from collections.abc import Callable
from time import perf_counter_ns

from lumek.links.backpack import Backpack
from lumek.links.direct import Direct
from lumek.links.shared import hand_over


class TimedBackpack(Backpack):
    """A backpack that can be read. Its states keep the time: each takes nine clocks of the bus."""

    def busy_after(self, code: int, us: float, enables: int = 1) -> tuple[float, float, bool]:
        """Send an instruction, and look at the busy flag.

        us: microseconds from the instruction to the look.
        Returns the least and the most microseconds from it to the look as it was, and whether the flag was set.
        """
        if self._state is None:
            self._state = self._find_state()
        self._rest()
        control = self._control(0)
        e = self._e[enables]
        rest = control | self._rw | self._nibbles[15]
        pulses = self._pulses(control, enables)
        states = bytes((control,)) + pulses[code >> 4] + pulses[code & 15]
        # After the last of these: the fillers, E high, and the address of the read, with its stop and start.
        fillers = max(1, round(us / self._state_us) - 2)
        reading = bytes((rest,)) * fillers + bytes((rest | e,))
        if self._registers:
            self._write(states)
            self._data_lines(inputs=True)
            self._write(reading)
        else:
            self._write(states + reading)
        upper = self.bus.read(self.address, 1)[0]
        self._write(bytes((rest, rest | e)))
        self.bus.read(self.address, 1)
        self._write(bytes((rest,)))
        self._state = control | self._nibbles[15]
        self._write(bytes((self._state,)))
        self._data_lines(inputs=False)
        hand_over(self.bus)
        more = 6 if self._registers else 0  # its registers are transfers of their own
        passed = (fillers + 2 + more) * self._state_us
        return passed, passed, self._nibble(upper) >= 8

    @property
    def finest_us(self) -> float:
        """By how much the time of a look can be chosen."""
        return self._state_us


class TimedDirect(Direct):
    """Direct wiring that can be read.

    now_us: the time in microseconds; default: the host's.
    """

    now_us: Callable[[], float] = staticmethod(lambda: perf_counter_ns() / 1000)

    def busy_after(self, code: int, us: float, enables: int = 1) -> tuple[float, float, bool]:
        """See `TimedBackpack.busy_after`. A call may act at any moment from its beginning to its end."""
        with self._shared.lock:
            self._come_to_rest()
            self._await(enables)
            self._wait_for(enables, 0)
            self._set({self._rs: 0})
            if self.width == 4:
                self._pulse(code >> 4, enables)
            began = self.now_us()
            self._pulse(code, enables)
            hand_over(self.lines)
            sent = self.now_us()
            self.lines.wait_us(int(us))
            self._turn(0)
            looks = self.now_us()
            self._enable(enables, 1, {})
            busy = bool(self.lines.sense(self._data[-1:])[self._data[-1]])
            looked = self.now_us()
            self._enable(enables, 0, {})
            if self.width == 4:
                self._enable(enables, 1, {})
                self._enable(enables, 0, {})
            self._set({self._rw: 0})
            hand_over(self.lines)
        return looks - sent, looked - began, busy

    @property
    def finest_us(self) -> float:
        """See `TimedBackpack.finest_us`."""
        return max(10.0, 4 * self._drive_ns / 1000)
