"""Examples in docstrings and guides do what they say."""

import doctest
import re
from importlib import import_module
from pathlib import Path

import pytest

import lumek
import lumek.fields

ROOT = Path(lumek.__file__).parent
MODULES = sorted(
    ".".join(("lumek", *path.relative_to(ROOT).with_suffix("").parts)).removesuffix(".__init__")
    for path in ROOT.rglob("*.py")
    if ">>> " in path.read_text(encoding="utf-8")
)


@pytest.mark.parametrize("name", MODULES)
def test_examples_in_docstrings_do_what_they_say(name: str) -> None:
    names = {one: getattr(lumek, one) for one in lumek.__all__} | {"lumek": lumek, "panel": lumek.simulate("20x4")}
    names["Moment"] = lumek.fields.Moment
    found = doctest.testmod(import_module(name), extraglobs=names, optionflags=doctest.NORMALIZE_WHITESPACE)
    assert found.attempted > 0
    assert found.failed == 0


def test_the_plan_in_how_it_works_is_the_plan_that_is_made(capsys: pytest.CaptureFixture[str]) -> None:
    guide = (Path(__file__).parents[1] / "docs/how-it-works.md").read_text(encoding="utf-8")
    program = guide.split("```python\n")[1].split("```")[0]
    exec(program, {})
    assert capsys.readouterr().out.strip() == program.rsplit("# ", 1)[1].strip()


def test_every_public_name_is_in_the_reference() -> None:
    pages = "".join(
        path.read_text(encoding="utf-8") for path in (Path(__file__).parents[1] / "docs/reference").glob("*.md")
    )
    shown = set(re.findall(r"(?m)^::: lumek\.([\w.]+)$", pages))
    from lumek import faces, fields, readings, twin

    for module in (lumek, fields, faces, readings, twin):
        for name in module.__all__:
            thing = getattr(module, name)
            home = getattr(thing, "__module__", "").removeprefix("lumek.").removeprefix("lumek")
            known = {f"{home}.{name}".strip("."), home, name, f"{module.__name__.removeprefix('lumek.')}.{name}"}
            assert known & shown or name in ("__version__", "conversions", "smoothing", "FLAWS"), name
