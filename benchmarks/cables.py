"""What boards on a USB cable cost: python benchmarks/cables.py prints the table of docs/performance.md.

Times are those of the simulated board: bytes at the rate of its serial line, and its bus. The limit is what the
protocol needs at least: two bytes for each port state behind an expander, and for a pin change a message of three.
Plain is the driver of benchmarks/plain.py: a message for every state of the wires, everything written again. Ends with
1 when a panel was treated wrongly.
"""

import sys
from collections.abc import Callable
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent))

from plain import LIGHT, ROWS, RS, E, Plain

from lumek import Backpack, Direct, Panel
from lumek.ports.usb import FirmataBoard, MicroPythonBoard, UsbBus, UsbLines
from lumek.twin import Controller, Twin, TwinBoard, TwinConnection, backpack_twin, direct_twin

LINES = {"rs": 2, "e": 3, "d4": 4, "d5": 5, "d6": 6, "d7": 7}
FIRST = ["Hive 3   brood 34.5 ", "41.4 kg  +0.3 kg    ", "213 Hz   traffic 48 ", "battery 3.91 V  69 %"]
FULL = [row[::-1] for row in FIRST]
DIGIT = [FIRST[0], FIRST[1].replace("41.4", "41.5"), *FIRST[2:]]
CHANGES = {"full redraw": FULL, "one digit": DIGIT}
STATES = 4
"""Port states, or messages, of a character."""

CELLS = {"full redraw": 80 + len(ROWS), "one digit": 2}
"""Bytes for the controller at least: characters and addresses."""


class Prompt:
    """What a board with MicroPython answers at its prompt, to count what it is sent."""

    timeout: float | None = None

    def __init__(self) -> None:
        self._answer = b""

    def write(self, data: bytes) -> None:
        """Take a call."""
        self._answer = b"raw REPL; CTRL-B to exit\r\n>" if data.endswith(b"\x01") else b"OK\x04\x04>"
        if b"readfrom" in data:
            self._answer = b"OK[0]\x04\x04>"

    def read(self, size: int = 1) -> bytes:
        """Answer it."""
        answer, self._answer = self._answer[:size], self._answer[size:]
        return answer

    @property
    def in_waiting(self) -> int:
        """How much there is."""
        return len(self._answer)

    def close(self) -> None:
        """Let it go."""


def firmata(baud: int | None) -> tuple[TwinBoard, FirmataBoard]:
    """A simulated board, and the port that leads to it."""
    simulated = TwinBoard(baud)
    return simulated, FirmataBoard(TwinConnection(simulated), baud or 57_600)


def plain_bus(board: FirmataBoard) -> Plain:
    """The plain driver on the bus of a board: a transfer for each state, and its answer."""
    bus = UsbBus(board)

    def set_wires(rs: int, value: int, e: int) -> None:
        bus.write(0x27, bytes((value << 4 | LIGHT | RS * rs | E * e,)))
        bus.flush()

    return Plain(set_wires, bus.wait_us, 4)


def plain_lines(board: FirmataBoard) -> Plain:
    """The plain driver on the pins of a board: a message for each pin."""
    lines = UsbLines(board)

    def set_wires(rs: int, value: int, e: int) -> None:
        levels = {2: rs, **{4 + bit: value >> bit & 1 for bit in range(4)}, 3: e}
        for line, level in levels.items():
            lines.drive({line: level})
            lines.flush()

    return Plain(set_wires, lines.wait_us, 4)


def measured(board: FirmataBoard, simulated: TwinBoard, draw: Callable[[], object]) -> tuple[int, int, float]:
    """(bytes, calls, milliseconds on the board) of what is drawn."""
    before = board.bytes_sent, board.writes, simulated.clock.now_ns
    draw()
    return board.bytes_sent - before[0], board.writes - before[1], (simulated.clock.now_ns - before[2]) / 1e6


def main() -> int:
    """Print the table."""
    print("| what | on | bytes: Lumek / limit / plain | calls: Lumek / plain | ms: Lumek / limit / plain | "
          "of the limit | plain is |")  # fmt: skip
    print("|---|---|---|---|---|---|---|")
    wrong = 0
    for what, rows in CHANGES.items():
        for baud in (57_600, 115_200, None):
            for kind in ("its bus, PCF8574", "its pins, 4 lines"):
                found = []
                for is_plain in (False, True):
                    simulated, board = firmata(baud)
                    chips = [Controller(190_000)]
                    if kind.startswith("its bus"):
                        twin, _ = backpack_twin("20x4", bus=simulated.bus, controllers=chips)
                        panel = Panel("20x4", Backpack(UsbBus(board), 0x27))
                        driver, each = plain_bus(board), 2
                    else:
                        twin, _ = direct_twin("20x4", LINES, port=simulated.lines, controllers=chips)
                        panel = Panel("20x4", Direct(UsbLines(board), rs=2, e=3, data=(4, 5, 6, 7)))
                        driver, each = plain_lines(board), 3
                    panel[:] = "\n".join(FIRST)
                    found.append(measured(board, simulated, change(panel, driver, rows, is_plain)))
                    wrong += wrongly_treated(twin, rows)
                own, plain = found
                limit = CELLS[what] * STATES * each
                limit_ms = limit * 1e4 / baud if baud else limit / 1000
                if not baud:  # the panel's own time, or the bus's
                    limit_ms = CELLS[what] * (STATES * 0.09 if each == 2 else 0.061)
                board_of = f"{baud} baud" if baud else "USB itself"
                print(f"| {what} | {board_of}, {kind} | {own[0]} / {limit} / {plain[0]} | {own[1]} / {plain[1]} | "
                      f"{own[2]:.1f} / {limit_ms:.1f} / {plain[2]:.1f} | {own[2] / limit_ms:.2f} x | "
                      f"{plain[2] / own[2]:.1f} x slower |")  # fmt: skip
        for kind in ("its bus, PCF8574", "its pins, 4 lines"):
            prompt = MicroPythonBoard(Prompt())
            on_bus = kind.startswith("its bus")
            panel = Panel("20x4", Backpack(UsbBus(prompt), 0x27) if on_bus else
                          Direct(UsbLines(prompt), rs=2, e=3, data=(4, 5, 6, 7)))  # fmt: skip
            panel[:] = "\n".join(FIRST)
            before = prompt.bytes_sent, prompt.writes
            panel[:] = "\n".join(rows)
            print(f"| {what} | MicroPython, {kind} | {prompt.bytes_sent - before[0]} | {prompt.writes - before[1]} | "
                  f"{(prompt.bytes_sent - before[0]) * 1e4 / 115_200:.1f} at 115200 baud | | |")  # fmt: skip
    return wrong


def change(panel: Panel, driver: Plain, rows: list[str], is_plain: bool) -> Callable[[], None]:
    """What brings the panel to these rows, the one way or the other."""

    def lumeks() -> None:
        panel[:] = "\n".join(rows)

    return (lambda: driver.rewrite([row[:20] for row in rows])) if is_plain else lumeks


def wrongly_treated(twin: Twin, rows: list[str]) -> int:
    """1 when the panel shows something else or was treated wrongly, and says so."""
    if twin.rows == [row[:20] for row in rows] and not twin.violations:
        return 0
    print(f"wrong: {twin.rows}, {list(twin.violations)[:3]}", file=sys.stderr)
    return 1


if __name__ == "__main__":
    sys.exit(min(1, main()))
