"""What `lumek firmware` writes, under a native MicroPython: the same bytes as CPython, in the memory of boards."""

import runpy
from pathlib import Path

import pytest

from lumek.firmware.folder import Library
from support.boards import (
    CIRCUITPYTHON,
    DIRECT,
    EVERYTHING,
    HIVE,
    LINKS,
    MACHINE,
    PROGRAMS,
    REGISTER,
    built,
    needs_micropython,
    put,
    run,
    script_of,
    sent,
)

pytestmark = needs_micropython

SCENARIO = Path(__file__).parents[1] / "micropython" / "scenario.py"

OTHER_REGISTER = REGISTER.replace("esp8266", "esp32").replace(
    '"D1", clock = "D2", latch = "D5"', '"IO4", clock = "IO5", latch = "IO15"'
)


TIME = b"from utime import *\ndel ticks_us\n"
"""Without its clock, what is sent does not depend on how quick the interpreter is."""

HEAPS = {"smallest": "40wK"}
"""Of 64wK else. Such a heap has as many words as one of 64 KB on a board, whose words have 32 bits."""


def compare(
    file: str, program: str, system: str, mpy: str | None, heap: str, modules: dict[str, bytes], folder: Path
) -> None:
    """What a program sends from the built folder and from the checkout, under CPython."""
    script = script_of(program)
    put({**built(file, mpy, system), **modules, "script.py": script.encode()}, folder)
    printed = run(folder, folder / "script.py", heap).splitlines()
    assert [line for line in printed if not line.startswith("lumek: ")] == sent(file, script, system, modules, folder)
    assert len(printed) >= 9


SLOW = pytest.mark.slow
QUICK = [(HIVE, "smallest", "6.3"), (DIRECT, "all of it", "6.3")]
SOURCES = [(HIVE, "all of it", None), (DIRECT, "all of it", None), (REGISTER, "all of it", None)]
OTHERS = [*[(HIVE, name, "6.3") for name in PROGRAMS if name != "smallest"], (REGISTER, "all of it", "6.3"), *SOURCES]
CASES = [*QUICK, *[pytest.param(*case, marks=SLOW) for case in OTHERS]]


@pytest.mark.parametrize(("file", "name", "mpy"), CASES)
def test_a_firmware_gives_the_same_bytes_in_the_memory_of_a_board(
    file: str, name: str, mpy: str | None, tmp_path: Path
) -> None:
    heap = HEAPS.get(name, "64wK") if mpy else "512wK"  # a board compiles sources itself
    modules = {"machine.py": MACHINE.encode(), "time.py": TIME}
    compare(file, PROGRAMS[name], "micropython", mpy, heap, modules, tmp_path)


@SLOW
@pytest.mark.parametrize("file", [HIVE, DIRECT, REGISTER])
def test_a_first_text_takes_one_file(file: str, tmp_path: Path) -> None:
    program = "import sys, hive\nhive.panel()[0] = 'Hive 3'\nprint([one for one in sys.modules if 'lumek' in one])\n"
    put({**built(file, "6.3"), "machine.py": MACHINE.encode(), "script.py": program.encode()}, tmp_path)
    assert run(tmp_path, tmp_path / "script.py").splitlines()[-1] == "['lumek']"


@SLOW
def test_several_panels_and_a_backlight_on_a_pin_of_its_own(tmp_path: Path) -> None:
    """Also that a second panel, for which the start is loaded again, leaves nothing of it behind."""
    hookup = "[panels.{name}.hookup]\nkind = 'backpack'\naddress = {address}\nlevel_shifter = true\n"
    text = '[host]\nboard = "esp32"\n' + "".join([
        f'[panels.{name}]\nsize = "{size}"\nrom = "A02"\n' + hookup.format(name=name, address=address)
        for name, size, address in (("upper", "16x2", 0x27), ("lower", "20x4", 0x26))
    ])  # fmt: skip
    text += "lines = { rs = 0, e = 2, d4 = 4, d5 = 5, d6 = 6, d7 = 7 }\n[panels.lower.backlight]\nline = 'IO4'\n"
    program = (
        "import sys, hive\npanels = hive.panels()\nfor name in ('upper', 'lower'):\n    panels[name][-1] = name\n"
        "panels['lower'].backlight = False\nprint('|'.join(panels['lower'].rows), 'lumek.start' in sys.modules)\n"
    )
    put({**built(text, "6.3"), "machine.py": MACHINE.encode(), "script.py": program.encode()}, tmp_path)
    printed = run(tmp_path, tmp_path / "script.py").splitlines()
    assert printed[-1] == "|".join([" " * 20] * 3) + "|lower               " + " False"
    assert {line.split()[1] for line in printed if line.startswith("write")} == {"39", "38"}


@pytest.mark.parametrize("file", [HIVE, *[pytest.param(file, marks=SLOW) for file in (DIRECT, OTHER_REGISTER)]])
def test_a_firmware_for_circuitpython_gives_the_same_bytes(file: str, tmp_path: Path) -> None:
    """Under a MicroPython from which is taken what CircuitPython lacks, with the modules that this has."""
    modules = {path: text.encode() for path, text in CIRCUITPYTHON.items()}
    compare(file, PROGRAMS["all of it"], "circuitpython", None, "512wK", modules, tmp_path)


KINDS = [("6.3", False), ("6.3", True), (None, False)]


@pytest.mark.slow
@pytest.mark.parametrize(("mpy", "readable"), KINDS)
def test_the_whole_scenario_gives_the_same_bytes(
    mpy: str | None, readable: bool, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    runpy.run_path(str(SCENARIO))
    expected = capsys.readouterr().out.splitlines()
    library = Library("micropython", {"Panel": "panel:Panel", **LINKS}, EVERYTHING, None, mpy, readable)
    put({f"lib/{path}": data for path, data in library.files.items()}, tmp_path)
    heap = "288wK" if mpy and not readable else "2M"
    printed = [line for line in run(tmp_path, SCENARIO, heap).splitlines() if not line.startswith("lumek: ")]
    pairs = zip(printed, expected, strict=False)
    assert not [(number, pair) for number, pair in enumerate(pairs) if pair[0] != pair[1]][:3]
    assert len(printed) == len(expected) > 200_000
