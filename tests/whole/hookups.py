"""The hookup files of the examples, and what is told of them elsewhere."""

import re
import tomllib
from pathlib import Path

FOLDER = Path(__file__).parents[2] / "examples" / "hookups"
FILES = sorted(FOLDER.glob("*.toml"))
TEXTS = {file.stem: file.read_text(encoding="utf-8") for file in FILES}

# Maps of backpacks as circuit diagrams have them: RS, RW, E, backlight, D4 to D7; then the level that lights.
MAPS = {
    "control-low": ((0, 1, 2, 3, 4, 5, 6, 7), 1), "control-high": ((4, 5, 6, 7, 0, 1, 2, 3), 1),
    "control-high-reversed": ((6, 5, 4, 7, 0, 1, 2, 3), 0), "rw-grounded": ((1, None, 2, 7, 3, 4, 5, 6), 1),
}  # fmt: skip
ROLES = ("rs", "rw", "e", "backlight", "d4", "d5", "d6", "d7")

POSITIONS = {2: 3, 3: 5, 17: 11, 27: 13, 22: 15, 23: 16, 24: 18, 25: 22, 10: 19, 11: 23, 8: 24, 5: 29, 12: 32, 13: 33,
             19: 35, 16: 36, 26: 37}  # fmt: skip
"""Line -> position on the usual 40-pin header."""


def edited(name: str, *changes: str) -> str:
    """The text of an example, in which each change, "key = value", is put in the place of that key or is added.

    A change begins with its table: "hookup.bus = 3", "host.supply_ma = 20"; without a value it takes the key away.
    """
    text = TEXTS[name]
    for change in changes:
        key, _, value = change.partition(" = ")
        table, _, key = key.rpartition(".")
        if f"[{table}]" not in text:
            text += f"\n[{table}]\n"
        head, body = text.split(f"[{table}]\n")
        body, rest = re.match(r"(?s)(.*?)((?:\n\[.*)?)$", body).groups()
        body = re.sub(rf"(?m)^{key} = .*\n?", "", body)
        text = f"{head}[{table}]\n{f'{key} = {value}' if value else ''}\n{body}{rest}"
    tomllib.loads(text)
    return text
