"""What goes wrong on real hosts, made to happen in the guest: nobody answers, adapters go away, power fails."""

import re
import shlex
import signal
import subprocess
import time
from pathlib import Path
from typing import Any

from machines.computer import Computer

from kernel.test_commands import HOOKUP, write
from lumek import Backpack, Direct, Panel
from lumek.ports.linux import LinuxBus, LinuxLines
from support.refusals import refused
from support.waiting import until

CLOCK = """
[faces.clock]
fields = [{ kind = "clock", row = 0, column = 0, form = "%H:%M:%S" }]
text = "\\nHive 3"
"""

TICKER = '{ kind = "ticker", row = 2, cells_per_s = 50, text = "Queen seen in hive 3, brood in all stages" }'


def transfers() -> list[str]:
    with LinuxBus(0, 100_000) as bus:
        return [refused(lambda: bus.write(0x26, b"\0")), refused(lambda: bus.read(0x26, 1)),
                refused(lambda: Panel("16x2", Backpack(bus, 0x26)))]  # fmt: skip


def test_nobody_acknowledges(computer: Computer) -> None:
    for message in computer.call(transfers):
        assert message.startswith("NoAnswerError: no device acknowledges at address 0x26 on I2C bus 0: check supply")


def long_write() -> str:
    with LinuxBus(0, 100_000) as bus:
        return refused(lambda: bus.write(0x50, bytes(3 * 8192)))


def test_a_transfer_that_goes_through_in_part(computer: Computer) -> None:
    # The kernel answers I2C_RDWR with the number of messages that went through, and calls that no error.
    computer.i2c.hz, computer.i2c.refuse_after = 10_000_000, 1
    message = computer.call(long_write)
    assert message.startswith("NoAnswerError: no device acknowledges at address 0x50 on I2C bus 0 after 1 of 3 mess")


def bind(way: str) -> None:
    driver = Path("/sys/bus/virtio/drivers/i2c_virtio")
    device = next(path.name for path in Path("/sys/bus/virtio/devices").glob("virtio*")
                  if (path / "device").read_text().strip() == "0x0022")  # fmt: skip
    (driver / way).write_text(device)


def exists(path: str) -> bool:
    return Path(path).exists()


def test_an_adapter_is_unplugged_and_plugged_in_again_while_a_face_is_shown(computer: Computer) -> None:
    twin = computer.panels["0x27"]
    face = computer.call(write, "clock.toml", HOOKUP + CLOCK)
    run = computer.start(lumek=["run", face])
    until(lambda: twin.rows[1].startswith("Hive 3"), "the face is drawn")
    # As with an adapter on USB: nothing comes through, and its driver waits until nobody has it open.
    computer.i2c.dead = True
    unbound = computer.begin(bind, "unbind")
    until(lambda: "does not answer" in run.printed(), "the loss is reported")
    assert unbound.ended().code == 0
    assert computer.call(exists, "/dev/i2c-0") is False
    # Away long enough for the panel to lose its supply, too.
    twin.controller.ddram[:] = b"?" * len(twin.controller.ddram)
    computer.i2c.dead = False
    computer.call(bind, "bind")
    back = len(computer.i2c.transfers)
    took = until(lambda: twin.rows[1].startswith("Hive 3") and "?" not in twin.rows[0], "it is repainted")
    until(lambda: "answers again" in run.printed(), "the return is reported")
    # At the first try after that, and it tries every second.
    assert "refused" not in {one.kind for one in computer.i2c.transfers[back:]}
    run.signal(signal.SIGTERM)
    result = run.ended()
    assert (result.code, twin.violations) == (0, [])
    *lines, again = result.err.splitlines()[1:]  # what arrived after a retry, or was sent again, is reported, too
    assert [line for line in lines if "the panel does not answer; trying again every 1 s: " in line]
    assert again.endswith("the panel answers again")
    print(f"repainted {took:.1f} s after the adapter was back")


def lines_that_go() -> dict[str, str]:
    """A panel on a chip of gpio-sim that is taken away and comes back."""
    config = Path("/sys/kernel/config/gpio-sim/gone")
    (config / "bank0").mkdir(parents=True)
    (config / "bank0" / "num_lines").write_text("8")
    (config / "live").write_text("1")
    chip = "/dev/" + (config / "bank0" / "chip_name").read_text().strip()
    lines = LinuxLines(chip)
    panel = Panel("16x2", Direct(lines, rs=0, e=1, data=(2, 3, 4, 5), backlight=6))
    (config / "live").write_text("0")
    found = {"gone": refused(lambda: panel.restart()), "away": refused(lambda: panel.restart())}
    (config / "live").write_text("1")
    found["back"] = refused(lambda: panel.restart())
    with LinuxLines(chip) as other:
        found["taken"] = refused(lambda: other.claim(range(7)))
        found["free"] = refused(lambda: other.claim([7]))
    lines.close()
    (config / "live").write_text("0")
    return found


def test_a_chip_goes_and_comes_back(computer: Computer) -> None:
    found = computer.call(lines_that_go)
    assert re.fullmatch(r"PortError: /dev/gpiochip\d is gone: its adapter was removed .*", found["gone"])
    assert re.match(r"PortError: there is no GPIO chip /dev/gpiochip\d; there is: gpiochip0", found["away"])
    assert (found["back"], found["free"]) == ("", "")
    assert "line 0 of /dev/gpiochip" in found["taken"]
    assert re.search(r"is in use by 'lumek, process \d+'", found["taken"])


def relay() -> None:
    import gpiod

    settings: dict[Any, gpiod.LineSettings | None] = {30: gpiod.LineSettings(direction=gpiod.line.Direction.OUTPUT)}
    with gpiod.request_lines("/dev/gpiochip0", config=settings, consumer="relay of the fan"):
        time.sleep(60)


def take(line: int) -> str:
    with LinuxLines("/dev/gpiochip0") as lines:
        return refused(lambda: lines.drive({line: 1}))


def test_a_line_is_taken_by_another_program(computer: Computer) -> None:
    other = computer.begin(relay)
    until(lambda: "is in use" in computer.call(take, 30), "the line is taken")
    assert computer.call(take, 30) == (
        "PortError: line 30 (P30) of /dev/gpiochip0 is in use by 'relay of the fan': end that, or take another line"
    )
    other.signal(signal.SIGTERM)
    until(lambda: computer.call(take, 30) == "", "the line is free")


def as_distributions_do() -> None:
    """A group for buses, and a user who is not in it; /etc can be written."""
    folder = Path("/run/etc")
    (folder / "upper").mkdir(parents=True)
    (folder / "work").mkdir()
    mount = "mount -t overlay -o lowerdir=/etc,upperdir=/run/etc/upper,workdir=/run/etc/work none /etc"
    for command in (mount, "groupadd -f i2c", "useradd bee", "chgrp i2c /dev/i2c-0", "chmod 660 /dev/i2c-0"):
        subprocess.run(shlex.split(command), check=True)


def as_root(command: str) -> None:
    subprocess.run(["bash", "-ec", f'sudo() {{ "$@"; }}; USER=bee; {command}'], check=True)


def test_a_user_without_permission_and_the_command_that_gives_it(computer: Computer) -> None:
    computer.call(as_distributions_do)
    hookup = computer.call(write, "bee.toml", HOOKUP)
    denied = computer.lumek("show", "Bees", "--hookup", hookup, user="bee")
    assert denied.code == 1
    found = re.search(r"you may not open /dev/i2c-0, but its group i2c may. Run: (.*), then log in again", denied.err)
    assert found, denied.err
    computer.call(as_root, found[1])
    allowed = computer.lumek("show", "Bees", "--hookup", hookup, user="bee")
    assert (allowed.code, allowed.err, computer.panels["0x27"].rows[0]) == (0, "", "Bees".ljust(20))
    # Where no rule gave the file to a group, as after a bare boot.
    computer.call(as_root, "chgrp root /dev/i2c-0; chmod 600 /dev/i2c-0; mkdir -p /etc/udev/rules.d")
    denied = computer.lumek("show", "Bees", "--hookup", hookup, user="bee")
    found = re.search(r"no group has access to it. Run: (.*), then restart", denied.err)
    assert found, denied.err
    computer.call(as_root, found[1])
    rule = computer.call(read, "/etc/udev/rules.d/60-i2c.rules")
    assert rule == 'SUBSYSTEM=="i2c-dev", GROUP="i2c", MODE="0660"\n'


def read(path: str) -> str:
    return Path(path).read_text()


def hold(seconds: float) -> None:
    with LinuxBus(0, 100_000) as bus:
        Panel("20x4", Backpack(bus, 0x27))[0] = "mine"
        time.sleep(seconds)


def test_two_programs_on_one_panel(computer: Computer) -> None:
    twin = computer.panels["0x27"]
    hookup = computer.call(write, "second.toml", HOOKUP)
    first = computer.begin(hold, 60)
    until(lambda: twin.rows[0].startswith("mine"), "the first has it")
    second = computer.lumek("show", "yours", "--hookup", hookup)
    assert second.code == 1
    assert re.match(r"lumek: address 0x27 on I2C bus 0 is in use by the program 'python\S*' \(process \d+\): end that",
                    second.err), second.err  # fmt: skip
    assert computer.lumek("scan", "--bus", "0").code == 0
    first.signal(signal.SIGKILL)
    first.ended()
    assert computer.lumek("show", "yours", "--hookup", hookup).code == 0
    assert (twin.rows[0].rstrip(), twin.violations) == ("yours", [])


def test_a_slow_adapter(computer: Computer) -> None:
    """A bus at a tenth of the clock that was stated: drawings are left out, and do not pile up."""
    computer.i2c.hz = 10_000
    twin, before = computer.panels["0x27"], len(computer.i2c.transfers)
    quick = "[deck]\nrefresh_hz = 50\n" + CLOCK.replace("}]", "}, " + TICKER + "]")
    face = computer.call(write, "slow.toml", HOOKUP + quick)
    result = computer.lumek("run", face, "--for", "5")
    assert (result.code, twin.violations, twin.rows[1].rstrip()) == (0, [], "Hive 3"), result.err
    assert re.match(r"\d\d:\d\d:\d\d", twin.rows[0])
    # Of 250 drawings that were due, each of which moves all of a row; 80 ms for one are 62 at most.
    drawn = [one for one in computer.i2c.transfers[before:] if len(one.data) > 60]
    assert 1 < len(drawn) < 125, len(drawn)
