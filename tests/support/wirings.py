"""Every way to wire a panel, with lines in any order, each at the end of its own simulated port."""

from collections.abc import Callable

from hypothesis import strategies as st

from lumek import Backpack, Direct, ShiftRegister
from lumek.links.expanders import EXPANDERS
from lumek.ports.bit_banged import SerialLines
from lumek.ports.usb import FirmataBoard, UsbBus, UsbLines
from lumek.twin import Controller, TwinBoard, TwinConnection, backpack_twin, direct_twin, shift_register_twin
from lumek.twin.expander import expander_named

NEEDED = ["rs", "e", "d4", "d5", "d6", "d7"]
EIGHT = ["d0", "d1", "d2", "d3"]


def draw_lines(draw: st.DrawFn, roles: list[str], count: int) -> dict[str, int]:
    return dict(zip(roles, draw(st.permutations(range(count))), strict=False))


# Expander: clocks of its bus.
CLOCKS = {
    "pcf8574": (100_000, 400_000, 1_000_000), "pcf8574a": (100_000, 400_000, 1_000_000),
    "mcp23008": (100_000, 400_000, 1_700_000),
}  # fmt: skip


def backpack(draw: st.DrawFn, size: str, expander: str, chips: list[Controller]) -> tuple:
    address = EXPANDERS[expander].base + 1
    optional = ["e2"] if size == "40x4" else ["rw"]
    lines = draw_lines(draw, [*NEEDED, *optional, "backlight"][: draw(st.sampled_from((7, 8)))], 8)
    hz, level = draw(st.sampled_from(CLOCKS[expander])), draw(st.integers(0, 1))
    twin, bus = backpack_twin(size, "A00", hz, address, lines, level, chips, expander_named(expander))
    bus.longest = draw(st.sampled_from((None, 33)))
    return twin, Backpack(bus, address, expander, lines, level)


def direct(draw: st.DrawFn, size: str, width: int, busy_flag: bool, chips: list[Controller]) -> tuple:
    optional = ["rw"] * (busy_flag or draw(st.booleans())) + ["e2"] * (size == "40x4")
    roles = [*NEEDED, *EIGHT[: width - 4], *optional, *["backlight"] * draw(st.integers(0, 1))]
    lines, drive_ns = draw_lines(draw, roles, 14), draw(st.sampled_from((50, 500, 1000, 6000)))
    twin, port = direct_twin(size, lines, drive_ns=drive_ns, controllers=chips)
    data = [lines[f"d{place}"] for place in range(8 - width, 8)]
    others = {role: line for role, line in lines.items() if role[0] != "d"}
    return twin, Direct(port, data=data, busy_flag=busy_flag, **others)


def register(draw: st.DrawFn, size: str, three: bool, chips: list[Controller]) -> tuple:
    roles = [*NEEDED, *["e2"] * (size == "40x4"), *["backlight"] * draw(st.integers(0, 1))]
    lines = draw_lines(draw, roles, 8)
    wires, level = {"data": 5, "clock": 6, "latch": 7} if three else None, draw(st.integers(0, 1))
    hz = draw(st.sampled_from((100_000, 1_000_000, 12_000_000)))
    outputs = draw(st.integers(0, 255)) & ~(1 << lines["e"] | 1 << lines.get("e2", lines["e"]))
    twin, port = shift_register_twin(size, lines, "A00", hz, level, chips, wires, outputs)
    return twin, ShiftRegister(SerialLines(port, **wires) if wires else port, lines, level)


def usb_board(draw: st.DrawFn) -> tuple[TwinBoard, FirmataBoard]:
    board = TwinBoard(
        draw(st.sampled_from((57_600, 115_200, 500_000, None))), together=draw(st.booleans()),
        late_us=draw(st.sampled_from((0, 190))), seed=draw(st.integers(0, 9)),
    )  # fmt: skip
    return board, FirmataBoard(TwinConnection(board), round(1e10 / board._byte_ns) if board._byte_ns > 1000 else 57_600)


def usb_lines(draw: st.DrawFn, size: str, width: int, chips: list[Controller]) -> tuple:
    board, port = usb_board(draw)
    optional = ["rw"] * draw(st.booleans()) + ["e2"] * (size == "40x4") + ["backlight"] * draw(st.booleans())
    lines = {role: pin + 2 for role, pin in draw_lines(draw, [*NEEDED, *EIGHT[: width - 4], *optional], 18).items()}
    twin, _ = direct_twin(size, lines, controllers=chips, port=board.lines)
    twin.port = port._opened()
    data = [lines[f"d{place}"] for place in range(8 - width, 8)]
    others = {role: line for role, line in lines.items() if role[0] != "d"}
    return twin, Direct(UsbLines(port), data=data, busy_flag=draw(st.booleans()), **others)


def usb_bus(draw: st.DrawFn, size: str, expander: str, chips: list[Controller]) -> tuple:
    board, port = usb_board(draw)
    address, optional = EXPANDERS[expander].base + 1, ["e2"] if size == "40x4" else ["rw"]
    lines = draw_lines(draw, [*NEEDED, *optional, "backlight"][: draw(st.sampled_from((7, 8)))], 8)
    twin, _ = backpack_twin(size, "A00", 0, address, lines, 1, chips, expander_named(expander), board.bus)
    twin.port = port._opened()
    return twin, Backpack(UsbBus(port), address, expander, lines)


USB_WIRINGS: dict[str, Callable[..., tuple]] = {
    "USB, 4 lines": lambda *of: usb_lines(*of[:2], 4, of[2]),
    "USB, 8 lines": lambda *of: usb_lines(*of[:2], 8, of[2]),
    "USB, pcf8574": lambda *of: usb_bus(*of[:2], "pcf8574", of[2]),
    "USB, mcp23008": lambda *of: usb_bus(*of[:2], "mcp23008", of[2]),
}

WIRINGS: dict[str, Callable[..., tuple]] = {
    **{name: lambda *of, name=name: backpack(*of[:2], name, of[2]) for name in EXPANDERS},
    "direct 4 timed": lambda *of: direct(*of[:2], 4, False, of[2]),
    "direct 8 timed": lambda *of: direct(*of[:2], 8, False, of[2]),
    "direct 4 busy flag": lambda *of: direct(*of[:2], 4, True, of[2]),
    "direct 8 busy flag": lambda *of: direct(*of[:2], 8, True, of[2]),
    "register, SPI": lambda *of: register(*of[:2], False, of[2]),
    "register, three lines": lambda *of: register(*of[:2], True, of[2]),
}  # fmt: skip
