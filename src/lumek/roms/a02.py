"""The European character ROM, A02.

Source: HD44780U data sheet, "Correspondence between character codes and character patterns (ROM
code: A02)": Latin-1 but for 0xD8, and those Cyrillic capitals that have no Latin twin.
"""

from lumek.roms.rom import Rom

TYPE_CHECKING = False
if TYPE_CHECKING:
    from lumek.roms.rom import Characters


def _characters() -> "Characters":
    from lumek.roms.a02_characters import RUNS  # needed only beyond ASCII

    return RUNS, {}


def _dots() -> bytes:
    from lumek.roms.a02_dots import DOTS  # needed only by programs that draw

    return DOTS


A02 = Rom("A02", _characters, dots=_dots, lacks="")
