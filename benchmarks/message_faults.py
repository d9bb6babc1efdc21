"""Messages while everything fails: brokers and hosts are killed, connections are cut within a message.

python benchmarks/message_faults.py [KILLS [SEED]]

A sender sends messages with ids to three hosts, each again until it is answered. Meanwhile the broker is killed and
started again, hosts too, and a proxy between them cuts connections after any number of bytes. What is on the glass is
seen from the wires of the simulated panels, by each host program, which keeps no account of messages itself.

Ends with 1 unless: what was answered as shown was on the glass before; what was on the glass is in the record; no id
was on the glass twice; the host that was not killed went on drawing.
"""

import json
import os
import random
import re
import select
import signal
import socket
import subprocess
import sys
import tempfile
import threading
import time
from collections import Counter
from contextlib import ExitStack, suppress
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))

from lumek.faces.file import read
from lumek.messages.fleet import Fleet
from support.broker import Broker, free_port

HOSTS = "gate", "wall", "roof"

FILE = """[deck]
size = "16x2"
refresh_hz = 20
[probes]
weight = {{ simulated = {{ value = 41.4, swing = 4, period_s = 5 }}, unit = "kg", every_s = 0.1 }}
[messages]
record = "{name}.jsonl"
queue = 100
[broker]
host = "127.0.0.1"
port = {port}
name = "{name}"
[faces.hive]
text = "Hive"
fields = [{{ kind = "number", of = "weight", row = 1, decimals = 2 }}]
"""

MARK = re.compile(r"#(\d+)!")

SECONDS = 0.1
"""How long each message is shown."""

LONGEST_GAP_S = 3.0
"""From one drawing of a host to the next, on a machine that is busy starting programs."""


class Proxy:
    """Between hosts and broker: it cuts connections after a random number of bytes."""

    def __init__(self, to: int, dice: random.Random) -> None:
        self._listener = socket.create_server(("127.0.0.1", 0))
        self.port = self._listener.getsockname()[1]
        self._to, self._dice = to, dice
        self.cuts = 0
        self.cutting = True
        threading.Thread(target=self._accept, daemon=True).start()

    def _accept(self) -> None:
        while True:
            caller, _ = self._listener.accept()
            threading.Thread(target=self._pass, args=(caller,), daemon=True).start()

    def _pass(self, caller: socket.socket) -> None:
        left = self._dice.randrange(300, 6_000)
        with caller:
            try:
                broker = socket.create_connection(("127.0.0.1", self._to), 1)
            except OSError:
                return
            with broker, suppress(OSError):
                while True:
                    for one in select.select([caller, broker], [], [])[0]:
                        data = one.recv(4096)
                        if not data:
                            return
                        cut = self.cutting and len(data) >= left
                        (broker if one is caller else caller).sendall(data[:left] if cut else data)
                        left -= len(data)
                        if cut:
                            self.cuts += 1
                            return


class Host:
    """A host program, killed and started again."""

    def __init__(self, name: str, folder: Path, port: int) -> None:
        self.name, self.folder = name, folder
        self.file = folder / f"{name}.toml"
        self.file.write_text(FILE.format(port=port, name=name))
        self.kills = 0
        self.start()

    def start(self) -> None:
        """Start it."""
        command = [sys.executable, __file__, "--host", str(self.file)]
        self.process = subprocess.Popen(command, stdin=subprocess.DEVNULL, stderr=subprocess.DEVNULL)

    def kill(self) -> None:
        """Kill it, and start it again."""
        self.process.kill()
        self.process.wait()
        self.kills += 1
        self.start()

    def end(self) -> None:
        """End it."""
        self.process.send_signal(signal.SIGINT)
        self.process.wait(30)

    def glass(self) -> list[tuple[float, int]]:
        """Times at which messages came onto the glass, and their numbers."""
        path = self.folder / f"{self.name}.glass"
        lines = path.read_text().splitlines() if path.exists() else []
        return [(float(line.split()[0]), int(line.split()[1])) for line in lines]

    def gaps(self) -> list[float]:
        """From one drawing to the next, of each life of the program the longest."""
        return [float(path.read_text()) for path in self.folder.glob(f"{self.name}.gap.*") if path.read_text()]

    def recorded(self) -> Counter[str]:
        """Ids in the record, and how often as shown."""
        found: Counter[str] = Counter()
        for path in (self.folder / f"{self.name}.jsonl.old", self.folder / f"{self.name}.jsonl"):
            for raw in path.read_text().splitlines() if path.exists() else ():
                with suppress(ValueError):
                    line = json.loads(raw)
                    found[line["id"]] += line["state"] == "shown"
        return found


class Sender:
    """Sends messages, each again until its host answers, and notes when that was."""

    def __init__(self, port: int) -> None:
        self.fleet = Fleet("127.0.0.1", port)
        self.answers: dict[int, tuple[str, str, float]] = {}
        """Number -> host, state, and when the answer came."""
        self.again = 0
        self.sent = 0
        self._ended = threading.Event()
        self._threads = [threading.Thread(target=self._run, args=(name, number)) for number, name in enumerate(HOSTS)]
        for thread in self._threads:
            thread.start()

    def _run(self, name: str, first: int) -> None:
        number = first
        while not self._ended.is_set():
            state = None
            while state is None and not self._ended.is_set():
                message = {"id": f"m{number}", "text": f"#{number}!", "seconds": SECONDS}
                sending = self.fleet.send([name], message)
                self.sent += 1
                sending.wait(1.0)
                if sending.answers:
                    state = sending.answers[name].state
                    self.answers[number] = name, state, time.time()
                else:
                    self.again += 1
            number += len(HOSTS)

    def end(self) -> None:
        """Send no more."""
        self._ended.set()
        for thread in self._threads:
            thread.join()
        self.fleet.close()


def main() -> None:
    """Let everything fail, and print what came of it."""
    kills = int(sys.argv[1]) if len(sys.argv) > 1 else 50
    seed = int(sys.argv[2]) if len(sys.argv) > 2 else random.randrange(10**6)
    dice = random.Random(seed)
    print(f"seed {seed}")
    with tempfile.TemporaryDirectory() as name, ExitStack() as stack:
        folder = Path(name)
        persistent = ("persistence true", f"persistence_location {folder}/", "autosave_interval 1")
        broker = Broker(folder, free_port(), *persistent)
        broker.start()
        stack.callback(broker.end)
        proxy = Proxy(broker.port, dice)
        hosts = [Host(one, folder, proxy.port) for one in HOSTS]
        time.sleep(3)
        sender = Sender(broker.port)
        begun = time.monotonic()
        for number in range(kills):
            time.sleep(dice.uniform(0.3, 1.5))
            broker.kill()
            time.sleep(dice.uniform(0.0, 0.4))
            broker.start()
            if number % 3 == 0:
                dice.choice(hosts[1:]).kill()  # the first one lives, and draws all the time
        proxy.cutting = False
        time.sleep(5)
        sender.end()
        for host in hosts:
            host.end()
        took = time.monotonic() - begun
        sys.exit(report(sender, hosts, proxy, kills, took))


def report(sender: Sender, hosts: list[Host], proxy: Proxy, kills: int, took: float) -> int:
    """Print what came of it; 1 if anything was wrong."""
    states = Counter(state for _, state, _ in sender.answers.values())
    seen = Counter(number for host in hosts for _, number in host.glass())
    first = {number: at for host in hosts for at, number in reversed(host.glass())}
    shown = {number: at for number, (_, state, at) in sender.answers.items() if state == "shown"}
    early = [number for number, at in shown.items() if not first.get(number, 1e12) <= at]
    records = {host.name: host.recorded() for host in hosts}
    lost = [number for host in hosts for _, number in host.glass() if f"m{number}" not in records[host.name]]
    twice = [number for number, count in seen.items() if count > 1]
    gap = max(hosts[0].gaps())
    what = ", ".join(f"{count} {state}" for state, count in states.items())
    print(f"{len(sender.answers)} messages answered in {took:.0f} s ({what}), {sender.again} sent again")
    print(f"broker killed {kills} times, hosts {sum(one.kills for one in hosts)}; {proxy.cuts} connections cut")
    print(f"answered as shown, and not on the glass before: {len(early)}")
    print(f"on the glass, and not in the record: {len(lost)}")
    print(f"on the glass twice: {len(twice)}")
    print(f"longest time between two drawings of the host that was not killed: {gap:.2f} s (20 drawings a second)")
    enough = states["shown"] >= kills
    return int(bool(early or lost or twice) or gap > LONGEST_GAP_S or not enough)


def run_host(file: Path) -> None:
    """A host as `lumek run FILE --twin` runs it, which notes what its wires bring to the glass."""
    faces = read(file)
    (panel,) = faces.attach(twin=True).values()
    glass = os.open(file.with_suffix(".glass"), os.O_WRONLY | os.O_APPEND | os.O_CREAT)
    link = panel._driver.link
    send = link.send
    seen: str | None = None

    def sent(*steps: object) -> object:
        nonlocal seen
        result = send(*steps)
        found = MARK.search(panel.twin.rows[0])
        number = None if found is None else found[1]
        if number is not None and number != seen:
            os.write(glass, f"{time.time()} {number}\n".encode())
        seen = number
        return result

    link.send = sent  # type: ignore[method-assign]
    longest = at = 0.0
    gap = file.with_name(f"{file.stem}.gap.{os.getpid()}")

    def drawn() -> None:
        nonlocal longest, at
        now = time.monotonic()
        if at and now - at > longest:
            longest = now - at
            gap.write_text(str(longest))
        at = now

    with faces.show({"": [panel]}) as show:
        signal.signal(signal.SIGINT, lambda *_: show.stop())
        show.run(each=drawn)


if __name__ == "__main__":
    if sys.argv[1:2] == ["--host"]:
        run_host(Path(sys.argv[2]))
    else:
        main()
