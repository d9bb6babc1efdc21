"""What is recorded is judged by other programs: an independent parser of VCD, and a decoder of I2C."""

import shutil
import signal
import subprocess
import sys
import threading
import time
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given

import lumek
from lumek import Backpack, HookupError, NoAnswerError, Panel, SettingError
from lumek.captures import Capture, decode, record
from lumek.captures.vcd_file import VcdFile
from lumek.twin import backpack_twin, direct_twin
from support.captured import Captured, hookups, uses


def read_by_another(file: Path) -> Any:
    """A VCD file, read by a package that lets a broken pipe end the program as soon as it is imported."""
    pipe = signal.getsignal(signal.SIGPIPE)
    try:
        from vcdvcd import VCDVCD
    finally:
        signal.signal(signal.SIGPIPE, pipe)
    return VCDVCD(str(file), signals=[], store_tvs=True)


@given(hookups(), uses())
def test_another_parser_reads_the_same_levels_at_the_same_times(hookup: str, doings: list) -> None:
    with Captured(hookup) as captured:
        captured.run(doings)
        source = VcdFile(captured.file)
        every = {name: 1 << place for place, name in enumerate(source.names)}
        samples = list(source.samples(every, 0))
        theirs = read_by_another(captured.file)
    tick_ns = int(theirs.timescale["timescale"] * 1_000_000_000)
    for reference, mark in theirs.references_to_ids.items():
        mask = every[reference.rpartition(".")[2]]
        read = {at * tick_ns: level for at, level in theirs.data[mark].tv}
        ours, before = {}, None
        for at, word in samples:
            level = "z" if word & mask << 16 else "1" if word & mask else "0"
            if level != before:
                ours[at] = before = level
        assert {at: level for at, level in ours.items() if at} == {at: level for at, level in read.items() if at}


class Heard:
    """A bus that keeps what goes over it."""

    def __init__(self, bus: Any) -> None:
        self._bus = bus
        self.heard: list[tuple[int, str, bytes]] = []

    def __getattr__(self, name: str) -> Any:
        return getattr(self._bus, name)

    def write(self, address: int, data: bytes) -> None:
        self.heard.append((address, "write", bytes(data)))
        self._bus.write(address, data)

    def read(self, address: int, count: int) -> bytes:
        data = self._bus.read(address, count)
        self.heard.append((address, "read", data))
        return data


@pytest.mark.skipif(shutil.which("sigrok-cli") is None, reason="sigrok-cli is not installed: .ci/run installs it")
@pytest.mark.parametrize("hz", [100_000, pytest.param(400_000, marks=pytest.mark.slow)])
def test_another_decoder_of_i2c_finds_the_bytes_that_were_sent(tmp_path: Path, hz: int) -> None:
    _, bus = backpack_twin("16x2", hz=hz)
    port = Heard(bus)
    with Capture(tmp_path / "wires.vcd") as capture:
        panel = Panel("16x2", Backpack(capture.around(port), 0x27))
        panel[:] = "Hive 3\n41.4 kg"
        assert panel.read_back()[0] == "Hive 3          "
    command = ["sigrok-cli", "-I", "vcd", "-i", tmp_path / "wires.vcd", "-P", "i2c:scl=scl:sda=sda", "-A", "i2c"]
    said = subprocess.run(command, capture_output=True, text=True, check=True).stdout
    found: list[tuple[int, str, bytes]] = []
    for line in said.splitlines():
        what, _, value = line.removeprefix("i2c-1: ").partition(": ")
        if what.startswith("Address"):
            found.append((int(value, 16), what.removeprefix("Address "), b""))
        elif what.startswith("Data"):
            address, way, data = found[-1]
            found[-1] = address, way, data + bytes.fromhex(value)
    assert found == port.heard


def test_what_was_recorded_survives_a_kill(tmp_path: Path) -> None:
    script = (
        "import lumek, time; from lumek.captures import Capture\n"
        "panel = lumek.simulate('16x2', capture=Capture('wires.vcd'))\n"
        "panel[0] = 'Hive 3'\nprint('shown', flush=True)\ntime.sleep(100)\n"
    )
    process = subprocess.Popen([sys.executable, "-c", script], cwd=tmp_path, stdout=subprocess.PIPE)
    assert process.stdout is not None
    assert process.stdout.readline() == b"shown\n"
    process.send_signal(signal.SIGKILL)
    process.wait()
    process.stdout.close()
    assert decode(tmp_path / "wires.vcd").panels[0].rows[0] == "Hive 3          "


class SlowBus:
    """A bus of a host, which nobody sees into."""

    hz, hz_known = 100_000, False

    def write(self, address: int, data: bytes) -> None:
        time.sleep(len(data) * 90e-6)

    def read(self, address: int, count: int) -> bytes:
        return b"\x08" * count

    def wait_us(self, us: int) -> None:
        time.sleep(us / 1e6)


def test_the_file_says_that_its_times_are_those_of_the_host(tmp_path: Path) -> None:
    port = record(SlowBus(), tmp_path / "wires.vcd")
    panel = Panel("16x2", Backpack(port, 0x27))
    panel[0] = "Hive 3"
    port.close()
    assert "time is host" in (head := (tmp_path / "wires.vcd").read_text()[:200])
    assert "100000 Hz (assumed)" in head
    found = decode(tmp_path / "wires.vcd")
    assert found.panels[0].rows[0] == "Hive 3          "
    assert found.broken == {}
    assert any("host's clock" in note for note in found.notes)


def test_bytes_that_nobody_acknowledges_are_drawn_so(tmp_path: Path) -> None:
    _, bus = backpack_twin("16x2")
    port = record(bus, tmp_path / "wires.vcd")
    panel = Panel("16x2", Backpack(port, 0x27), retries=0)
    bus.cut(5)
    with pytest.raises(NoAnswerError):
        panel[0] = "Hive 3"
    bus.mend()
    panel[0] = "Hive 3"
    port.close()
    assert decode(tmp_path / "wires.vcd").panels[0].rows[0] == "Hive 3          "


def test_a_full_disk_ends_the_recording_and_not_the_panel(caplog: pytest.LogCaptureFixture) -> None:
    with Capture("/dev/full") as capture:
        panel = lumek.simulate("16x2", capture=capture)
        for turn in range(60):
            panel[:] = ("ab" if turn % 2 else "cd") * 16
    assert panel.twin.rows == panel.rows
    assert [record.message for record in caplog.records] == ["capture to /dev/full ended: No space left on device"]


def test_wires_that_come_later_are_in_the_file_too(tmp_path: Path) -> None:
    _, bus = backpack_twin("16x2")
    with Capture(tmp_path / "wires.vcd") as capture:
        panel = Panel("16x2", Backpack(capture.around(bus), 0x27))
        panel[:] = "Hive 3\n41.4 kg"
        _, lines = direct_twin("16x2", {"rs": 1, "e": 2})
        port = capture.around(lines, lines={1: "lamp"})
        bus.wait_us(1_000_000)
        for turn in range(3):
            port.drive({1: turn % 2, 9: 1 - turn % 2})
        panel[0] = "Hive 4"
    source = VcdFile(tmp_path / "wires.vcd")
    assert sorted(source.names) == ["lamp", "line9", "scl", "sda"]
    assert [word for _, word in source.samples({"lamp": 1, "line9": 2}, 0)][-3:] == [2, 1, 2]
    assert decode(tmp_path / "wires.vcd").panels[0].rows == panel.rows


def test_panels_that_share_lines_and_panels_with_clocks_of_their_own_are_in_one_file(tmp_path: Path) -> None:
    with Capture(tmp_path / "wires.vcd") as capture:
        panels = [lumek.simulate("16x2", capture=capture) for _ in range(2)]
        for turn in range(3):
            for number, panel in enumerate(panels):
                panel[0] = f"Hive {number}, {turn}"
    found = decode(tmp_path / "wires.vcd")
    assert [panel.rows[0].strip() for panel in found.panels] == ["Hive 0, 2", "Hive 1, 2"]
    shared = (
        "[panels.left]\nsize = '16x2'\n[panels.left.hookup]\nkind = 'direct'\n"
        "lines = { rs = 1, e = 2, d4 = 3, d5 = 4, d6 = 5, d7 = 6 }\n"
    )
    (tmp_path / "two.toml").write_text(shared + shared.replace("left", "right").replace("e = 2", "e = 7"))
    with Capture(tmp_path / "two.vcd") as capture:
        both = lumek.attach_all(tmp_path / "two.toml", twin=True, capture=capture)
        both["left"][0], both["right"][0] = "Hive 3", "Terrace"
    for hookup in (None, tmp_path / "two.toml"):
        found = decode(tmp_path / "two.vcd", hookup=hookup)
        assert [panel.rows[0].strip() for panel in found.panels] == ["Hive 3", "Terrace"]


@pytest.mark.parametrize(
    ("do", "error", "words"),
    [
        (lambda path: record(3, path / "a.vcd"), HookupError, "is a bus, lines, or a serial port, not 3"),
        (lambda path: record(SlowBus(), path / "no" / "a.vcd"), SettingError, "No such file or directory"),
        (lambda path: record(SlowBus(), path), SettingError, "Is a directory"),
    ],
)
def test_what_cannot_be_recorded_is_refused(tmp_path: Path, do: Any, error: type[Exception], words: str) -> None:
    with pytest.raises(error, match=words):
        do(tmp_path)


def test_panels_that_are_used_from_several_threads_are_recorded_whole(tmp_path: Path) -> None:
    with Capture(tmp_path / "wires.vcd") as capture:
        panels = [lumek.simulate("16x2", capture=capture) for _ in range(2)]

        def write(number: int) -> None:
            for turn in range(30):
                panels[number][:] = f"Hive {number}\nturn {turn}"

        threads = [threading.Thread(target=write, args=(number,)) for number in range(2)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
    found = decode(tmp_path / "wires.vcd")
    assert [panel.rows for panel in found.panels] == [panel.rows for panel in panels]
    assert found.broken == {}
    assert not [note for note in found.notes if "cut off" in note]


def test_what_is_no_ordinary_file_is_not_replaced(caplog: pytest.LogCaptureFixture) -> None:
    with Capture("/dev/null") as capture:
        panels = [lumek.simulate("16x2", capture=capture) for _ in range(2)]
        panels[1][0] = "Hive 3"
    assert Path("/dev/null").is_char_device()
    assert "a wire was added after the first byte" in caplog.records[0].message
