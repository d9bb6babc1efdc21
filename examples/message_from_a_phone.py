"""Someone sends a text to the panel from a phone, and waits until it is on the glass.

python examples/message_from_a_phone.py plays both sides: a host with a simulated panel, and the phone. With the address
of a host (python examples/message_from_a_phone.py http://hive.example:8080/ "Queen seen") it is the phone alone. On the
host, hive.toml has [messages.from.web] with kind = "http"; lumek run hive.toml does the rest. A host that other
hosts can reach wants a token, from the variable HIVE_TOKEN.
"""

import os
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from json import dumps, loads
from pathlib import Path
from socket import create_server
from urllib.error import HTTPError
from urllib.request import Request, urlopen
from uuid import uuid4

from apiary import run, show

from lumek import Panel
from lumek.faces.file import read

with create_server(("127.0.0.1", 0)) as free:
    PORT = free.getsockname()[1]  # whatever port this computer has free; a host of your own has one that stays

HIVE = f"""
[deck]
size = "16x2"
[probes]
weight = {{ simulated = {{ value = 41.4 }}, unit = "kg" }}
[messages]
seconds = 1
[messages.from.web]
kind = "http"
port = {PORT}
[faces.hive]
text = "Hive 3"
fields = [{{ kind = "number", of = "weight", row = 1, unit = " kg", decimals = 1 }}]
"""


def send(url: str, text: str) -> None:
    """Send a text, and say what became of it. The same id, sent again, is shown once."""
    body = dumps({"text": text, "id": uuid4().hex[:8], "level": "urgent"}).encode()
    headers = {"Authorization": f"Bearer {os.environ['HIVE_TOKEN']}"} if "HIVE_TOKEN" in os.environ else {}
    try:
        with urlopen(Request(url, body, headers), timeout=60) as response:
            answer = loads(response.read())
    except HTTPError as refused:
        answer = loads(refused.read())
    seen = f"at {answer['shown'][11:19]}, until {answer['until'][11:19]} (UTC)" if "shown" in answer else ""
    print(f"{text!r}: {answer.get('state', 'refused')} {seen}{answer.get('why', '')}")
    for written, instead in answer.get("compromises", {}).items():
        print(f"  the panel has no {written!r}, and shows {instead!r}")


@contextmanager
def host() -> Iterator[Panel]:
    """A host with a simulated panel, as lumek run hive.toml --twin is one."""
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / "hive.toml"
        file.write_text(HIVE)
        faces = read(file)
        (panel,) = faces.attach(twin=True).values()
        with faces.show({"": [panel]}) as running, running.in_background():
            yield panel


def main() -> None:
    """Send what was given, or play both sides."""
    if len(sys.argv) > 2:
        send(sys.argv[1], " ".join(sys.argv[2:]))
        return
    with host() as panel:
        time.sleep(0.5)
        show(panel.twin)
        for text in ("Queen seen 🐝", "in hive 3"):
            send(f"http://127.0.0.1:{PORT}/", text)
            show(panel.twin, written=panel.rows)


if __name__ == "__main__":
    run(main)
