"""A 16x2 panel on the pins of a microcontroller board on a USB cable, driven from this computer.

python examples/board_on_usb.py shows it on a simulated board; with a port (python examples/board_on_usb.py
/dev/ttyACM0) on a real one with a Firmata firmware, and with a second word (/dev/ttyACM0 micropython) on one with
MicroPython. RS is at pin 2, E at 3, D4 to D7 at 4 to 7.
"""

import sys

from apiary import reading_at, run, show

from lumek import Direct, Panel
from lumek.ports.usb import FirmataBoard, UsbLines, open_board
from lumek.twin import TwinBoard, TwinConnection, direct_twin

LINES = {"rs": 2, "e": 3, "d4": 4, "d5": 5, "d6": 6, "d7": 7}


def main() -> None:
    """Follow the weight of hive 3 through the morning, and say what that took."""
    if len(sys.argv) > 1:
        twin, board = None, open_board(*sys.argv[1:3])
    else:
        simulated = TwinBoard(57_600)
        twin, _ = direct_twin("16x2", LINES, port=simulated.lines)
        board = FirmataBoard(TwinConnection(simulated))
    with board:
        panel = Panel("16x2", Direct(UsbLines(board), rs=2, e=3, data=(4, 5, 6, 7)))
        panel[1] = "Weight        kg"
        for time in ("07:00", "09:00", "11:00"):
            before = board.bytes_sent, board.writes
            with panel.together():
                panel[0] = f"Hive 3     {time}"
                panel[1, 7:13] = f"{float(reading_at(time)['weight_kg']):6.2f}"
            show(twin)
            print(f"{board.bytes_sent - before[0]} bytes in {board.writes - before[1]} call(s)")


if __name__ == "__main__":
    run(main)
