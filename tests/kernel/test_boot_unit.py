"""The unit file that ships, started by a real systemd: from boot on a face is shown, until it is stopped."""

import os
import signal
import subprocess
import sys
from pathlib import Path

from machines.computer import Computer

from kernel.test_commands import HOOKUP
from kernel.test_faults import CLOCK
from support.waiting import until

EXAMPLES = Path(__file__).parents[2] / "examples"
ROOT = Path("/run/booted/root")


def prepare_root(face: str) -> None:
    """Lay a root that can be written over the guest's, with the unit file and what it names."""
    base = ROOT.parent
    base.mkdir()
    subprocess.run(["mount", "-t", "tmpfs", "tmpfs", str(base)], check=True)
    for name in ("upper", "work", "root"):
        (base / name).mkdir()
    layers = f"lowerdir=/,upperdir={base}/upper,workdir={base}/work"
    subprocess.run(["mount", "-t", "overlay", "-o", layers, "none", str(ROOT)], check=True)
    (ROOT / "root").chmod(0o755)
    for group in ("i2c", "gpio", "dialout"):
        subprocess.run(["chroot", str(ROOT), "groupadd", "-f", group], check=True)
    unit = (EXAMPLES / "lumek-hive.service").read_text()
    unit = unit.replace("/opt/lumek/bin/lumek", str(Path(sys.executable).parent / "lumek"))
    (ROOT / "etc/systemd/system/lumek-hive.service").write_text(unit)
    (ROOT / "etc/systemd/system/lumek-hive.service").chmod(0o644)
    # The checkout, which may be in a home, stays seen.
    shown = f"[Service]\nProtectHome=tmpfs\nBindReadOnlyPaths={EXAMPLES.parent} {sys.prefix} {sys.base_prefix}\n"
    (ROOT / "etc/systemd/system/lumek-hive.service.d").mkdir()
    (ROOT / "etc/systemd/system/lumek-hive.service.d/checkout.conf").write_text(shown)
    (ROOT / "etc/lumek").mkdir()
    (ROOT / "etc/lumek/hive.toml").write_text(face, encoding="utf-8")
    # What would look through all files of this computer, and what waits for devices of a usual one.
    for name in (
        "tmpfiles-setup",
        "tmpfiles-setup-dev",
        "udev-trigger",
        "udevd",
        "journal-flush",
        "sysctl",
        "hwdb-update",
    ):
        (ROOT / f"etc/systemd/system/systemd-{name}.service").symlink_to("/dev/null")
    (ROOT / "etc/machine-id").write_text("0123456789abcdef0123456789abcdef\n")


def boot() -> None:
    """Become systemd, as the first process of a space of its own."""
    script = f"""
        mount -t proc proc {ROOT}/proc
        mount --rbind /sys {ROOT}/sys
        mount -t cgroup2 cgroup {ROOT}/sys/fs/cgroup || true
        mount --rbind /dev {ROOT}/dev
        for folder in run var/tmp; do mount -t tmpfs tmpfs {ROOT}/$folder; done
        chgrp $(chroot {ROOT} getent group i2c | cut -d: -f3) /dev/i2c-0; chmod 660 /dev/i2c-0
        exec chroot {ROOT} env -i container=test PATH=/usr/sbin:/usr/bin:/sbin:/bin \
          /lib/systemd/systemd --unit=lumek-hive.service --log-target=console --log-level=info
    """
    os.execvp("unshare", ["unshare", "--fork", "--pid", "--mount", "--kill-child", "bash", "-c", script])


def inside() -> list[str]:
    """What goes before a command so that it runs where that systemd is."""
    systemd = next(path.parent.name for path in Path("/proc").glob("[0-9]*/comm")
                   if path.read_text() == "systemd\n")  # fmt: skip
    return ["nsenter", "--target", systemd, "--mount", "--pid", "--root", "--wd"]


def status() -> str:
    """What systemd knows of the service."""
    keys = "--property=Type,SubState,StatusText,WatchdogTimestampMonotonic"
    return subprocess.run([*inside(), "systemctl", "show", keys, "lumek-hive"], check=True, capture_output=True,
                          text=True).stdout  # fmt: skip


def exposure() -> str:
    """What systemd-analyze says of the unit: mistakes, and how exposed it is."""
    verified = subprocess.run([*inside(), "systemd-analyze", "verify", "lumek-hive.service"], check=False,
                              capture_output=True, text=True)  # fmt: skip
    said = subprocess.run([*inside(), "systemd-analyze", "security", "--no-pager", "lumek-hive"], check=True,
                          capture_output=True, text=True)  # fmt: skip
    mistakes = [
        line
        for line in verified.stderr.splitlines()
        if "lumek-hive" in line and "marked world" not in line and "Restart" not in line
    ]
    return "\n".join([*mistakes, said.stdout.splitlines()[-1]])


def stop() -> str:
    """Have systemd stop the service, as "systemctl stop" does; what the service left in its folder."""
    enter = inside()
    subprocess.run([*enter, "systemctl", "stop", "lumek-hive"], check=True)
    found = subprocess.run([*enter, "sh", "-c", "stat -Lc '%U %s' /var/lib/private/lumek/hive.csv"], check=True,
                           capture_output=True, text=True)  # fmt: skip
    return found.stdout


def test_the_unit_file_shows_a_face_from_boot_on_and_leaves_the_panel_as_it_should(computer: Computer) -> None:
    twin = computer.panels["0x27"]
    computer.call(prepare_root, HOOKUP + CLOCK + '[deck]\nfarewell = "Good night"\n')
    init = computer.begin(boot)
    until(lambda: twin.rows[1].startswith("Hive 3"), "the face is drawn")
    told = dict(line.split("=", 1) for line in computer.call(status).splitlines())
    assert (told["Type"], told["SubState"]) == ("notify", "running")
    assert "0 errors" in told["StatusText"]
    assert int(told["WatchdogTimestampMonotonic"]) > 0
    *mistakes, level = computer.call(exposure).splitlines()
    assert mistakes == []
    assert float(level.split(": ")[1].split()[0]) <= 2.5
    user, size = computer.call(stop).split()
    assert (twin.rows[0].rstrip(), twin.violations) == ("Good night", [])
    assert user != "root"
    assert int(size) > 0
    init.signal(signal.SIGKILL)
