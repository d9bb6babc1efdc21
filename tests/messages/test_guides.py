"""What the guides to messages and fleets show is possible, and their tables are those of the code."""

import json
import re
from pathlib import Path

import make_references
import pytest

from lumek.faces.file import read
from lumek.messages.broker import reports
from lumek.messages.reading import understood

DOCS = Path(__file__).parents[2] / "docs"
GUIDES = "messages.md", "fleet.md"


def blocks(guide: str, language: str) -> list[str]:
    text = (DOCS / guide).read_text(encoding="utf-8")
    return re.findall(rf"```{language}\n(.*?)```", text, re.DOTALL)


@pytest.mark.parametrize("guide", GUIDES)
def test_the_tables_of_a_guide_can_be_read(guide: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("HIVE_PASSWORD", "nectar")
    for number, text in enumerate(blocks(guide, "toml")):
        file = tmp_path / f"{number}.toml"
        file.write_text(text.replace("/etc/lumek/token", str(tmp_path / "token")) + '\n[faces.day]\ntext = "day"\n')
        (tmp_path / "token").write_text("nectar-and-wax\n")
        assert read(file).messages is not None


def test_the_messages_of_the_guide_are_understood_and_its_program_runs(capsys: pytest.CaptureFixture[str]) -> None:
    _, messages = blocks("messages.md", "json")
    for line in messages.splitlines():
        assert understood(line).message.asks
    (program,) = blocks("messages.md", "python")
    exec(program, {})
    assert capsys.readouterr().out == f"shown\n{['Queen seen'.ljust(16), ' ' * 16]}\n"


def test_the_references_are_those_of_the_code(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    for path in (*DOCS.glob("*.md"), DOCS / "fleet-schema.json"):
        (tmp_path / path.name).write_bytes(path.read_bytes())
    monkeypatch.setattr(make_references, "DOCS", tmp_path)
    make_references.main()
    for name in ("hookup.md", "faces.md", *GUIDES, "fleet-schema.json"):
        assert (tmp_path / name).read_text(encoding="utf-8") == (DOCS / name).read_text(encoding="utf-8"), name
    assert json.loads((DOCS / "fleet-schema.json").read_text()) == reports()
