"""Files that no one would write: those of the examples, changed at random, and some that are no files at all."""

import io
import os
import random
from collections.abc import Callable
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path

from attempt import CONTROLS, HOSTILE, attempt

from lumek import SettingError
from lumek.cli import main as command
from lumek.core.text import lines_of
from lumek.faces.file import read as read_faces
from lumek.glyphs import load as load_glyphs
from lumek.glyphs import shipped, trace
from lumek.glyphs.files import read, written
from lumek.glyphs.formats import FORMATS, Options
from lumek.hookup.checks import check
from lumek.hookup.file import read as read_hookup
from lumek.hookup.sheet import title, wires
from lumek.readings import HandClock, Log, Reading, Replay, load
from lumek.roms.file import read_rom

ROOT = Path(__file__).parents[2]
FILES = 1000
ROM = 'name = "C40"\nlike = "A02"\n[codes]\n0x80 = "ČčĎď"\n0xA0 = ["x\u0304", "→"]\n0xB0 = "abc"\n'


def changed(text: str, chance: random.Random) -> str:
    """A text with one to five random changes."""
    for _ in range(chance.randint(1, 5)):
        at = chance.randrange(len(text) + 1)
        end = min(len(text), at + chance.choice((0, 1, 3, 10, 60)))
        kind = chance.random()
        if kind < 0.55:
            text = text[:at] + chance.choice(HOSTILE) + text[end:]
        elif kind < 0.75:
            text = text[:at] + text[end:]
        elif kind < 0.9:
            text = text[:at] + text[at:end] * chance.choice((2, 50)) + text[end:]
        else:
            text = text[:at]
    return text[:300_000]


def hookup(path: Path) -> None:
    """Read it, check it, list its wires."""
    found = read_hookup(path)
    check(found)
    for name in found.panels:
        title(found, name)
        wires(found, name)


def faces(path: Path) -> None:
    """Read it, lay it out, and draw it on a simulated panel for a while."""
    found = read_faces(path)
    clock = HandClock(1_782_864_000.0)
    panels = {name: [panel] for name, panel in found.attach(twin=True).items()}
    if any(table.kind != "replay" for table in found.sources.values()):
        found.decks(panels)
        return
    with found.show(panels, clock=clock, threads=False) as show:
        for _ in range(3):
            show.poller.poll_due()
            show.draw()
            clock.advance(0.7)


def rom(path: Path) -> None:
    """Read it, and write with it."""
    found = read_rom(path)
    for line in lines_of("Čč → x\u0304 \u202e👩\u200d"):
        for cell in line:
            found.find(cell)


def recording(path: Path) -> None:
    """Give it again."""
    with Replay(path, clock=HandClock()) as replay:
        for column in replay.columns[:5]:
            replay.probe("x", column=column).poll()


def log(path: Path) -> None:
    """Go on with it, and load it: it is one, or it is left as it was."""
    before = path.read_bytes()
    try:
        with Log(path) as written:
            written(Reading(1.0, "x", "kg", 0.0))
    except SettingError:
        assert path.read_bytes() == before
        raise
    load(path)


def glyphs(path: Path) -> None:
    """Read it, and write it in every format."""
    found = load_glyphs(path)
    for format in FORMATS:
        read(written(found, format, Options(path.stem)), "it", format)


def pictures(chance: random.Random, count: int, folder: Path, failures: list[str]) -> None:
    """PNG files with bytes that are changed, read as sets and traced."""
    whole = written(shipped("weather"), "png", Options(dot=2))
    path = folder / "cells.png"
    for number in range(count):
        data = bytearray(whole)
        for _ in range(chance.randint(1, 8)):
            at = chance.randrange(len(data))
            data[at : at + chance.choice((0, 1, 1, 4))] = chance.randbytes(chance.choice((0, 1, 1, 4)))
        path.write_bytes(data)
        attempt(f"picture {number}", lambda: load_glyphs(path), failures)
        attempt(f"picture {number}, traced", lambda: trace(path, 2), failures)


def shown(path: Path) -> None:
    """What the command line says of it, byte for byte."""
    out = io.StringIO()
    try:
        with redirect_stdout(out), redirect_stderr(out):
            command(["run", str(path), "--check"] if "faces" in path.name else ["hookup", str(path)])
    except SystemExit:
        pass
    said = out.getvalue()
    assert not CONTROLS.search(said), f"a control character in {said!r}"
    assert "Traceback" not in said


def seeds() -> list[tuple[str, str, Callable[[Path], None]]]:
    """(name of the file, its text, what is done with it)."""
    found = [(f"hookup-{file.name}", file, hookup) for file in sorted((ROOT / "examples/hookups").glob("*.toml"))]
    found += [(f"faces-{file.name}", file, faces) for file in sorted((ROOT / "examples/faces").glob("*.toml"))]
    data = ROOT / "src/lumek/data"
    found += [("faces-apiary.toml", data / "apiary/apiary.toml", faces)] * 3
    found += [("day.csv", data / "hive_day.csv", recording)] * 3
    texts = [(name, file.read_text(encoding="utf-8")[:20_000], do) for name, file, do in found]
    texts += [(name, text, shown) for name, text, do in texts if do in (hookup, faces)]
    line = '{"time": "2026-07-01T00:00:00.000Z", "name": "x", "value": 1.5, "unit": "kg", "flaw": null}\n'
    head = "time,name,value,unit,flaw\n2026-07-01T00:00:00.000Z,x,1.5,kg,\n"
    texts += [("rom.toml", ROM, rom)] * 4 + [("log.jsonl", line * 3, log), ("log.csv", head, log)] * 2
    texts += [(f"set{FORMATS[format].endings[0]}", written(shipped("battery"), format, Options("set")).decode(), glyphs)
              for format in ("art", "toml", "json", "bdf", "c", "python")] * 3  # fmt: skip
    texts += [("lines.jsonl", '{"time": 1, "weight": 41.4}\n{"time": 2, "weight": 41.5}\n', recording)] * 2
    return texts


def evil(folder: Path, failures: list[str]) -> int:
    """What has the name of a file and is something else, or is larger than anything."""
    (folder / "day").mkdir()
    os.mkfifo(folder / "pipe")
    (folder / "gone").symlink_to(folder / "nowhere")
    for name, text in {
        "deep": "a = " + "[" * 100_000, "dots": "a." * 40_000 + "a = 1", "inline": "x = {" + "a." * 40_000 + "a = 1}",
        "headers": "[a.b]\n" * 40_000, "columns": ",".join(f"c{n}" for n in range(50_000)) + "\n1\n", "time": "time\n1\n",
        "marks": "[codes]\n0x80 = ['e" + "\u0301" * 40_000 + "']", "digits": "a = " + "9" * 200_000, "nul": "\0" * 100_000,
        "json": "[" * 90_000 + "\n", "milli": "time,weight\n1782864000000,1\n1782864001000,2\n", "big": "#" * 70_000_000,
    }.items():  # fmt: skip
        (folder / name).write_text(text, encoding="utf-8")
    count = 0
    for target in [
        *sorted(folder.iterdir()),
        Path("/dev/zero"),
        Path("/dev/full"),
        Path("/dev/tty"),
        Path("/proc/self/mem"),
    ]:
        for ending, do in ((".txt", glyphs), (".toml", glyphs), (".json", glyphs), (".bdf", glyphs), (".png", glyphs),
                           (".h", glyphs), (".py", glyphs), (".png", trace), (".toml", hookup), (".toml", faces), (".toml", rom), (".csv", recording), (".jsonl", recording),
                           (".csv", load), (".jsonl", load)):  # fmt: skip
            link = folder / f"link{count}{ending}"
            link.symlink_to(target)
            attempt(f"{do.__name__} of {target.name}{ending}", lambda do=do, link=link: do(link), failures)
            link.unlink()
            count += 1
    return count


def run(chance: random.Random, times: float, folder: Path) -> tuple[str, list[str]]:
    """Do it; what was done, and what went wrong."""
    failures: list[str] = []
    odd = evil(folder, failures)
    texts = seeds()
    count = round(FILES * times)
    for number in range(count):
        name, text, do = chance.choice(texts)
        path = folder / name
        path.write_bytes(changed(text, chance).encode("utf-8", "surrogatepass"))
        attempt(f"file {number} ({name}, {do.__name__})", lambda do=do, path=path: do(path), failures)
        if failures and len(failures) <= 3:
            path.rename(Path.cwd() / f"stress-{number}-{name}") if os.environ.get("KEEP") else None
    pictures(chance, count // 5, folder, failures)
    return f"{count} changed files, {count // 5} pictures and {odd} evil ones", failures
