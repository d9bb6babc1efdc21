"""A face file on a board shows the same cells as on the desk: under a native MicroPython, from the built folder."""

import ast
import json
import re
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

import lumek
from lumek.cli import main
from lumek.expressions.evaluate import Expression
from lumek.faces.file import read
from lumek.faces.probe_tables import stages_of
from lumek.faces.stand import Stand
from lumek.fields import Moment
from lumek.firmware.compiled_faces import CompiledFaces
from lumek.firmware.folder import firmware
from lumek.readings import Reading
from lumek.readings.stage import staged
from lumek.twin import backpack_twin
from support.boards import HIVE, MACHINE, needs_micropython, put, run

FACES = (
    HIVE
    + """
[deck]
page_s = 3
farewell = "not watched"
[probes]
gross = { simulated = { value = 41 }, low = 20, high = 90 }
brood = { simulated = { value = 41 }, through = ["value + 1", "value - 1"], low = 33.5, high = 38.2 }
warm = { simulated = { value = 41 }, unit = "degC", to_unit = "degF", high = 100 }
tare = { formula = "weight / 0" }
weight = { formula = "gross - 12.5" }
sure = { formula = "max(gross, 40) + min(1, 2) - abs(-3) + round(brood, 1)" }
[glyphs]
"b" = ".....\\n.#.#.\\n#####\\n.###.\\n#####\\n.###.\\n..#..\\n....."
[light]
rules = [
  { since = "17:59", until = "17:59:50", only = "gross > 53", backlight = false },
  { only = "flawed(gross) or brood > 36", flash_s = 2 },
]
[faces.start]
start = true
seconds = 1
text = "b begins"
[faces.now]
text = "b Hive 3"
fields = [
  { kind = "number", of = "weight", row = 1, width = 8, decimals = 2, unit = " kg", high = 60 },
  { kind = "bar", of = "weight", row = 1, column = 9, low = 30, high = 50, peak_s = 4 },
  { kind = "lamp", of = "gross", row = 0, column = 19, on = 94 },
  { kind = "number", of = "brood", row = 2, width = 7, decimals = 1, words = { missing = "", over = "" } },
  { kind = "lamp", of = "34 < brood < 36", row = 2, column = 19 },
  { kind = "number", of = "sure", row = 2, column = 8, width = 10 },
  { kind = "label", of = "tare", row = 3, width = 8 },
  { kind = "choice", of = "brood > 35 and weight > 0 or flawed(gross)", row = 3, column = 9, texts = { "1" = "y" } },
]
[faces.time]
only = "gross != 40"
fields = [
  { kind = "clock", form = "%H:%M:%S", row = 0 },
  { kind = "trend", of = "brood", row = 1, width = 4, low = 30, high = 40, every_s = 1 },
  { kind = "ticker", text = "Honey flow in the lime trees", row = 3 },
]
[faces.large]
fields = [
  { kind = "tall", of = "weight", row = 0, height = 2, width = 12 },
  { kind = "number", of = "warm", row = 3, width = 8, decimals = 1 },
]
[faces.alarm]
alarm = "brood > 37 or flawed(brood)"
text = "Look after the brood"
"""
)

VALUES = [
    (53.9, 34.8), (53.9, 35.2), (40, 33), (41.5, 36), (None, 36.5), (53.9, 38), (53.9, 38.5), (53.9, 35), (99, 35),
    (12.5, 34), ("two bees", 34), (float("inf"), 35), (53.9, None), (53.9, 35.5), (40, 35), (40, 35), (45, 35),
    (45, 36), (45, 33), (45, 33.2), (45, 33.4), (45, 36), (10, 36), (11, 36), (95, 36), (92, 36), (45, 36),
    (45, 33), (45, 33.2), (45, 33.4), (45, 38.4), (45, 36), (45, 36),
]  # fmt: skip

SCRIPT = """
import hive, hive_faces
from lumek.board import Show
from lumek import Moment

panel = hive.panel()
show = Show(panel, hive_faces)
for step, (gross, brood) in enumerate({values}):
    now = Moment(step * 1.5, 1e9 + step, (2026, 7, 1, 17, 59, 40 + step, 2, 182))
    show.draw({{"gross": gross, "brood": brood, "warm": brood}}, now, step > 0)
    print("rows " + "|".join(panel.rows))
"""


def compiled(text: str, folder: Path) -> CompiledFaces:
    (folder / "hive.toml").write_text(text)
    return CompiledFaces(read(folder / "hive.toml"), lumek.simulate("20x4"))


def glasses(printed: str) -> Iterator[tuple[str, bool, Any]]:
    """What the program printed as its rows, and light and dots of a panel at the board's wires, after each drawing."""
    twin, bus = backpack_twin("20x4")
    for line in printed.splitlines():
        word, _, rest = line.partition(" ")
        if word == "write":
            address, _, data = rest.partition(" ")
            bus.write(int(address), ast.literal_eval(data))
            bus.wait_us(50_000)  # the board waits between its writes, which is not printed
        elif word == "rows":
            yield rest, twin.backlight, twin.dots()


def desk(table: Any, value: object, name: str, time: float) -> Reading:
    """A value as the probe of a table would give it on the desk."""
    reading = Reading.of(value, name, str(table.unit), time)
    for stage in stages_of(table):
        reading = staged(stage, reading)
    return reading.limited(table.low, table.high)


@needs_micropython
@pytest.mark.parametrize("mpy", ["6.3", pytest.param(None, marks=pytest.mark.slow)])
def test_a_face_file_shows_the_same_cells_on_a_board_as_on_the_desk(mpy: str | None, tmp_path: Path) -> None:
    made = compiled(FACES, tmp_path)
    faces = read(tmp_path / "hive.toml")
    assert faces.hookup is not None
    built = firmware(faces.hookup, mpy=mpy, faces=made)
    board = put({**built.files, "machine.py": MACHINE.encode()}, tmp_path / "board")
    values = repr(VALUES).replace("inf", "float('inf')")
    (board / "script.py").write_text(SCRIPT.format(values=values))
    shown = list(glasses(run(board, board / "script.py")))

    panel = lumek.simulate("20x4")
    deck = faces.decks({"": [panel]} if faces.panels == [""] else {name: [panel] for name in faces.panels})
    assert faces.light is not None
    plan = faces.light.of("")
    plan.bind(list(faces.probes))
    stand = Stand("", next(iter(deck.values())), [panel], plan)
    lights = set()
    for step, (gross, brood) in enumerate(VALUES):
        now = Moment(step * 1.5, 1e9 + step, (2026, 7, 1, 17, 59, 40 + step, 2, 182))
        given = {"gross": gross, "brood": brood, "warm": brood}
        readings = {name: desk(faces.probes[name], value, name, now.seconds) for name, value in given.items()}
        for name in ("weight", "tare", "sure"):
            readings[name] = Expression(str(faces.probes[name].formula)).reading(readings, name)
        stand.draw(readings, now, step > 0, lambda _: (2026, 7, 1, 17, 59, 40, 2, 182))
        rows, light, dots = shown[step]
        assert (step, rows, light) == (step, "|".join(panel.rows), panel.twin.backlight)
        assert (dots == panel.twin.dots()).all(), step
        lights.add(light)
    assert lights == {True, False}


@needs_micropython
@pytest.mark.slow
def test_the_program_that_is_written_runs_faces_and_leaves_the_panel_as_the_file_says(tmp_path: Path) -> None:
    made = compiled(FACES, tmp_path)
    faces = read(tmp_path / "hive.toml")
    assert faces.hookup is not None
    built = firmware(faces.hookup, faces=made)
    program = built.files["main.py"].decode()
    program = re.sub(r"run\((.*)\)\n$", r"run(\1, seconds=0.5)\n", program)
    program = program.replace("return None  # gross", "return 53.9  # gross")
    board = put({**built.files, "machine.py": MACHINE.encode(), "script.py": program.encode()}, tmp_path / "board")
    assert "Traceback" not in run(board, board / "script.py")


MISTAKES = {
    'weight = { formula = "dew_point(gross, 50)" }': r"dew_point\(gross, 50\)' in '.*' is not possible on",
    "gross = { simulated = { value = 1 }, through = ['MovingMedian(5)'] }":
        r"\[probes.gross\] has the filter MovingMedian\(5\), which a board does not do",
    "[light]\nbacklight = 0.5": r"\[light\] backlight 0.5 is not possible: this backlight can be switched True",
    "[light]\nbacklight = false": r"\[light\] needs a backlight that the board can switch: this hookup has none",
}  # fmt: skip


@pytest.mark.parametrize(("line", "message"), MISTAKES.items())
def test_what_a_board_cannot_do_is_said_when_it_is_written(line: str, message: str, tmp_path: Path) -> None:
    probes = line if line.startswith("gross") else f"gross = {{ simulated = {{ value = 1 }} }}\n{line}"
    host = HIVE
    if "false" in line:
        host += "lines = { rs = 0, rw = 1, e = 2, d4 = 4, d5 = 5, d6 = 6, d7 = 7 }\n"
    text = f'{host}[probes]\n{probes}\n[faces.now]\nfields = [{{ kind = "number", of = "gross", row = 0 }}]\n'
    with pytest.raises(lumek.FaceError, match=message):
        compiled(text, tmp_path)


@pytest.mark.slow
def test_the_command_takes_the_faces_of_the_file_along(tmp_path: Path) -> None:
    (tmp_path / "hive.toml").write_text(FACES)
    with pytest.raises(SystemExit) as ended:
        main(["firmware", str(tmp_path / "hive.toml"), str(tmp_path / "out"), "--sources"])
    assert not ended.value.code
    manifest = json.loads((tmp_path / "out/lumek-firmware.json").read_text())
    assert "hive_faces.py" in manifest["files"]
    library = [path.read_text() for path in (tmp_path / "out/lib/lumek").rglob("*.py")]
    assert any("class Ticker" in one for one in library)
    assert not any("class March" in one for one in library)
