"""Three GPIO lines as a serial port to a shift register.

Source: 74HC595 data sheet: a bit is taken at the rising edge of the shift clock, and all outputs change at the rising
edge of the latch clock; both may come as soon as 100 ns after what leads up to them.
"""

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Hashable

    from lumek.protocols import Lines

CALLS = 17
"""Calls of `drive` for a byte: two for each bit, one for the latch."""

ASSUMED_NS = 100
"""What a call takes at least, on a lines port that does not say."""


class SerialLines:
    """A serial port made of three lines of a lines port.

    lines: anything with `drive` and `wait_us`.
    data, clock, latch: the lines that lead to SER, SRCLK and RCLK.
    """

    def __init__(self, lines: "Lines", data: "Hashable", clock: "Hashable", latch: "Hashable") -> None:
        self.lines = lines
        self.state_us = CALLS * getattr(lines, "drive_ns", ASSUMED_NS) / 1000
        if hasattr(lines, "now_us"):
            self.now_us = lines.now_us
        if hasattr(lines, "claim"):
            lines.claim([data, clock, latch])
        self._clock_high = {clock: 1}
        self._bits = {data: 0, clock: 0, latch: 0}, {data: 1, clock: 0, latch: 0}
        self._latch_high = {clock: 0, latch: 1}

    def __repr__(self) -> str:
        return f"<SerialLines on {self.lines}>"

    def send(self, data: bytes) -> None:
        """Bytes out, highest bit first, and one latch pulse after each."""
        drive = self.lines.drive
        for byte in data:
            for place in range(7, -1, -1):
                drive(self._bits[byte >> place & 1])
                drive(self._clock_high)
            drive(self._latch_high)

    def flush(self) -> None:
        """Let lines that hold things back send them."""
        if hasattr(self.lines, "flush"):
            self.lines.flush()

    def wait_us(self, us: int) -> None:
        """Wait for at least this many microseconds."""
        self.lines.wait_us(us)
