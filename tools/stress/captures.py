"""Captures that no program would write: the examples, changed at random, decoded by the library and by the command."""

import io
import os
import random
import resource
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path

from attempt import CONTROLS, attempt
from files import changed

from lumek.captures import decode
from lumek.cli import main as command

ROOT = Path(__file__).parents[2]
FILES = 400
LONGEST = 12_000
"""Characters of an example that are kept: the smaller the file, the more of it is changed."""

MOST_MB = 500


def listed(path: Path) -> None:
    """What the command prints: nothing that a terminal obeys, and no traceback."""
    out = io.StringIO()
    try:
        with redirect_stdout(out), redirect_stderr(out):
            command(["decode", str(path), "--summary"] if len(path.name) % 2 else ["decode", str(path)])
    except SystemExit:
        pass
    said = out.getvalue()
    assert not CONTROLS.search(said), f"a control character in {said!r}"
    assert "Traceback" not in said


def run(chance: random.Random, times: float, folder: Path) -> tuple[str, list[str]]:
    """Do it; what was done, and what went wrong."""
    failures: list[str] = []
    examples = [file for file in sorted((ROOT / "examples" / "captures").iterdir()) if file.suffix in (".vcd", ".csv")]
    texts = [(file.name, file.read_text(encoding="ascii")[:LONGEST]) for file in examples]
    count = round(FILES * times)
    for number in range(count):
        name, text = chance.choice(texts)
        path = folder / name
        path.write_bytes(changed(text, chance).encode("utf-8", "surrogatepass"))
        do = listed if number % 8 == 0 else decode
        attempt(f"capture {number} ({name}, {do.__name__})", lambda do=do, path=path: do(path), failures)
        if failures and os.environ.get("KEEP") and len(failures) <= 3:
            path.rename(Path.cwd() / f"stress-{number}-{name}")
    most = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024
    if most > MOST_MB:
        failures.append(f"{most} MB of memory were needed")
    return f"{count} changed captures, {most} MB at most", failures
