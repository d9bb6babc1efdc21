"""One guest for all of these tests. What it needs is made once, in build/kernel."""

from collections.abc import Iterator

import pytest
from machines.computer import Computer, NotHereError, prepared


@pytest.fixture(scope="session")
def computer(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Computer]:
    try:
        kernel = prepared()
    except NotHereError as why:
        pytest.skip(str(why))
    guest = Computer(kernel, tmp_path_factory.mktemp("guest"))
    yield guest
    guest.end()


@pytest.fixture(autouse=True)
def _usual_bus(computer: Computer) -> None:
    computer.i2c.hz, computer.i2c.dead, computer.i2c.refuse_after = 100_000, False, None
