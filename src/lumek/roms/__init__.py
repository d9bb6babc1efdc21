"""The ROMs there are, by name: those of the data sheet, and those that a file describes."""

from lumek._harmless import quoted
from lumek.errors import SettingError
from lumek.roms.rom import Rom

TYPE_CHECKING = False
if TYPE_CHECKING:
    from os import PathLike

NAMES = "A00", "A02"
"""The ROMs of the data sheet."""


def rom_named(name: "str | PathLike[str] | Rom") -> Rom:
    """The ROM of that name, or of a file whose path it is. Raises SettingError, which lists the names there are."""
    if isinstance(name, Rom):
        return name
    if hasattr(name, "__fspath__") or (isinstance(name, str) and name.endswith(".toml")):
        from lumek.roms.file import read_rom  # files are read by CPython

        return read_rom(name)
    if name == "A00":
        from lumek.roms.a00 import A00

        return A00
    if name == "A02":
        from lumek.roms.a02 import A02

        return A02
    raise SettingError(
        f"there is no ROM {quoted(name)}: ROMs are A00 (Japanese), A02 (European) and ROM files, NAME.toml"
    )
