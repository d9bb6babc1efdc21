"""The Japanese character ROM, A00.

Source: HD44780U data sheet, "Correspondence between character codes and character patterns (ROM
code: A00)"; katakana in the order of JIS X 0201. Codes 0xE0-0xFF are drawings of ten rows: on a 5x8 panel
their descenders are cut, so g, j, p, q and y are written with the codes of ASCII.
"""

from lumek.roms.rom import Rom

TYPE_CHECKING = False
if TYPE_CHECKING:
    from lumek.roms.rom import Characters


def _characters() -> "Characters":
    from lumek.roms.a00_characters import RUNS, TWINS  # needed only beyond ASCII

    return RUNS, TWINS


def _dots() -> bytes:
    from lumek.roms.a00_dots import DOTS  # needed only by programs that draw

    return DOTS


A00 = Rom("A00", _characters, dots=_dots, lacks="\\~", full=0xFF)
