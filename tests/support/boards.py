"""A native MicroPython as a board: its file system is a folder, its `machine` prints what goes over the wires."""

import os
import subprocess
from pathlib import Path

from machines.micro_board import MICROPYTHON

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
