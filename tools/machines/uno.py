"""An emulated board: an ATmega328P with a firmware, whose pins and bus lead to simulated panels."""

import json
import subprocess
from pathlib import Path
from typing import Any

from lumek.twin import TwinClock, TwinLines
from lumek.twin.bus import Device

HERE = Path(__file__).parent
CYCLE_NS = 62.5
FIRST_PINS = 0, 8, 14
"""The first pin of each port: D, B and C."""

STEP, STEP_WITH_INPUTS = 8000, 400
"""Cycles between looks at what is wired to the pins: what the board reads must be there soon."""


class Uno:
    """A connection, with the methods of pyserial's, to an emulated board. Its time goes on while it is read from.

    firmware: the path of a file in Intel's hex format.
    """

    def __init__(self, firmware: Path) -> None:
        self.timeout: float | None = None
        self.clock = TwinClock()
        self.lines = TwinLines(self.clock, drive_ns=0)
        self.devices: dict[int, Device] = {}
        self.transfers = 0
        self._inputs: dict[int, int] = {}
        self._waiting = bytearray()
        self._to_send = bytearray()
        self._device: Device | None = None
        self._reply: int | None = None
        self._node = subprocess.Popen(
            ["node", str(HERE / "uno.mjs"), str(firmware)], stdin=-1, stdout=-1, text=True, cwd=HERE
        )

    @property
    def in_waiting(self) -> int:
        """How many bytes have come."""
        return len(self._waiting)

    def write(self, data: bytes) -> None:
        """Send bytes."""
        self._to_send += data

    def read(self, size: int = 1) -> bytes:
        """Up to this many bytes, as they come before the timeout."""
        end = self.clock.now_ns + int((self.timeout or 1) * 1e9)
        while len(self._waiting) < size and self.clock.now_ns < end:
            self._step()
        data = bytes(self._waiting[:size])
        del self._waiting[:size]
        return data

    def elapsed(self) -> float:
        """Seconds since it began."""
        return self.clock.now_ns / 1e9

    def wait_us(self, us: float) -> None:
        """Let time pass."""
        end = self.clock.now_ns + us * 1000
        while self.clock.now_ns < end:
            self._step()

    def settle(self) -> None:
        """Let it do what it was sent."""
        while self._step():
            pass
        self.wait_us(5000)

    def close(self) -> None:
        """End it."""
        if self._node.stdin is not None and self._node.stdout is not None:
            self._node.stdin.close()
            self._node.wait(10)
            self._node.stdout.close()

    def _step(self) -> int:
        """Run a while; the bytes that have not arrived yet."""
        request: dict[str, Any] = {"cycles": STEP_WITH_INPUTS if self._inputs else STEP, "data": self._to_send.hex()}
        levels = self.lines.sense(self._inputs)
        request["inputs"] = [[pin >> 3 if pin < 14 else 2, pin - FIRST_PINS[pin >> 3 if pin < 14 else 2], levels[pin]]
                             for pin in self._inputs]  # fmt: skip
        if self._reply is not None:
            request["reply"] = self._reply
        self._to_send.clear()
        self._reply = None
        assert self._node.stdin is not None
        assert self._node.stdout is not None
        self._node.stdin.write(json.dumps(request) + "\n")
        self._node.stdin.flush()
        answer = json.loads(self._node.stdout.readline())
        for cycle, port, levels_of_port, outputs in answer["events"]:
            self._change(cycle, port, levels_of_port, outputs)
        self.clock.now_ns = int(answer["cycle"] * CYCLE_NS)
        if answer["waits"]:
            self._reply = self._on_bus(**answer["waits"])
        self._waiting += bytes.fromhex(answer["sent"])
        left: int = answer["left"]
        return left

    def _change(self, cycle: int, port: int, levels: int, outputs: int) -> None:
        self.clock.now_ns = int(cycle * CYCLE_NS)
        pins = {FIRST_PINS[port] + bit: bit for bit in range(8) if FIRST_PINS[port] + bit in self.lines.levels}
        self.lines.drive({pin: levels >> bit & 1 for pin, bit in pins.items() if outputs >> bit & 1})
        off = {pin: bit for pin, bit in pins.items() if not outputs >> bit & 1}
        self.lines.sense(off)
        for pin in pins:
            self._inputs.pop(pin, None)
        self._inputs.update(off)

    def _on_bus(self, kind: str, value: int, cycle: int) -> int:
        now = int(cycle * CYCLE_NS)
        if kind in ("write to", "read from"):
            self._device = self.devices.get(value)
            self.transfers += 1
            if self._device is None:
                return 0
            self._device.start()
        elif kind == "byte" and self._device is not None:
            self._device.write(value, now)
        elif kind == "give":
            return self._device.read(now) if self._device is not None else 0xFF
        return 1
