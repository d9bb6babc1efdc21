"""Shows that go on: through errors in their parts, disturbed panels, dead threads and drawing that hangs."""

import os
import socket
import subprocess
import sys
import threading
from pathlib import Path
from typing import Any

import pytest

from cli.test_cli import run
from lumek import FaceError, simulate
from lumek.faces.file import read
from lumek.fields import Number
from lumek.fields.field import Field, Moment
from lumek.readings import FunctionProbe, Poller, guarded
from lumek.readings.guarded import guarded_thread
from support.bench import Bench, face
from support.waiting import until

DECK = """
[deck]
size = "16x2"
refresh_every_s = 1
[probes]
weight = { simulated = { value = 41.4 }, unit = "kg" }
[faces.hive]
text = "Hive 3"
fields = [{ kind = "number", of = "weight", row = 1, decimals = 1, unit = " kg" }]
"""


class Broken(Field):
    """A field with a mistake of its own, while `broken` is true."""

    kind = "broken"
    broken = True

    def take(self, value: Any, now: Moment) -> None:
        if self.broken:
            raise ZeroDivisionError("a mistake\nin two lines")

    def cells(self, rows: int, columns: int) -> list[str]:
        return ["fine".ljust(columns)]


def test_an_error_in_a_field_costs_that_field_and_is_told_once(caplog: pytest.LogCaptureFixture) -> None:
    one = face("Hive 3")
    broken = Broken("weight")
    one[1, 0:4], one[1, 5:12] = broken, Number("weight", decimals=1, unit=" kg")
    bench = Bench([one], weight=41.4)
    assert bench.go(2) == ["Hive 3", "???? 41.4 kg"]
    broken.broken = False
    assert bench.go(1) == ["Hive 3", "fine 41.4 kg"]
    told = [record.message for record in caplog.records]
    assert told == ["face 'Hive 3': the broken field in row 1, columns 0 to 3 fails: ZeroDivisionError: a mistake in "
                    "two lines"]  # fmt: skip


def test_an_error_in_the_light_or_a_whole_panel_leaves_the_others_running(caplog: pytest.LogCaptureFixture) -> None:
    bench = Bench([face("Hive 3")], weight=1.0)
    bench.stand.deck.turn = lambda *of: 1 / 0
    other = Bench([face("Hive 4")], weight=1.0)
    bench.show.stands.append(other.stand)
    bench.go(1)
    assert other.panel.rows[0].strip() == "Hive 4"
    assert [record.message for record in caplog.records] == ["the panel fails: ZeroDivisionError: division by zero"]


@pytest.mark.filterwarnings("ignore::pytest.PytestUnhandledThreadExceptionWarning")
def test_a_thread_that_dies_is_told_and_started_again(caplog: pytest.LogCaptureFixture) -> None:
    class Deadly(FunctionProbe):
        dies = 0

        def poll(self) -> Any:
            if self.dies:
                self.dies -= 1
                raise GeneratorExit  # ends the thread, as an error in a C extension or an interpreter at its end may
            return super().poll()

    probe, other = Deadly("weight", lambda: 41.4), FunctionProbe("brood", lambda: 34.8)
    with Poller([probe, other], 0.02) as poller:
        assert poller.wait()
        before = set(threading.enumerate())
        probe.dies = 2
        for what in ("weight", "brood"):
            at = poller[what].time
            until(lambda what=what, at=at: poller.revive() or poller[what].time > at, f"{what} is polled again")
        assert not probe.dies
        assert len(set(threading.enumerate()) - before) <= 3
    assert any("was ended by an error, and is started again" in record.message for record in caplog.records)


def test_work_that_fails_is_done_again_until_it_is_over(
    caplog: pytest.LogCaptureFixture, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(guarded, "AGAIN_S", 0.01)
    ended = threading.Event()
    why: list[str] = []
    tries: list[int] = []

    def work() -> None:
        tries.append(1)
        if len(tries) < 3:
            raise SystemExit("enough")

    thread = guarded_thread("a feed", work, ended, why.append)
    thread.start()
    until(lambda: not thread.is_alive(), "it is over")
    assert (len(tries), why) == (3, ["enough", "enough"])
    assert [record.message for record in caplog.records] == [
        "a feed was ended by an error, and is started again: enough"
    ]


def test_a_deck_keeps_its_panels_right(tmp_path: Path) -> None:
    file = tmp_path / "hive.toml"
    file.write_text(DECK.replace("refresh_every_s = 1", "refresh_every_s = 0.5"))
    panel = simulate("16x2")
    with read(file).show({"": [panel]}) as show:
        show.draw()
        assert panel.refresh_every_s == 0.5
        panel.twin.controller.lose_supply(panel.twin.clock.now_ns)
        panel.twin.port.wait_us(50_000)
        show.run(1.1)
    assert panel.twin.rows == panel.rows


@pytest.mark.parametrize(("line", "message"), [
    ("refresh_every_s = 0.01", "refresh_every_s = 0.01 is not possible"),
    ("refresh_every_s = true", "refresh_every_s = true is not possible"),
    ('verify_every_s = "often"', "verify_every_s = 'often' is not possible"),
])  # fmt: skip
def test_a_pace_that_is_not_possible_is_told(tmp_path: Path, line: str, message: str) -> None:
    file = tmp_path / "hive.toml"
    file.write_text(DECK.replace("refresh_every_s = 1", line))
    with pytest.raises(FaceError) as told:
        read(file)
    assert message in str(told.value).replace('"', "'")


def test_faults_from_the_command_line_are_healed_and_counted(
    capsys: pytest.CaptureFixture[str], tmp_path: Path
) -> None:
    file = tmp_path / "hive.toml"
    file.write_text(DECK.replace("refresh_every_s = 1", "refresh_every_s = 0.5"))
    code, out, err = run(capsys, "run", file, "--twin", "--for", "1.5s", "--status", "--fault", "brown-out at 0.2 s",
                         "--fault", "no-answer at 0.1 s")  # fmt: skip
    assert code == 0
    assert [line.strip("│ ") for line in out.splitlines()[1:3]] == ["Hive 3", "41.4 kg"]
    assert "the panel: " in err
    assert "1 error, 1 retry, 1 restart, 0 repaired" in err
    for line, message in (
        (("run", file, "--fault", "bit-flip"), "--fault is for simulated panels: add --twin"),
        (("run", file, "--twin", "--fault", "gremlins"), "there is no fault 'gremlins'"),
    ):
        assert message in run(capsys, *line)[2]
    code, out, _ = run(capsys, "demo", "--faults", "--speed", "12")
    assert code == 0
    assert " faults: " in out


def test_a_service_manager_hears_that_it_is_ready_alive_and_how_its_panels_are(tmp_path: Path) -> None:
    (tmp_path / "hive.toml").write_text(DECK)
    address = str(tmp_path / "notify")
    with socket.socket(socket.AF_UNIX, socket.SOCK_DGRAM) as manager:
        manager.bind(address)
        manager.settimeout(30)
        variables = {**os.environ, "NOTIFY_SOCKET": address, "WATCHDOG_USEC": "400000"}
        line = [sys.executable, "-m", "lumek", "run", "hive.toml", "--twin", "--for", "0.8s"]
        done = subprocess.run(line, cwd=tmp_path, env=variables, capture_output=True, text=True, check=False)
        heard: list[str] = []
        while not heard or heard[-1] != "STOPPING=1":
            heard += manager.recv(4096).decode().splitlines()
    assert done.returncode == 0
    assert heard[:2] == ["READY=1", "WATCHDOG=1"]
    assert heard[2].startswith("STATUS=panel: ")
    assert "0 errors" in heard[2]
    assert heard.count("WATCHDOG=1") > 2


HANGING = """
import sys, time
from lumek.fields import Number
from lumek.cli import main

draws, calls = Number.cells, []

def hangs(self, *place):
    calls.append(place)
    if len(calls) > 3:
        time.sleep(60)
    return draws(self, *place)

Number.cells = hangs
main(sys.argv[1:])
"""


def test_a_drawing_that_hangs_ends_the_program(tmp_path: Path) -> None:
    (tmp_path / "hive.toml").write_text(DECK)
    variables = {**os.environ, "WATCHDOG_USEC": "500000"}
    done = subprocess.run([sys.executable, "-c", HANGING, "run", "hive.toml", "--twin"], cwd=tmp_path, env=variables,
                          capture_output=True, text=True, check=False, timeout=60)  # fmt: skip
    assert (done.returncode, done.stderr.splitlines()[-1]) == (
        1, "lumek: nothing was drawn for 0.5 s: the program ends, to be started again"
    )  # fmt: skip
