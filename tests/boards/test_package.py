"""The package for MicroPython's own installer, installed by it from a server."""

import subprocess
import threading
from functools import partial
from http.server import SimpleHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path

import make_package
import pytest
from machines.micro_board import MICROPYTHON

from support.boards import MACHINE, needs_micropython, put, run

pytestmark = needs_micropython

PROGRAM = """
from machine import I2C, Pin
from lumek import Backpack, BoardBus, Panel

panel = Panel("16x2", Backpack(BoardBus(I2C(0, scl=Pin(5), sda=Pin(4), freq=100000)), 0x27))
panel[0] = "Hive 3"
print("|".join(panel.rows))
"""


class Quiet(SimpleHTTPRequestHandler):
    def log_message(self, *_: object) -> None:
        pass


@pytest.mark.slow
def test_mip_installs_it_and_it_runs(tmp_path: Path) -> None:
    make_package.write(tmp_path / "served")
    server = ThreadingHTTPServer(("127.0.0.1", 0), partial(Quiet, directory=str(tmp_path / "served")))
    threading.Thread(target=server.serve_forever, daemon=True).start()
    try:
        address = f"http://127.0.0.1:{server.server_port}/package.json"
        install = f"import mip; mip.install({address!r}, target={str(tmp_path / 'board' / 'lib')!r})"
        (tmp_path / "board" / "lib").mkdir(parents=True)
        ran = subprocess.run([MICROPYTHON, "-c", install], capture_output=True, text=True, check=True)
    finally:
        server.shutdown()
        server.server_close()
    assert "Done" in ran.stdout
    board = put({"machine.py": MACHINE.encode(), "script.py": PROGRAM.encode()}, tmp_path / "board")
    assert run(board, board / "script.py").splitlines()[-1] == "Hive 3          |                "
