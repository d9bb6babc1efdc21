"""Two computers on a serial line: one reads sensors, the other has the panel.

python examples/serial_pair.py plays both on one computer: the ends of a pseudo-terminal are the line. The one with the
panel takes each line as a message, and answers it; the other one waits for that. Between real computers, hive.toml of
the one with the panel has

    [messages.from.line]
    kind = "serial"
    port = "/dev/ttyUSB0"
    speed = 9600

or, to have lines scroll up without more: lumek show --serial /dev/ttyUSB0 --baud 9600 --hookup hive.toml
Needs the extra: pip install 'lumek[serial]'.
"""

import os
import pty
import select
import tty
from json import dumps, loads

from apiary import reading_at, run, show

import lumek
from lumek.faces import Deck, Face, Show, Stand
from lumek.messages import Desk
from lumek.messages.ways.line_ways import SerialWay
from lumek.readings import Poller

TIMES = "06:00", "14:00", "22:00"

PATIENCE_S = 2.0
"""So long an answer is waited for."""


def sensors(line: int) -> None:
    """The computer with the sensors: it sends three readings, each once the last one was on the glass."""
    for moment in TIMES:
        reading = reading_at(moment)
        text = f"{moment}\n{reading['weight_kg']} kg {reading['brood_c']} °C"
        seconds = 0.5 if moment != TIMES[-1] else 30
        answer = asked(line, dumps({"text": text, "seconds": seconds, "id": moment}).encode() + b"\n")
        print(f"{moment} was {loads(answer)['state']}")


def asked(line: int, message: bytes) -> bytes:
    """The answer to a message, which is sent again while none comes: thanks to its id it is shown once."""
    answer = b""
    while not answer.endswith(b"\n"):
        if not answer:
            os.write(line, message)
        while not answer.endswith(b"\n") and select.select([line], [], [], PATIENCE_S)[0]:
            answer += os.read(line, 1000)
    return answer.splitlines()[0]


def main() -> None:
    """The computer with the panel shows what comes on the line."""
    panel = lumek.simulate("16x2")
    face = Face("16x2")
    face[0] = "Hive 3"
    desk = Desk()
    ours, theirs = pty.openpty()
    tty.setraw(theirs)  # a serial line repeats nothing
    with (
        Poller([]) as poller,
        Show([Stand("", Deck([face]), [panel], inbox=desk.inboxes[""])], poller, refresh_hz=20) as running,
        running.in_background(),
        SerialWay(os.ttyname(theirs), 9600, whole=True) as way,
    ):
        way.open(desk)
        sensors(ours)
        show(panel.twin)
    desk.close()
    os.close(ours)
    os.close(theirs)


if __name__ == "__main__":
    run(main)
