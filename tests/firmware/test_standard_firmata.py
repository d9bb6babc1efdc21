"""StandardFirmata itself, on an emulated ATmega328P, drives simulated panels."""

from collections.abc import Iterator
from pathlib import Path

import pytest
from machines.uno import Uno

from lumek import Backpack, Direct, NoAnswerError, Panel
from lumek.ports.usb import FirmataBoard, UsbBus, UsbLines
from lumek.roms import rom_named
from lumek.twin import Controller, Pcf8574, Twin, TwinBoard, TwinConnection, backpack_twin, direct_twin

MACHINES = Path(__file__).parents[2] / "tools" / "machines"
FIRMWARE = MACHINES / "build" / "package" / "junk" / "hex" / "uno" / "StandardFirmata.cpp.hex"
LINES = {"rs": 2, "rw": 8, "e": 3, "d4": 4, "d5": 5, "d6": 6, "d7": 7}
EIGHT = {**LINES, "d0": 9, "d1": 10, "d2": 11, "d3": 12}
MAP = {"rs": 0, "rw": 1, "e": 2, "backlight": 3, "d4": 4, "d5": 5, "d6": 6, "d7": 7}
TEXT = "Hive 3 is heavy\nand full of bees"


@pytest.fixture
def uno() -> Iterator[Uno]:
    emulated = Uno(FIRMWARE)
    yield emulated
    emulated.close()


@pytest.mark.parametrize("lines", [LINES, EIGHT])
@pytest.mark.parametrize("busy_flag", [False, True])
def test_a_panel_on_its_pins(uno: Uno, lines: dict[str, int], busy_flag: bool) -> None:
    twin, _ = direct_twin("16x2", lines, port=uno.lines, controllers=[Controller(190_000)])
    board = FirmataBoard(uno)
    assert (board.firmware, board.pins, board.paced) == ("'StandardFirmata.ino'", 20, True)
    opened_ns = uno.clock.now_ns
    data = [f"D{lines[f'd{bit}']}" for bit in range(8 - len(lines) + 3, 8)]
    panel = Panel("16x2", Direct(UsbLines(board), rs=2, rw=8, e="D3", data=data, busy_flag=busy_flag))
    panel[:] = TEXT[:18] if busy_flag else TEXT
    assert panel.read_back() == panel.rows == twin.rows
    # As it starts, the firmware takes one pin after the other; that is over when the panel is started.
    assert [one for one in twin.violations if one.time_ns > opened_ns] == []


def test_a_panel_on_its_bus(uno: Uno) -> None:
    twin = Twin("20x4", rom_named("A00"), uno.clock, controllers=[Controller(190_000)])
    uno.devices[0x27] = Pcf8574(twin, MAP)
    board = FirmataBoard(uno)
    bus = UsbBus(board)
    panel = Panel("20x4", Backpack(bus, 0x27))
    began = uno.elapsed()
    panel[:] = TEXT
    seconds = uno.elapsed() - began
    assert (twin.rows, panel.read_back(), twin.violations, twin.backlight) == (panel.rows, panel.rows, [], True)
    with pytest.raises(NoAnswerError, match="no device acknowledges at address 0x20"):
        Panel("16x2", Backpack(bus, 0x20))
    # The simulated board takes as long for the same, within a tenth.
    simulated = TwinBoard()
    backpack_twin("20x4", bus=simulated.bus)
    connection = TwinConnection(simulated)
    again = Panel("20x4", Backpack(UsbBus(FirmataBoard(connection)), 0x27))
    began = connection.elapsed()
    again[:] = TEXT
    assert connection.elapsed() - began == pytest.approx(seconds, rel=0.1)
