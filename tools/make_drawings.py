"""Write the tables of dots in src/lumek/roms and src/lumek/core/tables from the drawings in tools/drawings.

Each block of a file there is a line of names and, under each name, eight rows of five dots: '#' lit, '.' unlit. The
names are characters in letters.txt and symbols.txt, and codes in hexadecimal in ascii.txt, a00.txt and a02.txt. The
latter are our own, made to look like the figures of the HD44780U data sheet (tables 4 and 5).

Run it in a checkout: python tools/make_drawings.py
"""

from pathlib import Path

from lumek.core.slots import FIRST
from lumek.roms import rom_named
from lumek.roms.rom import Rom

HERE = Path(__file__).parent / "drawings"
LUMEK = Path(__file__).parent.parent / "src/lumek"
PER_LINE = 12
"""Drawings in a line of the modules written."""

GROUP = 48
"""Drawings in a group of the table of characters."""


def drawings(name: str) -> dict[str, bytes]:
    """{name of a drawing: five bytes, in which its eight rows of five bits follow each other} of a file."""
    lines = (HERE / f"{name}.txt").read_text(encoding="utf-8").splitlines()
    found: dict[str, bytes] = {}
    for start in range(0, len(lines), 10):
        names = lines[start].split()
        rows = [line.split() for line in lines[start + 1 : start + 9]]
        for place, one in enumerate(names):
            bits = "".join([row[place] for row in rows])
            if one in found or len(bits) != 40 or set(bits) > {"#", "."}:
                raise SystemExit(f"{name}.txt: the drawing of {one!r} is there twice, or is not 8 rows of 5 dots")
            found[one] = int(bits.replace("#", "1").replace(".", "0"), 2).to_bytes(5, "big")
    return found


def of_rom(rom: Rom) -> dict[int, bytes]:
    """{code: drawing} of a ROM; what has none is blank."""
    files = drawings("ascii") | drawings(rom.name.lower())
    return {code: files.get(f"{code:02X}", bytes(5)) for code in range(FIRST, 0x100)}


def literal(data: bytes) -> str:
    """The bytes as lines of source."""
    size = 5 * PER_LINE
    lines = ["".join([f"\\x{byte:02x}" for byte in data[at : at + size]]) for at in range(0, len(data), size)]
    return "\n".join([f'    b"{line}"' for line in lines])


def write(name: str, title: str, body: str) -> None:
    """Write a module."""
    text = f'"""{title}\n\nMade by tools/make_drawings.py; do not edit.\n"""\n\n{body}'
    (LUMEK / f"{name}.py").write_text(text, encoding="utf-8")


everything: dict[str, bytes] = {}
for name in ("A00", "A02"):
    rom = rom_named(name)
    dots = of_rom(rom)
    title = f"The dots of ROM {name}, eight rows of five bits a code, from code {FIRST:#04x} on."
    write(f"roms/{name.lower()}_dots", title, f"DOTS = (\n{literal(b''.join(dots.values()))}\n)\n")
    for code, drawing in dots.items():
        for character in rom.characters(code):
            if len(character) == 1:
                everything[character] = drawing
del everything[" "]
everything |= drawings("letters") | drawings("symbols")
characters = "".join(sorted(everything))
groups = [characters[at : at + GROUP] for at in range(0, len(characters), GROUP)]
table = "\n".join([
    f"({group!r},\n(\n{literal(b''.join([everything[character] for character in group]))}\n)),"
    for group in groups
])  # fmt: skip
write(
    "core/tables/drawings",
    f"The drawings of {len(characters)} characters, in groups: a board has room for small ones.",
    f"# Characters, and of each eight rows of five bits.\nDRAWINGS = (\n{table}\n)\n",
)
