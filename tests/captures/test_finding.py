"""Which wire is what, found out from a start and two rows of text."""

import random
from pathlib import Path
from typing import Any

import pytest

import lumek
from lumek import Backpack, Panel
from lumek.captures import Capture, decode
from lumek.captures.wire_finder import Found, find
from lumek.hookup.maps import MAPS
from lumek.twin import backpack_twin
from support.captured import table_of

TEXTS = (
    "Hive 3", "Good morning,", "41.4 kg", "brood 34.8 °C", "no reading", "12:45 sunny", "forager 132/min", "+1.26 kg",
    "Queen seen", "low battery!", "(5) open", "Terrace",
)  # fmt: skip

KNOWN = {name: (one.lines, one.backlight_on) for name, one in MAPS.items()}

CORE = ("rs", "e", "d4", "d5", "d6", "d7")


class Taken:
    """A bus that keeps the states that go over it."""

    def __init__(self, bus: Any) -> None:
        self.states: list[int] = []
        self.hz, self.wait_us, self.read, self._bus = bus.hz, bus.wait_us, bus.read, bus

    def write(self, address: int, data: bytes) -> None:
        self.states += data
        self._bus.write(address, data)


def found_for(lines: dict[str, int], lit: int, chance: random.Random) -> list[Found]:
    size = "40x4" if "e2" in lines else "16x2"
    port = Taken(backpack_twin(size, lines=lines, backlight_on=lit)[1])
    panel = Panel(size, Backpack(port, 0x27, lines=lines, backlight_on=lit))
    panel[:2] = "\n".join(chance.sample(TEXTS, 2))
    return find(port.states, 8, KNOWN)


@pytest.mark.parametrize("name", MAPS)
def test_each_known_map_is_found(name: str) -> None:
    for seed in range(5):
        best = found_for(MAPS[name].lines, MAPS[name].backlight_on, random.Random(seed))[0]
        assert (best.known_as, best.lines, best.backlight_on) == (name, MAPS[name].lines, MAPS[name].backlight_on)


def right(chance: random.Random) -> bool | None:
    """Whether a random map is found; None when it is not, and that is told."""
    lines = dict(zip((*CORE, "rw", "backlight"), chance.sample(range(8), 8), strict=True))
    lit = chance.randrange(2)
    best = found_for(lines, lit, chance)[0]
    told = {role: line for role, line in best.lines.items() if role not in best.unsure}
    if told.items() <= lines.items() and (best.backlight_on in (lit, None) or "backlight" in best.unsure):
        return True
    return None if not best.certain else False


@pytest.mark.parametrize("count", [40, pytest.param(1000, marks=pytest.mark.slow)])
def test_random_maps_are_found_or_told_as_unsure(count: int) -> None:
    chance = random.Random(count)
    results = [right(chance) for _ in range(count)]
    assert False not in results
    assert results.count(True) >= 0.99 * count


WIRINGS = {
    "four lines": "kind = 'direct'\nlines = { rs = 4, e = 1, d4 = 3, d5 = 2, d6 = 6, d7 = 5 }",
    "eight lines, read": (
        "kind = 'direct'\nlines = { rs = 1, e = 2, rw = 12, d0 = 9, d1 = 5, d2 = 4, d3 = 8, d4 = 3, d5 = 7, d6 = 6, "
        "d7 = 10, backlight = 11 }"
    ),
    "expander": "kind = 'backpack'\nbus = 1\naddress = 0x3D\nmap = 'control-high-reversed'",
    "registers": "kind = 'backpack'\nbus = 1\naddress = 0x21\nexpander = 'mcp23008'",
    "shift register": (
        "kind = 'shift-register'\nspi = [0, 0]\nlines = { rs = 3, e = 1, d4 = 2, d5 = 5, d6 = 4, d7 = 6 }"
    ),
}


LONG = "eight lines, read"


@pytest.mark.parametrize(
    "wiring", [pytest.param(one, marks=pytest.mark.slow) if one == LONG else one for one in WIRINGS]
)
def test_wires_without_names_are_found(tmp_path: Path, wiring: str) -> None:
    (tmp_path / "hive.toml").write_text(f"[panel]\nsize = '16x2'\n[hookup]\n{WIRINGS[wiring]}\n")
    with Capture(tmp_path / "wires.vcd") as capture:
        panel = lumek.attach(tmp_path / "hive.toml", twin=True, capture=capture)
        panel[:] = "Hive 3  41.4 kg\nGood morning,"
    table = table_of(tmp_path / "wires.vcd", names=lambda number, name: f"Channel {number}")
    found = decode(table)
    assert found.panels[0].rows == panel.rows
    assert found.panels[0].wiring.found is not None
    assert found.panels[0].wiring.found.certain
    assert found.broken == {}


def test_too_many_wires_are_not_tried(tmp_path: Path) -> None:
    names = [f"D{number}" for number in range(20)]
    (tmp_path / "a.csv").write_text(f"time,{','.join(names)}\n0,{','.join('0' * 20)}\n1,{','.join('1' * 20)}\n")
    with pytest.raises(lumek.CaptureError, match="20 wires, too many to try: say which are the panel's, as --lines"):
        decode(tmp_path / "a.csv")
