"""The layers: which folder may import which. Arrows point from the command line towards the core."""

import ast
import importlib.util
from collections.abc import Iterator
from functools import lru_cache
from pathlib import Path
from typing import NamedTuple

import pytest

import lumek
import lumek.errors

ROOT = Path(lumek.__file__).parent

MOVED = {"core.rom": "roms.rom", "ports.three_lines": "ports.bit_banged", "twin.terminal": "views.terminal"}
"""Module that a guide showed -> where its names are now."""

GROUND = {"errors", "_harmless"}
"""Errors, and what makes text in them harmless."""

# Folder (or module beside them): what it may import of Lumek's when it runs. What is missing here may import anything.
MAY = {
    "_harmless": set(), "errors": {"_harmless"}, "_lock": set(), "_notice": {"_harmless"}, "_files": set(),
    "_failing": {"_failing", "_harmless"}, "_later": set(), "_json": set(), "board": {"faces", "fields"},
    "core": {*GROUND, "core"},
    "roms": {*GROUND, "roms", "core", "config", "_files"},
    "links": {*GROUND, "links", "core", "_lock"},
    "lights": {*GROUND, "lights", "links"},
    "ports": {*GROUND, "ports"},
    "fields": {*GROUND, "fields", "core", "motions"}, "motions": {*GROUND, "core"},
    "_play": {*GROUND, "_notice", "core", "motions"},
    "panel": {*GROUND, "_driver", "_glyphs", "_lock", "_notebook", "_notice", "_play", "_settings", "_together",
              "_upkeep", "core", "lights", "roms"},
    "_settings": {*GROUND, "_upkeep", "lights"},
    "_upkeep": {*GROUND, "_explain", "_raw", "_read_back", "_tending", "core"},
    "_raw": {*GROUND, "_driver", "core"}, "_explain": {"_driver", "core"},
    "_tending": {*GROUND, "_driver", "_notice", "_read_back", "core"},
    "_health": {"_notice"},
    "_notebook": {"_simulate", "views"},
    "_driver": {*GROUND, "_health", "core"}, "_glyphs": {*GROUND, "core"}, "_together": set(),
    "_read_back": {*GROUND, "core"},
    "protocols": {"core"}, "_simulate": {"core", "links", "panel", "roms", "twin"},
    "captures": {*GROUND, "captures", "hookup", "roms", "twin", "_notice"},
    "twin": {*GROUND, "twin", "roms"},
    "views": {*GROUND, "views", "twin", "core", "roms", "_files", "_notice"},
    "config": {*GROUND, "config", "_files", "_json"},
    "hookup": {*GROUND, "_upkeep", "hookup", "config", "core", "roms", "lights", "links", "ports", "panel", "protocols",
               "twin", "_notice"},
    "diagnosis": {*GROUND, "diagnosis", "core", "hookup", "links", "panel", "protocols", "roms", "twin", ""},
    "readings": {*GROUND, "readings", "_files", "_json", "_notice"},
    "firmware": {*GROUND, "_json", "firmware", "hookup", "faces", "fields", "core", "expressions", "panel", ""},
    "glyphs": {*GROUND, "glyphs", "config", "core", "_files", "panel", "views"},
    "expressions": {*GROUND, "expressions", "readings", "fields"},
    "messages": {*GROUND, "messages", "config", "core", "fields", "ports", "readings", "_files", "_json",
                 "_notice"},
    "faces": {*GROUND, "faces", "config", "core", "expressions", "fields", "glyphs", "hookup", "messages", "panel",
              "readings", "_notice", ""},
}  # fmt: skip

# What is imported for hints alone: these, and what may be imported anyway.
HINTS = {"captures", "protocols", "core", "roms", "links", "panel", "twin", "_driver", "_explain", "_health", "_play",
         "_raw", "_read_back", "_tending", "_upkeep", "glyphs", "motions", "readings"}  # fmt: skip

PORTABLE = {
    "", "errors", "panel", "core", "links", "lights", "fields", "roms", "_driver", "_explain", "_failing", "_glyphs",
    "_harmless", "_health", "_later", "_lock", "_notice", "_play", "_raw", "_read_back", "_settings", "_tending",
    "_together", "_upkeep", "motions",
}  # fmt: skip
PORTABLE_FILES = {"board", "faces.turns", "ports.board", "ports.bit_banged"}
NOT_PORTABLE = {"roms.file"}

# What MicroPython has, in its own words; the others are asked for with a way around.
MICROPYTHON = {"builtins", "collections", "gc", "math", "sys", "time"}
TRIED = {"threading", "logging", "unicodedata", "weakref"}


class Import(NamedTuple):
    """An import: the module that imports, what it imports, and whether only hints need it."""

    by: str
    what: str
    for_hints: bool


@lru_cache
def tree_of(module: str) -> ast.Module:
    """A module, parsed."""
    return ast.parse(modules()[module].read_text(encoding="utf-8"))


@lru_cache
def modules() -> dict[str, Path]:
    """Module -> file, without "lumek." before it."""
    names = {".".join(path.relative_to(ROOT).with_suffix("").parts): path for path in ROOT.rglob("*.py")}
    return {name.removesuffix("__init__").removesuffix("."): path for name, path in names.items()}


@lru_cache
def imports_of(module: str) -> list[Import]:
    """The imports of a module, wherever they are in it."""

    def walk(node: ast.AST, for_hints: bool) -> Iterator[Import]:
        for child in ast.iter_child_nodes(node):
            hints = for_hints
            if isinstance(node, ast.If) and ast.unparse(node.test) == "TYPE_CHECKING" and child in node.body:
                hints = True
            if isinstance(child, ast.ImportFrom):
                assert child.module is not None, "imports are absolute"
                for alias in child.names:
                    whole = f"{child.module}.{alias.name}"
                    yield Import(module, whole if own(whole) in modules() else child.module, hints)
            elif isinstance(child, ast.Import):
                yield from (Import(module, alias.name, hints) for alias in child.names)
            yield from walk(child, hints)

    return list(walk(tree_of(module), False))


def own(name: str) -> str | None:
    """The name of a module of Lumek's without "lumek." before it; None for another's."""
    return None if name.partition(".")[0] != "lumek" else name.partition(".")[2]


def folder(module: str) -> str:
    return module.partition(".")[0]


@pytest.mark.parametrize("module", sorted(one for one in set(modules()) - set(MOVED) if folder(one) in MAY))
def test_a_module_imports_only_what_its_layer_may(module: str) -> None:
    allowed = MAY[folder(module)]
    for one in imports_of(module):
        inside = own(one.what)
        if inside is not None:
            assert folder(inside) in allowed or (one.for_hints and folder(inside) in HINTS), one


@pytest.mark.parametrize(("old", "new"), MOVED.items())
def test_names_that_a_guide_showed_are_still_found_there(old: str, new: str) -> None:
    found = importlib.import_module(f"lumek.{old}"), importlib.import_module(f"lumek.{new}")
    names = {one.what for one in imports_of(old)}
    assert names == {f"lumek.{new}"}
    for name in [name for name in vars(found[0]) if not name.startswith("_")]:
        assert getattr(found[0], name) is getattr(found[1], name)


def test_every_folder_below_the_command_line_has_its_layer() -> None:
    assert {folder(module) for module in modules()} - set(MAY) == {"", "__main__", "cli"}


@pytest.mark.parametrize("module", sorted(module for module in modules() if folder(module) not in ("cli", "views")))
def test_nothing_below_the_command_line_and_the_views_prints_by_click_or_rich(module: str) -> None:
    assert not [one for one in imports_of(module) if one.what.partition(".")[0] in ("click", "rich")]


def portable() -> list[str]:
    return sorted(
        module for module in modules()
        if (folder(module) in PORTABLE or module in PORTABLE_FILES) and module not in NOT_PORTABLE
    )  # fmt: skip


@pytest.mark.parametrize("module", portable())
def test_the_portable_part_imports_nothing_that_micropython_lacks(module: str) -> None:
    tree = tree_of(module)
    tried = {
        name for node in ast.walk(tree) if isinstance(node, ast.Try) for part in node.body
        for name in ([part.module] if isinstance(part, ast.ImportFrom) else [])
    }  # fmt: skip
    for one in imports_of(module):
        inside = own(one.what)
        if one.for_hints or inside in LATER.get(module, ()):
            continue
        if inside is None:
            assert one.what in MICROPYTHON or (one.what in TRIED and one.what in tried) or one.what == "numpy", one
        else:
            assert inside in portable(), one


# What portable modules load when a program of CPython asks for it.
LATER = {"roms": {"roms.file"}, "panel": {"_notebook"}}


def test_no_module_imports_another_in_a_circle() -> None:
    top: dict[str, set[str]] = {}
    for module in modules():
        tree = tree_of(module)
        names = {
            f"{node.module}.{alias.name}" if own(f"{node.module}.{alias.name}") in modules() else str(node.module)
            for node in tree.body if isinstance(node, ast.ImportFrom) for alias in node.names
        }  # fmt: skip
        top[module] = {inside for name in names if (inside := own(name)) is not None}
    done: set[str] = set()

    def visit(module: str, way: tuple[str, ...]) -> None:
        assert module not in way, " imports ".join([*way[way.index(module) :], module])
        if module not in done:
            for other in top[module]:
                visit(other, (*way, module))
            done.add(module)

    for module in top:
        visit(module, ())


def test_dir_shows_the_public_names_all_of_them_and_only_them() -> None:
    assert dir(lumek) == sorted(lumek.__all__)
    assert all(hasattr(lumek, name) for name in dir(lumek))
    raised = {name for name, one in vars(lumek.errors).items() if isinstance(one, type) and issubclass(one, Exception)}
    assert raised | set(lumek._LATER) <= set(dir(lumek))
    assert lumek.__version__
    assert importlib.util.find_spec("lumek.protocols") is not None
