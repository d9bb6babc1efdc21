"""The hookup files of the examples, and what other files say of them."""

import re
import tomllib
from pathlib import Path

from hypothesis import strategies as st

FOLDER = Path(__file__).parents[2] / "examples" / "hookups"
FILES = sorted(FOLDER.glob("*.toml"))
TEXTS = {file.stem: file.read_text(encoding="utf-8") for file in FILES}

# Maps of backpacks as circuit diagrams have them: RS, RW, E, backlight, D4 to D7; then the level that lights.
MAPS = {
    "control-low": ((0, 1, 2, 3, 4, 5, 6, 7), 1), "control-high": ((4, 5, 6, 7, 0, 1, 2, 3), 1),
    "control-high-reversed": ((6, 5, 4, 7, 0, 1, 2, 3), 0), "rw-grounded": ((1, None, 2, 7, 3, 4, 5, 6), 1),
}  # fmt: skip
ROLES = ("rs", "rw", "e", "backlight", "d4", "d5", "d6", "d7")

# The usual 40-pin header, row by row from its end: the odd positions, and beside them the even ones.
ODD = ["3.3V", 2, 3, 4, "GND", 17, 27, 22, "3.3V", 10, 9, 11, "GND", 0, 5, 6, 13, 19, 26, "GND"]
EVEN = ["5V", "5V", "GND", 14, 15, 18, "GND", 23, 24, "GND", 25, 8, 7, 1, "GND", 12, "GND", 16, 20, 21]
HEADER = {2 * row + 1 + even: what for even, column in enumerate((ODD, EVEN)) for row, what in enumerate(column)}
POSITIONS = {what: position for position, what in HEADER.items() if isinstance(what, int)}
"""Line -> position."""

SIGNALS = {0: "SDA of i2c-0", 1: "SCL of i2c-0", 2: "SDA of i2c-1", 3: "SCL of i2c-1", 7: "CE1 of spi-0",
           8: "CE0 of spi-0", 9: "MISO of spi-0", 10: "MOSI of spi-0", 11: "SCLK of spi-0", 14: "TXD of uart-0",
           15: "RXD of uart-0", 16: "CE2 of spi-1", 17: "CE1 of spi-1", 18: "CE0 of spi-1", 19: "MISO of spi-1",
           20: "MOSI of spi-1", 21: "SCLK of spi-1"}  # fmt: skip
"""Line -> what it is when the bus is on."""

OUTPUTS = {0: ("QA", 15), 1: ("QB", 1), 2: ("QC", 2), 3: ("QD", 3), 4: ("QE", 4), 5: ("QF", 5), 6: ("QG", 6),
           7: ("QH", 7)}  # fmt: skip
"""Output of a 74HC595 -> its name and pin (data sheet, DIP-16)."""


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


VALUES = ["0", "-1", "7", "40", "400_000", "0x3f", "1e99", "nan", "true", "''", "'40-pin'", "'20x2'", "[]", "[1, 0, 1]",
          "{}", "[[0, 1], [0, 2], [0, 3]]", "{ rs = 1 }", "1979-05-27", "3.3", "'direct'", "'GPIO17'"]  # fmt: skip

REFERENCE = (FOLDER.parents[1] / "docs" / "hookup.md").read_text(encoding="utf-8")
KEYS = sorted(set(re.findall(r"(?m)^\| `(\w+)` \|", REFERENCE)))


@st.composite
def mutants(draw: st.DrawFn) -> str:
    """The text of an example in which a few values, keys, lines or characters are others."""
    text = TEXTS[draw(st.sampled_from(sorted(TEXTS)))]
    for _ in range(draw(st.integers(1, 3))):
        lines = text.splitlines(keepends=True)
        place = draw(st.integers(0, len(lines) - 1))
        kind = draw(st.sampled_from(("value", "number", "key", "add", "drop", "character")))
        if kind == "drop":
            del lines[place]
        elif kind == "add":
            lines.insert(place, f"{draw(st.sampled_from(KEYS))} = {draw(st.sampled_from(VALUES))}\n")
        elif kind == "character":
            at = draw(st.integers(0, len(lines[place]) - 1))
            lines[place] = lines[place][:at] + draw(st.characters(codec="utf-8")) + lines[place][at + 1 :]
        else:
            pattern = {"value": r"(?<== ).*", "number": r"\b\d+\b", "key": r"\w+(?= =)"}[kind]
            found = list(re.finditer(pattern, lines[place]))
            if found:
                one = draw(st.sampled_from(found))
                new = {"value": st.sampled_from(VALUES), "number": st.integers(-1, 30).map(str),
                       "key": st.sampled_from(KEYS)}[kind]  # fmt: skip
                lines[place] = lines[place][: one.start()] + draw(new) + lines[place][one.end() :]
        text = "".join(lines) or "\n"
    return text
