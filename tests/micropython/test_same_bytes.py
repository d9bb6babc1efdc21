"""The portable part under a real MicroPython. Needs Node.js, and `npm ci` in this folder."""

import runpy
import subprocess
from pathlib import Path

import pytest

import lumek

HERE = Path(__file__).parent


def test_micropython_sends_the_same_bytes(capsys: pytest.CaptureFixture[str], caplog: pytest.LogCaptureFixture) -> None:
    runpy.run_path(str(HERE / "scenario.py"))
    expected = capsys.readouterr().out
    command = ["node", HERE / "run.mjs", Path(lumek.__file__).parent]
    ran = subprocess.run(command, capture_output=True, text=True, check=False)
    noticed = "".join([f"WARNING:lumek:{record.message}\n" for record in caplog.records])
    assert (ran.stderr, ran.stdout) == (noticed, expected)
    assert expected.count("write") > 60
