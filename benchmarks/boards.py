"""What a firmware takes of a board's memory and time, under a MicroPython of 32 bits (Node.js, tests/micropython).

The plain way is the same modules compiled one by one. Bytes are those of the heap in use after garbage was collected.
MicroPython doubles its table of names when that is full, with names of the program and of the library: this cost
has a column of its own, since it falls to whichever row fills the table.
"""

import subprocess
import sys
import tempfile
from itertools import pairwise
from pathlib import Path

sys.path.append(str(Path(__file__).parents[1] / "tools"))

from machines.micro_board import MICROPYTHON

import lumek
from lumek.firmware.folder import Firmware, firmware, total
from lumek.firmware.mpy import NEWEST, compiled
from lumek.hookup.file import parse

HERE = Path(__file__).parents[1] / "tests" / "micropython"
ROOT = Path(lumek.__file__).parent

PANEL = """
[host]
board = "rp2040"
[panel]
size = "20x4"
[hookup]
"""
HIVE = f"""{PANEL}kind = "backpack"
address = 0x27
bus_hz = 400000
level_shifter = true
"""

DIRECT = f"""{PANEL}kind = "direct"
lines = {{ rs = "GP2", e = "GP3", d4 = "GP4", d5 = "GP5", d6 = "GP6", d7 = "GP7" }}
level_shifter = true
"""
REGISTER = f"""{PANEL}kind = "shift-register"
part = "74hct595"
lines = {{ rs = 0, e = 1, d4 = 2, d5 = 3, d6 = 4, d7 = 5, backlight = 6 }}
serial = {{ data = "GP3", clock = "GP2", latch = "GP5" }}
"""

MACHINE = """
class I2C:
    def __init__(self, *which, scl, sda, freq):
        pass
    def writeto(self, address, data):
        pass
    def readfrom_into(self, address, data):
        data[0] = 8

class Pin:
    IN, OUT = 0, 1
    def __init__(self, number, *mode):
        pass
    def init(self, mode, value=0):
        pass
    def value(self, level=0):
        return 0

class SoftSPI:
    def __init__(self, **pins):
        pass
    def write(self, data):
        pass
"""

BEFORE = "import machine, time, collections, micropython, sys\nfrom collections import namedtuple"
PLAIN = (
    "from lumek import Backpack, Panel\nfrom lumek.ports.board import BoardBus\n"
    "panel = Panel('20x4', Backpack(BoardBus(machine.I2C(0, scl=1, sda=0, freq=400000), 400000), 0x27))\n"
)
ROWS = [
    ("first text", "import hive\npanel = hive.panel()\npanel[0] = 'Hive 3'", 32),
    ("+ a number", "panel[1, 0:8] = 41.4", 4),
    ("+ a glyph and a drawing",
     "from lumek import Glyph\npanel[1, -1] = Glyph([0, 10, 31, 31, 14, 4, 0, 0])\n"
     "panel.glyphs['b'] = Glyph([31] * 7 + [0])", 6),
    ("+ a bar", "from lumek.fields import Bar\nbar = Bar(low=0, high=60)\npanel[2] = bar(30.0)", 6),
    ("+ three fields",
     "from lumek.fields import Clock, Label, Number\n"
     "number, label, clock = Number(decimals=2), Label('Hive 3'), Clock('%H:%M')\n"
     "panel[3, 0:8] = number(41.4)\npanel[0, 0:8] = label()\npanel[0, 10:] = clock()", 12),
]  # fmt: skip
"""What is done, and the goal in KB; each comes on top of those before."""

HOOKUPS = {
    "behind a backpack": (HIVE, NEWEST), "on six pins": (DIRECT, NEWEST), "behind a shift register": (REGISTER, NEWEST),
    "behind a backpack, as sources": (HIVE, None),
}  # fmt: skip

PASSES = """
def empty(count):
    for number in range(count):
        pass

def digits(count):
    for _ in range(count // 10):
        for text in texts:
            panel[0, 5] = text

texts = [str(number) for number in range(10)]
ratios = []
for _ in range(15):
    times = []
    for work, count in ((empty, 400000), (digits, 3000)):
        began = time.ticks_us()
        work(count)
        times.append(time.ticks_diff(time.ticks_us(), began) / count)
    ratios.append(times[1] / times[0])
print(sorted(ratios)[7])
"""


def heap(folder: Path, blocks: list[str]) -> tuple[list[int], list[str]]:
    """Bytes in use before the first block and after each, and what was printed."""
    command = ["node", str(HERE / "heap.mjs"), str(folder), *blocks]
    lines = subprocess.run(command, capture_output=True, text=True, check=True).stdout.splitlines()
    numbers = [line.split() for line in lines if len(line.split()) == 2]
    return [int(one[0]) for one in numbers], [one for one in lines if len(one.split()) != 2]


def names_in(line: str) -> tuple[int, int, int]:
    """The names that MicroPython says it keeps, the bytes of the table of them, and those of table and names."""
    number, texts, every = [int(one.rpartition("=")[2]) for one in line.split(", ")[1:]]
    return number, every - texts, every


def smallest(folder: Path, program: str) -> int:
    """The smallest heap, in KB of a board with words of 32 bits, with which a program runs on a native MicroPython."""
    (folder / "script.py").write_text(program)
    place = {"MICROPYPATH": f"{folder}:.frozen"}
    for kilobytes in range(16, 256, 2):
        command = [str(MICROPYTHON), "-X", f"heapsize={kilobytes}wK", "script.py"]
        if not subprocess.run(command, cwd=folder, env=place, capture_output=True, check=False).returncode:
            return kilobytes
    raise AssertionError("it does not run")


def write(folder: Path, file: str, mpy: str | None = NEWEST, extras: tuple[str, ...] = ()) -> Firmware:
    """Write the firmware for a hookup, with a `machine` that does nothing."""
    built = firmware(parse(file, "hive.toml"), mpy=mpy, extras=extras)
    for path, content in built.files.items():
        target = folder / path.removeprefix("lib/")
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_bytes(content)
    (folder / "machine.py").write_text(MACHINE)
    return built


def plain(folder: Path) -> int:
    """The heap that a first text takes with the portable modules, compiled one by one."""
    for name in ("core", "links", "lights", "roms", "ports", ""):
        for path in sorted((ROOT / name).glob("*.py")) + sorted((ROOT / name / "tables").glob("*.py")):
            target = folder / "lumek" / path.relative_to(ROOT).with_suffix(".mpy")
            target.parent.mkdir(parents=True, exist_ok=True)
            target.write_bytes(compiled(path.read_text(encoding="utf-8"), path.name))
    (folder / "machine.py").write_text(MACHINE)
    before, after = heap(folder, [BEFORE, PLAIN + "panel[0] = 'Hive 3'"])[0][1:]
    return after - before


def hookups(place: Path) -> None:
    """Print what a first text takes behind each kind of hookup."""
    print(f"{'20x4, first text':34}{'heap':>8}{'smallest heap':>18}{'files':>9}")
    for name, (file, mpy) in HOOKUPS.items():
        folder = place / name
        built = write(folder, file, mpy)
        before, after = heap(folder, [BEFORE, ROWS[0][1]])[0][1:]
        least = smallest(folder, f"{BEFORE}\n{ROWS[0][1]}\n")
        print(f"{name:34}{after - before:8}{least:15} KB{total(built.files):9}")
    print(f"{'the same modules, one by one':34}{plain(place / 'plain'):8}")


def rows(folder: Path, built: Firmware) -> list[list[str]]:
    """Print what each row takes; the modules that it loads."""
    asked = "micropython.qstr_info()\nprint('modules', ' '.join(sorted(sys.modules)))"
    live, printed = heap(folder, [f"{text}\n{asked}" for text in (BEFORE, *[row[1] for row in ROWS])])
    known = [names_in(line) for line in printed[::2]]
    loaded = [line.split()[1:] for line in printed[1::2]]
    print(f"{'20x4 behind a backpack':34}{'heap':>8}{'of goal':>9}{'peak':>7}{'names':>7}{'their table':>13}")
    for number, (name, _, goal) in enumerate(ROWS):
        table = known[number + 1][1] - known[number][1] if number else 0
        more = live[number + 2] - live[number + 1] - table
        until = "\n".join([BEFORE, *[text for _, text, _ in ROWS[: number + 1]]])
        peak = f"{smallest(folder, until)} KB"
        print(f"{name:34}{more:8}{more / goal / 1024:9.0%}{peak:>7}{known[number + 1][0]:7}{table or '':>13}")
    code, names = len(built.files["lib/lumek/__init__.mpy"]), known[1][2]
    frozen = live[2] - live[1] - code - names
    print(f"{'frozen, computed':34}{frozen:8}{frozen / 16 / 1024:9.0%}  (less {code} of code, {names} of names)")
    passes = float(heap(folder, [BEFORE, ROWS[0][1], PASSES])[1][-1])
    print(f"{'one digit, in empty passes':34}{passes:8.0f}{passes / 300:9.0%}")
    return [sorted(set(now) - set(before)) for before, now in pairwise(loaded)]


def by_module(folder: Path, built: Firmware, loaded: list[list[str]]) -> None:
    """Print what each file takes that the rows load, in their order."""
    files = [one for row in loaded for one in row if one.startswith("lumek")]
    live, printed = heap(folder, [BEFORE, *[f"import {one}\nmicropython.qstr_info()" for one in files]])
    tables = [0, 0, *[names_in(line)[1] for line in printed]]
    print(f"{'file':14}{'with':34}{'bytes':>7}{'heap':>7}")
    for number, one in enumerate(files, 2):
        path = f"lib/{one.replace('.', '/')}"
        size = len(built.files.get(f"{path}.mpy") or built.files[f"{path}/__init__.mpy"])
        more = live[number] - live[number - 1] - (tables[number] - tables[number - 1] if number > 2 else 0)
        print(f"{one:14}{built.modules.get(one.partition('.')[2], 'what is always needed'):34}{size:7}{more:7}")


def main() -> None:
    """Print the tables."""
    with tempfile.TemporaryDirectory() as name:
        place = Path(name)
        hookups(place)
        print()
        built = write(place / "rows", HIVE, extras=("fields",))
        loaded = rows(place / "rows", built)
        print()
        by_module(place / "rows", built, loaded)


if __name__ == "__main__":
    main()
