"""What is wrong with probes, reported once: when it begins, when it changes, and when it is over."""

from collections import deque
from collections.abc import Mapping

from lumek.readings.poller import NOT_POLLED
from lumek.readings.reading import Reading

SETTLE_S = 2.0
"""How long a flaw, or its absence, must last before it is reported: one failed poll is not worth a line."""

MOST_LINES, QUIET_S = 4, 60.0
"""A probe that had this many lines in a minute must stay the same for a minute before it gets the next one."""


class _State:
    """Of one probe: what was reported, what is seen now and since when, and the times of its last lines."""

    def __init__(self) -> None:
        self.reported: str | None = None
        self.seen: str | None = ""
        self.since = 0.0
        self.times: deque[float] = deque(maxlen=MOST_LINES)
        self.new = True


class Troubles:
    """Turns readings into lines for people: `weight is missing: no connection to hive.example port 1883`.

    verbose: report changes at once, and the first good reading of each probe, too.
    """

    def __init__(self, verbose: bool = False) -> None:
        self.verbose = verbose
        self._states: dict[str, _State] = {}

    def news(self, readings: Mapping[str, Reading], now: float) -> list[str]:
        """What has begun, changed or ended.

        readings: as they are now, by name.
        now: seconds since some moment; they never go back.
        """
        lines = []
        for name, reading in readings.items():
            if reading.cause == NOT_POLLED:
                continue
            state = self._states.get(name) or self._states.setdefault(name, _State())
            key = reading.trouble
            if key != state.seen:
                state.seen, state.since = key, now
            first = self.verbose and state.new and key is None
            if (key == state.reported and not first) or now - state.since < self._settle_s(state, now):
                continue
            again = " again" if state.reported is not None else ""
            lines.append(described(name, reading) if key else f"{name} is good{again}: {_value(reading)}")
            state.reported, state.new = key, False
            state.times.append(now)
        return lines

    def left(self, readings: Mapping[str, Reading]) -> list[str]:
        """The flaws that there are and that no line has reported yet."""
        reported = {name: state.reported for name, state in self._states.items()}
        return [
            described(name, reading)
            for name, reading in readings.items()
            if (key := reading.trouble) and key != reported.get(name)
        ]

    def _settle_s(self, state: _State, now: float) -> float:
        if len(state.times) == MOST_LINES and now - state.times[0] < QUIET_S:
            return QUIET_S
        return 0.0 if self.verbose else SETTLE_S


def described(name: str, reading: Reading) -> str:
    """A line about a flawed reading: its name, flaw and cause."""
    return f"{name} is {reading.flaw}{': ' if reading.cause else ''}{reading.cause}"


def _value(reading: Reading) -> str:
    return reading.text if reading.text is not None else f"{float(reading):g} {reading.unit}".rstrip()
