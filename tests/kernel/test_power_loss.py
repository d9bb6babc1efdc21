"""The last test of all, since nothing is left of the guest: its power fails while it writes a log."""

import subprocess
from pathlib import Path

from machines.computer import Computer

from lumek.ports.linux import LinuxBus
from lumek.readings import Log, Reading
from support.waiting import until


def write_for_ever(sync: bool) -> None:
    """Append readings to a log on the disk, and say at the far end of the bus how many there are."""
    folder = Path("/run/disk")
    folder.mkdir()
    subprocess.run(["mount", "-t", "ext4", "/dev/vda", str(folder)], check=True)
    with LinuxBus(0, 100_000) as bus, Log(folder / "hive.csv", sync=sync, rotate_bytes=5_000) as log:
        for number in range(1_000_000):
            log.append(Reading(number, "weight", "kg"))
            bus.write(0x50, bytes((0, *(number + 1).to_bytes(4, "big"))))


def test_a_loss_of_power_costs_no_more_than_the_last_line(computer: Computer, tmp_path: Path) -> None:
    before = len(computer.i2c.transfers)
    computer.begin(write_for_ever, True)
    until(lambda: len(computer.i2c.transfers) - before > 400, "400 lines are written")
    computer.cut_power()
    written = int.from_bytes(computer.i2c.transfers[-1].data[1:], "big")
    assert written >= 400
    # The file system as the next boot would find it: its journal is played back, and it is sound then.
    subprocess.run(["/sbin/e2fsck", "-p", str(computer.disk)], check=False, capture_output=True)
    subprocess.run(["/sbin/e2fsck", "-fn", str(computer.disk)], check=True, capture_output=True)
    subprocess.run(["/sbin/debugfs", "-R", f"rdump / {tmp_path}", str(computer.disk)], check=True, capture_output=True)
    logs = [*sorted(tmp_path.glob("hive-*.csv")), tmp_path / "hive.csv"]
    assert len(logs) > 1
    values = [float(line.split(b",")[2]) for log in logs for line in log.read_bytes().splitlines(keepends=True)[1:]
              if line.endswith(b"\n")]  # fmt: skip
    assert values == list(range(len(values)))
    assert len(values) >= written
    with Log(tmp_path / "hive.csv") as log:
        log.append(Reading(1, "weight", "kg"))
