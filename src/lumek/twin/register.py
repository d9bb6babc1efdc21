"""The simulated 74HC595, at the end of three GPIO lines or of SPI.

Source: 74HC595 data sheet, function table: a rising edge of the shift clock takes a bit in, QA first; a rising edge of
the latch clock brings the bits to the outputs, all at once.
"""

from collections.abc import Mapping

from lumek.twin.expander import Module, check_contention
from lumek.twin.harm import Harm, arriving
from lumek.twin.pins import words_of
from lumek.twin.time_base import TwinClock


class Hc595:
    """The register, wired to a panel.

    panel: what the outputs lead to.
    lines: pin of the panel, or "backlight" -> output, 0 (QA) to 7 (QH).
    outputs: their levels when the supply comes on, which the part does not define.
    """

    def __init__(self, panel: Module, lines: Mapping[str, int], outputs: int = 0) -> None:
        self.outputs = outputs
        self.violations = panel.violations
        self._panel = panel
        self._lines = dict(lines)
        self._bits = 0
        self._words: dict[int, tuple[int, int, int]] = {}
        self._levels = {"data": 0, "clock": 0, "latch": 0}
        panel.set_pins(self._pins(), 0)

    def wake(self) -> Mapping[str, int | None]:
        """The supply comes on: the outputs are not defined, and here stay as they were."""
        return self._pins()

    def set_pins(self, levels: Mapping[str, int | None], now_ns: int) -> None:
        """The pins "data", "clock" and "latch" take these levels; what is not driven counts as low."""
        before, self._levels = self._levels, {**self._levels, **{pin: level or 0 for pin, level in levels.items()}}
        if self._levels["clock"] > before["clock"]:
            self._bits = (self._bits << 1 | before["data"]) & 0xFF
        if self._levels["latch"] > before["latch"]:
            self.latch(self._bits, now_ns)

    def latch(self, byte: int, now_ns: int) -> None:
        """Bring a byte to the outputs, its lowest bit to QA."""
        if self._panel.output(now_ns):
            check_contention(self._panel, self._pins(), now_ns)
        self.outputs = byte
        if byte not in self._words:
            self._words[byte] = words_of(self._pins())
        self._panel.set_words(*self._words[byte], now_ns)

    def output(self, now_ns: int) -> dict[str, int] | None:
        """Nothing is driven back."""
        return None

    def at_rest(self, pin: str) -> int:
        """An input does not pull."""
        return 0

    def held_low(self, pin: str) -> bool:
        """Nothing holds it."""
        return False

    def _pins(self) -> dict[str, int | None]:
        return {pin: self.outputs >> bit & 1 for pin, bit in self._lines.items()}


class TwinSerial:
    """SPI at `hz` clocks a second that leads to a 74HC595, with the methods of a serial port.

    `sent` counts the bytes.
    """

    def __init__(self, clock: TwinClock, hz: int = 1_000_000) -> None:
        self.clock = clock
        self.registers: list[Hc595] = []
        self.state_us = 8_000_000 / hz
        self.hz = hz
        self.sent = 0
        self.harms: list[Harm] = []
        """What goes wrong on it; see `lumek.twin.faults`."""

    def __repr__(self) -> str:
        return f"<TwinSerial {self.hz} Hz>"

    def connect(self, register: Hc595) -> None:
        """Let it lead to a register, too: several take in the same bits."""
        self.registers.append(register)

    def send(self, data: bytes) -> None:
        """Bytes out, highest bit first, and a latch pulse after each."""
        for piece in arriving(self.harms, data):
            self._shift_out(piece)

    def _shift_out(self, data: bytes) -> None:
        for byte in data:
            self.clock.now_ns += 8_000_000_000 // self.hz
            for register in self.registers:
                register.latch(byte, self.clock.now_ns)
        self.sent += len(data)

    def now_us(self) -> float:
        """The simulated time, in microseconds."""
        return self.clock.now_ns / 1000

    def wait_us(self, us: float) -> None:
        """Let simulated time pass."""
        self.clock.now_ns += round(us * 1000)
