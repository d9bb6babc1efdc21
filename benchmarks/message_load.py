"""A thousand messages a second on one host: whether its drawing keeps its pace, and its memory its size.

python benchmarks/message_load.py [PER_SECOND [SECONDS]]

By MQTT and by TCP, one after the other, against the same host without messages. Ends with 1 if the pace of the drawing
is lost (one in a hundred drawings comes more than a quarter of a period late; judged from half a minute on), if memory
grows, or if messages are lost: each is answered, or the sender had to wait.
"""

import os
import signal
import socket
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable
from contextlib import suppress
from itertools import pairwise
from json import dumps
from pathlib import Path
from typing import NamedTuple

import paho.mqtt.client
import psutil
from paho.mqtt.enums import CallbackAPIVersion

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))

from lumek.faces.file import read
from support.broker import Broker, free_port

REFRESH_HZ = 10

FILE = """[deck]
size = "20x4"
refresh_hz = {hz}
[probes]
weight = {{ simulated = {{ value = 41.4, swing = 4, period_s = 5 }}, unit = "kg", every_s = 0.1 }}
[messages]
record = "shown.jsonl"
seconds = 0.3
[messages.from.line]
kind = "tcp"
port = {tcp}
[broker]
host = "127.0.0.1"
port = {port}
name = "hive"
[faces.hive]
text = "Hive"
fields = [
  {{ kind = "number", of = "weight", row = 1, decimals = 2 }}, {{ kind = "bar", of = "weight", row = 2, high = 50 }},
]
"""

LATE = 0.25
"""Of a period: one drawing in a hundred may be so late."""

LEAST_S = 28
"""In a shorter run one pause of the machine is one drawing in a hundred."""

GROWTH = 1.10
"""Of memory, from the first half to the second."""


class Drawn(NamedTuple):
    """How a host drew for some time: seconds late, in ascending order; processor seconds a second; bytes."""

    late: list[float]
    busy: float
    first: int
    last: int

    def __str__(self) -> str:
        def at(part: float) -> str:
            return f"{1000 * self.late[min(len(self.late) - 1, int(part * len(self.late)))]:5.1f}"

        return (f"drawn late by p50 {at(0.5)} ms, p99 {at(0.99)} ms, worst {at(1)} ms; {100 * self.busy:3.0f} % of a "
                f"processor; memory {self.first / 2**20:.1f} to {self.last / 2**20:.1f} MB")  # fmt: skip

    @property
    def keeps_pace(self) -> bool:
        """Whether drawing kept its pace."""
        return self.late[int(0.99 * len(self.late))] <= LATE / REFRESH_HZ

    @property
    def is_flat(self) -> bool:
        """Whether memory kept its size."""
        return self.last <= self.first * GROWTH


class Host:
    """The host program."""

    def __init__(self, folder: Path, port: int) -> None:
        self.tcp = free_port()
        file = folder / "hive.toml"
        file.write_text(FILE.format(port=port, tcp=self.tcp, hz=REFRESH_HZ))
        self._times = folder / "times"
        self._times.touch()
        command = [sys.executable, __file__, "--host", str(file), str(self._times)]
        self._process = subprocess.Popen(command, stdin=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        self._found = psutil.Process(self._process.pid)

    def watch(self, seconds: float, load: Callable[[], object]) -> Drawn:
        """How it draws while a load lasts."""
        begin = len(self._times.read_text().splitlines())
        thread = threading.Thread(target=load)
        before = self._found.cpu_times()
        thread.start()
        time.sleep(seconds / 2)
        first = self._found.memory_info().rss
        time.sleep(seconds / 2)
        after, last = self._found.cpu_times(), self._found.memory_info().rss
        times = [float(one) for one in self._times.read_text().splitlines()[begin:]]
        thread.join()
        busy = (after.user + after.system - before.user - before.system) / seconds
        gaps = [later - one for one, later in pairwise(times)]
        return Drawn(sorted(max(0.0, gap - 1 / REFRESH_HZ) for gap in gaps), busy, first, last)

    def end(self) -> None:
        """End it."""
        self._process.send_signal(signal.SIGINT)
        self._process.wait(30)


class Load:
    """Messages at a rate."""

    def __init__(self, per_s: int, seconds: float, send: Callable[[str], object]) -> None:
        self._per_s, self._seconds, self._send = per_s, seconds, send
        self.sent = 0

    def __call__(self) -> None:
        """Send."""
        begun = time.monotonic()
        while (passed := time.monotonic() - begun) < self._seconds:
            while self.sent < passed * self._per_s:
                level = ("low", "normal", "urgent")[self.sent % 3]
                self._send(dumps({"text": f"message {self.sent}", "id": f"{self.sent}", "level": level}))
                self.sent += 1
            time.sleep(0.005)


def main() -> None:
    """Run both ways, and print them."""
    per_s, seconds = [int(one) for one in [*sys.argv[1:], *("1000", "60")[len(sys.argv) - 1 :]]]
    with tempfile.TemporaryDirectory() as folder:
        broker = Broker(Path(folder), free_port(), "max_queued_messages 100000")
        broker.start()
        host = Host(Path(folder), broker.port)
        try:
            time.sleep(5)
            print(f"without messages          {(idle := host.watch(min(20, seconds), lambda: None))}", flush=True)
            ok = [by_mqtt(host, broker.port, per_s, seconds, idle), by_tcp(host, per_s, seconds, idle)]
        finally:
            host.end()
            broker.end()
    sys.exit(0 if all(ok) else 1)


def judged(what: str, drawn: Drawn, idle: Drawn, sent: int, answered: int, per_s: int) -> bool:
    """Print how a host drew under a load; whether it did well."""
    print(f"{per_s} a second by {what:5} {drawn}")
    busier = (drawn.busy - idle.busy) / per_s * 1e6
    print(f"  {sent} sent, {answered} answered; {busier:.0f} us of processor a message", flush=True)
    keeps_pace = drawn.keeps_pace or len(drawn.late) < LEAST_S * REFRESH_HZ
    return keeps_pace and drawn.is_flat and answered >= 0.99 * sent


def by_mqtt(host: Host, port: int, per_s: int, seconds: float, idle: Drawn) -> bool:
    """Messages to the topic of the panel."""
    answered: list[float] = []
    client = paho.mqtt.client.Client(CallbackAPIVersion.VERSION2)
    client.on_message = lambda *_: answered.append(0.0)
    client.connect("127.0.0.1", port)
    client.subscribe("lumek/panel/hive/say/answer", 0)
    client.loop_start()
    load = Load(per_s, seconds, lambda text: client.publish("lumek/panel/hive/say", text, 1))
    drawn = host.watch(seconds, load)
    time.sleep(2)
    client.disconnect()
    client.loop_stop()
    return judged("MQTT", drawn, idle, load.sent, len(answered), per_s)


def by_tcp(host: Host, per_s: int, seconds: float, idle: Drawn) -> bool:
    """Lines over one connection."""
    answered = 0
    with socket.create_connection(("127.0.0.1", host.tcp)) as connection:

        def listen() -> None:
            nonlocal answered
            with suppress(OSError):
                while data := connection.recv(65_536):
                    answered += data.count(b"\n")

        thread = threading.Thread(target=listen, daemon=True)
        thread.start()

        def send(text: str) -> None:
            connection.sendall(text.replace('"id": "', '"id": "t').encode() + b"\n")

        load = Load(per_s, seconds, send)
        drawn = host.watch(seconds, load)
        time.sleep(2)
    return judged("TCP", drawn, idle, load.sent, answered, per_s)


def run_host(file: Path, times: Path) -> None:
    """A host as `lumek run FILE --twin` runs it, which notes when it draws."""
    faces = read(file)
    (panel,) = faces.attach(twin=True).values()
    number = os.open(times, os.O_WRONLY | os.O_APPEND)
    with faces.show({"": [panel]}) as show:
        signal.signal(signal.SIGINT, lambda *_: show.stop())
        show.run(each=lambda: os.write(number, f"{time.monotonic()}\n".encode()))


if __name__ == "__main__":
    if sys.argv[1:2] == ["--host"]:
        run_host(*map(Path, sys.argv[2:]))
    else:
        main()
