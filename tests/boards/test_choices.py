"""What is chosen for boards names what there is: a method that gets another name must get it there, too."""

import ast
import importlib
from pathlib import Path

import pytest

import lumek
from lumek.firmware import choices

ROOT = Path(lumek.__file__).parent


def classes(module: str) -> dict[str, set[str]]:
    """Class of a module -> its methods; functions have none, and "" is the module itself."""
    path = ROOT.joinpath(*module.split("."))
    text = (path / "__init__.py" if path.is_dir() else path.with_suffix(".py")).read_text(encoding="utf-8")
    named = [node for node in ast.parse(text).body if isinstance(node, ast.ClassDef | ast.FunctionDef)]
    methods = {node.name: {one.name for one in node.body if isinstance(one, ast.FunctionDef)} for node in named}
    return {**methods, "": set(methods)}


TABLES = [*choices.COMMON.items(), *choices.ALSO_AT_START.items(), *choices.SELDOM.items(), *choices.START.items()]
TABLES += [one for group in choices.GROUPS.values() for one in group.items()]
METHODS = sorted({(name, method) for name, methods in TABLES for method in methods})


@pytest.mark.parametrize(("name", "method"), METHODS)
def test_a_chosen_method_is_one_of_its_class_or_of_one_that_this_inherits_from(name: str, method: str) -> None:
    module, _, owner = name.partition(":")
    inherited = classes("links.byte_port")["BytePort"] | classes("_upkeep")["Upkeep"] | classes("_settings")["Settings"]
    assert method in classes(module)[owner] | inherited


@pytest.mark.parametrize("name", sorted({*choices.ASIDE, *choices.CHECKS, *choices.INNER}))
def test_a_chosen_function_exists(name: str) -> None:
    module, _, function = name.partition(":")
    assert function in classes(module)


@pytest.mark.parametrize("module", sorted({*choices.HARDWARE, *choices.INTERNAL, *choices.TRANSIENT}))
def test_a_chosen_module_exists(module: str) -> None:
    assert ROOT.joinpath(*module.split(".")).with_suffix(".py").is_file()


@pytest.mark.parametrize(("name", "fields"), choices.RECORDS.items())
def test_a_record_has_the_fields_that_a_board_keeps(name: str, fields: tuple[str, ...]) -> None:
    module, _, record = name.partition(":")
    assert set(fields) < set(getattr(importlib.import_module(f"lumek.{module}"), record)._fields)


def test_a_method_has_one_choice() -> None:
    for name, methods in choices.SELDOM.items():
        assert not methods & choices.COMMON.get(name, set()), name
        assert not methods & choices.START.get(name, set()), name
