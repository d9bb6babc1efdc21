"""The hardware of a microcontroller, under MicroPython or CircuitPython.

Source: the documentation of `machine` (MicroPython: I2C, Pin, SPI, PWM) and of `busio`, `digitalio` and `pwmio`
(CircuitPython).
"""

import time

from lumek._harmless import quoted
from lumek.errors import NoAnswerError, PortError

TYPE_CHECKING = False
if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping
    from typing import Any, NoReturn


_TICKS: "Any" = staticmethod(time.ticks_us) if hasattr(time, "ticks_us") else None
"""The clock of MicroPython, which starts anew after minutes; CircuitPython's is too coarse."""


class BoardBus:
    """An I2C bus of the board, as a port.

    i2c: a `machine.I2C` or `machine.SoftI2C` of MicroPython, or a `busio.I2C` of CircuitPython.
    hz: the clock that it was made with; Lumek waits by it and does not set it.
    """

    def __init__(self, i2c: "Any", hz: int = 100_000) -> None:
        self.hz = hz
        self._i2c = i2c

    def write(self, address: int, data: bytes) -> None:
        """Write bytes to a device in one transfer. Raises NoAnswerError when no device acknowledges."""
        try:
            with _Held(self._i2c):
                self._i2c.writeto(address, data)
        except OSError as problem:
            _no_answer(address, problem)

    def read(self, address: int, count: int) -> bytes:
        """Read bytes from a device. Raises NoAnswerError when no device acknowledges."""
        data = bytearray(count)
        try:
            with _Held(self._i2c):
                self._i2c.readfrom_into(address, data)
        except OSError as problem:
            _no_answer(address, problem)
        return bytes(data)

    now_us = _TICKS

    def wait_us(self, us: int) -> None:
        """Wait for at least this many microseconds."""
        _wait_us(us)


class BoardLines:
    """Pins of the board, as a port of lines.

    pins: {number or name: pin}, each a `machine.Pin` of MicroPython or a `digitalio.DigitalInOut` of CircuitPython.
    """

    drive_ns = 500
    """Python takes longer than that for a call, also on a quick board."""

    def __init__(self, pins: "Mapping[Any, Any]") -> None:
        self._pins = pins
        self._outputs: dict[Any, bool] = {}

    def __repr__(self) -> str:
        return f"<BoardLines, {len(self._pins)} pins>"

    def drive(self, levels: "Mapping[Any, int]") -> None:
        """Make these lines outputs at these levels, one after the other."""
        for line in levels:
            pin, level = self._pin(line), levels[line]
            circuit = hasattr(pin, "switch_to_output")
            if not self._outputs.get(line):
                if circuit:
                    pin.switch_to_output(level)
                else:
                    pin.init(pin.OUT, value=level)
                self._outputs[line] = True
            elif circuit:
                pin.value = level
            else:
                pin.value(level)

    def sense(self, lines: "Iterable[Any]") -> "dict[Any, int]":
        """Make these lines inputs, and read them."""
        levels = {}
        for line in lines:
            pin = self._pin(line)
            circuit = hasattr(pin, "switch_to_input")
            if self._outputs.get(line, True):
                if circuit:
                    pin.switch_to_input()
                else:
                    pin.init(pin.IN)
                self._outputs[line] = False
            levels[line] = int(pin.value) if circuit else pin.value()
        return levels

    now_us = _TICKS

    def wait_us(self, us: int) -> None:
        """Wait for at least this many microseconds."""
        _wait_us(us)

    def _pin(self, line: "Any") -> "Any":
        if line not in self._pins:
            there = ", ".join([str(one) for one in self._pins])
            raise PortError(f"there is no pin {quoted(line)} among those given to BoardLines: there is {there}")
        return self._pins[line]


class BoardSpi:
    """SPI of the board with a shift register, as a serial port.

    spi: a `machine.SPI` or `machine.SoftSPI` of MicroPython, or a `busio.SPI` of CircuitPython.
    latch: the pin that leads to RCLK, an output: a `machine.Pin` or a `digitalio.DigitalInOut`.
    """

    state_us = 2
    """Two pin writes and an SPI write take longer than that from Python."""

    def __init__(self, spi: "Any", latch: "Any") -> None:
        self._spi = spi
        self._latch = latch
        self._circuit = hasattr(latch, "switch_to_output")

    def __repr__(self) -> str:
        return "<BoardSpi>"

    def send(self, data: bytes) -> None:
        """Bytes out, highest bit first, and one latch pulse after each."""
        with _Held(self._spi):
            for place in range(len(data)):
                self._set_latch(0)
                self._spi.write(data[place : place + 1])
                self._set_latch(1)

    now_us = _TICKS

    def wait_us(self, us: int) -> None:
        """Wait for at least this many microseconds."""
        _wait_us(us)

    def _set_latch(self, level: int) -> None:
        if self._circuit:
            self._latch.value = level
        else:
            self._latch.value(level)


class BoardPwm:
    """A PWM channel of the board, as a light that offers brightness, or one of three, or the contrast.

    pwm: a `machine.PWM` of MicroPython or a `pwmio.PWMOut` of CircuitPython, at its frequency.
    """

    offers = "brightness"

    def __init__(self, pwm: "Any") -> None:
        self._pwm = pwm

    def dim(self, fraction: float) -> None:
        """Set the share of the time with power, 0.0 to 1.0."""
        duty = int(fraction * 65535 + 0.5)
        if hasattr(self._pwm, "duty_u16"):
            self._pwm.duty_u16(duty)
        else:
            self._pwm.duty_cycle = duty


class _Held:
    """A `with` block in which no other user has a bus: CircuitPython shares one between its users."""

    def __init__(self, device: "Any") -> None:
        self._device = device if hasattr(device, "try_lock") else None

    def __enter__(self) -> None:
        while self._device and not self._device.try_lock():
            pass

    def __exit__(self, *exc: object) -> None:
        if self._device:
            self._device.unlock()


def _no_answer(address: int, problem: OSError) -> "NoReturn":
    raise NoAnswerError(
        f"no device acknowledges at address {address:#04x} ({problem}): check supply, wires and address pads"
    ) from None


def _wait_us(us: int) -> None:
    if hasattr(time, "sleep_us"):
        time.sleep_us(us)
    else:
        time.sleep(us / 1e6)
