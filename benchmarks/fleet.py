"""A thousand simulated panels on one broker: a text to all of them, until each has answered that it is on its glass.

python benchmarks/fleet.py [PANELS [PROCESSES [ROUNDS]]]

The plain way, in the same run: as many clients in as many processes get the same message from the same broker, and
answer at once, without a panel. Ends with 1 if a panel does not answer, or shows something else.
"""

import os
import signal
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from json import dumps, loads
from pathlib import Path
from typing import NamedTuple
from uuid import uuid4

import paho.mqtt.client
import psutil
from paho.mqtt.enums import CallbackAPIVersion

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))

from lumek.faces.file import read
from lumek.messages.fleet import Fleet
from support.broker import Broker, free_port

PER_BUS = 8
"""Addresses of one kind of expander on a bus."""

PANEL = """[panels.p{number:03}]
size = "20x4"
[panels.p{number:03}.hookup]
kind = "backpack"
expander = "pcf8574"
bus = {bus}
address = {address}
lines = {{ rs = 0, rw = 1, e = 2, backlight = 3, d4 = 4, d5 = 5, d6 = 6, d7 = 7 }}
backlight_on = 1
[faces.f{number:03}]
panel = "p{number:03}"
text = "Hive {number}"
fields = [{{ kind = "number", of = "weight", row = 1, unit = " kg", decimals = 1 }}]
"""

HOST = """[deck]
refresh_hz = 5
refresh_every_s = false
[probes]
weight = {{ simulated = {{ value = 41.4, swing = 4, period_s = 60 }}, unit = "kg", every_s = 10 }}
[broker]
host = "127.0.0.1"
port = {port}
name = "{name}"
"""

OF_A_HOST = 63
"""Panels of a host; a process has several hosts."""

PATIENCE_S = 120.0


class Times(NamedTuple):
    """Seconds until answers came, in ascending order."""

    seconds: list[float]

    def __str__(self) -> str:
        def at(part: float) -> str:
            return f"{1000 * self.seconds[min(len(self.seconds) - 1, int(len(self.seconds) * part))]:6.0f}"

        return f"p50 {at(0.5)} ms   p99 {at(0.99)} ms   worst {at(1)} ms"


class Used(NamedTuple):
    """Processor seconds and bytes of processes."""

    seconds: float
    bytes: int

    @classmethod
    def by(cls, processes: list[psutil.Process]) -> "Used":
        """What they have used so far."""
        times = [one.cpu_times() for one in processes]
        return cls(sum(one.user + one.system for one in times), sum(one.memory_info().rss for one in processes))


def main() -> None:
    """Run both ways, and print them."""
    panels, processes, rounds = [int(one) for one in [*sys.argv[1:], *("1000", "4", "5")[len(sys.argv) - 1 :]]]
    with tempfile.TemporaryDirectory() as folder:
        one = Broker(Path(folder), free_port(), "max_queued_messages 10000", "set_tcp_nodelay true")
        one.start()
        try:
            plain = run_plain(one, panels, processes, rounds)
            lumek = run_lumek(one, Path(folder), panels, processes, rounds)
        finally:
            one.end()
    print(f"worst time, of the plain way: {lumek.seconds[-1] / plain.seconds[-1]:.1f} times")


def run_plain(one: Broker, panels: int, processes: int, rounds: int) -> Times:
    """Echoes."""
    each = panels // processes
    with ExitStack() as stack:
        hosts = [
            stack.enter_context(program(__file__, "--echo", str(one.port), str(number), str(each)))
            for number in range(processes)
        ]
        return measure("plain publish and echo", one, hosts, panels, rounds, lambda: EchoFleet(one.port, panels))


def run_lumek(one: Broker, folder: Path, panels: int, processes: int, rounds: int) -> Times:
    """Panels, with a text on each glass."""
    with ExitStack() as stack:
        hosts = []
        for number in range(processes):
            left = panels // processes
            files = []
            while left:
                count = min(left, OF_A_HOST)
                left -= count
                file = folder / f"host{number}-{len(files)}.toml"
                text = HOST.format(port=one.port, name=file.stem)
                for panel in range(count):
                    address = 0x20 + panel % PER_BUS
                    text += PANEL.format(number=panel, bus=panel // PER_BUS, address=address)
                file.write_text(text)
                files.append(str(file))
            hosts.append(stack.enter_context(program(__file__, "--hosts", *files)))
        return measure(f"{panels} panels", one, hosts, panels, rounds, lambda: PanelFleet(one.port, panels))


@contextmanager
def program(*arguments: str) -> Iterator[psutil.Process]:
    """A program of Python's, until the end of the block."""
    with subprocess.Popen([sys.executable, *arguments], stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL) as process:
        try:
            yield psutil.Process(process.pid)
        finally:
            process.send_signal(signal.SIGINT)
            process.wait(60)


def measure(what: str, one: Broker, hosts: list[psutil.Process], panels: int, rounds: int, fleet_of: object) -> Times:
    """Send to all, some times, and print what it took."""
    broker = [psutil.Process(one.process.pid)]
    seconds: list[float] = []
    with fleet_of() as fleet:  # type: ignore[operator]
        fleet.gather()
        idle = Used.by(hosts)
        time.sleep(5)
        rest = (Used.by(hosts).seconds - idle.seconds) / 5
        before = Used.by(hosts), Used.by(broker)
        begun = time.monotonic()
        for number in range(rounds):
            seconds += fleet.ask(f"Honey is ready {number}")
        took = time.monotonic() - begun
        after = Used.by(hosts), Used.by(broker)
    times = Times(sorted(seconds))
    print(f"{what} in {len(hosts)} processes, {rounds} texts to all")
    print(f"  answers after  {times}")
    print(
        f"  hosts          {(after[0].seconds - before[0].seconds) / rounds:6.2f} s of processor a text, "
        f"{after[0].bytes / 2**20:6.0f} MB; idle {100 * rest:4.0f} % of a processor"
    )
    print(
        f"  broker         {(after[1].seconds - before[1].seconds) / rounds:6.2f} s of processor a text, "
        f"{after[1].bytes / 2**20:6.0f} MB; a text every {took / rounds:.2f} s",
        flush=True,
    )
    return times


class PanelFleet(Fleet):
    """A fleet that measures."""

    def __init__(self, port: int, panels: int) -> None:
        super().__init__("127.0.0.1", port)
        self._panels = panels
        self._asked = 0

    def gather(self, limit_s: float = PATIENCE_S) -> bool:
        """Wait until all panels are there."""
        end = time.monotonic() + limit_s
        while len(self.members) < self._panels:
            assert time.monotonic() < end, f"{len(self.members)} of {self._panels} panels are there"
            time.sleep(0.05)
        return True

    def ask(self, text: str) -> list[float]:
        """Seconds until each panel has answered; the glass of each shows the text."""
        begun = time.monotonic()
        came: dict[str, float] = {}

        def note(sending: object) -> None:
            now = time.monotonic() - begun
            for name in list(sending.answers):  # type: ignore[attr-defined]
                came.setdefault(name, now)

        sending = self.send(list(self.members), {"text": text, "seconds": 2, "level": "urgent"})
        whole = sending.wait(PATIENCE_S, note)
        bad = [one for one in sending.answers.values() if one.state != "shown"]
        if not whole or bad:
            print(f"not shown: {len(sending.silent)} are silent, {len(bad)} say why not: {bad[:1]}")
            sys.exit(1)
        end = time.monotonic() + PATIENCE_S
        while (other := [name for name, one in self.members.items() if one.state.rows[0].strip() != text]) and (
            any(self.members[name].state.message == sending.id for name in other) or time.monotonic() < begun + 2
        ):
            assert time.monotonic() < end
            time.sleep(0.02)
        time.sleep(3)
        return list(came.values())


class EchoFleet:
    """The same by bare clients."""

    def __init__(self, port: int, panels: int) -> None:
        self._panels = panels
        self._came: list[float] = []
        self._hosts: set[bytes] = set()
        self._client = paho.mqtt.client.Client(CallbackAPIVersion.VERSION2)
        self._client.on_message = self._take
        self._client.connect("127.0.0.1", port)
        self._client.subscribe([("echo/answer", 1), ("echo/here/+", 1)])
        self._client.loop_start()

    def _take(self, client: object, data: object, message: paho.mqtt.client.MQTTMessage) -> None:
        if message.topic == "echo/answer":
            self._came.append(time.monotonic())
        else:
            self._hosts.add(message.payload)

    def gather(self) -> None:
        """Wait until all are there."""
        while not self._hosts:
            time.sleep(0.05)
        time.sleep(2)

    def ask(self, text: str) -> list[float]:
        """Seconds until each has answered."""
        begun = time.monotonic()
        self._came.clear()
        self._client.publish("echo/say", dumps({"text": text, "id": uuid4().hex}), 1)
        while len(self._came) < self._panels:
            assert time.monotonic() < begun + PATIENCE_S
            time.sleep(0.005)
        return [one - begun for one in self._came]

    def __enter__(self) -> "EchoFleet":
        return self

    def __exit__(self, *exc: object) -> None:
        self._client.disconnect()
        self._client.loop_stop()


def echo(port: int, number: int, count: int) -> None:
    """A host without panels: it answers for each."""
    client = paho.mqtt.client.Client(CallbackAPIVersion.VERSION2)

    def answer(client: paho.mqtt.client.Client, data: object, message: paho.mqtt.client.MQTTMessage) -> None:
        id = loads(message.payload)["id"]
        for one in range(count):
            client.publish("echo/answer", dumps({"id": id, "panel": f"p{one}", "state": "shown"}), 1)

    client.on_message = answer
    client.max_inflight_messages_set(200)
    client.connect("127.0.0.1", port)
    client.subscribe("echo/say", 1)
    client.publish(f"echo/here/{number}", str(number), 1, retain=True)
    signal.signal(signal.SIGINT, lambda *_: os._exit(0))
    client.loop_forever()


def run_hosts(files: list[str]) -> None:
    """Several hosts, as `lumek run FILE --twin` runs each."""
    shows = []
    signal.signal(signal.SIGINT, lambda *_: [show.stop() for show in shows])
    with ExitStack() as stack:
        for file in files:
            faces = read(file)
            panels = faces.attach(twin=True)
            shows.append(stack.enter_context(faces.show({name: [panel] for name, panel in panels.items()})))
        threads = [threading.Thread(target=show.run) for show in shows]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()


if __name__ == "__main__":
    if sys.argv[1:2] == ["--echo"]:
        echo(*map(int, sys.argv[2:]))
    elif sys.argv[1:2] == ["--hosts"]:
        run_hosts(sys.argv[2:])
    else:
        main()
