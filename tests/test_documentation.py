"""Examples in docstrings and guides do what they say."""

import doctest
import inspect
import pydoc
import re
from importlib import import_module
from pathlib import Path

import jedi
import pytest

import lumek
from lumek import faces, fields, glyphs, motions, readings, twin

ROOT = Path(lumek.__file__).parent
MODULES = sorted(
    ".".join(("lumek", *path.relative_to(ROOT).with_suffix("").parts)).removesuffix(".__init__")
    for path in ROOT.rglob("*.py")
    if ">>> " in path.read_text(encoding="utf-8")
)


@pytest.mark.parametrize("name", MODULES)
def test_examples_in_docstrings_do_what_they_say(name: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(tmp_path)
    names = {one: getattr(lumek, one) for one in lumek.__all__} | {"lumek": lumek, "panel": lumek.simulate("20x4")}
    names["Moment"] = fields.Moment
    found = doctest.testmod(import_module(name), extraglobs=names, optionflags=doctest.NORMALIZE_WHITESPACE)
    assert found.attempted > 0
    assert found.failed == 0


def test_the_plan_in_how_it_works_is_the_plan_that_is_made(capsys: pytest.CaptureFixture[str]) -> None:
    guide = (Path(__file__).parents[1] / "docs/how-it-works.md").read_text(encoding="utf-8")
    program = guide.split("```python\n")[1].split("```")[0]
    exec(program, {})
    assert capsys.readouterr().out.strip() == program.rsplit("# ", 1)[1].strip()


def test_the_programs_in_the_guide_to_glyphs_run(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(tmp_path)
    guide = (Path(__file__).parents[1] / "docs/glyphs.md").read_text(encoding="utf-8")
    names: dict[str, object] = {}
    for block in guide.split("```python\n")[1:]:
        exec(block.split("```")[0], names)
    panel = names["panel"]
    assert isinstance(panel, lumek.Panel)
    assert (panel.rows[0].rstrip(), panel.twin.violations) == ("Good morning, bees", [])


def test_editors_and_help_know_every_public_name_and_what_a_call_returns() -> None:
    shown = pydoc.plain(pydoc.render_doc(lumek))
    assert [name for name in lumek.__all__ if name not in shown and name != "__version__"] == []
    assert dir(lumek) == sorted(lumek.__all__)
    for text, wanted in (
        ("import lumek\nlumek.", set(lumek.__all__) - {"__version__"}),
        ("import lumek\nlumek.attach('hive.toml').", {"rows", "backlight", "together"}),
        ("import lumek\nlumek.simulate('16x2').", {"rows", "backlight", "together"}),
        ("from lumek.readings import ", {"Poller", "Replay", "conversions"}),
    ):
        assert wanted <= {one.name for one in jedi.Script(text).complete()}, text


def test_no_public_function_takes_an_unexplained_any() -> None:
    """Fields take anything, and say so."""
    for module in (lumek, faces, fields, glyphs, motions, readings, twin):
        for name in module.__all__:
            thing = getattr(module, name)
            functions = [thing] if inspect.isfunction(thing) else [vars(thing)[one] for one in vars(thing)] if (
                inspect.isclass(thing)) else []  # fmt: skip
            for function in filter(inspect.isfunction, functions):
                public = not function.__name__.startswith("_") or function.__name__ == "__init__"
                for key, one in inspect.signature(function).parameters.items():
                    hint = re.search(r"\bAny\b", str(one.annotation))
                    assert not (public and hint) or key == "value", (name, function, one)


def test_every_public_name_is_in_the_reference() -> None:
    pages = "".join(
        path.read_text(encoding="utf-8") for path in (Path(__file__).parents[1] / "docs/reference").glob("*.md")
    )
    shown = set(re.findall(r"(?m)^::: lumek\.([\w.]+)$", pages))
    for module in (lumek, fields, faces, glyphs, motions, readings, twin):
        for name in module.__all__:
            thing = getattr(module, name)
            home = getattr(thing, "__module__", "").removeprefix("lumek.").removeprefix("lumek")
            known = {f"{home}.{name}".strip("."), home, name, f"{module.__name__.removeprefix('lumek.')}.{name}"}
            assert known & shown or name in ("__version__", "conversions", "smoothing", "FLAWS", "SETS"), name
