"""What a firmware takes of a board's memory and time, under a MicroPython of 32 bits (Node.js, tests/micropython).

The plain way is the same modules compiled one by one. Bytes are those of the heap in use after garbage was collected.
MicroPython doubles its table of names when that is full, with names of the program and of the library: what this costs
is told apart, since it comes with whichever row fills the table.
"""

import subprocess
import sys
import tempfile
from pathlib import Path

sys.path.append(str(Path(__file__).parents[1] / "tools"))

from machines.micro_board import MICROPYTHON

import lumek
from lumek.firmware.folder import firmware
from lumek.firmware.mpy import compiled
from lumek.hookup.file import parse

HERE = Path(__file__).parents[1] / "tests" / "micropython"
ROOT = Path(lumek.__file__).parent

HIVE = """
[host]
board = "rp2040"
[panel]
size = "20x4"
[hookup]
kind = "backpack"
address = 0x27
bus_hz = 400000
level_shifter = true
"""

MACHINE = """
class I2C:
    def __init__(self, *which, scl, sda, freq):
        pass
    def writeto(self, address, data):
        pass
    def readfrom_into(self, address, data):
        data[0] = 8

def Pin(number):
    return number
"""

BEFORE = "import machine, time, collections, micropython\nfrom collections import namedtuple"
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
for _ in range(41):
    times = []
    for work, count in ((empty, 40000), (digits, 500)):
        began = time.ticks_us()
        work(count)
        times.append(time.ticks_diff(time.ticks_us(), began) / count)
    ratios.append(times[1] / times[0])
print(sorted(ratios)[20])
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


def plain(folder: Path) -> None:
    """The portable modules, compiled one by one."""
    for name in ("core", "links", "lights", "roms", "ports", ""):
        for path in sorted((ROOT / name).glob("*.py")) + sorted((ROOT / name / "tables").glob("*.py")):
            target = folder / "lumek" / path.relative_to(ROOT).with_suffix(".mpy")
            target.parent.mkdir(parents=True, exist_ok=True)
            target.write_bytes(compiled(path.read_text(encoding="utf-8"), path.name))


def main() -> None:
    """Print the tables."""
    with tempfile.TemporaryDirectory() as place:
        woven, modules = Path(place, "woven"), Path(place, "modules")
        built = firmware(parse(HIVE, "hive.toml"), extras=["fields"])
        for path, content in built.files.items():
            target = woven / path.removeprefix("lib/")
            target.parent.mkdir(parents=True, exist_ok=True)
            target.write_bytes(content)
        plain(modules)
        for folder in (woven, modules):
            (folder / "machine.py").write_text(MACHINE)
        before, _ = heap(modules, [BEFORE, PLAIN + "panel[0] = 'Hive 3'"])
        live, printed = heap(
            woven, [f"{text}\nmicropython.qstr_info()" for text in (BEFORE, *[row[1] for row in ROWS])]
        )
        known = [names_in(line) for line in printed]
        print(f"{'20x4 behind a backpack':30}{'bytes':>8}{'of goal':>9}{'of plain':>9}{'names':>7}{'their table':>13}")
        for number, (name, _, goal) in enumerate(ROWS):
            table = known[number + 1][1] - known[number][1] if number else 0
            more = live[number + 2] - live[number + 1] - table
            of_plain = f"{more / (before[2] - before[1]):.0%}" if not number else ""
            print(f"{name:30}{more:8}{more / goal / 1024:9.0%}{of_plain:>9}{known[number + 1][0]:7}{table or '':>13}")
        code, names = len(built.files["lib/lumek/__init__.mpy"]), known[1][2]
        _, printed = heap(woven, [BEFORE, ROWS[0][1], PASSES])
        frozen = live[2] - live[1] - code - names
        print(f"{'frozen, computed':30}{frozen:8}{frozen / 16 / 1024:9.0%}  (less {code} of code, {names} of names)")
        least = smallest(woven, f"{BEFORE}\n{ROWS[0][1]}\n")
        peak = least * 1024 - (live[2] - live[1])
        print(f"{'peak: a heap of ' + str(least) + ' KB does':30}{peak:8}{peak / 8192:9.0%}  (more than what stays)")
        passes = float(printed[-1])
        print(f"{'one digit, in empty passes':30}{passes:8.0f}{passes / 300:9.0%}")
        sizes = sorted(((len(content), path) for path, content in built.files.items()), reverse=True)
        print(f"{len(sizes)} files, {sum(size for size, _ in sizes)} bytes; the largest:")
        for size, path in sizes[:6]:
            print(f"{size:8} {path}")


if __name__ == "__main__":
    main()
