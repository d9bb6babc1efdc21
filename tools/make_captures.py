"""Make the captures of examples/captures: made-up situations, as Lumek or a logic analyser would have them.

Run it after a change of what is recorded: python tools/make_captures.py
"""

from collections.abc import Callable, Iterable, Mapping
from pathlib import Path
from typing import Any

import lumek
from lumek import Backpack, Direct, Panel
from lumek.captures import Capture
from lumek.captures.vcd_file import VcdFile
from lumek.core.instructions import Timing, set_ddram_address
from lumek.hookup.maps import MAPS
from lumek.twin import Bystander, backpack_twin, direct_twin

FOLDER = Path(__file__).parents[1] / "examples" / "captures"

PINS = {"rs": 25, "e": 24, "d4": 23, "d5": 22, "d6": 27, "d7": 5}
ROLES: Mapping[Any, str] = {line: role for role, line in PINS.items()}
TEXT = "Hive 3\n41.4 kg"


class Hasty:
    """Lines whose waits are a third of what they should be."""

    def __init__(self, lines: Any) -> None:
        self._lines = lines

    def __getattr__(self, name: str) -> Any:
        return getattr(self._lines, name)

    def wait_us(self, us: float) -> None:
        """Wait, too short."""
        self._lines.wait_us(us / 3)


def right(file: Path) -> None:
    """A backpack is started, and shows two rows."""
    with Capture(file) as capture:
        panel = lumek.simulate("16x2", capture=capture)
        panel[:] = TEXT


def wrong_map(file: Path) -> None:
    """The driver takes the lines of another board: see wrong_map.toml for those of this one."""
    _, bus = backpack_twin("16x2")
    with Capture(file) as capture:
        other = MAPS["control-high"]
        panel = Panel("16x2", Backpack(capture.around(bus), lines=other.lines, backlight_on=other.backlight_on))
        panel[:] = TEXT


def swapped_lines(file: Path) -> None:
    """D4 and D5 are swapped at the panel, at whose pins the analyser was."""
    whole = file.with_name("whole.vcd")
    on_lines(whole, {**ROLES, PINS["d4"]: "d5", PINS["d5"]: "d4"})
    as_csv(whole, file)


def out_of_step(file: Path) -> None:
    """A spike on E after the first row: from then on the halves of bytes are mixed up."""
    _, lines = direct_twin("16x2", PINS)
    with Capture(file) as capture:
        port = capture.around(lines, lines=ROLES)
        panel = Panel("16x2", direct(port))
        panel[0] = "Hive 3"
        port.wait_us(500)
        port.drive({PINS["e"]: 1})
        port.drive({PINS["e"]: 0})
        port.wait_us(500)
        panel[1] = "41.4 kg"


def too_fast(file: Path) -> None:
    """A driver that does not wait long enough."""
    on_lines(file, around=Hasty)


def no_start_up(file: Path) -> None:
    """A program that writes to a panel that it never started."""
    _, lines = direct_twin("16x2", PINS)
    timing = Timing()
    with Capture(file) as capture:
        link = direct(capture.around(lines, lines=ROLES))
        link.send([timing.instruction(set_ddram_address(0)), timing.write(b"Hive 3")])
        link.send([timing.instruction(set_ddram_address(0x40)), timing.write(b"41.4 kg")])


def two_panels(file: Path) -> None:
    """Two backpacks on one bus, written to in turn."""
    _, bus = backpack_twin("16x2")
    other = MAPS["control-high"]
    backpack_twin("20x4", address=0x3F, lines=other.lines, bus=bus)
    with Capture(file) as capture:
        port = capture.around(bus)
        left = Panel("16x2", Backpack(port, 0x27))
        right = Panel("20x4", Backpack(port, 0x3F, lines=other.lines))
        left[0], right[0] = "Hive 3", "Terrace"
        left[1], right[2] = "41.4 kg", "24.6 °C in the shade"


def alien_between(file: Path) -> None:
    """A thermometer at 0x48 is read between what a panel is sent; the log of a bus analyser."""
    _, bus = backpack_twin("16x2")
    bus.connect(0x48, Bystander())
    rows = ["time [ms],address,direction,data,ack"]

    class Logged:
        hz, wait_us = bus.hz, bus.wait_us

        def write(self, address: int, data: bytes) -> None:
            rows.append(f"{bus.clock.now_ns / 1e6:.4f},{address:#04x},write,{data.hex(' ')},ACK")
            bus.write(address, data)

        def read(self, address: int, count: int) -> bytes:
            at = bus.clock.now_ns
            data = bus.read(address, count)
            rows.append(f"{at / 1e6:.4f},{address:#04x},read,{data.hex(' ')},ACK")
            return data

    port = Logged()
    panel = Panel("16x2", Backpack(port, 0x27))
    for row, text in enumerate(("Hive 3", "24.6 °C")):
        port.write(0x48, b"\0")
        port.read(0x48, 2)
        panel[row] = text
    file.write_text("\n".join(rows) + "\n", encoding="ascii")


def from_the_middle(file: Path) -> None:
    """The analyser was switched on while the panel was in use."""
    whole = file.with_name("whole.vcd")
    _, lines = direct_twin("16x2", PINS)
    with Capture(whole) as capture:
        panel = Panel("16x2", direct(capture.around(lines, lines=ROLES)))
        panel[:] = "Hive 1\n39.8 kg"
        lines.wait_us(1000)
        switched_on = lines.clock.now_ns
        panel[:] = TEXT
    as_csv(whole, file, lambda samples, names: ((at, word) for at, word in samples if at >= switched_on))


def glitches(file: Path) -> None:
    """Spikes of 20 ns on E, from a wire beside it."""
    whole = file.with_name("whole.vcd")
    on_lines(whole)

    def spiked(samples: Iterable[tuple[int, int]], names: list[str]) -> Iterable[tuple[int, int]]:
        enable = 1 << names.index("e")
        for number, (at, word) in enumerate(samples):
            yield at, word
            if number % 9 == 8 and not word & enable:
                yield at + 400, word | enable
                yield at + 420, word

    as_csv(whole, file, spiked)


def coarse_samples(file: Path) -> None:
    """An analyser that takes a million samples a second, which shows the bytes, and not the timing of E."""
    whole = file.with_name("whole.vcd")
    on_lines(whole)
    as_csv(whole, file, lambda samples, names: ((at // 1000 * 1000, word) for at, word in samples))


def wide_panel(file: Path) -> None:
    """A 40x4 with its two controllers, behind an expander."""
    with Capture(file) as capture:
        panel = lumek.simulate("40x4", capture=capture)
        panel[0], panel[3] = "Hive 3, on the terrace", "41.4 kg, and two supers on it"


def on_lines(file: Path, roles: Mapping[Any, str] = ROLES, around: Callable[[Any], Any] = lambda port: port) -> None:
    """The text on a panel on lines. roles: their names in the file. around: what is between driver and lines."""
    _, lines = direct_twin("16x2", PINS)
    with Capture(file) as capture:
        panel = Panel("16x2", direct(around(capture.around(lines, lines=roles))))
        panel[:] = TEXT


def direct(port: Any) -> Direct:
    """The link of the panels on lines."""
    pins = dict(PINS)
    data = tuple(pins.pop(f"d{bit}") for bit in range(4, 8))
    return Direct(port, rs=pins["rs"], e=pins["e"], data=data)


def as_csv(
    vcd: Path,
    file: Path,
    change: Callable[[Iterable[tuple[int, int]], list[str]], Iterable[tuple[int, int]]] = lambda samples, names: (
        samples
    ),
) -> None:
    """Write a capture as the table of a logic analyser, and remove it."""
    source = VcdFile(vcd)
    every = {name: 1 << place for place, name in enumerate(source.names)}
    rows: dict[int, str] = {}
    begins = None
    for at, word in change(source.samples(every, 0), source.names):
        begins = at if begins is None else begins
        rows[at - begins] = ",".join(str(word >> place & 1) for place in range(len(every)))
    lines = [f"{at / 1e9:.9f},{levels}" for at, levels in rows.items()]
    file.write_text("\n".join([",".join(["Time [s]", *source.names]), *lines]) + "\n", encoding="ascii")
    vcd.unlink()


CAPTURES = {
    "right.vcd": right, "wrong_map.vcd": wrong_map, "swapped_lines.csv": swapped_lines, "out_of_step.vcd": out_of_step,
    "too_fast.vcd": too_fast, "no_start_up.vcd": no_start_up, "two_panels.vcd": two_panels,
    "alien_between.csv": alien_between, "from_the_middle.csv": from_the_middle, "glitches.csv": glitches,
    "coarse_samples.csv": coarse_samples, "wide_panel.vcd": wide_panel,
}  # fmt: skip


if __name__ == "__main__":
    FOLDER.mkdir(exist_ok=True)
    for name, make in CAPTURES.items():
        make(FOLDER / name)
        print(f"{name}: {(FOLDER / name).stat().st_size} bytes")
