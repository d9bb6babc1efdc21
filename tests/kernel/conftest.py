"""One guest for all of these tests. What it needs is made once, in build/kernel, by guest/prepare.sh."""

import subprocess
from collections.abc import Iterator
from pathlib import Path

import pytest

from kernel.machine.computer import GUEST, Computer

ROOT = Path(__file__).parents[2]
KERNEL = ROOT / "build" / "kernel"
CANNOT_INSTALL = 3


@pytest.fixture(scope="session")
def computer(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Computer]:
    if not (KERNEL / "release").exists():
        made = subprocess.run(
            ["bash", str(GUEST / "prepare.sh"), str(KERNEL)], capture_output=True, text=True, check=False
        )
        if made.returncode == CANNOT_INSTALL:
            pytest.skip(
                "QEMU and a Debian kernel cannot be installed here (it takes root, apt-get and a package index)"
            )
        assert made.returncode == 0, made.stdout + made.stderr
    guest = Computer(KERNEL, tmp_path_factory.mktemp("guest"))
    yield guest
    guest.end()
