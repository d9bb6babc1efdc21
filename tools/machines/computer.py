"""The guest: QEMU with its kernel, what is at the far end of its buses and lines, and a way to have things done in it.

Everything that the guest prints to its console is in `console`.
"""

import inspect
import json
import os
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any, ParamSpec, TypeVar

from lumek.roms import rom_named
from lumek.twin import Hc595, Mcp23008, Pcf8574, Twin
from lumek.twin.expander import Wired
from machines.adapters import GpioChip, HostClock, I2cAdapter
from machines.chips import Ds18b20, Ds2482, Memory, Sht3x, ads1015, bmp280, lm75
from machines.vhost_user import Backend

Takes = ParamSpec("Takes")
Value = TypeVar("Value")

GUEST = Path(__file__).parent / "guest"
KERNEL = Path(__file__).parents[2] / "build" / "kernel"
"""What guest/prepare.sh makes, once."""

CANNOT_INSTALL = 3
BOOT_S = 120

USUAL = {"rs": 0, "rw": 1, "e": 2, "backlight": 3, "d4": 4, "d5": 5, "d6": 6, "d7": 7}
MCP = {"rs": 1, "e": 2, "d4": 3, "d5": 4, "d6": 5, "d7": 6, "backlight": 7}
EIGHT = {role: line for line, role in enumerate(("rs", "rw", "e", *(f"d{bit}" for bit in range(8)), "backlight"))}
FOUR_WITH_RW = {role: 32 + place for place, role in enumerate(("rs", "rw", "e", "d4", "d5", "d6", "d7", "backlight"))}
FOUR = {"e": 12, "d7": 13, "rs": 14, "d4": 15, "d5": 16, "d6": 17, "backlight": 18}
OUTPUTS = {"rs": 0, "e": 1, "d4": 2, "d5": 3, "d6": 4, "d7": 5, "backlight": 6}
THREE_LINES = {"data": 20, "clock": 21, "latch": 22}
SPI = {"data": 24, "clock": 25, "latch": 26}  # spi-gpio's lines; see start.sh


@dataclass
class Result:
    """What a process of the guest left: its exit code, what it printed, and what its function returned."""

    code: int
    out: str
    err: str
    value: Any


class NotHereError(Exception):
    """QEMU and a kernel cannot be installed on this computer."""


def prepared() -> Path:
    """The folder with the guest's kernel, made first if need be. Raises NotHereError."""
    if not (KERNEL / "release").exists():
        command = ["bash", str(GUEST / "prepare.sh"), str(KERNEL)]
        made = subprocess.run(command, capture_output=True, text=True, check=False)
        if made.returncode == CANNOT_INSTALL:
            raise NotHereError(
                "QEMU and a Debian kernel cannot be installed here: it takes root, apt-get and a package index"
            )
        if made.returncode:
            raise RuntimeError(made.stdout + made.stderr)
    return KERNEL


class Computer:
    """A running guest. `panels` are the simulated ones by what they hang on, `clock` is the time that all of them keep.

    kernel: the folder that prepare.sh made.
    folder: for sockets and the guest's disk.
    """

    def __init__(self, kernel: Path, folder: Path) -> None:
        self.clock = HostClock()
        self.i2c = I2cAdapter(self.clock)
        self.gpio = GpioChip(self.clock, [f"P{number}" for number in range(40)])
        self.panels: dict[str, Twin] = {}
        self.memory = Memory()
        self.disk = folder / "disk.img"
        self.console = folder / "console.txt"
        self._agent: socket.socket | None = None
        self._wire()
        self._backends = [Backend(folder / "i2c.sock", self.i2c), Backend(folder / "gpio.sock", self.gpio, queues=2)]
        for backend in self._backends:
            backend.start()
        with self.disk.open("wb") as disk:
            disk.truncate(32 << 20)
        subprocess.run(["/sbin/mkfs.ext4", "-q", str(self.disk)], check=True)
        begun = time.monotonic()
        with self.console.open("wb") as console:
            self._qemu = subprocess.Popen(self._command(kernel, folder), stdout=console, stderr=console, stdin=-3)
        try:
            self._connect(folder / "agent.sock", begun)
            self.release = self._answer()["ready"]
        except BaseException:
            self.end()
            raise
        self.boot_s = time.monotonic() - begun

    def _wire(self) -> None:
        """Put panels and chips at the far end."""
        self.i2c.devices = {
            0x27: Pcf8574(self._panel("0x27", "20x4", USUAL), USUAL),
            0x20: Mcp23008(self._panel("0x20", "16x2", MCP), MCP),
            0x50: self.memory, 0x48: lm75(-12.5), 0x49: lm75(34.8125), 0x4A: ads1015(1234), 0x76: bmp280(),
            0x44: Sht3x(21.5, 48.5),
            0x18: Ds2482([Ds18b20(0x0316A4B1C2, 35.25), Ds18b20(0x0316A4B1C3, -3.5)]),
        }  # fmt: skip
        wired: list[tuple[str, dict[str, int], dict[str, int] | None]] = [
            ("eight lines", EIGHT, None), ("four lines", FOUR, None),
            ("four lines with RW", FOUR_WITH_RW, None), ("595", OUTPUTS, THREE_LINES),
            ("spi", OUTPUTS, SPI),
        ]  # fmt: skip
        for name, lines, three in wired:
            panel = self._panel(name, "16x2", lines)
            device: Wired = panel if three is None else Hc595(panel, lines)
            self.gpio.connect(device, three or lines)

    def _panel(self, name: str, size: str, lines: dict[str, int]) -> Twin:
        self.panels[name] = twin = Twin(size, rom_named("A00"), self.clock)
        twin.set_pins({pin: level for pin, level in {"rw": 0, "backlight": 1}.items() if pin not in lines}, -1_000_000)
        return twin

    def _command(self, kernel: Path, folder: Path) -> list[str]:
        options = {"start": GUEST / "start.sh", "tree": kernel / "tree", "python": sys.executable}
        append = " ".join(f"{name}={value}" for name, value in options.items())
        command = [
            "timeout", "-k", "5", "600", "qemu-system-x86_64", "-M", "q35,accel=tcg,memory-backend=mem", "-cpu", "max",
            "-m", "768", "-object", "memory-backend-memfd,id=mem,size=768M,share=on", "-nodefaults", "-no-user-config",
            "-display", "none", "-no-reboot", "-serial", "stdio",
            "-serial", f"unix:{folder}/agent.sock,server=on,wait=off",
            "-kernel", f"{kernel}/vmlinux", "-initrd", f"{kernel}/initramfs.gz",
            "-append", f"console=ttyS0 quiet panic=-1 no_timer_check {append}",
            "-virtfs", "local,path=/,mount_tag=host,security_model=none,readonly=on,multidevs=remap",
            "-drive", f"file={self.disk},format=raw,if=virtio",
        ]  # fmt: skip
        for name in ("i2c", "gpio"):
            command += ["-chardev", f"socket,id={name},path={folder}/{name}.sock"]
            command += ["-device", f"vhost-user-{name}-pci,chardev={name},event_idx=off"]
        return command

    def _connect(self, path: Path, begun: float) -> None:
        self._agent = socket.socket(socket.AF_UNIX)
        self._agent.settimeout(BOOT_S)
        while True:
            try:
                return self._agent.connect(str(path))
            except OSError:
                if time.monotonic() - begun > 10 or self._qemu.poll() is not None:
                    raise RuntimeError(f"QEMU did not start: {self.console.read_text(errors='replace')}") from None
                time.sleep(0.05)

    def _answer(self) -> dict[str, Any]:
        text = b""
        while not text.endswith(b"\n"):
            assert self._agent is not None
            piece = self._agent.recv(65536)
            if not piece:
                raise RuntimeError(f"the guest is gone: {self.console.read_text(errors='replace')[-2000:]}")
            text += piece
        found: dict[str, Any] = json.loads(text)
        return found

    def _ask(self, **request: object) -> dict[str, Any]:
        assert self._agent is not None
        self._agent.sendall(json.dumps(request).encode() + b"\n")
        return self._answer()

    def start(self, **what: object) -> "Process":
        """Start a process in the guest: of `lumek` with arguments, of a `program`, or as `call` does."""
        return Process(self, self._ask(act="start", **what)["job"])

    def lumek(self, *arguments: str, **more: object) -> Result:
        """Run the command to its end."""
        return self.start(lumek=arguments, **more).ended()

    def call(self, function: Callable[Takes, Value], *arguments: Takes.args, **none: Takes.kwargs) -> Value:
        """What a function of a test module returns in the guest. An error there is one here."""
        result = self.begin(function, *arguments, **none).ended()
        assert result.code == 0, f"in the guest: {result.err}\n{result.out}"
        value: Value = result.value
        return value

    def begin(self, function: Callable[Takes, object], *arguments: Takes.args, **none: Takes.kwargs) -> "Process":
        """Start a function of a test module in the guest, and return while it runs."""
        file = inspect.getsourcefile(function)
        self._ask(act="load", file=file)
        return self.start(file=file, function=function.__name__, arguments=arguments)

    def cut_power(self) -> None:
        """End it as a loss of power does: what is not on its disk is lost."""
        subprocess.run(["pkill", "-KILL", "-P", str(self._qemu.pid)], check=True)
        self._qemu.wait(10)

    def end(self) -> None:
        """End it. Raises what ended a backend early."""
        if self._qemu.poll() is None:
            os.kill(self._qemu.pid, signal.SIGTERM)
            self._qemu.wait(20)
        if self._agent is not None:
            self._agent.close()
        for backend in self._backends:
            backend.join(5)
            if backend.problem is not None:
                raise backend.problem


class Process:
    """A process of the guest."""

    def __init__(self, computer: Computer, number: int) -> None:
        self._ask = computer._ask
        self._number = number

    def signal(self, number: int) -> None:
        """Send it a signal."""
        self._ask(act="signal", job=self._number, signal=int(number))

    def printed(self) -> str:
        """What it wrote to its standard error up to now."""
        return str(self._ask(act="look", job=self._number)["err"])

    def ended(self, seconds: float = 120) -> Result:
        """What it left. After that many seconds it is killed, which is an error."""
        found = self._ask(act="wait", job=self._number, seconds=seconds)
        assert not found["killed"], f"it did not end in {seconds} s: {found['err']}\n{found['out']}"
        return Result(found["code"], found["out"], found["err"], found["value"])
